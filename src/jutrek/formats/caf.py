"""CAF: the date in the information chunk, and the length of the sound.

Follows the Core Audio Format specification 1.0 (`desc`: rate as a float, bytes and frames a packet, channels; `info`:
pairs of NUL-terminated texts, `recorded date` in ISO 8601; `data` whose size may be -1: to the end).
"""

from __future__ import annotations

import struct

from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

SIGNATURE = b"caff"
MAX_CHUNKS, MAX_INFORMATION = 200, 64 * 1024

_CHUNK = struct.Struct(">4sq")
_DESCRIPTION = struct.Struct(">d4sIIII")
_PACKETS = struct.Struct(">qq")
_DATES = ("recorded date", "creation date", "year")


def read(span: Span, draft: Draft) -> None:
    """Read the chunks of a CAF file."""
    frame_bytes = frames = 0
    rate = 0.0
    offset = 8
    for _ in range(MAX_CHUNKS):
        if offset + 12 > span.size:
            break
        name, size = span.unpack(_CHUNK, offset)
        size = span.size - offset - 12 if size < 0 else size
        body = span.part(offset + 12, min(size, span.size - offset - 12))
        with draft.sparing("The sound's data are"):
            if name == b"desc":
                rate, _, _, packet, in_packet, draft.channels = body.unpack(_DESCRIPTION, 0)
                rate = rate if 0 < rate < 1e7 else 0.0
                draft.sample_rate = int(rate)
                frame_bytes = packet if in_packet == 1 else 0
            elif name == b"pakt":
                frames = max(body.unpack(_PACKETS, 0)[1], 0)
            elif name == b"info":
                _information(body.upto(4, MAX_INFORMATION), draft)
            elif name == b"data":
                draft.payload = [Stretch(body.where(4), body.size - 4)]
        offset += 12 + size
    if rate and draft.payload:
        draft.duration = (frames or (draft.payload[0].size // frame_bytes if frame_bytes else 0)) / rate


def _information(data: bytes, draft: Draft) -> None:
    texts = [part.decode("utf-8", "replace") for part in data.split(b"\0")]
    found = dict(zip(texts[::2], texts[1::2], strict=False))
    for name in _DATES:
        if raw := found.get(name, ""):
            draft.claim("caf:recorded", parse(raw), "the date of recording in the sound's information", raw)
            return
