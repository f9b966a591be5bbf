"""What belongs together: files become captures, parts become recordings, frames become bursts."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from jutrek.captures.capture import Capture, ReadFile, counter_of, is_version
from jutrek.captures.companions import tied
from jutrek.captures.devices import told_apart
from jutrek.captures.series import chaptered, stacked
from jutrek.captures.unset import clocks_checked


def group(files: Iterable[ReadFile], *, split: frozenset[str] = frozenset()) -> list[Capture]:
    """Tie files into captures. Files of kind `other` are no captures and are left out.

    Args:
        files: with their moments.
        split: keys of devices that are another one on every source.

    Returns:
        Captures in the order of shooting; those without a date come last, by path.
    """
    captures = chaptered(told_apart(tied(files), split))
    return stacked(sorted(clocks_checked(captures), key=order))


def order(capture: Capture) -> tuple[bool, datetime, bool, datetime, str, int, str]:
    """The order of shooting: local time with its fraction, then by device and counter.

    Within a second what was made of another picture comes behind it: the original takes the name.
    """
    moment = capture.moment
    at = moment.local if moment else datetime.min
    second, counter = at.replace(microsecond=0), counter_of(capture.id) or 0
    return moment is None, second, is_version(capture.id), at, capture.device, counter, capture.id
