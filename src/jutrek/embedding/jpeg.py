"""JPEG: the APP1 segment of a packet (XMP part 3, 1.1.3), behind those of JFIF and Exif.

What stands behind the picture may be found by its distance from something before it: such a file has no room. Nor has
one whose packet goes on in further segments (extended XMP, same section).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

from jutrek.embedding.room import Room
from jutrek.formats import Reading, Stretch
from jutrek.formats.span import Span
from jutrek.formats.splices import Splice

SEGMENT = struct.Struct(">BBH")
_XMP, _EXTENDED = b"http://ns.adobe.com/xap/1.0/\0", b"http://ns.adobe.com/xmp/extension/\0"
EXIF, _MULTI = b"Exif\0\0", b"MPF\0"
APP0, APP1, _COMMENT = 0xE0, 0xE1, 0xFE
_LONGEST = 0xFFFF - 2 - len(_XMP)
_MAXSEGMENTS = 500
_AT_ONCE = 1 << 20


def room(span: Span, reading: Reading) -> Room | None:
    """The room for a packet; None where there is none."""
    behind, found = 2, None
    for marker, offset, size in segments(span):
        head = span.upto(offset + 4, len(_EXTENDED))
        if head.startswith((_EXTENDED, _MULTI)):
            return None
        if marker == APP1 and head.startswith(_XMP):
            if found is not None:
                return None
            found = Stretch(offset, size)
        elif offset == behind and (marker == APP0 or head.startswith(EXIF)):
            behind = offset + size
    if not _ends_with_picture(span, reading.payload[0].offset):
        return None
    at = found or Stretch(behind, 0)
    old = span.read(at.offset, at.size)
    head_size = 4 + len(_XMP)

    def put(packet: bytes) -> list[Splice]:
        if len(packet) > _LONGEST:
            return []
        return [Splice(at.offset, old, SEGMENT.pack(0xFF, APP1, 2 + len(_XMP) + len(packet)) + _XMP + packet)]

    if found is None:
        return Room(b"", None, put)
    return Room(old[head_size:], Stretch(at.offset + head_size, at.size - head_size), put)


def segments(span: Span) -> Iterator[tuple[int, int, int]]:
    """The segments that describe the picture: marker, offset and whole size. What stands between them ends them."""
    offset = 2
    for _ in range(_MAXSEGMENTS):
        mark, marker, size = span.unpack(SEGMENT, offset)
        if mark != 0xFF or not (0xE0 <= marker <= 0xEF or marker == _COMMENT):
            return
        yield marker, offset, 2 + size
        offset += 2 + size


def _ends_with_picture(span: Span, start: int) -> bool:
    """Whether the first end mark behind the picture's beginning is the end of the file."""
    at, before = start, b""
    while at < span.size:
        block = span.read(at, min(_AT_ONCE, span.size - at))
        if (found := (before + block).find(b"\xff\xd9")) >= 0:
            return at - len(before) + found + 2 == span.size
        at, before = at + len(block), block[-1:]
    return False
