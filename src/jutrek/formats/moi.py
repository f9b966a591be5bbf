"""MOI: the file that camcorders write beside an MPEG clip, with its date and length.

Big-endian: `V6`, the file's size at 2, year at 6, month at 8, day at 9, hour at 10, minute at 11, milliseconds at 12,
length in milliseconds at 14. The time is local.
"""

from __future__ import annotations

import struct

from jutrek.formats.draft import Draft
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

SIGNATURE = b"V6"

_HEADER = struct.Struct(">2sIHBBBBHI")
_WHERE = "the camcorder's date of recording"


def starts(head: bytes, size: int) -> bool:
    """Whether a file of `size` bytes is one: its size stands in its header."""
    return head[:2] == SIGNATURE and int.from_bytes(head[2:6]) == size


def read(span: Span, draft: Draft) -> None:
    """Read the header."""
    _, _, year, month, day, hour, minute, milliseconds, length = span.unpack(_HEADER, 0)
    raw = f"{year:04}-{month:02}-{day:02} {hour:02}:{minute:02}:{milliseconds // 1000:02}.{milliseconds % 1000:03}"
    draft.claim("moi", parse(raw), _WHERE, raw)
    draft.duration = length / 1000
