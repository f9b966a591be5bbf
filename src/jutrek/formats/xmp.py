"""XMP packets and sidecars: dates and device, matched by namespace and never by prefix.

Follows XMP part 1 (ISO 16684-1) section 7 (RDF/XML serialisation) and part 2 (properties). A packet that declares
a document type is refused: entities have no business in metadata.
"""

from __future__ import annotations

from jutrek.formats.reading import Draft, Kind
from jutrek.formats.span import Span
from jutrek.formats.stamps import parse

MAX_SIDECAR = 2 * 1024 * 1024

_XMP, _EXIF = "{http://ns.adobe.com/xap/1.0/}", "{http://ns.adobe.com/exif/1.0/}"
_PHOTOSHOP, _TIFF = "{http://ns.adobe.com/photoshop/1.0/}", "{http://ns.adobe.com/tiff/1.0/}"
_AUX = "{http://ns.adobe.com/exif/1.0/aux/}"
_DATES = {
    f"{_EXIF}DateTimeOriginal": ("xmp:original", "the time of shooting in the XMP data"),
    f"{_PHOTOSHOP}DateCreated": ("xmp:created", "the date of creation in the XMP data"),
    f"{_XMP}CreateDate": ("xmp:digitized", "the date of digitizing in the XMP data"),
    f"{_XMP}ModifyDate": ("xmp:changed", "the date of the last change in the XMP data"),
}
_FACTS = {f"{_TIFF}Make": "make", f"{_TIFF}Model": "model", f"{_AUX}SerialNumber": "serial"}


def read(packet: bytes, draft: Draft) -> None:
    """Read one packet. Damage becomes a note."""
    from lxml import etree

    if b"<!DOCTYPE" in packet or b"<!ENTITY" in packet:
        draft.notes.append("The XMP data declare entities and were not read.")
        return
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, recover=False)
    try:
        root = etree.fromstring(packet.strip(b"\0 \t\r\n"), parser)
    except (etree.XMLSyntaxError, ValueError):
        draft.notes.append("The XMP data are damaged and were not read.")
        return
    for element in root.iter(etree.Element):
        _property(element.tag, (element.text or "").strip(), draft)
        for name, value in element.attrib.items():
            _property(name, value.strip(), draft)


def read_sidecar(span: Span, draft: Draft) -> None:
    """Read a sidecar file that holds nothing but a packet."""
    draft.kind, draft.format = Kind.SIDECAR, "xmp"
    read(span.read(0, min(span.size, MAX_SIDECAR)), draft)


def _property(name: object, value: str, draft: Draft) -> None:
    if not value or not isinstance(name, str):
        return
    if name in _DATES:
        at, words = _DATES[name]
        draft.claim(at, parse(value), words, value)
    elif name in _FACTS and not getattr(draft, _FACTS[name]):
        setattr(draft, _FACTS[name], value)
