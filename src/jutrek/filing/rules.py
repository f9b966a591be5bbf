"""House rules: how a library files and names, and when a day and a shoot begin."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

from jutrek.filing.pattern import check


class Undated(StrEnum):
    """What becomes of a capture without a trustworthy date."""

    STAY = "stay"
    UNFILED = "unfiled"


class Structure(StrEnum):
    """What becomes of the files that a card keeps beside its clips: indexes, play lists, media profiles."""

    ALONE = "alone"
    BESIDE = "beside"


UNFILED_FOLDER = "Unfiled"


@dataclass(frozen=True, slots=True)
class HouseRules:
    """The rules that a plan is made by.

    Attributes:
        layout: the pattern of folders below the library; its date is the filing day, which obeys the day's start.
        name: the pattern of file names, without extension; its date is the true one.
        undated: whether captures without a trustworthy date stay on their source or go to `Unfiled/`.
        day_starts: minutes after midnight at which a day begins.
        gap: minutes without a capture after which a new shoot begins.
        zone: the house's offset from UTC in minutes, for times known only in UTC; None is this machine's zone.
        journeys: from which day on which offset (minutes) holds instead of `zone`, ordered by day.
        structure: whether clips are filed alone, or with the card's structure beside them.
        sidecars: whether a corrected date is also written into an XMP sidecar beside its file.

    Raises:
        PatternError: when a pattern cannot be used.
    """

    layout: str = "{year}/{month}</{day} {shoot}>"
    name: str = "{date}_{time}< {shoot}>"
    undated: Undated = Undated.STAY
    day_starts: int = 240
    gap: int = 360
    zone: int | None = None
    journeys: tuple[tuple[date, int], ...] = ()
    structure: Structure = Structure.ALONE
    sidecars: bool = False

    def __post_init__(self) -> None:
        check(self.layout)
        check(self.name)

    @property
    def day_begins(self) -> timedelta:
        """The day's start after midnight."""
        return timedelta(minutes=self.day_starts)

    @property
    def shoot_gap(self) -> timedelta:
        """The gap that parts shoots."""
        return timedelta(minutes=self.gap)
