"""The moment of a capture: which claim is believed, how far, and why.

The ladder is a list of rungs, strongest first; the first rung that has a claim wins. Doubts are looked for
afterwards: they lower the trust and say so, they never change a date.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from enum import StrEnum

from jutrek.captures.zones import (
    CONTAINER_TIMES,
    Surroundings,
    name_agrees,
    offset_by_satellite,
    to_local,
    zone_offset,
)
from jutrek.formats import Claim, Offset, Precision, Timestamp
from jutrek.formats.timestamps import ZERO_POINTS


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
    Trust.LIKELY, "exif:stamped", "xmp:original", "xmp:created", "xmp:digitized", "iptc", "iptc:digitized",
    "png:created", "info:created", "id3:recorded", "vorbis:date", "caf:recorded", "mkv:recorded", "mkv:digitized",
    "mp4:day",
)  # fmt: skip
CONTAINER = _rung(
    Trust.LIKELY, "mp4:created", "mp4:track", "mp4:produced", "mkv:created", "mxf:created", "asf:created",
    "vorbis:creation_time", "aiff:comment",
)  # fmt: skip
NAME = _rung(Trust.DOUBTFUL, "name")
FOLDER = _rung(Trust.DOUBTFUL, "folder")
FILE = _rung(Trust.DOUBTFUL, "exif:changed", "file")

RUNGS: dict[str, Rung] = {
    "shooting": SHOOTING, "digitized": DIGITIZED, "satellite": SATELLITE, "written": WRITTEN, "container": CONTAINER,
    "name": NAME, "folder": FOLDER, "file": FILE,
}  # fmt: skip
"""The rungs by name, strongest first. A house may have them in another order."""
LADDER: tuple[Rung, ...] = tuple(RUNGS.values())

INSIDE = frozenset[str]().union(*(rung.kinds for rung in LADDER[:5]))
"""Kinds of claims that stand inside a file."""
OUTSIDE = frozenset({"name", "folder", "file"})
"""Kinds of claims that stand around a file. They alone date nothing for sure: files are renamed, moved and copied."""
CHANGED = "exif:changed"
"""When a file was changed last, by an editor: it was made then or before."""
_ORIGINALS = frozenset({"xmp:original", "xmp:created", "iptc"})
"""What people and programs write of the time of shooting, also of a picture that was digitized later."""
_WITNESSES = SHOOTING.kinds | SATELLITE.kinds | {"xmp:original", "xmp:created", "iptc"}
"""Claims of the time of shooting itself: where two of them are far apart, one is wrong."""
_NOT_BEFORE = DIGITIZED.kinds | CONTAINER.kinds
"""Claims of times that come after shooting, or with it, but never before."""
_A_DAY = timedelta(days=1)
_FIRST_DIGITAL_YEAR = 1990
_ZERO_YEARS = frozenset((zero + step).year for zero in ZERO_POINTS for step in (-_A_DAY, timedelta(), _A_DAY))
"""In which years anything is near a clock's zero point."""


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
    now, around = now or datetime.now(), around or Surroundings()
    passed = _passed_over(claims, now, around.since)
    for rung in ladder:
        standing = [index for index, claim in enumerate(claims) if claim.at in rung.kinds and index not in passed]
        if standing:
            index = max(standing, key=lambda number: (_strength(claims[number]), -number))
            moment = _believe(index, rung.trust, claims, around)
            return _doubt(moment, claims, around, now)
    return None


def _passed_over(claims: Sequence[Claim], now: datetime, since: int) -> frozenset[int]:
    """Claims inside that are not believed while there is a better one, whatever rung they stand on.

    A date in the future, at a clock's zero point, or before the first file of its kind was written; a year or month
    alone beside a full date; the time of digitizing where somebody wrote down an earlier one of shooting.
    """
    inside = [index for index, claim in enumerate(claims) if claim.at in INSIDE]
    possible = [index for index in inside if not _is_impossible(claims[index].stamp, now, since)]
    passed = set(inside) - set(possible) if possible else set()
    originals = [claims[index] for index in possible if claims[index].at in _ORIGINALS | SHOOTING.kinds]
    digitized = [index for index in possible if claims[index].at.endswith("digitized")]
    passed |= {
        index for index in digitized if any(_distance(other, claims[index]) < -_A_DAY for other in originals)
    }  # fmt: skip
    full = [index for index in possible if claims[index].stamp.precision >= Precision.DAY and index not in digitized]
    if full:
        passed |= {index for index in possible if claims[index].stamp.precision < Precision.DAY}
    return frozenset(passed)


def _is_impossible(stamp: Timestamp, now: datetime, since: int) -> bool:
    wall = stamp.wall
    if wall.year < since or wall > now + _A_DAY:
        return True
    near = wall.year in _ZERO_YEARS and stamp.precision >= Precision.MINUTE
    return near and any(abs(wall - zero) <= _A_DAY for zero in ZERO_POINTS)


def doubtful(moment: Moment, doubt: Doubtful, because: str, against: int | None = None) -> Moment:
    """The same moment, no longer trusted, with the reason put first.

    Args:
        moment: the one that is believed so far.
        doubt: of which kind the doubt is.
        because: a sentence.
        against: the claim that contradicts, by its index.
    """
    return replace(moment, trust=Trust.DOUBTFUL, why=f"{because} {moment.why}", against=against, doubt=doubt)


def _strength(claim: Claim) -> tuple[bool, bool, Precision]:
    """On one rung, what is inside is stronger, then one that states its offset, then one that is more precise."""
    offset = claim.stamp.offset
    return claim.at not in OUTSIDE, offset is not None and not offset.by_definition, claim.stamp.precision


def _believe(index: int, trust: Trust, claims: Sequence[Claim], around: Surroundings) -> Moment:
    claim = claims[index]
    stamp = claim.stamp
    is_outside = claim.at in OUTSIDE
    is_alone = is_outside and not any(other.at in INSIDE or other.at == CHANGED for other in claims)
    why = f"Nothing inside tells a date, only {claim.where}" if is_alone else f"Date from {claim.where}"
    local, offset = stamp.wall, None if stamp.offset is None else stamp.offset.minutes
    if stamp.offset is not None and stamp.offset.by_definition:
        local, offset, zone_words = to_local(claim, claims, around)
        why += f", {zone_words}"
    elif offset is not None and not is_outside:
        why += f", offset {Offset(offset)} stated"
    elif offset is None and (found := offset_by_satellite(local, claims)) is not None:
        offset, words = _of_the_place(found, claims, around)
        why += words
    if stamp.precision < Precision.MINUTE:
        why += f", which tells only the {stamp.precision.name.lower()}"
        trust = max(trust, Trust.LIKELY, key=list(Trust).index)
    if claim.at == "file":
        why += ", which copying often resets"
    if claim.at == CHANGED:
        why += ": it was made then or before"
    doubt = Doubtful.OUTSIDE if is_outside or claim.at == CHANGED else None
    return Moment(local, offset, stamp.precision, trust, index, why + ".", doubt=doubt)


def _of_the_place(found: int, claims: Sequence[Claim], around: Surroundings) -> tuple[int, str]:
    """The offset that satellite time tells; where the zone of the position is another one, the clock is wrong."""
    utc = next(claim.stamp.wall for claim in claims if claim.at == "gps")
    zone = zone_offset(around.position, utc)
    if zone is None or zone == found:
        return found, f", offset {Offset(found)} by GPS time"
    return zone, f", at {Offset(zone)}, the zone of its position; by GPS time the clock is set to {Offset(found)}"


def _doubt(moment: Moment, claims: Sequence[Claim], around: Surroundings, now: datetime) -> Moment:
    at = claims[moment.claim].at
    if moment.local > now + _A_DAY:
        return doubtful(moment, Doubtful.FUTURE, "The date lies in the future.")
    old = at in INSIDE and moment.local.year < _FIRST_DIGITAL_YEAR and moment.precision >= Precision.SECOND
    if old and not is_scan(moment, claims):
        return doubtful(moment, Doubtful.ANCIENT, "The date is older than digital cameras.")
    if at in INSIDE and moment.local.year < around.since:
        return doubtful(moment, Doubtful.ANCIENT, "The date is older than files of its kind.")
    against = _contradiction(moment, claims, around, now)
    if against is not None:
        other = claims[against]
        says = other.stamp.iso()[: 16 if other.at in NAME.kinds else 10].replace("T", " ")
        return doubtful(moment, Doubtful.FIGHT, f"Two dates disagree: {other.where} says {says}.", against)
    return moment


def is_scan(moment: Moment, claims: Sequence[Claim]) -> bool:
    """Whether it is of a picture that was digitized long after it was made: its date may be as old as photography."""
    return any(
        claim.at.endswith("digitized") and claim.stamp.wall - moment.local > _A_DAY
        and claim.stamp.wall.year >= _FIRST_DIGITAL_YEAR
        for claim in claims
    )  # fmt: skip


def _contradiction(moment: Moment, claims: Sequence[Claim], around: Surroundings, now: datetime) -> int | None:
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
        if apart and not _is_impossible(other.stamp, now, around.since):
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
