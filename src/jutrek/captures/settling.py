"""Laying decisions over captures: dates move, nothing else. The files keep their own times."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import timedelta

from jutrek.captures.capture import Capture
from jutrek.captures.decisions import Decisions, GivenDate
from jutrek.captures.grouping import order
from jutrek.captures.moment import Doubtful, Moment, Trust
from jutrek.captures.series import stacked
from jutrek.formats import Precision

_A_QUARTER = 900


def settled(captures: Iterable[Capture], decisions: Decisions) -> list[Capture]:
    """The captures with the dates that a person gave them, in the order of shooting anew."""
    whole = {fix.device: fix.seconds for fix in decisions.fixes if not fix.captures}
    single: dict[str, float] = {}
    for fix in decisions.fixes:
        for capture in fix.captures:
            single[capture] = single.get(capture, 0.0) + fix.seconds
    if not (whole or single or decisions.placed or decisions.right):
        return list(captures)
    changed = [_settled(capture, decisions, whole, single) for capture in captures]
    return stacked([replace(one, stack="") if one.stack else one for one in sorted(changed, key=order)])


def _settled(capture: Capture, decisions: Decisions, whole: dict[str, float], single: dict[str, float]) -> Capture:
    key, moment = capture.id, capture.moment
    if key in decisions.placed:
        return replace(capture, moment=_placed(decisions.placed[key]))
    if moment is None:
        return capture
    if whole.get(capture.device) and moment.precision >= Precision.MINUTE and moment.doubt is not Doubtful.NEVER_SET:
        moment = _shifted(moment, whole[capture.device])
    if key in single:
        moment = replace(_shifted(moment, single[key]), trust=Trust.SURE, doubt=None)
    if key in decisions.right and moment.trust is Trust.DOUBTFUL:
        moment = replace(moment, trust=Trust.LIKELY, doubt=None, why=f"Taken as it is, by hand. {moment.why}")
    return capture if moment is capture.moment else replace(capture, moment=moment)


def _placed(placed: GivenDate) -> Moment:
    why = f"Given by hand: {placed}."
    return Moment(placed.wall, None, placed.precision, Trust.SURE, -1, why)


def _shifted(moment: Moment, seconds: float) -> Moment:
    """A moment moved by a clock fix. After whole quarter hours nobody knows whether clock or zone was wrong."""
    offset = None if seconds % _A_QUARTER == 0 else moment.offset
    why = f"{moment.why} Clock fix {shift_words(seconds)}."
    local = moment.local + timedelta(seconds=seconds)
    return replace(moment, local=local, offset=offset, why=why, shift=moment.shift + seconds)


def shift_words(seconds: float) -> str:
    """A shift as `+1:00:00`, `-0:07:23`, `+9 617 d 9:20:00`."""
    whole = round(abs(seconds))
    days, rest = divmod(whole, 86_400)
    sign = "-" if seconds < 0 else "+"
    clock = f"{rest // 3600}:{rest // 60 % 60:02}:{rest % 60:02}"
    return f"{sign}{days:,} d {clock}".replace(",", "\u202f") if days else f"{sign}{clock}"
