"""What house rules want beside a file: an XMP sidecar (ISO 16684-1) with only what they ask for.

Its corrected date (`exif:DateTimeOriginal`), the name it had on its source (`xmpMM:PreservedFileName`), who made it
(`dc:creator`), its rights (`dc:rights`) and keywords (`dc:subject`). The file itself keeps its own times and words. The
sidecar is new, whole and durable, or not there; what stands under its name already is left as it is.
"""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from lxml import etree

from jutrek.disk import Outside, Tree, inside
from jutrek.errors import reason
from jutrek.filing import HouseRules, Row
from jutrek.formats.draft import Draft
from jutrek.formats.markup import parsed

_META = "adobe:ns:meta/"
_RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
_EXIF = "http://ns.adobe.com/exif/1.0/"
_MEDIA = "http://ns.adobe.com/xap/1.0/mm/"
_DC = "http://purl.org/dc/elements/1.1/"
_XML = "http://www.w3.org/XML/1998/namespace"
_CORE = "http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/"
_PHOTOSHOP = "http://ns.adobe.com/photoshop/1.0/"
_XMP = "http://ns.adobe.com/xap/1.0/"
_LABEL = f"{{{_XMP}}}Label"
_SPACES = {"exif": _EXIF, "xmpMM": _MEDIA, "dc": _DC, "Iptc4xmpCore": _CORE, "photoshop": _PHOTOSHOP}

etree.register_namespace("xmp", _XMP)


class Said(NamedTuple):
    """What is to be said of a file; empty for nothing.

    Attributes:
        title, place, job, creator, rights, keywords: as in `Wording`.
        date: when it was shot, ISO 8601.
    """

    title: str = ""
    place: str = ""
    job: str = ""
    creator: str = ""
    rights: str = ""
    keywords: tuple[str, ...] = ()
    date: str = ""

    def __bool__(self) -> bool:
        return any(self[:])


def _new(spaces: Mapping[str, str] = _SPACES) -> tuple[Any, Any]:
    """A new packet, and the element in it that properties go into; prefixes of what it may say."""
    meta = etree.Element(f"{{{_META}}}xmpmeta", nsmap={"x": _META})
    rdf = etree.SubElement(meta, f"{{{_RDF}}}RDF", nsmap={"rdf": _RDF})
    return meta, etree.SubElement(rdf, f"{{{_RDF}}}Description", {f"{{{_RDF}}}about": ""}, nsmap=dict(spaces))


def with_words(old: bytes, said: Said) -> bytes:
    """A sidecar that says more than an old one, and all that that one said; a new one where there is none.

    Raises:
        ValueError: when the old one is no XMP packet.
    """
    meta, about = _read(old) if old else _new()
    if said.date:
        _date(about, said.date)
    for name, text in (("title", said.title), ("rights", said.rights)):
        if text:
            _list(about, name, "Alt", [text])[0].set(f"{{{_XML}}}lang", "x-default")
    if said.creator:
        _list(about, "creator", "Seq", [said.creator])
    for tag, text in ((f"{{{_CORE}}}Location", said.place), (f"{{{_PHOTOSHOP}}}TransmissionReference", said.job)):
        if text:
            etree.SubElement(about, tag).text = _written(text)
    if said.keywords:
        bag = about.find(f"{{{_DC}}}subject/{{{_RDF}}}Bag")
        if bag is None:
            _list(about, "subject", "Bag", said.keywords)
        for word in said.keywords if bag is not None else ():
            etree.SubElement(bag, f"{{{_RDF}}}li").text = _written(word)
    return _text(meta, new=not old)


def with_label(old: bytes, label: str) -> bytes:
    """A sidecar whose label (`xmp:Label`, part 2 section 8.4) is another one, and that keeps all else.

    Args:
        old: what it says so far; empty where there is none.
        label: what it is to be; empty to say that there is none, also where the file itself has one.

    Raises:
        ValueError: when the old one is no XMP packet.
    """
    meta, about = _read(old) if old else _new({"xmp": _XMP})
    beside = about.getparent()
    said = []
    for one in beside.findall(f"{{{_RDF}}}Description") if beside is not None else [about]:
        said += [one.attrib.pop(_LABEL)] if _LABEL in one.attrib else []
        for before in one.findall(_LABEL):
            said.append(before.text or "")
            _take_out(before)
    if said == [_written(label)]:
        return old
    about.set(_LABEL, _written(label))
    return _text(meta, new=not old)


def _read(old: bytes) -> tuple[Any, Any]:
    """The packet of a sidecar, and the element in it that properties go into."""
    draft = Draft()
    meta = parsed(old, draft, "The sidecar's data")
    about = next(meta.iter(f"{{{_RDF}}}Description"), None) if meta is not None else None
    if about is None:
        raise ValueError(" ".join(draft.notes) or "its sidecar holds no description.")
    return meta, about


def _take_out(element: Any) -> None:
    """Take an element out of its parent, and leave the text behind it."""
    before, parent = element.getprevious(), element.getparent()
    if element.tail and before is not None:
        before.tail = (before.tail or "") + element.tail
    elif element.tail:
        parent.text = (parent.text or "") + element.tail
    parent.remove(element)


def _text(meta: Any, *, new: bool) -> bytes:
    """A packet as it is written, with what stands around its root; one that is not new keeps how it was laid out."""
    tree = meta.getroottree()
    return bytes(etree.tostring(tree, xml_declaration=True, encoding="UTF-8", pretty_print=new))


def _date(about: Any, date: str) -> None:
    """Say when a file was shot, instead of what was said before."""
    name = f"{{{_EXIF}}}DateTimeOriginal"
    about.attrib.pop(name, None)
    for before in about.findall(name):
        about.remove(before)
    etree.SubElement(about, name).text = date


def sidecar_text(row: Row, rules: HouseRules) -> bytes:
    """The sidecar of a row, as the rules want it."""
    meta, about = _new()
    if rules.sidecars and row.by.shift:
        etree.SubElement(about, f"{{{_EXIF}}}DateTimeOriginal").text = row.by.moment
    if rules.originals:
        name = os.path.basename(row.source)
        etree.SubElement(about, f"{{{_MEDIA}}}PreservedFileName").text = _written(name)
    if rules.creator:
        _list(about, "creator", "Seq", [rules.creator])
    if rules.rights:
        rights = rules.rights.replace("{year}", row.by.moment[:4]).strip()
        _list(about, "rights", "Alt", [rights])[0].set(f"{{{_XML}}}lang", "x-default")
    if rules.words:
        _list(about, "subject", "Bag", rules.words)
    return _text(meta, new=True)


def _list(about: Any, name: str, kind: str, values: Sequence[str]) -> list[Any]:
    """A property whose value is a list, and its items (part 1, section 7.7)."""
    items = etree.SubElement(etree.SubElement(about, f"{{{_DC}}}{name}"), f"{{{_RDF}}}{kind}")
    made = []
    for value in values:
        item = etree.SubElement(items, f"{{{_RDF}}}li")
        item.text = _written(value)
        made.append(item)
    return made


def _written(text: str) -> str:
    """A text without what XML cannot hold."""
    plain = text.encode("utf-8", "replace").decode()
    return "".join(sign if sign.isprintable() else "?" for sign in plain)


def write_sidecar(library: Tree, row: Row, rules: HouseRules) -> tuple[str, tuple[int, int]]:
    """Write the sidecar of a row that is home.

    Returns:
        Why it was not written, or an empty string; and its size and time of last change.
    """
    try:
        path = inside(row.sidecar)
        library.write_new(path, sidecar_text(row, rules))
        status = library.lstat(path)
    except Outside as error:
        return f"Its sidecar was not written beside it: its path is {error}.", (0, 0)
    except OSError as error:
        return f"Its sidecar was not written beside it: {reason(error)}.", (0, 0)
    return "", (status.st_size, status.st_mtime_ns)
