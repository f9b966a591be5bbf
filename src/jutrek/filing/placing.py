"""Where captures were by their positions, where nobody said it: one name for all of a shoot."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Hashable, Iterable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.captures import Capture
    from jutrek.whereabouts import Whereabouts


def position_of(capture: Capture) -> tuple[float, float] | None:
    """Where a capture was shot, in degrees, by the first of its files that tells; None where none does."""
    return next((read.reading.position for read in capture.files if read.reading.position is not None), None)


def placed(groups: Iterable[tuple[Hashable, Capture]], whereabouts: Whereabouts) -> dict[str, str]:
    """What the places of captures are called, by the captures' ids; those that have no name are left out.

    A shoot has one place: the one of most of its captures whose position is known, of several the first. So captures
    that tell no position are filed with those that do.

    Args:
        groups: captures in the order of shooting, each with what it belongs to.
        whereabouts: names positions.
    """
    listed = list(groups)
    told = [(group, position) for group, capture in listed if (position := position_of(capture)) is not None]
    names = whereabouts.names([north for _, (north, _) in told], [east for _, (_, east) in told])
    counts: dict[Hashable, Counter[str]] = defaultdict(Counter)
    for (group, _), name in zip(told, names, strict=True):
        if name:
            counts[group][name] += 1
    most = {group: count.most_common(1)[0][0] for group, count in counts.items()}
    return {capture.id: most[group] for group, capture in listed if group in most}
