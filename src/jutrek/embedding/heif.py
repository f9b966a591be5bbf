"""HEIC and AVIF: the item of a packet that is there (ISO/IEC 23008-12 annex A.3) is replaced.

What is no longer than the old one takes its bytes, filled up with blanks; what is longer goes to the end of the file,
in an `mdat` box of its own, and `iloc` (ISO/IEC 14496-12 8.11.3) tells where. Nothing else moves. A file that has no
such item has no room: making one would move the picture.
"""

from __future__ import annotations

from collections.abc import Iterator

from jutrek.embedding.boxes import boxed, boxes_in
from jutrek.embedding.room import MAX_PACKET, Room
from jutrek.formats import Stretch
from jutrek.formats.boxes import child
from jutrek.formats.heif import XMP_TYPE, Place, items_of, places_of
from jutrek.formats.span import Span
from jutrek.formats.splices import Splice


def room(span: Span) -> Room | None:
    """The room for a packet; None where there is none."""
    whole = boxes_in(span, 0, span.size)
    meta = child(span, b"meta")
    if not whole or whole[-1].end != span.size or meta is None:
        return None
    names, where = child(meta, b"iinf", offset=4), child(meta, b"iloc", offset=4)
    if names is None or where is None:
        return None
    places = places_of(where)
    own = [number for number, item in items_of(names).items() if item.kind == b"mime" and item.content == XMP_TYPE]
    place = places.get(own[0]) if len(own) == 1 else None
    if place is None or place.construction or len(place.extents) != 1 or 0 in place.widths:
        return None
    at = Stretch(*place.extents[0])
    others = (one for number, other in places.items() if number != own[0] for one in other.extents)
    if at.size > MAX_PACKET or any(one < at.offset + at.size and at.offset < one + size for one, size in others):
        return None
    old = span.read(at.offset, at.size)
    text = old.rstrip(b" \0")

    def put(packet: bytes) -> list[Splice]:
        if len(packet) <= len(old):
            return [Splice(at.offset, old, packet.ljust(len(old)))]
        told = list(_told(span, place, span.size + 8, len(packet)))
        kept = Splice(at.offset, old, b" " * len(old))
        return sorted([*told, kept, Splice(span.size, b"", boxed(b"mdat", packet))]) if told else []

    return Room(text, at, put)


def _told(span: Span, place: Place, offset: int, size: int) -> Iterator[Splice]:
    """What tells another place of an item; nothing where its fields have no room for that."""
    at, (offset_width, size_width) = place.told_at, place.widths
    value = offset - place.base
    if not 0 <= value < 1 << 8 * offset_width or size >= 1 << 8 * size_width:
        return
    yield Splice(at, span.read(at, offset_width), value.to_bytes(offset_width))
    yield Splice(at + offset_width, span.read(at + offset_width, size_width), size.to_bytes(size_width))
