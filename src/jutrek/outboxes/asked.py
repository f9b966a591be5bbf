"""What the copies of an outbox are to be like."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from jutrek.errors import NotPossible, shown
from jutrek.filing.pattern import NAME, PatternError, parse, trouble_with
from jutrek.formats import Kind

LEAST, MOST = 64, 16_384
"""Pixels that the longer side of a copy may be asked to have."""
_LONGEST_CLIP = 1280


class Clips(StrEnum):
    """What stands for a clip: its first frame, a small clip (H.264), or nothing."""

    FRAME = "first-frame"
    SMALL = "small-clip"
    NONE = "leave-out"


class Tells(StrEnum):
    """What copies say of themselves: dates (with everything else, too), keywords, positions, who owns them."""

    DATES = "dates"
    KEYWORDS = "keywords"
    POSITIONS = "positions"
    OWNER = "owner"


@dataclass(frozen=True, slots=True)
class Asked:
    """What copies are to be like.

    Attributes:
        longest: pixels of the longer side at most; nothing is made larger than it is.
        quality: of JPEGs, 1 to 95.
        clips: what stands for clips.
        tells: what copies say; nothing where it is empty. Whatever is said, dates are.
        names: a pattern of names; those that captures have at home where it is empty.
    """

    longest: int = 2048
    quality: int = 85
    clips: Clips = Clips.FRAME
    tells: frozenset[Tells] = frozenset({Tells.DATES})
    names: str = ""

    def kind_of(self, kind: Kind) -> Kind | None:
        """What stands for a capture of a kind: a still, a clip, or nothing."""
        if kind is Kind.CLIP:
            return {Clips.FRAME: Kind.STILL, Clips.SMALL: Kind.CLIP, Clips.NONE: None}[self.clips]
        return kind if kind is Kind.STILL else None

    def made_as(self, kind: Kind) -> str:
        """How a copy of a kind is made, in short: one that was made so need not be made again."""
        return f"jpeg {self.longest} {self.quality}" if kind is Kind.STILL else f"h264 {self.longest_of_clips}"

    @property
    def longest_of_clips(self) -> int:
        """Pixels of the longer side of clips."""
        return min(self.longest, _LONGEST_CLIP)


def asked(longest: int, quality: int, clips: Clips, tells: frozenset[Tells], names: str) -> Asked:
    """What copies are to be like, checked.

    Raises:
        NotPossible: where something of it can't be.
    """
    if not LEAST <= longest <= MOST:
        raise NotPossible(str(longest), f"the longer side of copies has {LEAST} to {MOST} pixels")
    if not 1 <= quality <= 95:
        raise NotPossible(str(quality), "the quality of copies is 1 to 95")
    if names:
        try:
            trouble = trouble_with(names, NAME)
            counts = parse(names, NAME).uses("counter")
        except PatternError as error:
            trouble, counts = error, False
        if trouble is not None:
            raise NotPossible(shown(names), str(trouble).rstrip("."))
        if counts:
            raise NotPossible(shown(names), "copies are not counted: a number would change whenever one comes or goes")
    if tells:
        tells |= {Tells.DATES}
    return Asked(longest, quality, clips, tells, names)
