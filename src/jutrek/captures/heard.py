"""What devices heard together: where clips lie in takes of sound, and so how far two clocks are apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median
from typing import NamedTuple

from jutrek.captures.capture import Capture
from jutrek.formats import Precision


class Beside(NamedTuple):
    """A clip that was heard in a take.

    Attributes:
        clip, take: ids of the captures.
        seconds: from the beginning of the take to that of the clip; negative where the clip begins first.
    """

    clip: str
    take: str
    seconds: float


@dataclass(frozen=True, slots=True)
class Waves:
    """How loud a clip and its take were, to be laid over one another.

    Attributes:
        clip, take: ids of the captures.
        step: seconds between values.
        ours: of the clip, between 0 and 1.
        theirs: of the take around it.
        begin: seconds from the first value of the take to that of the clip.
    """

    clip: str
    take: str
    step: float
    ours: tuple[float, ...]
    theirs: tuple[float, ...]
    begin: float


@dataclass(frozen=True, slots=True)
class Heard:
    """What two devices heard together.

    Attributes:
        device: the key of the one whose clips were looked for.
        other: the key of the one in whose takes.
        certain: whether no other shift of their clocks is near.
        clear: how many times as much speaks for it as for the next one.
        pairs: clips, and where they lie.
        waves: the pair that tells it best.
    """

    device: str
    other: str
    certain: bool
    clear: float
    pairs: tuple[Beside, ...]
    waves: Waves | None = None

    def apart(self, captures: Mapping[str, Capture]) -> float | None:
        """What the device's clock has to be shifted by to agree with the other's, as captures stand; in seconds.

        Args:
            captures: by id, as settled so far.
        """
        found = [
            (take.moment.local - clip.moment.local).total_seconds() + pair.seconds
            for pair in self.pairs
            if (clip := captures.get(pair.clip)) is not None
            and (take := captures.get(pair.take)) is not None
            # Since then somebody may have said that they are of other devices.
            and (clip.device, take.device) == (self.device, self.other)
            and clip.moment is not None
            and take.moment is not None
            and min(clip.moment.precision, take.moment.precision) >= Precision.SECOND
        ]
        return median(found) if found else None


def beside_of(heard: Sequence[Heard]) -> dict[str, list[Beside]]:
    """Where clips lie, by clip; only what is certain."""
    found: dict[str, list[Beside]] = {}
    for one in heard:
        if one.certain:
            for pair in one.pairs:
                found.setdefault(pair.clip, []).append(pair)
    return found
