"""What house rules want beside a file: an XMP sidecar (ISO 16684-1) with only what they ask for.

Its corrected date (`exif:DateTimeOriginal`), the name it had on its source (`xmpMM:PreservedFileName`), who made it
(`dc:creator`), its rights (`dc:rights`) and keywords (`dc:subject`). The file itself keeps its own times and words. The
sidecar is new, whole and durable, or not there; what stands under its name already is left as it is.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import Any

from lxml import etree

from jutrek.disk import write_new
from jutrek.errors import reason
from jutrek.filing import HouseRules, Row

_META = "adobe:ns:meta/"
_RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
_EXIF = "http://ns.adobe.com/exif/1.0/"
_MEDIA = "http://ns.adobe.com/xap/1.0/mm/"
_DC = "http://purl.org/dc/elements/1.1/"
_XML = "http://www.w3.org/XML/1998/namespace"


def sidecar_text(row: Row, rules: HouseRules) -> bytes:
    """The sidecar of a row, as the rules want it."""
    meta = etree.Element(f"{{{_META}}}xmpmeta", nsmap={"x": _META})
    rdf = etree.SubElement(meta, f"{{{_RDF}}}RDF", nsmap={"rdf": _RDF})
    spaces = {"exif": _EXIF, "xmpMM": _MEDIA, "dc": _DC}
    about = etree.SubElement(rdf, f"{{{_RDF}}}Description", {f"{{{_RDF}}}about": ""}, nsmap=spaces)
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
    return bytes(etree.tostring(meta, xml_declaration=True, encoding="UTF-8", pretty_print=True))


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


def write_sidecar(library: str, row: Row, rules: HouseRules) -> tuple[str, tuple[int, int]]:
    """Write the sidecar of a row that is home.

    Returns:
        Why it was not written, or an empty string; and its size and time of last change.
    """
    path = os.path.join(library, row.sidecar)
    try:
        write_new(path, sidecar_text(row, rules))
        status = os.lstat(path)
    except OSError as error:
        return f"Its sidecar was not written beside it: {reason(error)}.", (0, 0)
    return "", (status.st_size, status.st_mtime_ns)
