"""Dates as cameras, recorders and editors write them, turned into stamps.

One parser takes Exif (Exif 2.32, 4.6.5: `YYYY:MM:DD HH:MM:SS`), ISO 8601 in the profile that XMP uses (XMP part 1,
8.2.1.1: any precision), and the spellings seen in the wild. Blank values are no dates: zeros, spaces, and the
zero points of clocks (1904, 1970, 1980) at exactly midnight.
"""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from functools import lru_cache

from jutrek.formats.reading import UTC_BY_DEFINITION, Offset, Precision, Timestamp

ZERO_POINTS = frozenset({datetime(1904, 1, 1), datetime(1970, 1, 1), datetime(1980, 1, 1)})

_PATTERN = re.compile(
    r"""\s* (\d{4})(?!\d)
    (?: [:\-/._\ ] \s?(\d{1,2}) (?: [:\-/._\ ] \s?(\d{1,2}) )? )?
    (?: (?:[T\s]+|/\s) \s?(\d{1,2}) (?:[:\-._]\s?|\s) (\d{1,2}) (?: (?:[:\-._]\s?|\s) (\d{1,2}) (?: [.,] (\d{1,9}) )? )?
        (?: \s? ([AaPp])\.?[Mm]\b )? )?
    \s* (?: (Z|UTC|GMT) | )  (?: ([+\-]) (\d{1,2}) (?: :? (\d{2}) )? )?
    """,
    re.VERBOSE,
)
_AROUND = " \t\r\n\0'\""
"""What may stand around a date."""
_BASIC = re.compile(r"\s*(\d{4})(\d\d)(\d\d)(?:[T ]?(\d\d)(\d\d)(\d\d)?)?(?!\d)(.*)")
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_MONTH = rf"(?P<month>{'|'.join(_MONTHS)})[a-z]*\.?"
_WEEKDAY = r"(?:[a-z]{3,9},?\s+)?"
_SIGNS = str.maketrans({"年": "-", "月": "-", "日": " ", "時": ":", "时": ":", "分": ":", "秒": " "})
"""Signs that stand behind the parts of a date in East Asia."""
_CLOCK = r"(?P<clock>\d{1,2}:\d{2}(?::\d{2})?)"
_SPELLED = (
    re.compile(rf"\s*{_WEEKDAY}{_MONTH}\s+(?P<day>\d{{1,2}})\s+{_CLOCK}\s+(?P<year>\d{{4}})(?P<rest>)", re.IGNORECASE),
    re.compile(
        rf"\s*{_WEEKDAY}(?P<day>\d{{1,2}})[\s-]{_MONTH}[\s-](?P<year>\d{{4}})\s+{_CLOCK}(?P<rest>.*)", re.IGNORECASE
    ),
    re.compile(
        rf"\s*{_WEEKDAY}{_MONTH}\s+(?P<day>\d{{1,2}}),?\s+(?P<year>\d{{4}})\s+{_CLOCK}(?P<rest>.*)", re.IGNORECASE
    ),
)
_OFFSET = re.compile(r"\s*(?:(Z)|([+\-])(\d{1,2})(?::?(\d{2}))?)")


def parse(text: str, fraction: str = "", offset: str = "") -> Timestamp | None:
    """Read a date.

    Args:
        text: the date as stored.
        fraction: digits of the second that are stored elsewhere (Exif SubSecTime), or empty.
        offset: the distance from UTC that is stored elsewhere (Exif OffsetTime), or empty.

    Returns:
        The stamp as far as the text is certain; None where it is blank or no date at all.
    """
    if (plain := _plain(text, fraction, offset)) is not None:
        return plain
    text = text.strip(_AROUND) if text.isascii() else text.translate(_SIGNS).strip(_AROUND)
    found = _PATTERN.match(text)
    if not found:
        return _basic(text) or _spelled(text)
    year, month, day, hour, minute, second, digits, half, utc, sign, zone_h, zone_m = found.groups()
    zone = _offset(utc, sign, zone_h, zone_m) or parse_offset(offset)
    stamp = _date(int(year), month, day)
    if stamp is None or hour is None or stamp.precision is not Precision.DAY:
        return None if stamp is None or stamp.wall in ZERO_POINTS else _with(stamp, zone)
    if half and not 1 <= int(hour) <= 12:
        # 22:26 PM: the half of the day says nothing more.
        half = None
    of_day = int(hour) % 12 + 12 * (half in ("p", "P")) if half else int(hour)
    timed = _time(stamp.wall, of_day, int(minute), second, digits or fraction.strip())
    if timed.wall in ZERO_POINTS and timed.precision >= Precision.MINUTE:
        return None
    return _with(timed, zone)


def _basic(text: str) -> Timestamp | None:
    """ISO 8601 without separators: `20260514`, `20260514T102613+0200`."""
    found = _BASIC.match(text)
    if not found:
        return None
    year, month, day, hour, minute, second, rest = found.groups()
    clock = f"T{hour}:{minute}" + (f":{second}" if second else "") if hour else ""
    return parse(f"{year}-{month}-{day}{clock}{rest}")


def _spelled(text: str) -> Timestamp | None:
    """Months by their English names: `Wed Apr 22 15:03:02 2009` (C), `22 Apr 2009 15:03:02 +0200` (RFC 5322), and the
    like of `Apr 22, 2009 15:03`.
    """
    found = next((match for one in _SPELLED if (match := one.match(text))), None)
    if found is None:
        return None
    number = _MONTHS.index(found["month"].lower()) + 1
    return parse(f"{found['year']}-{number:02}-{int(found['day']):02} {found['clock']}{found['rest'].rstrip()}")


def _plain(text: str, fraction: str, offset: str) -> Timestamp | None:
    """The spelling that nearly all cameras use, `2026:05:14 10:26:13`, without the cost of the full pattern."""
    wall = _plain_wall(text)
    if wall is None:
        return None
    zone = parse_offset(offset) if offset else None
    if not fraction:
        return Timestamp(wall, Precision.SECOND, zone)
    if not (fraction.isascii() and fraction.isdigit()):
        return None
    return _fine(wall, fraction, zone)


@lru_cache(maxsize=64)
def _plain_wall(text: str) -> datetime | None:
    """Cameras write the same time into several tags, so the last ones are kept."""
    if len(text) != 19 or text[4::3] != ":: ::" or not text.startswith(("19", "20")):
        return None
    try:
        wall = datetime.fromisoformat(f"{text[:4]}-{text[5:7]}-{text[8:]}")
    except ValueError:
        return None
    return None if text.endswith("00:00:00") and wall in ZERO_POINTS else wall


@lru_cache(maxsize=128)
def parse_offset(text: str) -> Offset | None:
    """Read `+02:00`, `+0200`, `+2` or `Z`; None where there is none or it cannot be one (beyond −12 h to +14 h)."""
    found = _OFFSET.match(text) if text else None
    return _offset(*found.groups()) if found else None


def since(zero: datetime, seconds: float) -> Timestamp | None:
    """A stamp from seconds counted from a zero point in UTC, or None where no calendar date results."""
    try:
        wall = zero + timedelta(seconds=seconds)
    except OverflowError:
        return None
    return Timestamp(wall.replace(microsecond=0), Precision.SECOND, UTC_BY_DEFINITION)


def _offset(utc: str | None, sign: str | None, hours: str | None, minutes: str | None) -> Offset | None:
    if sign is None or hours is None:
        return Offset(0) if utc else None
    value = int(hours) * 60 + int(minutes or 0)
    value = -value if sign == "-" else value
    return Offset(value) if -12 * 60 <= value <= 14 * 60 else None


def _date(year: int, month: str | None, day: str | None) -> Timestamp | None:
    if not 1800 <= year <= 9998:
        return None
    if month is None or not int(month):
        mended = "the month is missing, so only the year was taken" if month else ""
        return Timestamp(datetime(year, 1, 1), Precision.YEAR, mended=mended)
    if int(month) > 12:
        return None
    if day is None or not int(day):
        mended = "the day is missing, so only the month was taken" if day else ""
        return Timestamp(datetime(year, int(month), 1), Precision.MONTH, mended=mended)
    try:
        return Timestamp(datetime(year, int(month), int(day)), Precision.DAY)
    except ValueError:
        return None


def _time(day: datetime, hour: int, minute: int, second: str | None, digits: str) -> Timestamp:
    if hour > 23 or minute > 59 or int(second or 0) > 59:
        return Timestamp(day, Precision.DAY, mended="no such time of day, so only the day was taken")
    if second is None:
        return Timestamp(day.replace(hour=hour, minute=minute), Precision.MINUTE)
    wall = day.replace(hour=hour, minute=minute, second=int(second))
    digits = digits if digits.isascii() and digits.isdigit() else ""
    if not digits:
        return Timestamp(wall, Precision.SECOND)
    return _fine(wall, digits, None)


def _fine(wall: datetime, digits: str, zone: Offset | None) -> Timestamp:
    """With a fraction of the second; three zeros and more are a writer's padding and no precision."""
    if len(digits) > 2 and not int(digits):
        return Timestamp(wall, Precision.SECOND, zone)
    return Timestamp(wall.replace(microsecond=int(digits[:6].ljust(6, "0"))), Precision.SUBSECOND, zone)


def _with(stamp: Timestamp, zone: Offset | None) -> Timestamp:
    return Timestamp(stamp.wall, stamp.precision, zone, stamp.mended) if zone else stamp
