"""Deciding the moments of many files together: what one file does not know, the other files of its device may."""

from __future__ import annotations

import os
from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta, tzinfo
from typing import NamedTuple

from jutrek.captures.capture import counter_of
from jutrek.captures.devices import device_key
from jutrek.captures.moment import LADDER, SHOOTING, Moment, Rung, decide
from jutrek.captures.zones import CONTAINER_TIMES, Habits
from jutrek.formats import Kind, Precision, Reading

_SLACK = timedelta(minutes=2)


class Said(NamedTuple):
    """A file and what it says.

    Attributes:
        root: the source that it came from, which stands for its device where nothing inside names one.
        path: its own.
    """

    root: str
    path: str
    reading: Reading


def decided(
    files: Sequence[Said], *, home: tzinfo | None = None, ladder: Sequence[Rung] = LADDER
) -> list[Moment | None]:
    """Decide the moment of every file.

    Args:
        home: the house's zone; None is this machine's.
        ladder: rungs, strongest first.

    Returns:
        Moments in the order of the files; None where no claim stands on the ladder.
    """
    keyed = [(device_key(file.reading.device, file.root), file) for file in files]
    habits = Habits([(device, file.reading) for device, file in keyed], home, _by_counters(keyed, home))
    return [
        decide(file.reading.claims, habits.around(device, file.reading), ladder=ladder) for device, file in keyed
    ]  # fmt: skip


def _by_counters(keyed: Sequence[tuple[str, Said]], home: tzinfo | None) -> Mapping[str, Counter[bool]]:
    """Whether devices fill their containers with local time, by the stills before and behind each clip by counter.

    A clip lies between them, by one reading of its container's time or by the other. Where both fit, nothing is said.
    """
    stills: dict[tuple[str, str], list[tuple[int, datetime]]] = defaultdict(list)
    clips: list[tuple[str, str, int, datetime]] = []
    for device, file in keyed:
        container = next((one.stamp.wall for one in file.reading.claims if one.at in CONTAINER_TIMES), None)
        counter = counter_of(file.path) if container else None
        if file.reading.kind is not Kind.STILL and container is not None and counter is not None:
            clips.append((device, os.path.dirname(file.path), counter, container))
    asked = {(device, folder) for device, folder, *_ in clips}
    for device, file in keyed if asked else ():
        if file.reading.kind is Kind.STILL and (device, folder := os.path.dirname(file.path)) in asked:
            counter, shot = counter_of(file.path), _shot(file.reading)
            if counter is not None and shot is not None:
                stills[device, folder].append((counter, shot))
    for own in stills.values():
        own.sort()
    votes: dict[str, Counter[bool]] = defaultdict(Counter)
    for device, folder, counter, container in clips:
        own = stills.get((device, folder), [])
        at = bisect_left(own, (counter, datetime.min))
        if 0 < at < len(own):
            begin, end = own[at - 1][1] - _SLACK, own[at][1] + _SLACK
            offset = container.replace(tzinfo=UTC).astimezone(home).utcoffset() or timedelta(0)
            local, utc = begin <= container <= end, begin <= container + offset <= end
            votes[device].update([local] if local != utc else [])
    return votes


def _shot(reading: Reading) -> datetime | None:
    """When a still was made, by its device's clock; None where it does not tell the second."""
    stamp = next((one.stamp for one in reading.claims if one.at in SHOOTING.kinds), None)
    return stamp.wall if stamp is not None and stamp.precision >= Precision.SECOND else None
