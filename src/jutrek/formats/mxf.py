"""MXF: dates, timecode and stream facts from the header partition.

Follows SMPTE ST 377-1 (KLV 6.3, partition packs 7, local sets 9.3, local tags and the primer pack 9.2, timestamps 4.3:
year, month, day, hour, minute, second, quarter milliseconds) and ST 330 (UMID). Timestamps are UTC by the standard.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from datetime import datetime

from jutrek.formats.draft import Draft
from jutrek.formats.reading import UTC_BY_DEFINITION, Precision, Stretch, Timestamp
from jutrek.formats.span import Span
from jutrek.formats.tracks import timecode_words

KEY_START = b"\x06\x0e\x2b\x34"
MAX_SETS, MAX_RUN_IN = 3000, 65_536

_SET = b"\x06\x0e\x2b\x34\x02\x53\x01\x01"
_ESSENCE = bytes.fromhex("060e2b34010201010d010301")
_TIME = struct.Struct(">HBBBBBB")
_LOCAL = struct.Struct(">HH")
_U16, _U32, _U64 = struct.Struct(">H"), struct.Struct(">I"), struct.Struct(">Q")
_RATIO = struct.Struct(">II")
_DATES = {
    0x4405: ("mxf:created", "the clip's date of creation"),
    0x4404: ("mxf:changed", "the clip's date of change"),
    0x3B02: ("mxf:changed", "the clip file's date of change"),
    0x3C06: ("mxf:written", "the date of writing by the recorder's program"),
}
_MATERIAL_PACKAGE, _TIMECODE = 0x36, 0x14


def header_at(head: bytes) -> int:
    """Where the header partition's key stands in the first bytes, behind a run-in of up to 64 kB; -1 without."""
    return head.find(KEY_START + b"\x02\x05\x01\x01\x0d\x01\x02\x01\x01\x02")


def starts(head: bytes, _: int) -> bool:
    """Whether the key of a header partition stands in the first bytes."""
    return header_at(head) >= 0


def read(span: Span, draft: Draft) -> None:
    """Read the sets of the header partition."""
    start = max(header_at(span.upto(0, MAX_RUN_IN)), 0)
    for key, body in _packets(span, start):
        if key.startswith(_ESSENCE):
            draft.payload = [Stretch(body.origin, span.size - body.origin)]
            break
        if key.startswith(_SET):
            with draft.sparing("A set of the header is"):
                _set(key[14], dict(_tags(body)), draft)


def _packets(span: Span, offset: int) -> Iterator[tuple[bytes, Span]]:
    """Key, length (short, or long with its own size), value."""
    for _ in range(MAX_SETS):
        if offset + 17 > span.size:
            return
        key, first = span.read(offset, 16), span.read(offset + 16, 1)[0]
        offset += 17
        length = first
        if first & 0x80:
            more = first & 0x7F
            length = int.from_bytes(span.read(offset, min(more, 8)))
            offset += more
        yield key, span.part(offset, min(length, span.size - offset))
        offset += length


def _tags(body: Span) -> Iterator[tuple[int, Span]]:
    offset = 0
    while offset + 4 <= body.size:
        tag, size = body.unpack(_LOCAL, offset)
        yield tag, body.part(offset + 4, size)
        offset += 4 + size


def _set(kind: int, tags: dict[int, Span], draft: Draft) -> None:
    for tag, (at, words) in _DATES.items():
        if tag in tags:
            year, month, day, hour, minute, second, quarters = tags[tag].unpack(_TIME, 0)
            raw = f"{year:04}-{month:02}-{day:02} {hour:02}:{minute:02}:{second:02}.{quarters * 4:03}"
            draft.claim(at, _stamp(year, month, day, hour, minute, second, quarters), words, raw)
    if 0x4401 in tags and kind == _MATERIAL_PACKAGE:
        draft.tie("umid", tags[0x4401].upto(0, 32).hex().upper())
    if 0x3203 in tags and 0x3202 in tags:
        draft.width, draft.height = tags[0x3203].unpack(_U32, 0)[0], tags[0x3202].unpack(_U32, 0)[0]
        _rate(tags, draft)
    if 0x3D07 in tags:
        draft.channels = max(draft.channels, tags[0x3D07].unpack(_U32, 0)[0])
        if 0x3D03 in tags:
            over, under = tags[0x3D03].unpack(_RATIO, 0)
            draft.sample_rate = over // under if under else 0
    if kind == _TIMECODE and 0x1501 in tags and 0x1502 in tags and not draft.timecode:
        drops = 0x1503 in tags and tags[0x1503].read(0, 1) != b"\0"
        frames, rate = tags[0x1501].unpack(_U64, 0)[0], tags[0x1502].unpack(_U16, 0)[0]
        if 0x0202 in tags and rate and not draft.duration:
            length = tags[0x0202].unpack(_U64, 0)[0]
            draft.duration = length / rate if length < 2**40 else 0.0
        draft.timecode = timecode_words(frames, rate, drops=drops)


def _rate(tags: dict[int, Span], draft: Draft) -> None:
    if 0x3001 not in tags:
        return
    over, under = tags[0x3001].unpack(_RATIO, 0)
    if over and under:
        draft.frame_rate = round(over / under, 3)
        if 0x3002 in tags:
            draft.duration = tags[0x3002].unpack(_U64, 0)[0] * under / over


def _stamp(year: int, month: int, day: int, hour: int, minute: int, second: int, quarters: int) -> Timestamp | None:
    try:
        wall = datetime(year, month, day, hour, minute, second, quarters * 4000)
    except ValueError:
        return None
    precision = Precision.SUBSECOND if quarters else Precision.SECOND
    return Timestamp(wall, precision, UTC_BY_DEFINITION) if year > 1970 else None
