"""AIFF and AIFC: comments with their time, an ID3 tag, and the length of the sound.

Follows AIFF 1.3 (`COMM`: channels, frames, bits, rate as an 80-bit float; `COMT`: seconds since 1904-01-01 of the
machine's own clock, so local) and AIFF-C (`FVER` is the date of the format's version, never the file's).
"""

from __future__ import annotations

import struct
from datetime import datetime

from jutrek.formats import id3
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch, Timestamp
from jutrek.formats.span import Span
from jutrek.formats.timestamps import since

MAX_CHUNKS, MAX_COMMENTS = 200, 16

_CHUNK = struct.Struct(">4sI")
_COMMON = struct.Struct(">hIhHQ")
_COMMENT = struct.Struct(">IHH")
_COUNT = struct.Struct(">H")
_ZERO = datetime(1904, 1, 1)


def read(span: Span, draft: Draft) -> None:
    """Read the chunks of an AIFF file."""
    offset = 12
    for _ in range(MAX_CHUNKS):
        if offset + 8 > span.size:
            return
        name, size = span.unpack(_CHUNK, offset)
        body = span.part(offset + 8, min(size, span.size - offset - 8))
        with draft.sparing("The sound's data are"):
            if name == b"COMM":
                _common(body, draft)
            elif name == b"COMT":
                _comments(body, draft)
            elif name == b"ID3 ":
                id3.read(body, draft)
            elif name == b"SSND":
                draft.payload = [Stretch(body.origin, body.size)]
                if size > body.size:
                    draft.note("The sound ends early: the file may have been cut off.")
        offset += 8 + size + size % 2


def _common(body: Span, draft: Draft) -> None:
    draft.channels, frames, _, exponent, fraction = body.unpack(_COMMON, 0)
    rate = fraction * 2.0 ** ((exponent & 0x7FFF) - 16383 - 63) if exponent & 0x7FFF < 16383 + 40 else 0.0
    draft.sample_rate = int(rate)
    if rate:
        draft.duration = frames / rate


def _comments(body: Span, draft: Draft) -> None:
    offset = 2
    for _ in range(min(body.unpack(_COUNT, 0)[0], MAX_COMMENTS)):
        seconds, _, size = body.unpack(_COMMENT, offset)
        stamp = since(_ZERO, seconds) if seconds else None
        if stamp is not None and stamp.wall.year > 1970:
            draft.claim("aiff:comment", Timestamp(stamp.wall), "the time of the sound's comment", str(seconds))
        offset += _COMMENT.size + size + size % 2
