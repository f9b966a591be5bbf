"""XMP packets and sidecars: dates, device, ties and wording, matched by namespace and never by prefix.

Follows XMP part 1 (ISO 16684-1) section 7 (RDF/XML serialisation) and part 2 (properties). A packet that declares
a document type is refused: entities have no business in metadata.
"""

from __future__ import annotations

import re
from itertools import islice
from typing import Any

from jutrek.formats.draft import MAX_KEYWORDS, Draft
from jutrek.formats.markup import MAX_MARKUP, elements, is_xml, parsed, plain
from jutrek.formats.reading import TAKEN_OFF
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

_XMP, _EXIF = "{http://ns.adobe.com/xap/1.0/}", "{http://ns.adobe.com/exif/1.0/}"
_PHOTOSHOP, _TIFF = "{http://ns.adobe.com/photoshop/1.0/}", "{http://ns.adobe.com/tiff/1.0/}"
_AUX, _EXIF_EX = "{http://ns.adobe.com/exif/1.0/aux/}", "{http://cipa.jp/exif/1.0/}"
_DYNAMIC, _CAMERA = "{http://ns.adobe.com/xmp/1.0/DynamicMedia/}", "{http://ns.google.com/photos/1.0/camera/}"
_ITEM, _DOCUMENT = "{http://ns.google.com/photos/1.0/container/item/}", "{http://ns.adobe.com/xap/1.0/mm/}"
_DC, _IPTC = "{http://purl.org/dc/elements/1.1/}", "{http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/}"
_STARTS = (b"<?xpacket", b"<x:xmpmeta", b"<x:xapmeta")
_LI = "{http://www.w3.org/1999/02/22-rdf-syntax-ns#}li"
_DATES = {
    f"{_EXIF}DateTimeOriginal": ("xmp:original", "the time of shooting in the XMP data"),
    f"{_PHOTOSHOP}DateCreated": ("xmp:created", "the date of creation in the XMP data"),
    f"{_DYNAMIC}shotDate": ("xmp:created", "the date of the take in the XMP data"),
    f"{_EXIF}DateTimeDigitized": ("xmp:digitized", "the second date in the XMP data"),
    f"{_XMP}CreateDate": ("xmp:digitized", "the second date in the XMP data"),
    f"{_XMP}ModifyDate": ("xmp:changed", "the date of the last change in the XMP data"),
    f"{_XMP}MetadataDate": ("xmp:changed", "the date of the last change of the metadata in the XMP data"),
}
_FACTS = {
    f"{_TIFF}Make": "make",
    f"{_TIFF}Model": "model",
    f"{_AUX}SerialNumber": "serial",
    f"{_EXIF_EX}BodySerialNumber": "serial",
    f"{_AUX}Lens": "lens",
    f"{_EXIF_EX}LensModel": "lens",
    f"{_AUX}OwnerName": "owner",
    f"{_EXIF_EX}CameraOwnerName": "owner",
}
_TIES = {
    f"{_DYNAMIC}scene": "scene",
    f"{_DYNAMIC}tapeName": "tape",
    f"{_DYNAMIC}takeNumber": "take",
    f"{_CAMERA}BurstID": "burst",
    f"{_DOCUMENT}OriginalDocumentID": "document",
}
OWN = "urn:uuid:92967db3-665b-4cb1-91b1-f7a0f60c5a97#"
"""Jutrek's own namespace: a name that needs no registry (RFC 9562), with `#` behind it, as namespaces of RDF end."""
_LISTS = {
    f"{_DC}title": "title", f"{_DC}subject": "keyword", f"{_DC}creator": "creator", f"{_DC}rights": "rights",
    f"{_DC}description": "description", f"{{{OWN}}}KeywordsTakenOff": "without",
}  # fmt: skip
"""Properties whose values are the items of a list (`rdf:Alt`, `rdf:Bag`, `rdf:Seq`)."""
_WORDING = {
    f"{_IPTC}Location": "place",
    f"{_PHOTOSHOP}City": "place",
    f"{_PHOTOSHOP}TransmissionReference": "job",
}
_LABEL, _RATING = f"{_XMP}Label", f"{_XMP}Rating"
_KNOWN = _DATES.keys() | _FACTS.keys() | _TIES.keys() | _WORDING.keys() | {_LABEL, _RATING}
_NUMBER = re.compile(r"-?\d{1,3}(?:\.\d{1,6})?", re.ASCII)
_MOTION_OFFSET = f"{_CAMERA}MicroVideoOffset"


def read_part(part: Span, draft: Draft) -> None:
    """Read the packet that a part of a file is."""
    draft.packed(part.origin, part.size)
    read(part.upto(0, MAX_MARKUP + 1), draft)


def read(packet: bytes, draft: Draft) -> int:
    """Read one packet. Damage becomes a note.

    Returns:
        How many bytes at the end of the file are a clip that belongs to the picture; 0 where none.
    """
    root = parsed(packet, draft, "The XMP data")
    motion = 0
    seen: set[tuple[str, str]] = set()
    for element in elements(root) if root is not None else ():
        for name, value in ((element.tag, element.text or ""), *element.attrib.items()):
            if name in _KNOWN and (name, value) not in seen:
                seen.add((name, value))
                _property(name, value.strip(), draft)
        if element.tag in _LISTS:
            for item in islice(element.iter(_LI), MAX_KEYWORDS):
                draft.worded(_LISTS[element.tag], item.text or "")
        motion = motion or _motion(element)
        if draft.crowded:
            break
    return motion


def starts(head: bytes, _: int) -> bool:
    """Whether a text begins with a packet, or with XML that holds one."""
    text = plain(head)
    return text.startswith(_STARTS) or (is_xml(head) and (b"xmpmeta" in text or b"rdf:RDF" in text))


def read_sidecar(span: Span, draft: Draft) -> None:
    """Read a sidecar file that holds nothing but a packet."""
    read(span.upto(0, MAX_MARKUP + 1), draft)


def _property(name: str, value: str, draft: Draft) -> None:
    if not value:
        if name == _LABEL:
            draft.label = draft.label or TAKEN_OFF
    elif name in _DATES:
        at, words = _DATES[name]
        draft.claim(at, parse(value), words, value)
    elif name in _FACTS and not getattr(draft, _FACTS[name]):
        setattr(draft, _FACTS[name], value[:200])
    elif name in _TIES:
        draft.tie(_TIES[name], value)
    elif name in _WORDING:
        draft.worded(_WORDING[name], value)
    elif name == _LABEL:
        draft.worded("label", value)
    elif draft.rating is None and _NUMBER.fullmatch(value) and 1 <= (stars := round(float(value))) <= 5:
        # Part 1, 8.4: 1 to 5; 0 is none, which cameras write into every file, and -1 rejected. Some write real numbers.
        draft.rating = stars


def _motion(element: Any) -> int:
    """The length of a motion part: counted from the file's end, or as an item of the container's directory."""
    attributes = element.attrib
    length = attributes.get(_MOTION_OFFSET, "")
    if element.tag == _MOTION_OFFSET:
        length = (element.text or "").strip()
    elif attributes.get(f"{_ITEM}Semantic") == "MotionPhoto":
        length = attributes.get(f"{_ITEM}Length", "")
    return int(length) if length.isascii() and length.isdigit() and len(length) < 16 else 0
