"""Deciding the moments of many files together: what one file does not know, the other files of its device may."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import tzinfo

from jutrek.captures.devices import device_key
from jutrek.captures.moment import LADDER, Moment, Rung, decide
from jutrek.captures.zones import Habits
from jutrek.formats import Reading


def decided(
    readings: Sequence[tuple[str, Reading]], *, home: tzinfo | None = None, ladder: Sequence[Rung] = LADDER
) -> list[Moment | None]:
    """Decide the moment of every reading.

    Args:
        readings: each with the root that it came from, which stands for its device where nothing inside names one.
        home: the house's zone; None is this machine's.
        ladder: rungs, strongest first.

    Returns:
        Moments in the order of the readings; None where no claim stands on the ladder.
    """
    keyed = [(device_key(reading.device, root), reading) for root, reading in readings]
    habits = Habits(keyed, home)
    return [decide(reading.claims, habits.around(device, reading), ladder=ladder) for device, reading in keyed]
