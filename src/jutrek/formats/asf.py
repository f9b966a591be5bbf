"""ASF: WMV and WMA, by the objects of their header.

Follows the Advanced Systems Format specification 1.2 (header object 3.1, file properties 3.2: creation date in 100 ns
since 1601-01-01 UTC, stream properties 3.3, extended content description 3.11).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from datetime import datetime
from uuid import UUID

from jutrek.formats.draft import Draft
from jutrek.formats.reading import Kind, Stretch
from jutrek.formats.span import Span
from jutrek.formats.timestamps import since

MAX_OBJECTS = 200

_OBJECT = struct.Struct("<16sQ")
_PROPERTIES = struct.Struct("<QQQQQ")
_VIDEO = struct.Struct("<II")
_AUDIO = struct.Struct("<HHI")


def _guid(text: str) -> bytes:
    return UUID(text).bytes_le


SIGNATURE = _guid("75B22630-668E-11CF-A6D9-00AA0062CE6C")
_FILE = _guid("8CABDCA1-A947-11CF-8EE4-00C00C205365")
_STREAM = _guid("B7DC0791-A9B7-11CF-8EE6-00C00C205365")
_PICTURES, _SOUND = _guid("BC19EFC0-5B4D-11CF-A8FD-00805F5C442B"), _guid("F8699E40-5B4D-11CF-A8FD-00805F5C442B")
_DATA = _guid("75B22636-668E-11CF-A6D9-00AA0062CE6C")
_ZERO = datetime(1601, 1, 1)


def read(span: Span, draft: Draft) -> None:
    """Read the header object, and note where the data object stands."""
    for name, body in _objects(span, 0):
        if name == SIGNATURE:
            for inner, part in _objects(body, 6):
                with draft.sparing("A part of the header is"):
                    _part(inner, part, draft)
        elif name == _DATA:
            draft.payload = [Stretch(body.origin, body.size)]
            break
    if draft.channels and not draft.width:
        draft.kind = Kind.SOUND


def _objects(span: Span, offset: int) -> Iterator[tuple[bytes, Span]]:
    for _ in range(MAX_OBJECTS):
        if offset + 24 > span.size:
            return
        name, size = span.unpack(_OBJECT, offset)
        if size < 24:
            return
        yield name, span.part(offset + 24, min(size, span.size - offset) - 24)
        offset += size


def _part(name: bytes, part: Span, draft: Draft) -> None:
    if name == _FILE:
        created, _, length, _, preroll = part.unpack(_PROPERTIES, 24)
        draft.duration = max(length / 1e7 - preroll / 1e3, 0.0) if length < 2**62 and preroll < 2**32 else 0.0
        stamp = since(_ZERO, created // 10_000_000)
        if stamp is not None and stamp.wall.year > 1970:
            draft.claim("asf:created", stamp, "the clip's container", str(created))
    elif name == _STREAM:
        kind = part.read(0, 16)
        if kind == _PICTURES:
            draft.width, draft.height = part.unpack(_VIDEO, 54)
        elif kind == _SOUND:
            _, draft.channels, draft.sample_rate = part.unpack(_AUDIO, 54)
