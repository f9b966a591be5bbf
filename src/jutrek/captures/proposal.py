"""What is proposed of a clock."""

from __future__ import annotations

from dataclasses import dataclass

from jutrek.captures.drifting import Drift
from jutrek.captures.heard import Heard


@dataclass(frozen=True, slots=True)
class Proposal:
    """A clock fix that is proposed for a device.

    Attributes:
        device: its key.
        seconds: what its clock has to be shifted by.
        certain: whether it may be accepted without a look.
        evidence: one sentence or two.
        by_satellite: whether the device's own satellite time says so.
        captures: ids of what it made while its clock was wrong; empty for all.
        heard: what it heard together with another device, where that says so.
        drift: how its clock went off day by day, where no one shift puts it right.
        against: keys of those that it is compared with, where nothing tells which side is wrong.
    """

    device: str
    seconds: float
    certain: bool
    evidence: str
    by_satellite: bool = False
    captures: tuple[str, ...] = ()
    heard: Heard | None = None
    against: tuple[str, ...] = ()
    drift: Drift | None = None
