"""MRW: a raw of blocks, one of which is a TIFF structure with Exif.

Big-endian: `\\0MRM` and the length of all blocks, then blocks of name and length. `\\0PRD` holds the sensor's size at
8 and the picture's at 12 (height first), `\\0TTW` the TIFF structure. The picture's data follow the blocks.
"""

from __future__ import annotations

import struct

from jutrek.formats import exif
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

SIGNATURE = b"\0MRM"
MAX_BLOCKS = 64

_BLOCK = struct.Struct(">4sI")
_SIZE = struct.Struct(">HH")


def read(span: Span, draft: Draft) -> None:
    """Read the blocks before the picture's data."""
    end = 8 + span.unpack(_BLOCK, 0)[1]
    offset = 8
    for _ in range(MAX_BLOCKS):
        if offset + 8 > min(end, span.size):
            break
        name, size = span.unpack(_BLOCK, offset)
        body = span.part(offset + 8, size)
        with draft.sparing("The camera's data are"):
            if name == b"\0PRD":
                draft.height, draft.width = body.unpack(_SIZE, 12)
            elif name == b"\0TTW":
                exif.read_block(body, draft)
        offset += 8 + size
    if end < span.size:
        draft.payload = [Stretch(end, span.size - end)]
