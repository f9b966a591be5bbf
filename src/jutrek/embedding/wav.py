"""WAV and Broadcast Wave: a `_PMX` chunk (XMP part 3, WAV) at the end; `bext` and the sound stay where they are.

The size of the whole stands at its head, or in `ds64` (EBU Tech 3306, ITU-R BS.2088).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from typing import NamedTuple

from jutrek.embedding.room import Room
from jutrek.formats import Stretch
from jutrek.formats.span import Span
from jutrek.formats.splices import Splice

_CHUNK, _U32, _U64 = struct.Struct("<4sI"), struct.Struct("<I"), struct.Struct("<Q")
_IN_DS64 = 0xFFFFFFFF
_MAX_CHUNKS = 1000


class _Part(NamedTuple):
    """A chunk: its name, where it begins, the size of its body, and where the next one begins."""

    name: bytes
    offset: int
    size: int
    end: int


def room(span: Span) -> Room | None:
    """The room for a packet; None where there is none."""
    parts = list(_parts(span))
    own = [one for one in parts if one.name == b"_PMX"]
    wide = span.read(0, 4) != b"RIFF"
    sizes = next((one for one in parts if one.name == b"ds64"), None)
    # Some write no byte behind a last chunk of odd length, though the format asks for it.
    lacking = parts[-1].end - span.size if parts else -1
    if len(own) > 1 or lacking not in (0, 1) or (wide and sizes is None):
        return None
    form, size_at = (_U64, sizes.offset + 8) if wide and sizes is not None else (_U32, 4)
    told = span.read(size_at, form.size)
    if form.unpack(told)[0] != span.size - 8:
        return None
    found = own[0] if own else None
    if found is not None and found is not parts[-1]:
        # One in the middle would move what stands behind it.
        return None
    at = Stretch(found.offset, span.size - found.offset) if found else Stretch(span.size, 0)
    pad = bytes(0 if found else lacking)
    old = span.read(at.offset, at.size)

    def put(packet: bytes) -> list[Splice]:
        new = pad + _CHUNK.pack(b"_PMX", len(packet)) + packet + bytes(len(packet) % 2)
        size = span.size - 8 + len(new) - len(old)
        if not wide and size >= _IN_DS64:
            return []
        return [Splice(size_at, told, form.pack(size)), Splice(at.offset, old, new)]

    if found is None:
        return Room(b"", None, put)
    return Room(old[8 : 8 + found.size], Stretch(at.offset + 8, found.size), put)


def _parts(span: Span) -> Iterator[_Part]:
    offset, data_64 = 12, 0
    for _ in range(_MAX_CHUNKS):
        if offset + 8 > span.size:
            return
        name, size = span.unpack(_CHUNK, offset)
        if name == b"ds64":
            data_64 = span.unpack(_U64, offset + 16)[0]
        if name == b"data" and size == _IN_DS64:
            size = data_64
        end = offset + 8 + size + size % 2
        yield _Part(name, offset, size, end)
        offset = end
