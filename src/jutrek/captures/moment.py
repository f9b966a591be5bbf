"""The moment of a capture: which claim is believed, how far, and why.

The ladder is a list of rungs, strongest first; the first rung that has a claim wins. Doubts are looked for
afterwards: they lower the trust and say so, they never change a date.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta, tzinfo
from enum import StrEnum

from jutrek.formats import Claim, Offset, Precision


class Trust(StrEnum):
    """How far a moment can be relied on. What is doubtful is not filed by itself."""

    SURE = "sure"
    LIKELY = "likely"
    DOUBTFUL = "doubtful"


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
    """

    local: datetime
    offset: int | None
    precision: Precision
    trust: Trust
    claim: int
    why: str


LADDER: tuple[tuple[frozenset[str], Trust], ...] = (
    (frozenset({"exif:original", "qt:creationdate", "clipdata", "mdpm", "bext"}), Trust.SURE),
    (frozenset({"exif:digitized"}), Trust.SURE),
    (frozenset({"gps"}), Trust.SURE),
    (frozenset({"xmp:original", "xmp:created", "xmp:digitized"}), Trust.LIKELY),
    (frozenset({"mp4:created", "info:created"}), Trust.LIKELY),
    (frozenset({"name"}), Trust.LIKELY),
    (frozenset({"folder"}), Trust.DOUBTFUL),
    (frozenset({"file"}), Trust.DOUBTFUL),
)
"""Rungs, strongest first: the kinds of claims that stand on it, and the trust that the rung lends."""

INSIDE = frozenset[str]().union(*(kinds for kinds, _ in LADDER[:5]))
"""Kinds of claims that stand inside a file."""
_WITNESSES = frozenset({"exif:original", "qt:creationdate", "bext", "gps"})
_FIRST_DIGITAL_YEAR = 1990
_QUARTER = timedelta(minutes=15)
_ROUNDING = timedelta(seconds=90)


def decide(claims: Sequence[Claim], *, home_zone: tzinfo | None = None, now: datetime | None = None) -> Moment | None:
    """Decide the moment from the claims of one file.

    Args:
        claims: as a reader gave them.
        home_zone: where the house is, for claims that are known only in UTC; None is this machine's zone.
        now: local time, to know the future by; None is the present.

    Returns:
        The moment, or None where there is no claim at all.
    """
    for kinds, trust in LADDER:
        for index, claim in enumerate(claims):
            if claim.at in kinds:
                moment = _believe(index, claim, trust, claims, home_zone)
                return _doubt(moment, claims, now or datetime.now())
    return None


def doubtful(moment: Moment, because: str) -> Moment:
    """The same moment, no longer trusted, with the reason put first."""
    return replace(moment, trust=Trust.DOUBTFUL, why=f"{because} {moment.why}")


def _believe(index: int, claim: Claim, trust: Trust, claims: Sequence[Claim], home: tzinfo | None) -> Moment:
    stamp = claim.stamp
    why = f"Date from {claim.where}"
    local, offset = stamp.wall, None if stamp.offset is None else stamp.offset.minutes
    if stamp.offset is not None and stamp.offset.by_definition:
        local, offset, zone_words = _to_local(claim, claims, home)
        why += f" in UTC, {zone_words}"
    elif offset is not None and claim.at != "file":
        why += f", offset {Offset(offset)} stated"
    elif offset is None and (found := _offset_by_satellite(local, claims)) is not None:
        offset = found
        why += f", offset {Offset(offset)} by satellite time"
    if stamp.precision < Precision.MINUTE:
        why += f", which tells only the {stamp.precision.name.lower()}"
        trust = Trust.DOUBTFUL if claim.at == "name" else max(trust, Trust.LIKELY, key=list(Trust).index)
    if claim.at == "file":
        why = "Nothing inside tells a date, only the file's own time, which copying often resets"
    return Moment(local, offset, stamp.precision, trust, index, why + ".")


def _to_local(claim: Claim, claims: Sequence[Claim], home: tzinfo | None) -> tuple[datetime, int, str]:
    """Local time of a UTC claim: by an offset stated beside it, by the file's name, else by the home zone."""
    utc = claim.stamp.wall
    for other in claims:
        stated = other.stamp.offset
        if stated is not None and not stated.by_definition and other.at != "file":
            return utc + timedelta(minutes=stated.minutes), stated.minutes, f"at {stated} as stated beside it"
    for other in claims:
        if other.at == "name" and other.stamp.offset is None and other.stamp.precision >= Precision.SECOND:
            minutes = _quarters(other.stamp.wall - utc)
            if minutes is not None:
                return utc + timedelta(minutes=minutes), minutes, f"at {Offset(minutes)} by the file's name"
    aware = utc.replace(tzinfo=UTC)
    shift = aware.astimezone(home).utcoffset() or timedelta(0)
    minutes = int(shift.total_seconds()) // 60
    return utc + timedelta(minutes=minutes), minutes, f"at {Offset(minutes)}, the house's zone"


def _offset_by_satellite(local: datetime, claims: Sequence[Claim]) -> int | None:
    """Local minus satellite time where that is whole quarter hours and not zero (which proves nothing)."""
    for claim in claims:
        if claim.at == "gps":
            return _quarters(local - claim.stamp.wall) or None
    return None


def _quarters(difference: timedelta) -> int | None:
    """A difference as a zone offset in minutes, or None when it cannot be one."""
    quarters = round(difference / _QUARTER)
    if abs(difference - quarters * _QUARTER) > _ROUNDING or not -48 <= quarters <= 56:
        return None
    return quarters * 15


def _doubt(moment: Moment, claims: Sequence[Claim], now: datetime) -> Moment:
    at = claims[moment.claim].at
    if moment.local > now + timedelta(days=1):
        return doubtful(moment, "The date lies in the future.")
    if at in INSIDE and moment.local.year < _FIRST_DIGITAL_YEAR and moment.precision >= Precision.SECOND:
        return doubtful(moment, "The date is older than digital cameras.")
    if at in _WITNESSES:
        for other in claims:
            if other.at in _WITNESSES and abs(other.stamp.wall - claims[moment.claim].stamp.wall) > timedelta(days=1):
                return doubtful(moment, f"Two dates inside disagree: {other.where} says {other.stamp.iso()[:10]}.")
    return moment
