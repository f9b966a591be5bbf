"""XML inside and beside media files: parsed without entities, network or trust."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from jutrek.formats.draft import Draft

MAX_ELEMENTS = 20_000
MAX_MARKUP = 512 * 1024


def plain(head: bytes) -> bytes:
    """The beginning of a text without its byte order mark and white space; UTF-16 as far as it is ASCII."""
    text = head.replace(b"\0", b"") if head[:2] in (b"\xff\xfe", b"\xfe\xff") else head
    return text.lstrip(b"\xef\xbb\xbf\xff\xfe \r\n\t")


def is_xml(head: bytes) -> bool:
    """Whether a file begins as XML does that devices and programs write beside captures."""
    return plain(head).startswith((b"<?xml", b"<NonRealTimeMeta", b"<plist"))


def parsed(data: bytes, draft: Draft, what: str) -> Any | None:
    """The root element of a document, or None with a note where it is damaged, too long, or declares entities.

    Args:
        data: the document, NULs and white space around it allowed, UTF-8 or UTF-16.
        what: begins the note, such as `The XMP data`.
    """
    from lxml import etree

    if len(data) > MAX_MARKUP:
        draft.note(f"{what} are longer than {MAX_MARKUP} bytes and were not read.")
        return None
    plain = data.replace(b"\0", b"") if data[:2] in (b"\xff\xfe", b"\xfe\xff") or b"\0" in data[:4] else data
    if b"<!DOCTYPE" in plain or b"<!ENTITY" in plain:
        draft.note(f"{what} declare entities and were not read.")
        return None
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, recover=False)
    text = data if plain is not data else data.strip(b"\0 \t\r\n")
    try:
        return etree.fromstring(text, parser)
    except (etree.XMLSyntaxError, ValueError, LookupError):
        draft.note(f"{what} are damaged and were not read.")
        return None


def elements(root: Any) -> Iterator[Any]:
    """The elements of a document in their order, up to `MAX_ELEMENTS`; comments and instructions are left out."""
    from lxml import etree

    return islice(root.iter(etree.Element), MAX_ELEMENTS)


def local_name(element: Any) -> str:
    """An element's name without its namespace."""
    return str(element.tag).rpartition("}")[2]
