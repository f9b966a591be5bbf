"""Vorbis comments: the dates in them, wherever they stand (FLAC, Ogg, Opus).

Follows the Xiph comment field specification: little-endian lengths, `NAME=value` in UTF-8, names of any case.
"""

from __future__ import annotations

import struct

from jutrek.formats.draft import Draft
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

MAX_COMMENTS, MAX_COMMENT = 500, 1024

_LENGTH = struct.Struct("<I")
_DATES = {
    "CREATION_TIME": ("vorbis:creation_time", "the creation time in the sound's comments"),
    "DATE_RECORDED": ("vorbis:date", "the date in the sound's comments"),
    "DATE": ("vorbis:date", "the date in the sound's comments"),
}
_TEXTS = {"MAKE": "make", "MODEL": "model"}


def read(span: Span, draft: Draft) -> None:
    """Read comments, the vendor's name first."""
    offset = 4 + span.unpack(_LENGTH, 0)[0]
    (count,) = span.unpack(_LENGTH, offset)
    offset += 4
    for _ in range(min(count, MAX_COMMENTS)):
        (size,) = span.unpack(_LENGTH, offset)
        if size <= MAX_COMMENT:
            name, _, words = span.read(offset + 4, size).decode("utf-8", "replace").partition("=")
            if name.upper() in _DATES:
                at, where = _DATES[name.upper()]
                draft.claim(at, parse(words), where, words)
            elif name.upper() in _TEXTS:
                draft.made_by(**{_TEXTS[name.upper()]: words})
        offset += 4 + size
