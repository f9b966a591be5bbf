"""AVCHD's modified digital-video pack metadata: the camcorder's date within the first pictures of its stream.

Follows ITU-T H.264 annex D.1.6 (SEI type 5, unregistered user data) and 7.3.1 (emulation prevention: 00 00 03). The
block is a UUID, `MDPM`, a count, then entries of a tag and four bytes. 0x18 is zone, century, year and month, 0x19 day,
hour, minute and second, all as binary-coded decimals; 0x70 is the maker's number; 0xB1 to 0xB8 are a position as in
Exif. The zone's byte holds the sign at 0x20, hours at 0x1E and a half hour at 0x01; 0x80 means unknown, 0x40 summer
time.
"""

from __future__ import annotations

from datetime import datetime

from jutrek.formats.draft import Draft
from jutrek.formats.dv import decimal
from jutrek.formats.reading import Offset, Precision, Timestamp

MARK = bytes.fromhex("17ee8c60f84d11d98cd60800200c9a66") + b"MDPM"

_ZONE_DATE, _TIME, _MAKER = 0x18, 0x19, 0x70
_LAT_REF, _LAT, _LON_REF, _LON = 0xB1, (0xB2, 0xB3, 0xB4), 0xB5, (0xB6, 0xB7, 0xB8)
_MAKERS = {0x0103: "Panasonic", 0x0108: "Sony", 0x1011: "Canon", 0x1104: "JVC"}


def read(stream: bytes, draft: Draft) -> bool:
    """Look for the block in the beginning of an H.264 stream, and read it. True where there is one."""
    at = stream.find(MARK)
    if at < 0:
        stream = stream.replace(b"\0\0\x03", b"\0\0")
        at = stream.find(MARK)
        if at < 0:
            return False
    block = stream[at + len(MARK) : at + len(MARK) + 1024].replace(b"\0\0\x03", b"\0\0")
    if not block:
        return False
    entries = {
        block[1 + 5 * number]: block[2 + 5 * number : 6 + 5 * number]
        for number in range(block[0])
        if len(block) >= 6 + 5 * number
    }
    if _ZONE_DATE in entries:
        date, time = entries[_ZONE_DATE], entries.get(_TIME, b"")
        raw = f"{date.hex()} {time.hex()}".strip()
        draft.claim("mdpm", _stamp(date, time), "the camcorder's date of recording", raw)
    if _MAKER in entries:
        draft.made_by(_MAKERS.get(int.from_bytes(entries[_MAKER][:2]), ""))
    _position(entries, draft)
    return True


def _stamp(date: bytes, time: bytes) -> Timestamp | None:
    century, year, month = (decimal(byte, 0xFF) for byte in date[1:4])
    day = decimal(time[0], 0xFF) if len(time) == 4 else 0
    try:
        wall = datetime(century * 100 + year, month, day)
    except ValueError:
        return None
    hour, minute, second = (decimal(byte, 0xFF) for byte in time[1:4])
    if hour > 23 or minute > 59 or second > 59:
        return Timestamp(wall, Precision.DAY, mended="no such time of day, so only the day was taken")
    return Timestamp(wall.replace(hour=hour, minute=minute, second=second), Precision.SECOND, _zone(date[0]))


def _zone(byte: int) -> Offset | None:
    """Unknown where the byte says so, or where summer time leaves open which of the two it is."""
    if byte & 0xC0:
        return None
    minutes = (byte >> 1 & 0x0F) * 60 + (byte & 1) * 30
    minutes = -minutes if byte & 0x20 else minutes
    return Offset(minutes) if -12 * 60 <= minutes <= 14 * 60 else None


def _position(entries: dict[int, bytes], draft: Draft) -> None:
    lat, lon = _degrees(entries, _LAT), _degrees(entries, _LON)
    if lat is not None and lon is not None and lat <= 90 and lon <= 180:
        lat = -lat if entries.get(_LAT_REF, b"")[:1] == b"S" else lat
        lon = -lon if entries.get(_LON_REF, b"")[:1] == b"W" else lon
        draft.position = (lat, lon)


def _degrees(entries: dict[int, bytes], tags: tuple[int, int, int]) -> float | None:
    """Degrees, minutes and seconds as fractions of 16-bit numbers."""
    total = 0.0
    for power, tag in enumerate(tags):
        part = entries.get(tag, b"")
        over, under = int.from_bytes(part[:2]), int.from_bytes(part[2:4])
        if len(part) != 4 or not under:
            return None
        total += over / under / 60**power
    return total
