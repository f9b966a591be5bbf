"""Claims from around a file: its name, the folders that it lies in, and its file time."""

from __future__ import annotations

import os
import re
import time
from datetime import datetime
from functools import lru_cache

from jutrek.formats.reading import UTC_BY_DEFINITION, Claim, Offset, Precision, Timestamp
from jutrek.formats.timestamps import ZERO_POINTS

_YEAR, _MONTH, _DAY = r"(?P<y>(?:19|20)\d\d)", r"(?P<m>0[1-9]|1[0-2])", r"(?P<d>0[1-9]|[12]\d|3[01])"
_HOUR, _MINUTE, _SECOND = r"(?P<h>[01]\d|2[0-3])", r"(?P<min>[0-5]\d)", r"(?P<s>[0-5]\d)"
_YEAR_SEEN = re.compile(r"(?:19|20)\d\d")
_PACKED = re.compile(rf"(?<!\d){_YEAR}{_MONTH}{_DAY}[_\-T ]?{_HOUR}{_MINUTE}{_SECOND}(?P<ms>\d{{3}})?(?!\d)")
_SPACED = re.compile(
    rf"(?<!\d){_YEAR}[-._]{_MONTH}[-._]{_DAY}(?:[-_T ]{{1,2}}| at )"
    rf"{_HOUR}[-.:_]{_MINUTE}[-.:_]{_SECOND}(?P<ms>\d{{3}})?(?!\d)"
)
_DAY_ONLY = re.compile(rf"(?<!\d){_YEAR}(?P<sep>[-._]?){_MONTH}(?P=sep){_DAY}(?!\d)")
_MONTH_ONLY = re.compile(rf"(?<!\d){_YEAR}[-._]{_MONTH}(?![-._]?\d)")
_PATH = re.compile(rf"(?:^|/){_YEAR}(?:/{_MONTH}(?!\d)[^/]*(?:/{_DAY}(?!\d)[^/]*)?)?$")
_QUARTER = 900
_FOLDERS = 4
"""Folders above a file that are looked at, the nearest first."""
_UTC_NAMES = re.compile(r"PXL_\d{8}_")
_SENT = re.compile(r"-WA\d{4}\b")


def of_name(name: str) -> Claim | None:
    """The date that a file's name states, or None. Digits that are no date do not become one."""
    if not _YEAR_SEEN.search(name):
        return None
    found = _PACKED.search(name) or _SPACED.search(name)
    if found:
        stamp = _stamp(found, UTC_BY_DEFINITION if _UTC_NAMES.match(name) else None)
        return Claim("name", stamp, "the file's name", found[0]) if stamp else None
    found = _DAY_ONLY.search(name)
    if not found:
        return None
    try:
        day = datetime(int(found["y"]), int(found["m"]), int(found["d"]))
    except ValueError:
        return None
    where = "the file's name, which tells the day it was sent" if _SENT.search(name) else "the file's name"
    return Claim("name", Timestamp(day, Precision.DAY), where, found[0])


@lru_cache(maxsize=256)
def of_folder(folder: str) -> Claim | None:
    """The date that the nearest folders state, as far as they do: `2026-05-14 Bridge`, `2026-05`, `2026/05/14`."""
    names = [name for name in folder.split(os.sep)[-_FOLDERS:] if name]
    for depth in range(len(names), 0, -1):
        name = names[depth - 1]
        if found := _DAY_ONLY.search(name):
            stamp = _date(found["y"], found["m"], found["d"])
        elif found := _MONTH_ONLY.search(name):
            stamp = _date(found["y"], found["m"])
        elif found := _PATH.search("/".join(names[:depth])):
            stamp = _date(found["y"], found["m"], found["d"])
        else:
            continue
        if stamp is not None:
            return Claim("folder", stamp, "the name of its folder", found[0].strip("/"))
    return None


def _date(year: str, month: str | None = None, day: str | None = None) -> Timestamp | None:
    try:
        wall = datetime(int(year), int(month or 1), int(day or 1))
    except ValueError:
        return None
    return Timestamp(wall, Precision.DAY if day else Precision.MONTH if month else Precision.YEAR)


def of_time(mtime_ns: int) -> Claim | None:
    """The file's time of last change, as local time of this machine; None where it is blank or no calendar date."""
    seconds = mtime_ns // 1_000_000_000
    try:
        stamp = Timestamp(datetime.fromtimestamp(seconds), Precision.SECOND, _machine_offset(seconds // _QUARTER))
    except (OverflowError, ValueError, OSError):
        return None
    if not seconds or stamp.wall in ZERO_POINTS:
        return None
    return Claim("file", stamp, "the file's own time", str(mtime_ns))


@lru_cache(maxsize=1024)
def _machine_offset(quarter: int) -> Offset:
    """This machine's offset in a quarter of an hour, counted from 1970: zones change between them, not within."""
    return Offset(time.localtime(quarter * _QUARTER).tm_gmtoff // 60)


def _stamp(found: re.Match[str], offset: Offset | None) -> Timestamp | None:
    y, m, d, h, mi, s = (int(found[part]) for part in ("y", "m", "d", "h", "min", "s"))
    try:
        wall = datetime(y, m, d, h, mi, s, int(found["ms"] or 0) * 1000)
    except ValueError:
        return None
    return Timestamp(wall, Precision.SUBSECOND if found["ms"] else Precision.SECOND, offset)
