"""What people type: shifts, dates of any precision, offsets from UTC. Errors are sentences."""

from __future__ import annotations

import re
from datetime import date, datetime

from jutrek.captures.decisions import GivenDate
from jutrek.formats import Precision

_SHIFT = re.compile(r"([+-]?)\s*(?:(\d{1,5})\s*d\s*)?(?:(\d{1,4})(?::(\d{2})(?::(\d{2}))?)?)?")
_OFFSET = re.compile(r"([+-])(\d{1,2}):(\d{2})")
_CLOCK = re.compile(r"(\d{1,2}):(\d{2})")
_DATE = re.compile(r"(\d{4})(?:-(\d{1,2})(?:-(\d{1,2})(?:[ T]+(\d{1,2}):(\d{2})(?::(\d{2}))?)?)?)?")


def shift_of(text: str) -> float:
    """Seconds of a shift such as `+1:00:00`, `-0:07:23`, `+2d 1:00`, `0`.

    Raises:
        ValueError: when it is none.
    """
    found = _SHIFT.fullmatch(text.strip())
    if found is None or not (found[2] or found[3]):
        raise ValueError(f"A shift is written such as +1:00:00 or -2d 0:30:00, not “{text}”.")
    days, hours, minutes, seconds = (int(part or 0) for part in found.groups()[1:])
    if minutes > 59 or seconds > 59:
        raise ValueError(f"There are no more than 59 minutes and seconds in “{text}”.")
    whole = ((days * 24 + hours) * 60 + minutes) * 60 + seconds
    return float(-whole if found[1] == "-" else whole)


def offset_of(text: str) -> int:
    """Minutes of an offset from UTC such as `+02:00`.

    Raises:
        ValueError: when it is none.
    """
    found = _OFFSET.fullmatch(text.strip())
    if found is None or int(found[2]) > 14 or int(found[3]) > 59:
        raise ValueError(f"An offset is written such as +02:00, not “{text}”.")
    minutes = int(found[2]) * 60 + int(found[3])
    return -minutes if found[1] == "-" else minutes


def clock_of(text: str) -> int:
    """Minutes after midnight of a time such as `04:00`.

    Raises:
        ValueError: when it is none.
    """
    found = _CLOCK.fullmatch(text.strip())
    if found is None or int(found[1]) > 23 or int(found[2]) > 59:
        raise ValueError(f"A time is written such as 04:00, not “{text}”.")
    return int(found[1]) * 60 + int(found[2])


def placed_of(text: str) -> GivenDate:
    """A date of any precision: `2026`, `2026-05`, `2026-05-14`, `2026-05-14 09:30`, with seconds.

    Raises:
        ValueError: when it is none.
    """
    found = _DATE.fullmatch(text.strip())
    if found is None:
        raise ValueError(f"A date is written such as 2026, 2026-05, 2026-05-14 or 2026-05-14 09:30, not “{text}”.")
    year, month, day, hour, minute, second = (None if part is None else int(part) for part in found.groups())
    try:
        wall = datetime(year or 1, month or 1, day or 1, hour or 0, minute or 0, second or 0)
    except ValueError as error:
        raise ValueError(f"There is no such date as “{text}”.") from error
    known = (month, day, hour, second)
    levels = (Precision.YEAR, Precision.MONTH, Precision.DAY, Precision.MINUTE, Precision.SECOND)
    return GivenDate(wall, levels[sum(part is not None for part in known)])


def day_of(text: str) -> date:
    """A day such as `2026-05-14`.

    Raises:
        ValueError: when it is none.
    """
    try:
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise ValueError(f"A day is written such as 2026-05-14, not “{text}”.") from error


def journeys_of(text: str) -> tuple[tuple[date, int], ...]:
    """Journeys such as `2026-05-12 +01:00, 2026-05-20 +02:00`: from which day on which offset holds.

    Raises:
        ValueError: when one cannot be read.
    """
    parts = [part.split() for part in re.split(r"[,;\n]", text) if part.strip()]
    for part in parts:
        if len(part) != 2:
            raise ValueError(f"A journey is written such as 2026-05-12 +01:00, not “{' '.join(part)}”.")
    return tuple(sorted((day_of(day), offset_of(offset)) for day, offset in parts))


def offset_words(minutes: int) -> str:
    """An offset as it is typed: `+02:00`."""
    sign = "-" if minutes < 0 else "+"
    return f"{sign}{abs(minutes) // 60:02}:{abs(minutes) % 60:02}"


def keywords_of(text: str) -> tuple[str, ...]:
    """Keywords as they are typed, with commas between them, each once."""
    from jutrek.wording.spelling import key, tidied

    words: dict[str, str] = {}
    for word in filter(None, map(tidied, text.split(","))):
        words.setdefault(key(word), word)
    return tuple(words.values())
