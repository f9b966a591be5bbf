"""DV: the tape's own dates, within raw DV streams and within AVI.

Follows IEC 61834-2 and -4 (SMPTE ST 314): DIF blocks of 80 bytes, 150 of them in a sequence; subcode blocks hold packs
of five bytes at 3 + 8 n + 3, VAUX blocks at 3 + 5 n. Pack 0x62 is the recording date, 0x63 the recording time, 0x13 the
timecode; binary-coded decimals whose upper bits must be masked.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from jutrek.formats.draft import Draft
from jutrek.formats.reading import Precision, Stretch, Timestamp
from jutrek.formats.span import Span

SHORTEST = 80 * 150
"""Bytes of one DIF sequence: nothing shorter can be a frame."""

_BLOCK = 80
_SUBCODE, _VAUX = 1, 2
_DATE, _TIME, _TIMECODE = 0x62, 0x63, 0x13
_FRAME_525, _FRAME_625 = 120_000, 144_000


def starts(head: bytes, _: int) -> bool:
    """Whether a file begins with the header block of a DIF sequence, followed by subcode blocks."""
    return (
        len(head) >= 3 * _BLOCK
        and head[0] & 0xE0 == 0
        and head[1:3] == b"\x07\0"
        and head[_BLOCK] >> 5 == _SUBCODE
        and head[2 * _BLOCK] >> 5 == _SUBCODE
    )


def read(span: Span, draft: Draft) -> None:
    """Read a raw DV stream by its first frame."""
    draft.payload = [Stretch(0, span.size)]
    wide = bool(span.read(3, 1)[0] & 0x80)
    frame, rate = (_FRAME_625, 25.0) if wide else (_FRAME_525, 29.97)
    draft.width, draft.height = 720, 576 if wide else 480
    draft.frame_rate, draft.duration = rate, span.size / frame / rate
    read_frame(span, draft)


def read_frame(span: Span, draft: Draft) -> None:
    """Read the packs of the first sequences of a frame."""
    packs: dict[int, bytes] = {}
    data = span.upto(0, 2 * SHORTEST)
    for pack in _packs(data):
        if pack[0] in (_DATE, _TIME, _TIMECODE) and pack[1:] != b"\xff\xff\xff\xff":
            packs.setdefault(pack[0], pack)
    if _TIMECODE in packs and not draft.timecode:
        draft.timecode = _timecode(packs[_TIMECODE])
    if _DATE in packs:
        stamp = _stamp(packs[_DATE], packs.get(_TIME))
        raw = " ".join(packs[key].hex() for key in (_DATE, _TIME) if key in packs)
        draft.claim("dv", stamp, "the tape's date of recording", raw)


def _packs(data: bytes) -> Iterator[bytes]:
    for at in range(0, len(data) - _BLOCK + 1, _BLOCK):
        kind = data[at] >> 5
        if kind == _SUBCODE:
            yield from (data[at + 3 + 8 * n + 3 : at + 3 + 8 * n + 8] for n in range(6))
        elif kind == _VAUX:
            yield from (data[at + 3 + 5 * n : at + 8 + 5 * n] for n in range(15))


def decimal(byte: int, mask: int) -> int:
    """A binary-coded decimal under a mask; 99 or more where it is none."""
    tens, ones = (byte & mask) >> 4, byte & mask & 15
    return tens * 10 + ones if ones < 10 else 99


def _stamp(date: bytes, time: bytes | None) -> Timestamp | None:
    day, month, year = decimal(date[2], 0x3F), decimal(date[3], 0x1F), decimal(date[4], 0xFF)
    try:
        wall = datetime(year + (2000 if year < 75 else 1900), month, day)
    except ValueError:
        return None
    if time is None:
        return Timestamp(wall, Precision.DAY)
    second, minute, hour = decimal(time[2], 0x7F), decimal(time[3], 0x7F), decimal(time[4], 0x3F)
    if second > 59 or minute > 59 or hour > 23:
        return Timestamp(wall, Precision.DAY, mended="no such time of day, so only the day was taken")
    return Timestamp(wall.replace(hour=hour, minute=minute, second=second))


def _timecode(pack: bytes) -> str:
    frame, second = decimal(pack[1], 0x3F), decimal(pack[2], 0x7F)
    minute, hour = decimal(pack[3], 0x7F), decimal(pack[4], 0x3F)
    return f"{hour:02}:{minute:02}:{second:02}:{frame:02}" if max(frame, second, minute, hour) < 60 else ""
