"""IPTC press data: the date and wording that a photographer's tool wrote down.

They stand in IIM datasets within image resources.

Follows IPTC IIM 4.2 (record 2: 55 date created, 60 time created, 62 and 63 the same of digitizing; dates are
CCYYMMDD, times HHMMSS±HHMM) and the layout of image resource blocks (`8BIM`, id, padded name, size, padded data).
"""

from __future__ import annotations

import struct

from jutrek.formats.draft import Draft
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

MAX_DATASETS = 500
MAX_RESOURCES = 200

_DATASET = struct.Struct(">BBBH")
_RESOURCE = struct.Struct(">4sHB")
_SIZE = struct.Struct(">I")
_IIM = 0x0404
_KINDS = (
    (55, 60, "iptc", "the press data's date of creation"),
    (62, 63, "iptc:digitized", "the press data's second date"),
)


_WORDING = {
    5: "title",
    25: "keyword",
    90: "place",
    92: "place",
    103: "job",
    80: "creator",
    116: "rights",
    120: "description",
}
"""Datasets of wording: name, keywords, city, sublocation, transmission reference, by-line, copyright, caption."""
_LONGEST = 2000
"""Bytes of the longest dataset: the caption may have as many (2:120)."""


def _decoded(data: bytes) -> str:
    """Text as UTF-8, which most write whatever they declare, else as Latin 1."""
    try:
        return data.decode().strip("\0 ")
    except UnicodeDecodeError:
        return data.decode("latin-1").strip("\0 ")


def read(block: bytes, draft: Draft) -> None:
    """Read the datasets of an IIM block."""
    found: dict[int, str] = {}
    offset = 0
    for _ in range(MAX_DATASETS):
        if offset + _DATASET.size > len(block):
            break
        mark, record, number, size = _DATASET.unpack_from(block, offset)
        if mark != 0x1C or size & 0x8000:
            break
        if record == 2 and size <= _LONGEST:
            data = block[offset + _DATASET.size : offset + _DATASET.size + size]
            found.setdefault(number, data.decode("latin-1").strip("\0 "))
            if number in _WORDING:
                draft.worded(_WORDING[number], _decoded(data))
        offset += _DATASET.size + size
    for date, clock, at, words in _KINDS:
        day, time = found.get(date, ""), found.get(clock, "")
        if len(day) == 8 and day.isdigit():
            spelled = f"{day[:4]}-{day[4:6]}-{day[6:]}"
            if len(time) >= 6 and time[:6].isdigit():
                spelled += f"T{time[:2]}:{time[2:4]}:{time[4:6]}{time[6:]}"
            draft.claim(at, parse(spelled), words, f"{day} {time}".strip())


def read_resources(data: bytes, draft: Draft) -> None:
    """Read image resource blocks and the IIM block among them.

    Raises:
        BrokenFile: when a block reaches beyond the data.
    """
    span = Span(data)
    offset = 0
    for _ in range(MAX_RESOURCES):
        if offset + _RESOURCE.size > span.size:
            return
        mark, number, name = span.unpack(_RESOURCE, offset)
        if mark != b"8BIM":
            return
        offset += 6 + (name + 2) // 2 * 2
        (size,) = span.unpack(_SIZE, offset)
        if number == _IIM:
            read(span.read(offset + 4, size), draft)
        offset += 4 + size + size % 2
