"""RAF: a raw whose date stands in the Exif of its embedded JPEG.

The header is big-endian: at 84 offset and length of the JPEG, at 92 of a list of records (tag, size, data; tag 0x0100
holds height and width of the whole sensor), at 100 of the colour filter array's data.
"""

from __future__ import annotations

import struct

from jutrek.formats import jpeg
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

SIGNATURE = b"FUJIFILMCCD-RAW "

MAX_RECORDS = 256

_POINTERS = struct.Struct(">IIIIII")
_COUNT = struct.Struct(">I")
_PAIR = struct.Struct(">HH")
_SENSOR_SIZE = 0x0100


def read(span: Span, draft: Draft) -> None:
    """Read the embedded JPEG's metadata, and where picture data stand."""
    at, size, records_at, records_size, data_at, data_size = span.unpack(_POINTERS, 84)
    picture = span.part(at, size)
    jpeg.read_metadata(picture, draft)
    draft.preview(Stretch(at, size))
    with draft.sparing("The list of records is"):
        _sensor_size(span.part(records_at, records_size), draft)
    with draft.sparing("The picture's data are"):
        data = span.part(data_at, data_size)
        draft.payload = [Stretch(data.origin, data.size)]


def _sensor_size(records: Span, draft: Draft) -> None:
    (count,) = records.unpack(_COUNT, 0)
    offset = 4
    for _ in range(min(count, MAX_RECORDS)):
        tag, size = records.unpack(_PAIR, offset)
        if tag == _SENSOR_SIZE:
            draft.height, draft.width = records.unpack(_PAIR, offset + 4)
            return
        offset += 4 + size
