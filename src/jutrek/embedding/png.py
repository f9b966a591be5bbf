"""PNG: an `iTXt` chunk with the keyword of XMP (PNG third edition 11.3.3.4; XMP part 3, PNG) before the picture."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator

from jutrek.embedding.room import MAX_PACKET, Room
from jutrek.formats import Stretch
from jutrek.formats.png import SIGNATURE
from jutrek.formats.span import Span
from jutrek.formats.splices import Splice

_CHUNK = struct.Struct(">I4s")
_KEYWORD = b"XML:com.adobe.xmp\0"
_PLAIN = b"\0\0\0\0"
"""Not packed, by no method, in no language, under no other keyword."""
_MAX_CHUNKS = 100_000


def room(span: Span) -> Room | None:
    """The room for a packet; None where there is none."""
    first, found, end = 0, None, 0
    for name, offset, size in chunks(span):
        if name == b"IDAT":
            first = first or offset
        elif name == b"IEND":
            end = offset + size
        elif name == b"iTXt" and span.upto(offset + 8, len(_KEYWORD)) == _KEYWORD:
            if found is not None:
                return None
            found = Stretch(offset, size)
    if not first or end != span.size:
        return None
    at = found or Stretch(first, 0)
    old = span.read(at.offset, at.size)

    def put(packet: bytes) -> list[Splice]:
        body = b"iTXt" + _KEYWORD + _PLAIN + packet
        return [Splice(at.offset, old, (len(body) - 4).to_bytes(4) + body + zlib.crc32(body).to_bytes(4))]

    if found is None:
        return Room(b"", None, put)
    text = _text(old[8 + len(_KEYWORD) : -4])
    return Room(text, Stretch(at.offset + 8, at.size - 12), put) if text else None


def chunks(span: Span) -> Iterator[tuple[bytes, int, int]]:
    """Chunks: name, offset and whole size, up to the last one."""
    offset = len(SIGNATURE)
    for _ in range(_MAX_CHUNKS):
        size, name = span.unpack(_CHUNK, offset)
        yield name, offset, 12 + size
        offset += 12 + size
        if name == b"IEND":
            return


def _text(body: bytes) -> bytes:
    """The text behind the keyword; empty where it can't be unpacked."""
    text = body[2:].partition(b"\0")[2].partition(b"\0")[2]
    if body[:1] != b"\1":
        return text
    try:
        return zlib.decompressobj().decompress(text, MAX_PACKET)
    except zlib.error:
        return b""
