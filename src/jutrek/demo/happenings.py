"""What happened on the Velmora line: moments of a day at which several people press their buttons."""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import datetime, timedelta


@dataclass(frozen=True, slots=True)
class Shooting:
    """A day of May 2026: what it was, what to draw, and how many stills and clips the volunteers made of it."""

    day: int
    words: str
    motif: str
    stills: int
    clips: int


SHOOTS = (
    Shooting(12, "Depot walk-through", "depot", 18, 3),
    Shooting(14, "Bridge survey", "bridge", 38, 6),
    Shooting(15, "Rail unloading", "unloading", 22, 4),
    Shooting(17, "First steam test", "steam", 32, 6),
    Shooting(18, "Yard, evening", "track", 10, 1),
)
NIGHT = datetime(2026, 5, 18, 0, 20)
"""The steam test of 17 May went on until after midnight."""


def happenings(shoot: Shooting) -> list[datetime]:
    """Moments of one day at which something was to be seen, in clusters, ordered; none within a minute of another."""
    dice = random.Random(1000 + shoot.day)
    hearts = [dice.uniform(8.4, 18.4) for _ in range(4)]
    times: list[datetime] = []
    while len(times) < max(shoot.clips + 3, shoot.stills // 3):
        hour = min(19.0, max(7.7, dice.gauss(dice.choice(hearts), 0.5)))
        at = datetime(2026, 5, shoot.day) + timedelta(seconds=round(hour * 3600))
        if all(abs(at - other) > timedelta(seconds=100) for other in times):
            times.append(at)
    return sorted(times)


def filmed(shoot: Shooting) -> list[datetime]:
    """The happenings that the camcorder filmed."""
    times = happenings(shoot)
    return sorted(random.Random(2000 + shoot.day).sample(times, shoot.clips))


def photographed(shoot: Shooting) -> list[datetime]:
    """When the stills body pressed: most of it at the happenings, a burst at the last one, the rest in between."""
    dice = random.Random(3000 + shoot.day)
    times = happenings(shoot)
    shots = [at + timedelta(seconds=dice.uniform(1, 40)) for at in times]
    while len(shots) < shoot.stills - 5:
        if dice.random() < 0.6:
            shots.append(dice.choice(times) + timedelta(seconds=dice.uniform(1, 40)))
        else:
            shots.append(datetime(2026, 5, shoot.day) + timedelta(hours=dice.uniform(8, 19)))
    shots = sorted(shots[: shoot.stills - 5])
    burst = [shots[-1] + timedelta(seconds=90, milliseconds=170 * number) for number in range(5)]
    return [at.replace(microsecond=at.microsecond // 10_000 * 10_000) for at in (*shots, *burst)]
