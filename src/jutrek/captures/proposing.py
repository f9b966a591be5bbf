"""Which clocks may be wrong: proposals from satellite time, from lining devices up, and for parts of a card."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import datetime

from jutrek.captures.aligning import AGREE, Activity, Alignment, agreeing, align_all
from jutrek.captures.by_ear import by_ear
from jutrek.captures.capture import Capture
from jutrek.captures.drifting import Drift, drift_of
from jutrek.captures.heard import Heard
from jutrek.captures.midway import Part, parts_of
from jutrek.captures.moment import INSIDE
from jutrek.captures.proposal import Proposal
from jutrek.captures.settling import shift_words
from jutrek.formats import Kind, Precision

_A_QUARTER = 900.0
_LEAST_SATELLITE, _SATELLITE_SPREAD = 3, 30.0
_FAR_MORE = 2.0
"""How many times the moments that parts explain a shift of all must explain, to be the better reading."""


def propose(captures: Iterable[Capture], heard: Sequence[Heard] = ()) -> list[Proposal]:
    """Shifts for devices whose clocks stand against their satellite time, or against the other devices.

    Args:
        captures: with their moments as settled so far; those without a trusted time of day are left out.
        heard: what devices heard together, as far as it is known by now.
    """
    own: dict[str, list[Capture]] = {}
    for capture in captures:
        moment = capture.moment
        if moment is not None and capture.trusted and moment.precision >= Precision.SECOND:
            own.setdefault(capture.device, []).append(capture)
    by_satellite = {key: told for key, made in own.items() if (told := _satellite(key, made)) is not None}
    found = [proposal for proposal in by_satellite.values() if abs(proposal.seconds) > AGREE]
    # Until a clock is put right by its satellites, it tells nothing about the others.
    activities = {
        key: _activity(made, anchor=key in by_satellite)
        for key, made in own.items()
        if key not in {proposal.device for proposal in found}
    }
    right, firm = agreed = agreeing(activities)
    whole = {key: (alignment, firm) for key, alignment, firm in align_all(activities, agreed)}
    for key, made in own.items():
        known = _knowing(key, activities)
        drift = drift_of(made, known)
        if drift is not None:
            found.append(_drifting(key, drift))
            continue
        parts = parts_of(made, known) if known else []
        matched = sum(part.matched for part in parts)
        if key in whole and whole[key][0].matched >= _FAR_MORE * matched:
            found.append(_proposal(key, *whole[key], right))
        else:
            found += [_for_a_time(key, part) for part in parts]
    if not heard:
        return found
    by_id = {capture.id: capture for made in own.values() for capture in made}
    return by_ear(found, heard, by_id, right, firm=firm)


def _knowing(key: str, activities: Mapping[str, Activity]) -> list[Activity]:
    """The devices that know their time, to hold another one against that does not."""
    if key not in activities or activities[key].anchor or activities[key].states:
        return []
    return [one for other, one in activities.items() if other != key and (one.anchor or one.states)]


def _drifting(key: str, drift: Drift) -> Proposal:
    """Its shift is that of the day on which most was made."""
    busiest = max(drift.days, key=lambda day: len(day[2]))
    ids = tuple(sorted(frozenset().union(*(day[2] for day in drift.days))))
    way = "loses" if drift.daily > 0 else "gains"
    evidence = (
        f"It {way} {abs(drift.daily):.0f} s a day: along that line {drift.matched} of its {drift.events} moments fall "
        f"within 20 s of captures of devices that know their time; as they stand {drift.before} do."
    )
    return Proposal(key, busiest[1], certain=False, evidence=evidence, captures=ids, drift=drift)


def _for_a_time(key: str, part: Part) -> Proposal:
    evidence = (
        f"After a shift of {shift_words(part.seconds)}, {part.matched} of these {part.events} moments fall within "
        f"20 s of captures of devices that know their time; as they stand {part.before} do. "
        "The rest is left as it is."
    )
    return Proposal(key, part.seconds, certain=False, evidence=evidence, captures=part.captures)


def _activity(captures: Sequence[Capture], *, anchor: bool) -> Activity:
    import numpy as np

    zero = datetime(1970, 1, 1)
    starts = np.array([(one.moment.local - zero).total_seconds() for one in captures if one.moment])
    ends = starts + np.array([one.duration for one in captures if one.moment])
    turn = np.argsort(starts, kind="stable")
    takes = sum(one.kind is Kind.SOUND for one in captures) * 2 > len(captures)
    states = sum(_states(one) for one in captures) * 5 >= len(captures) * 4
    return Activity(starts[turn], ends[turn], takes, anchor, states)


def _states(capture: Capture) -> bool:
    """Whether its device wrote down the offset of the date that is believed."""
    moment = capture.moment
    if moment is None or moment.claim < 0:
        return False
    stated = capture.files[capture.dated_by].reading.claims[moment.claim].stamp.offset
    return stated is not None and not stated.by_definition


def _satellite(key: str, captures: Sequence[Capture]) -> Proposal | None:
    """What satellite time says about a device's own clock; None where too few captures carry it.

    Satellite time is UTC, so the error is known as soon as the offset is stated, and else up to whole quarter hours.
    """
    errors = sorted(error for one in captures if (error := _error(one)) is not None)
    if len(errors) < _LEAST_SATELLITE:
        return None
    middle = errors[len(errors) // 2]
    close = sum(abs(error - middle) <= _SATELLITE_SPREAD for error in errors)
    if close < _LEAST_SATELLITE or close * 5 < len(errors) * 4:
        return None
    seconds = 0.0 if abs(middle) <= AGREE else round(middle)
    evidence = f"{close} of its captures carry GPS time, which says {shift_words(seconds)}."
    return Proposal(key, seconds, certain=True, evidence=evidence, by_satellite=True)


def _error(capture: Capture) -> float | None:
    """Satellite time minus the clock's, in seconds, on the clock's local time."""
    moment = capture.moment
    read = capture.files[capture.dated_by]
    if moment is None or moment.claim < 0 or read.reading.claims[moment.claim].at not in INSIDE - {"gps"}:
        return None
    utc = next((claim.stamp.wall for claim in read.reading.claims if claim.at == "gps"), None)
    if utc is None:
        return None
    apart = (utc - moment.local).total_seconds()
    if moment.offset is not None:
        return apart + moment.offset * 60
    return apart - round(apart / _A_QUARTER) * _A_QUARTER


def _proposal(key: str, found: Alignment, firm: bool, right: Collection[str]) -> Proposal:
    evidence = (
        f"After a shift of {shift_words(found.seconds)}, {found.matched} of its {found.events} moments fall within a "
        f"minute of captures of the others; as it stands {found.before} do."
    )
    if found.holds >= 2:
        evidence += f" {found.holds} clips then lie within a take of sound."
    if not firm:
        evidence += " Which of the two clocks is wrong, they do not tell."
    against = () if firm else tuple(sorted(right))
    return Proposal(key, found.seconds, found.certain and firm, evidence, against=against)
