"""House rules: how a library files and names. This far the standard ones, with one choice."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from jutrek.filing.pattern import check


class Undated(StrEnum):
    """What becomes of a capture without a trustworthy date."""

    STAY = "stay"
    UNFILED = "unfiled"


UNFILED_FOLDER = "Unfiled"


@dataclass(frozen=True, slots=True)
class HouseRules:
    """The rules that a plan is made by.

    Attributes:
        layout: the pattern of folders below the library.
        name: the pattern of file names, without extension.
        undated: whether captures without a trustworthy date stay on their source or go to `Unfiled/`.

    Raises:
        PatternError: when a pattern cannot be used.
    """

    layout: str = "{year}/{month}"
    name: str = "{date}_{time}"
    undated: Undated = Undated.STAY

    def __post_init__(self) -> None:
        check(self.layout)
        check(self.name)
