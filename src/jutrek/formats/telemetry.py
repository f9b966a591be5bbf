"""Action cameras' telemetry: the device, its serial number, and satellite time.

Nested records, big-endian, aligned to four bytes: a name of four signs, a type, the size of one value in bytes, and a
16-bit count of values; type 0 holds records. `MINF` is the model, `CASN` the serial number, `MUID` ties chapters of one
recording, `GPSU` is satellite time (`yymmddhhmmss.sss`, UTC), `GPSF` whether there was a fix, `GPS9` positions with
days since 2000 and milliseconds of the day.
"""

from __future__ import annotations

import struct
from datetime import datetime, timedelta

from jutrek.formats.draft import Draft
from jutrek.formats.reading import UTC_BY_DEFINITION, Precision, Timestamp
from jutrek.formats.span import Span

MAX_HEADER = 64 * 1024
MAX_RECORDS, MAX_DEPTH = 2000, 6

_RECORD = struct.Struct(">4sBBH")
_GPS9 = struct.Struct(">iiiiiiiHH")
_FIX = struct.Struct(">I")
_WHERE = "GPS time in the telemetry"


class _Found:
    """What the records said so far."""

    def __init__(self) -> None:
        self.left = MAX_RECORDS
        self.fix = 3


def read(span: Span, draft: Draft) -> None:
    """Read telemetry records, nested ones included."""
    _records(span, draft, _Found(), 0)


def _records(span: Span, draft: Draft, found: _Found, depth: int) -> None:
    offset = 0
    while offset + 8 <= span.size and found.left > 0:
        found.left -= 1
        name, kind, size, many = span.unpack(_RECORD, offset)
        length = size * many
        body = span.part(offset + 8, min(length, span.size - offset - 8))
        if kind == 0 and depth < MAX_DEPTH and name != b"\0\0\0\0":
            _records(body, draft, found, depth + 1)
        else:
            _record(name, body, draft, found)
        offset += 8 + (length + 3) // 4 * 4


def _record(name: bytes, body: Span, draft: Draft, found: _Found) -> None:
    if name == b"MINF":
        draft.made_by(model=_text(body))
    elif name == b"CASN":
        draft.made_by(serial=_text(body))
    elif name == b"MUID":
        draft.tie("chapter", body.upto(0, 32).hex())
    elif name == b"GPSF" and body.size >= 4:
        (found.fix,) = body.unpack(_FIX, 0)
    elif name == b"GPSU" and found.fix >= 2:
        _satellite_text(_text(body), draft)
    elif name == b"GPS9" and body.size >= _GPS9.size:
        _satellite_numbers(body, draft)


def _text(body: Span) -> str:
    return body.upto(0, 256).partition(b"\0")[0].decode("latin-1").strip()


def _satellite_text(raw: str, draft: Draft) -> None:
    try:
        wall = datetime.strptime(raw[:12], "%y%m%d%H%M%S")
    except ValueError:
        return
    draft.claim("gps", Timestamp(wall, Precision.SECOND, UTC_BY_DEFINITION), _WHERE, raw)


def _satellite_numbers(body: Span, draft: Draft) -> None:
    """Latitude and longitude in 1e-7 degrees, three more values, days since 2000, milliseconds, accuracy, fix."""
    lat, lon, _, _, _, days, milliseconds, _, fix = body.unpack(_GPS9, 0)
    if fix < 2 or not 0 <= days < 50_000:
        return
    if abs(lat) <= 90e7 and abs(lon) <= 180e7:
        draft.position = (lat / 1e7, lon / 1e7)
    wall = datetime(2000, 1, 1) + timedelta(days=days, seconds=milliseconds // 1000)
    draft.claim("gps", Timestamp(wall, Precision.SECOND, UTC_BY_DEFINITION), _WHERE, f"{days} d {milliseconds} ms")
