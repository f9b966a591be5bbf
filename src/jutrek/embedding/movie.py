"""Clips and sound in boxes: MP4 holds a packet in a `uuid` box of its own, QuickTime in `moov/udta/XMP_`.

XMP part 3, MPEG-4 and QuickTime. No medium is moved: a `uuid` box goes to the end of the file, and one that stands
before becomes free room (ISO/IEC 14496-12 8.1.2); QuickTime's header grows only where it stands behind the medium.
"""

from __future__ import annotations

from collections.abc import Callable

from jutrek.embedding.boxes import Box, boxed, boxes_in
from jutrek.embedding.room import MAX_PACKET, Room
from jutrek.formats import Reading, Stretch
from jutrek.formats.boxes import U32
from jutrek.formats.span import Span
from jutrek.formats.splices import Splice

_UUID = bytes.fromhex("be7acfcb97a942e89c71999491e3afac")
_IN_UUID = frozenset({"mp4", "m4v", "m4a"})
_BY_DISTANCE = frozenset({b"moof", b"mfra", b"sidx", b"ssix"})
"""What finds the medium in pieces, also from the end of the file."""


def room(span: Span, reading: Reading) -> Room | None:
    """The room for a packet; None where there is none."""
    whole = boxes_in(span, 0, span.size)
    movie = [one for one in whole if one.name == b"moov"]
    if not whole or whole[-1].end != span.size or len(movie) != 1 or any(one.name in _BY_DISTANCE for one in whole):
        return None
    inner = boxes_in(span, movie[0].body, movie[0].end)
    data = next((one for one in inner if one.name == b"udta"), None)
    texts = boxes_in(span, data.body, data.end) if data is not None else []
    in_data = [one for one in texts if one.name == b"XMP_"]
    in_uuid = [one for one in whole if _is_packet(span, one)]
    if any(_is_packet(span, one) for one in inner) or len(in_data) + len(in_uuid) > 1:
        return None
    if reading.format in _IN_UUID and not in_data:
        return _at_the_end(span, in_uuid[0] if in_uuid else None)
    if reading.format == "mov" and not in_uuid and movie[0] is whole[-1]:
        return _in_header(span, movie[0], data, in_data[0] if in_data else None)
    return None


def _is_packet(span: Span, box: Box) -> bool:
    return box.name == b"uuid" and span.upto(box.body, 16) == _UUID


def _at_the_end(span: Span, found: Box | None) -> Room | None:
    def put(packet: bytes) -> list[Splice]:
        new = boxed(b"uuid", _UUID + packet)
        if found is None:
            return [Splice(span.size, b"", new)]
        old = span.read(found.offset, found.size)
        if found.end == span.size:
            return [Splice(found.offset, old, new)]
        free = old[:4] + b"free" + old[8 : found.head] + bytes(found.size - found.head)
        return [Splice(found.offset, old, free), Splice(span.size, b"", new)]

    return _room(span, found, 16, put)


def _in_header(span: Span, movie: Box, data: Box | None, found: Box | None) -> Room | None:
    if movie.head != 8 or (data is not None and data.head != 8):
        return None

    def put(packet: bytes) -> list[Splice]:
        new = boxed(b"XMP_", packet)
        if data is None:
            new = boxed(b"udta", new)
            return [_grown(span, movie, len(new)), Splice(movie.end, b"", new)]
        old = span.read(found.offset, found.size) if found is not None else b""
        # A list of user data may end with four bytes of zero: what is new stands before all others.
        at, more = (found.offset if found is not None else data.body), len(new) - len(old)
        return [_grown(span, movie, more), _grown(span, data, more), Splice(at, old, new)]

    return _room(span, found, 0, put)


def _grown(span: Span, box: Box, more: int) -> Splice:
    return Splice(box.offset, span.read(box.offset, 4), U32.pack(box.size + more))


def _room(span: Span, found: Box | None, before: int, put: Callable[[bytes], list[Splice]]) -> Room | None:
    if found is None:
        return Room(b"", None, put)
    at = Stretch(found.body + before, found.size - found.head - before)
    return Room(span.read(*at), at, put) if at.size <= MAX_PACKET else None
