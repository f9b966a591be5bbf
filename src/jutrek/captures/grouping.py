"""What belongs together: files of one folder and stem become one capture."""

from __future__ import annotations

import os
import re
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime, timedelta

from jutrek.captures.capture import Capture, ReadFile
from jutrek.captures.moment import INSIDE, Moment, Trust, doubtful
from jutrek.captures.zones import SOURCE
from jutrek.formats import DeviceFacts, Kind

_RANK = {Kind.STILL: 1, Kind.CLIP: 2, Kind.SOUND: 3, Kind.SIDECAR: 4}
_MEDIA = (
    "jpg", "jpeg", "dng", "tif", "tiff", "nef", "nrw", "cr2", "cr3", "arw", "orf", "rw2", "raf", "pef", "srw", "3fr",
    "mrw", "x3f", "iiq", "heic", "heif", "hif", "avif", "png", "webp", "jxl", "gif", "mp4", "mov", "m4v", "3gp", "avi",
    "mts", "m2ts", "mpg", "mod", "mxf", "mkv", "webm", "dv", "wmv", "wav", "aif", "aiff", "flac", "ogg", "mp3", "m4a",
)  # fmt: skip
_DEVELOPED = frozenset({"jpeg", "heic", "heif", "avif", "png", "webp", "jxl", "gif", "tiff"})
_THUMBNAIL = ".thm"
_CLIP_DATA = re.compile(r"M\d\d$", re.IGNORECASE)
"""What cameras put between a clip's stem and the extension of its data."""
SAME_PRESS = timedelta(seconds=60)
"""Files of one stem whose own dates are further apart than this are two captures."""
_NEVER_SET, _PAUSE, _LONG_BEFORE = timedelta(hours=24), timedelta(days=30), timedelta(days=300)
"""A clock that was never set begins within hours of a new year, runs on without long pauses, and lies long before."""


def group(files: Iterable[ReadFile]) -> list[Capture]:
    """Tie files of the same folder and stem into captures.

    A sidecar is tied by `stem.xmp` as well as by `stem.ext.xmp`, clip data by `stemM01.XML`. Files of one stem whose
    dates inside are more than a minute apart stay apart. Files of kind `other` are no captures and are left out.

    Returns:
        Captures in the order of shooting; those without a date come last, by path.
    """
    stems: dict[tuple[str, str], list[ReadFile]] = defaultdict(list)
    for read in files:
        if read.reading.kind is not Kind.OTHER:
            stems[_stem(read)].append(read)
    captures = [_capture(together) for same in stems.values() for together in _apart(same)]
    return sorted(_clocks_checked(captures), key=order)


def order(capture: Capture) -> tuple[bool, datetime, str]:
    """The order of shooting: local time with its fraction, then path (which holds the camera's counter)."""
    return capture.moment is None, capture.moment.local if capture.moment else datetime.min, capture.id


def device_key(facts: DeviceFacts | None, root: str) -> str:
    """A device's identity: make, model and serial without regard to case and spaces, else the source's root."""
    if facts is None or not (facts.make or facts.model):
        return f"{SOURCE}{root}"
    return "|".join(" ".join(part.casefold().split()) for part in (facts.make, facts.model, facts.serial))


def _stem(read: ReadFile) -> tuple[str, str]:
    folder, name = os.path.split(read.file.path)
    stem = os.path.splitext(name)[0]
    if read.reading.kind is Kind.SIDECAR and os.path.splitext(stem)[1].lower() in _INNER_SUFFIXES:
        stem = os.path.splitext(stem)[0]
    if read.reading.format == "clipdata":
        stem = _CLIP_DATA.sub("", stem)
    return folder, stem.casefold()


_INNER_SUFFIXES = frozenset(f".{suffix}" for suffix in _MEDIA)


def _rank(read: ReadFile) -> tuple[int, bool, str]:
    """A raw before its developed picture, stills before clips before sound, sidecars and thumbnails last."""
    rank = _RANK[read.reading.kind]
    if read.file.path.lower().endswith(_THUMBNAIL):
        rank = _RANK[Kind.SIDECAR]
    return rank, read.reading.format in _DEVELOPED, read.file.path


def _apart(same: list[ReadFile]) -> list[list[ReadFile]]:
    """Split files of one stem by their own dates; what has none goes with the first."""
    same.sort(key=_rank)
    piles: list[list[ReadFile]] = []
    for read in same:
        when = _own_date(read)
        for pile in piles:
            first = _own_date(pile[0])
            if read.reading.kind is Kind.SIDECAR or when is None or first is None or abs(when - first) <= SAME_PRESS:
                pile.append(read)
                break
        else:
            piles.append([read])
    return piles


def _own_date(read: ReadFile) -> datetime | None:
    moment = read.moment
    if moment is None or read.reading.claims[moment.claim].at not in INSIDE:
        return None
    return moment.local


def _capture(files: list[ReadFile]) -> Capture:
    dated_by = min(range(len(files)), key=lambda number: _strength(files[number].moment))
    facts = next((read.reading.device for read in files if read.reading.device), None)
    return Capture(tuple(files), files[dated_by].moment, device_key(facts, files[0].file.root), dated_by)


def _strength(moment: Moment | None) -> int:
    return list(Trust).index(moment.trust) if moment else len(Trust)


def _clocks_checked(captures: Sequence[Capture]) -> list[Capture]:
    """Doubt the first captures of a device where they begin at a new year long before the rest: a clock never set."""
    dates: dict[str, list[datetime]] = defaultdict(list)
    roots: dict[str, set[str]] = defaultdict(set)
    newest: dict[str, datetime] = {}
    for capture in captures:
        if capture.trusted and capture.moment:
            local, root = capture.moment.local, capture.primary.file.root
            dates[capture.device].append(local)
            roots[capture.device].add(root)
            newest[root] = max(newest.get(root, local), local)
    ends = {
        device: _end_of_unset_clock(sorted(own), max(newest[root] for root in roots[device]))
        for device, own in dates.items()
    }
    checked: list[Capture] = []
    for capture in captures:
        moment, end = capture.moment, ends.get(capture.device)
        if capture.trusted and moment and end is not None and moment.local <= end:
            why = f"The clock was probably never set: it says {moment.local:%Y-%m-%d}."
            capture = replace(capture, moment=doubtful(moment, why))  # noqa: PLW2901
        checked.append(capture)
    return checked


def _end_of_unset_clock(dates: Sequence[datetime], newest: datetime) -> datetime | None:
    """The last date that a clock told before it was set; None where it was always set.

    Args:
        dates: of one device, ordered.
        newest: of all that lies on the same sources.
    """
    first = dates[0]
    if first - datetime(first.year, 1, 1) >= _NEVER_SET:
        return None
    end = first
    for date in dates:
        if date - end > _PAUSE:
            return end if date - first > _LONG_BEFORE else None
        end = date
    return end if newest - first > _LONG_BEFORE else None
