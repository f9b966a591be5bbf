"""HEIC, HEIF and AVIF: Exif and XMP items, the picture's size, the place of its data.

Follows ISO/IEC 14496-12 section 8.11 (`meta`, `iinf` and `infe` 8.11.6, `iloc` 8.11.3, `pitm` 8.11.4, `iprp` 8.11.14)
and ISO/IEC 23008-12 (brands, `ispe` 6.5.3, annex A.2.1: an Exif item is a 32-bit offset before its TIFF structure).
"""

from __future__ import annotations

import struct
from typing import NamedTuple

from jutrek.errors import BrokenFile
from jutrek.formats import exif, xmp
from jutrek.formats.boxes import U16, U32, boxes, child
from jutrek.formats.draft import Draft
from jutrek.formats.markup import MAX_MARKUP
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

MAX_ITEMS, MAX_EXTENTS = 2000, 256
MAX_EXIF = 512 * 1024

_FORMATS = {
    b"heic": "heic", b"heix": "heic", b"heim": "heic", b"heis": "heic", b"hevc": "heic", b"hevx": "heic",
    b"avif": "avif", b"avis": "avif", b"mif1": "heif", b"msf1": "heif", b"jpeg": "heif",
}  # fmt: skip
_WIDTHS = {0: "", 2: "H", 4: "I", 8: "Q"}
XMP_TYPE = b"application/rdf+xml"
_DERIVED, _CODED = frozenset({b"grid", b"iovl", b"iden"}), frozenset({b"hvc1", b"av01", b"jpeg", b"avc1"})


class Item(NamedTuple):
    """An item of a file: its kind, and for `mime` items its content type."""

    kind: bytes
    content: bytes


_NO_ITEM = Item(b"", b"")


class Place(NamedTuple):
    """Where an item's bytes stand.

    Attributes:
        construction: 0 in the file, 1 in the `idat` box.
        extents: offsets and sizes.
        base: what offsets are counted from; it is added already.
        told_at: where in the file the first extent is told: its offset, and its size behind that.
        widths: bytes of these two.
    """

    construction: int
    extents: tuple[tuple[int, int], ...]
    base: int
    told_at: int
    widths: tuple[int, int]


def format_of(brand: bytes, brands: set[bytes]) -> str:
    """The format by its main brand; a general one is made precise by the compatible ones. Empty for no still."""
    name = _FORMATS.get(brand, "")
    if name == "heif":
        return next((_FORMATS[other] for other in (b"heic", b"heix", b"avif") if other in brands), name)
    return name


def read_meta(meta: Span, draft: Draft) -> None:
    """Read a still's `meta` box."""
    items: dict[int, Item] = {}
    places: dict[int, Place] = {}
    inner: Span | None = None
    primary = 0
    for name, body in boxes(meta, 4):
        with draft.sparing("A part of the picture's directory is"):
            if name == b"iinf":
                items = items_of(body)
            elif name == b"iloc":
                places = places_of(body)
            elif name == b"idat":
                inner = body
            elif name == b"pitm":
                primary = body.unpack(U32 if body.read(0, 1)[0] else U16, 4)[0]
            elif name == b"iprp":
                _size(body, draft)
    for number, item in items.items():
        if number in places and (item.kind == b"Exif" or (item.kind == b"mime" and item.content == XMP_TYPE)):
            with draft.sparing("The camera's data are"):
                _describe(item, _loaded(places[number], inner, meta), draft)
    # A picture that is put together of tiles is nothing but its tiles.
    derived = items.get(primary, _NO_ITEM).kind in _DERIVED
    coded = [number for number, item in items.items() if item.kind in _CODED] if derived else [primary]
    found = [places[number] for number in coded if number in places]
    if all(place.construction == 0 for place in found):
        draft.payload = [Stretch(offset, size) for place in found for offset, size in place.extents if size]


def _describe(item: Item, data: Span, draft: Draft) -> None:
    if item.kind == b"Exif":
        start = 4 + data.unpack(U32, 0)[0]
        exif.read_block(data.rest(start), draft)
    else:
        draft.packed(data.origin, data.size)
        xmp.read(data.read(0, data.size), draft)


def items_of(body: Span) -> dict[int, Item]:
    """`iinf`: a count of 16 bits, of 32 in later versions, then `infe` boxes."""
    found: dict[int, Item] = {}
    for _, entry in boxes(body, 8 if body.read(0, 1)[0] else 6):
        version = entry.read(0, 1)[0]
        if version < 2 or len(found) >= MAX_ITEMS:
            continue
        wide = version > 2
        number = entry.unpack(U32 if wide else U16, 4)[0]
        at = 10 if wide else 8
        names = entry.upto(at + 4, 256).split(b"\0")
        found[number] = Item(entry.read(at, 4), names[1] if len(names) > 1 else b"")
    return found


def places_of(body: Span) -> dict[int, Place]:
    """`iloc`: the widths of its fields in four bits each, then per item its construction and extents."""
    version = body.read(0, 1)[0]
    sizes = body.unpack(U16, 4)[0]
    offset_w, length_w, base_w, index_w = (sizes >> shift & 15 for shift in (12, 8, 4, 0))
    if not {offset_w, length_w, base_w} <= _WIDTHS.keys():
        raise BrokenFile(body.where(4), "fields of 0, 4 or 8 bytes", hex(sizes))
    index = _WIDTHS.get(index_w, "") if version else ""
    wide = "I" if version > 1 else "H"
    count = body.unpack(struct.Struct(">" + wide), 6)[0]
    at = 6 + (4 if version > 1 else 2)
    head = struct.Struct(f">{wide}{'H' if version else ''}H{_WIDTHS[base_w]}H")
    extent = struct.Struct(f">{index}{_WIDTHS[offset_w]}{_WIDTHS[length_w]}")
    found: dict[int, Place] = {}
    for _ in range(min(count, MAX_ITEMS)):
        fields = body.unpack(head, at)
        at += head.size
        construction = fields[1] & 15 if version else 0
        base = fields[-2] if base_w else 0
        extents, told_at = [], body.where(at + (index_w if index else 0))
        for number in range(min(fields[-1], MAX_EXTENTS)):
            values = body.unpack(extent, at + number * extent.size)
            offset = values[1 if index else 0] if offset_w else 0
            extents.append((base + offset, values[-1] if length_w else 0))
        at += fields[-1] * extent.size
        found[fields[0]] = Place(construction, tuple(extents), base, told_at, (offset_w, length_w))
    return found


def _loaded(place: Place, inner: Span | None, meta: Span) -> Span:
    """An item's bytes. One extent keeps its place in the file; several are joined."""
    pieces = []
    for offset, size in place.extents:
        if place.construction == 0:
            pieces.append(meta.file_part(offset, size))
        elif place.construction == 1 and inner is not None:
            pieces.append(inner.part(offset, size))
    if sum(piece.size for piece in pieces) > max(MAX_EXIF, MAX_MARKUP):
        raise BrokenFile(meta.origin, f"metadata within {MAX_EXIF} bytes", "more")
    if len(pieces) == 1:
        return pieces[0].loaded(0, pieces[0].size)
    return Span(b"".join(piece.read(0, piece.size) for piece in pieces))


def _size(body: Span, draft: Draft) -> None:
    """The largest of the sizes in `ipco`: tiles and thumbnails have smaller ones."""
    container = child(body, b"ipco")
    for name, part in boxes(container) if container is not None else ():
        if name == b"ispe":
            width, height = part.unpack(U32, 4)[0], part.unpack(U32, 8)[0]
            if width * height > draft.width * draft.height:
                draft.width, draft.height = width, height
