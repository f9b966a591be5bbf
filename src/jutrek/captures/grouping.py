"""What belongs together: files become captures, parts become recordings, frames become bursts."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime, timedelta

from jutrek.captures.capture import Capture, ReadFile, counter_of
from jutrek.captures.companions import tied
from jutrek.captures.devices import told_apart
from jutrek.captures.moment import Doubtful, doubtful
from jutrek.captures.series import chaptered, stacked

_NEVER_SET, _PAUSE, _LONG_BEFORE = timedelta(hours=24), timedelta(days=30), timedelta(days=300)
"""A clock that was never set begins within hours of a new year, runs on without long pauses, and lies long before."""


def group(files: Iterable[ReadFile], *, split: frozenset[str] = frozenset()) -> list[Capture]:
    """Tie files into captures. Files of kind `other` are no captures and are left out.

    Args:
        files: with their moments.
        split: keys of devices that are another one on every source.

    Returns:
        Captures in the order of shooting; those without a date come last, by path.
    """
    captures = chaptered(told_apart(tied(files), split))
    return stacked(sorted(_clocks_checked(captures), key=order))


def order(capture: Capture) -> tuple[bool, datetime, str, int, str]:
    """The order of shooting: local time with its fraction, then by device and counter."""
    moment = capture.moment
    at = moment.local if moment else datetime.min
    return moment is None, at, capture.device, counter_of(capture.id) or 0, capture.id


def _clocks_checked(captures: Sequence[Capture]) -> list[Capture]:
    """Doubt the first captures of a device where they begin at a new year long before the rest: a clock never set."""
    dates: dict[str, list[datetime]] = defaultdict(list)
    roots: dict[str, set[str]] = defaultdict(set)
    newest: dict[str, datetime] = {}
    for capture in captures:
        if capture.trusted and capture.moment:
            local, root = capture.moment.local, capture.root
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
            capture = replace(capture, moment=doubtful(moment, Doubtful.NEVER_SET, why))  # noqa: PLW2901
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
