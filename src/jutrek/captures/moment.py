"""The moment of a capture: which claim is believed, how far, and why.

The ladder is a list of rungs, strongest first; the first rung that has a claim wins. Doubts are looked for
afterwards: they lower the trust and say so, they never change a date.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from enum import StrEnum

from jutrek.captures.zones import CONTAINER_TIMES, Surroundings, name_agrees, offset_by_satellite, to_local
from jutrek.formats import Claim, Offset, Precision


class Trust(StrEnum):
    """How far a moment can be relied on. What is doubtful is not filed by itself."""

    SURE = "sure"
    LIKELY = "likely"
    DOUBTFUL = "doubtful"


class Doubtful(StrEnum):
    """Why a moment cannot be relied on."""

    OUTSIDE = "outside"
    NEVER_SET = "never set"
    JUMP = "jump"
    FUTURE = "future"
    ANCIENT = "ancient"
    FIGHT = "fight"


@dataclass(frozen=True, slots=True)
class Moment:
    """When a capture was made.

    Attributes:
        local: local wall time at the place of shooting, naive.
        offset: local time minus UTC in minutes, or None where unknown.
        precision: how far `local` is known.
        trust: sure, likely or doubtful.
        claim: the index of the claim that was believed.
        why: one sentence: where the date comes from, and what is doubtful about it.
        against: the index of the claim that contradicts it, or None.
        doubt: what is doubtful about it, or None.
        shift: how far a clock fix moved it, in seconds.
    """

    local: datetime
    offset: int | None
    precision: Precision
    trust: Trust
    claim: int
    why: str
    against: int | None = None
    doubt: Doubtful | None = None
    shift: float = 0.0


@dataclass(frozen=True, slots=True)
class Rung:
    """A step of the ladder: the kinds of claims that stand on it, and the trust that it lends."""

    kinds: frozenset[str]
    trust: Trust


def _rung(trust: Trust, *kinds: str) -> Rung:
    return Rung(frozenset(kinds), trust)


SHOOTING = _rung(
    Trust.SURE,
    "exif:original",
    "qt:creationdate",
    "clipdata",
    "mdpm",
    "moi",
    "bext",
    "ixml",
    "dv",
    "idit",
    "x3f",
    "srt",
)
DIGITIZED = _rung(Trust.SURE, "exif:digitized")
SATELLITE = _rung(Trust.SURE, "gps")
WRITTEN = _rung(
    Trust.LIKELY, "xmp:original", "xmp:created", "xmp:digitized", "iptc", "iptc:digitized", "png:created",
    "info:created", "id3:recorded", "vorbis:date", "caf:recorded", "mkv:recorded", "mkv:digitized",
    "mp4:day",
)  # fmt: skip
CONTAINER = _rung(
    Trust.LIKELY, "mp4:created", "mp4:track", "mp4:produced", "mkv:created", "mxf:created", "asf:created",
    "vorbis:creation_time", "aiff:comment",
)  # fmt: skip
NAME = _rung(Trust.DOUBTFUL, "name")
FOLDER = _rung(Trust.DOUBTFUL, "folder")
FILE = _rung(Trust.DOUBTFUL, "file")

RUNGS: dict[str, Rung] = {
    "shooting": SHOOTING, "digitized": DIGITIZED, "satellite": SATELLITE, "written": WRITTEN, "container": CONTAINER,
    "name": NAME, "folder": FOLDER, "file": FILE,
}  # fmt: skip
"""The rungs by name, strongest first. A house may have them in another order."""
LADDER: tuple[Rung, ...] = tuple(RUNGS.values())

INSIDE = frozenset[str]().union(*(rung.kinds for rung in LADDER[:5]))
"""Kinds of claims that stand inside a file."""
OUTSIDE = NAME.kinds | FOLDER.kinds | FILE.kinds
"""Kinds of claims that stand around a file. They alone date nothing for sure: files are renamed, moved and copied."""
_WITNESSES = SHOOTING.kinds | SATELLITE.kinds | {"xmp:original", "xmp:created", "iptc"}
"""Claims of the time of shooting itself: where two of them are far apart, one is wrong."""
_NOT_BEFORE = DIGITIZED.kinds | CONTAINER.kinds
"""Claims of times that come after shooting, or with it, but never before."""
_A_DAY = timedelta(days=1)
_FIRST_DIGITAL_YEAR = 1990


def decide(
    claims: Sequence[Claim],
    around: Surroundings | None = None,
    *,
    ladder: Sequence[Rung] = LADDER,
    now: datetime | None = None,
) -> Moment | None:
    """Decide the moment from the claims of one file.

    Args:
        claims: as a reader gave them.
        around: what is known around the file: its position, its device's other files, the house's zone.
        ladder: rungs, strongest first.
        now: local time, to know the future by; None is the present.

    Returns:
        The moment, or None where no claim stands on the ladder.
    """
    for rung in ladder:
        standing = [index for index, claim in enumerate(claims) if claim.at in rung.kinds]
        if standing:
            index = max(standing, key=lambda number: (_strength(claims[number]), -number))
            around = around or Surroundings()
            moment = _believe(index, rung.trust, claims, around)
            return _doubt(moment, claims, around, now or datetime.now())
    return None


def doubtful(moment: Moment, doubt: Doubtful, because: str, against: int | None = None) -> Moment:
    """The same moment, no longer trusted, with the reason put first."""
    return replace(moment, trust=Trust.DOUBTFUL, why=f"{because} {moment.why}", against=against, doubt=doubt)


def _strength(claim: Claim) -> tuple[bool, Precision]:
    """On one rung, a claim that states its offset is stronger, then one that is more precise."""
    offset = claim.stamp.offset
    return offset is not None and not offset.by_definition, claim.stamp.precision


def _believe(index: int, trust: Trust, claims: Sequence[Claim], around: Surroundings) -> Moment:
    claim = claims[index]
    stamp = claim.stamp
    is_outside = claim.at in OUTSIDE
    is_alone = is_outside and not any(other.at in INSIDE for other in claims)
    why = f"Nothing inside tells a date, only {claim.where}" if is_alone else f"Date from {claim.where}"
    local, offset = stamp.wall, None if stamp.offset is None else stamp.offset.minutes
    if stamp.offset is not None and stamp.offset.by_definition:
        local, offset, zone_words = to_local(claim, claims, around)
        why += f", {zone_words}"
    elif offset is not None and not is_outside:
        why += f", offset {Offset(offset)} stated"
    elif offset is None and (found := offset_by_satellite(local, claims)) is not None:
        offset = found
        why += f", offset {Offset(offset)} by satellite time"
    if stamp.precision < Precision.MINUTE:
        why += f", which tells only the {stamp.precision.name.lower()}"
        trust = max(trust, Trust.LIKELY, key=list(Trust).index)
    if claim.at in FILE.kinds:
        why += ", which copying often resets"
    doubt = Doubtful.OUTSIDE if is_outside else None
    return Moment(local, offset, stamp.precision, trust, index, why + ".", doubt=doubt)


def _doubt(moment: Moment, claims: Sequence[Claim], around: Surroundings, now: datetime) -> Moment:
    at = claims[moment.claim].at
    if moment.local > now + _A_DAY:
        return doubtful(moment, Doubtful.FUTURE, "The date lies in the future.")
    if at in INSIDE and moment.local.year < _FIRST_DIGITAL_YEAR and moment.precision >= Precision.SECOND:
        return doubtful(moment, Doubtful.ANCIENT, "The date is older than digital cameras.")
    against = _contradiction(moment, claims, around)
    if against is not None:
        other = claims[against]
        says = other.stamp.iso()[: 16 if other.at in NAME.kinds else 10].replace("T", " ")
        return doubtful(moment, Doubtful.FIGHT, f"Two dates disagree: {other.where} says {says}.", against)
    return moment


def _contradiction(moment: Moment, claims: Sequence[Claim], around: Surroundings) -> int | None:
    """A claim that cannot be true together with the chosen one.

    Times of shooting are more than a day apart, as far as both are known; or a container, which may be of an export, is
    not whole quarter hours from the time in the file's name.
    """
    chosen = claims[moment.claim]
    if chosen.at not in INSIDE:
        return None
    for index, other in enumerate(claims):
        if other.at in _WITNESSES:
            apart = abs(_distance(other, chosen)) > _A_DAY
        elif other.at in _NOT_BEFORE:
            apart = _distance(other, chosen) < -_A_DAY
        elif other.at in NAME.kinds and chosen.at in CONTAINER_TIMES and other.stamp.precision >= Precision.SECOND:
            apart = not name_agrees(other.stamp.wall, chosen.stamp.wall, around.duration)
        else:
            continue
        if apart:
            return index
    return None


def _distance(other: Claim, chosen: Claim) -> timedelta:
    """Other minus chosen; zero where the coarser of the two holds the finer: `2026` and 14 May 2026 agree."""
    coarser = min(other.stamp.precision, chosen.stamp.precision)
    if coarser < Precision.DAY:
        length = 4 if coarser is Precision.YEAR else 7
        if other.stamp.iso()[:length] == chosen.stamp.iso()[:length]:
            return timedelta(0)
    return other.stamp.wall - chosen.stamp.wall
