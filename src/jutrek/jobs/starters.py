"""Filling the blanks inside starter files.

Ours are written `{jutrek title}` or `{jutrek title:slug}`: no other program marks anything so. They are filled in
text (UTF-8), and where that is JSON or XML, as that writes signs of its own; what was JSON or XML before has to be so
after, else the file is copied as it is. In ZIP files of documents the parts that are XML are filled, if the archive is
plain (no signatures, nothing encrypted, nothing twice, of usual size) and reads back the same but for them. Whatever
else is copied byte for byte.
"""

from __future__ import annotations

import io
import json
import re
import struct
import zipfile
import zlib
from collections.abc import Callable
from xml.sax.saxutils import escape

from jutrek.filing.pattern import PatternError, Piece, parse
from jutrek.jobs.blanks import JOB
from jutrek.jobs.filling import DAYS, Filled

LARGEST = 16 * 1024 * 1024
"""Bytes of the largest file that is looked into; larger ones are copied as they are."""
_MARK = re.compile(r"\{jutrek ([a-z][a-z0-9-]{0,39}(?::[^{}\"<>\n]{1,40})?)\}")
_SIGN = b"{jutrek "
_LARGEST_PART, _MOST_PARTS, _LARGEST_WHOLE = 8 * 1024 * 1024, 2000, 64 * 1024 * 1024
_XML_PARTS = (".xml", ".rels", ".rdf", ".svg")
_ZIP = b"PK\x03\x04"
_DESCRIPTOR = 24


def filled_in(data: bytes, filled: Filled) -> bytes:
    """The bytes of a starter file with its blanks filled; the same bytes where none of ours are in it, or where it
    could not be told that nothing else changes."""
    if data.startswith(_ZIP):
        return _zip_filled(data, filled)
    return _text_filled(data, filled) if _SIGN in data else data


def _text_filled(data: bytes, filled: Filled) -> bytes:
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        return data
    if "\0" in text:
        return data
    if _is_json(text):
        return _MARK.sub(_by(filled, lambda value: json.dumps(value, ensure_ascii=False)[1:-1]), text).encode()
    if text.lstrip("\ufeff \t\r\n").startswith("<"):
        made = _MARK.sub(_by(filled, _in_xml), text)
        if "<![CDATA[" in text and made != _MARK.sub(_by(filled, lambda value: value), text):
            # There signs are written otherwise than elsewhere.
            return data
        # Not all that begins like XML is: a page or a template that never was goes by as text does.
        return made.encode() if _is_xml(made.encode()) or not _is_xml(data) else data
    return _MARK.sub(_by(filled, lambda value: value), text).encode()


def _by(filled: Filled, write: Callable[[str], str]) -> Callable[[re.Match[str]], str]:
    """What takes the place of a mark; one that names nothing stays."""
    known = frozenset(filled.values) | {JOB}

    def of(found: re.Match[str]) -> str:
        try:
            (piece,) = parse(f"{{{found[1]}}}", "", known).parts
        except (PatternError, ValueError):
            return found[0]
        if not isinstance(piece, Piece) or piece.name not in known | DAYS:
            return found[0]
        return write(filled.text(piece))

    return of


def _in_xml(value: str) -> str:
    return escape(value, {'"': "&quot;", "'": "&apos;"})


def _is_json(text: str) -> bool:
    if text.lstrip("\ufeff \t\r\n")[:1] not in ("{", "["):
        return False
    try:
        json.loads(text.removeprefix("\ufeff"))
    except (ValueError, RecursionError):
        return False
    return True


def _is_xml(data: bytes) -> bool:
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        etree.fromstring(data, parser)
    except (etree.XMLSyntaxError, ValueError):
        return False
    return True


def _zip_filled(data: bytes, filled: Filled) -> bytes:
    """An archive with the XML in it filled; as it is where it holds none of our marks, or is not plain."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as old:
            parts = old.infolist()
            if not _is_plain(parts) or not _is_whole(data, old):
                return data
            held = [old.read(part) for part in parts]
            made = [
                _text_filled(one, filled) if part.filename.lower().endswith(_XML_PARTS) and _SIGN in one else one
                for part, one in zip(parts, held, strict=True)
            ]
            if made == held:
                return data
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w") as new:
                new.comment = old.comment
                for part, one in zip(parts, made, strict=True):
                    new.writestr(part, one, part.compress_type)
        written = out.getvalue()
        with zipfile.ZipFile(io.BytesIO(written)) as again:
            same = [(one.filename, again.read(one)) for one in again.infolist()]
        wanted = [(part.filename, one) for part, one in zip(parts, made, strict=True)]
        return written if same == wanted else data
    except (zipfile.BadZipFile, zlib.error, OSError, ValueError, RuntimeError, EOFError, OverflowError, struct.error):
        return data


def _is_whole(data: bytes, archive: zipfile.ZipFile) -> bool:
    """Whether an archive is all that there is: nothing stands before, between or behind what its directory lists.

    A descriptor of up to 24 bytes may follow a part (APPNOTE 6.3.10, 4.3.9).
    """
    at = 0
    for begin in (*sorted(part.header_offset for part in archive.infolist()), archive.start_dir):
        if not at <= begin <= at + (_DESCRIPTOR if at else 0):
            return False
        sizes = {part.header_offset: part.compress_size for part in archive.infolist()}
        name, extra = struct.unpack_from("<HH", data, begin + 26)
        at = begin + 30 + name + extra + sizes.get(begin, 0)
    end = data.rfind(b"PK\x05\x06")
    return end + 22 + len(archive.comment) == len(data)


def _is_plain(parts: list[zipfile.ZipInfo]) -> bool:
    names = [part.filename for part in parts]
    known = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
    return (
        len(parts) <= _MOST_PARTS
        and len(set(names)) == len(names)
        and not any("signature" in name.lower() for name in names)
        and all(part.compress_type in known and not part.flag_bits & 0x1 for part in parts)
        and all(part.file_size <= _LARGEST_PART for part in parts)
        and sum(part.file_size for part in parts) <= _LARGEST_WHOLE
    )
