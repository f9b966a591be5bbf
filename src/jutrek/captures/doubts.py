"""Doubts: what about the dates of an intake should be looked at, each as one question with proposed answers.

A question has its evidence in words, how sure Jutrek is, and answers that are changes of decisions, the proposed one
first. Nothing is decided here.
"""

from __future__ import annotations

import hashlib
import os
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from enum import StrEnum
from itertools import pairwise

from jutrek.captures.capture import Capture, Device, counter_of
from jutrek.captures.decisions import (
    Change,
    Decisions,
    GivenDate,
    LeaveUnfiled,
    SetDate,
    ShiftClock,
    ShiftClocks,
    TakeAsItIs,
    spread,
)
from jutrek.captures.devices import Counters
from jutrek.captures.drifting import Drift
from jutrek.captures.heard import Heard
from jutrek.captures.moment import CHANGED, NAME, Doubtful, Moment
from jutrek.captures.proposal import Proposal
from jutrek.captures.settling import shift_words
from jutrek.formats import Kind, Precision

_JUMP_BACK, _MOST_JUMPS = timedelta(minutes=10), 2
_BETWEEN = timedelta(days=1)
_KINDS = {Kind.STILL: ("picture", "pictures"), Kind.CLIP: ("clip", "clips"), Kind.SOUND: ("take", "takes")}


class Certainty(StrEnum):
    """How sure a proposal is. Only the first can be accepted together with others."""

    CERTAIN = "certain"
    LIKELY = "likely"
    ONLY_A_DAY = "only a day"
    OPEN = "open"


@dataclass(frozen=True, slots=True)
class Answer:
    """An answer to a question: what its button says, and the change that it makes."""

    words: str
    change: Change


@dataclass(frozen=True, slots=True)
class Doubt:
    """A question about dates.

    Attributes:
        key: the same for the same question as long as it is open.
        device: the key of the device that it is about.
        captures: ids of the captures that wait for its answer, in the order of their names.
        headline, evidence: one sentence each.
        certainty: how sure the first answer is.
        answers: the proposed one first.
        shift: the clock fix that is proposed, in seconds; 0.0 where none is.
        neighbours: ids of the dated captures before and behind by counter; empty where there is none.
        heard: what two devices heard together, where that tells the shift.
    """

    key: str
    device: str
    captures: tuple[str, ...]
    headline: str
    evidence: str
    certainty: Certainty
    answers: tuple[Answer, ...]
    shift: float = 0.0
    neighbours: tuple[str, str] = ("", "")
    heard: Heard | None = None

    @property
    def is_of_a_clock(self) -> bool:
        """Whether it is about all that a device made, or a part of it, whose clock was wrong."""
        return self.key.startswith("clock:")

    @property
    def sign(self) -> str:
        """By what it is answered where keys are too long: the same as long as it is open, on the same sources."""
        return hashlib.blake2s(os.fsencode(self.key), digest_size=3).hexdigest()


def find_doubts(
    captures: Sequence[Capture],
    devices: Mapping[str, Device],
    decisions: Decisions,
    proposals: Iterable[Proposal],
    home: Collection[str] = (),
) -> list[Doubt]:
    """All open questions, the surest first.

    Args:
        captures: as settled by the decisions, in the order of shooting.
        devices: by key.
        proposals: shifts that were found between the devices.
        home: ids of captures that were settled when they came home: they tell about others, and are not asked about.
    """
    open_ones = [one for one in captures if one.id not in decisions.unfiled and one.id not in decisions.aside]
    counters, proposals = Counters(open_ones), list(proposals)
    in_parts = {proposal.device for proposal in proposals if proposal.captures}
    doubts = [
        *_clocks(open_ones, devices, decisions, proposals, home),
        *(doubt for doubt in _jumps(open_ones, devices, decisions, home) if doubt.device not in in_parts),
        *_batches([one for one in open_ones if one.id not in home], devices, counters),
    ]
    ranks = list(Certainty)
    return sorted(doubts, key=lambda doubt: (ranks.index(doubt.certainty), -len(doubt.captures)))


def named(device: Device) -> str:
    """A device as a person speaks of it: `B · Hovar 4K`."""
    return f"{device.letter} · {device.name}"


def many(captures: Sequence[Capture]) -> str:
    """A number of captures by what they are: `6 pictures`, `1 clip`."""
    kinds = {capture.kind for capture in captures}
    one, more = _KINDS.get(next(iter(kinds)), ("capture", "captures")) if len(kinds) == 1 else ("capture", "captures")
    return f"{len(captures)} {one if len(captures) == 1 else more}"


def _clocks(
    captures: Sequence[Capture],
    devices: Mapping[str, Device],
    decisions: Decisions,
    proposals: Iterable[Proposal],
    home: Collection[str],
) -> Iterator[Doubt]:
    for proposal in proposals:
        device = devices[proposal.device]
        part = frozenset(proposal.captures)
        made = [one for one in captures if one.device == device.key and one.trusted]
        meant = [one for one in made if not part or one.id in part]
        own = [one for one in meant if one.id not in home]
        if not own or device.key in decisions.right_clocks or (part and part <= decisions.right):
            continue
        if proposal.drift is not None:
            yield _drift(device, own, proposal, proposal.drift)
            continue
        ids = tuple(one.id for one in own)
        side = "behind" if proposal.seconds > 0 else "ahead of"
        whom = "its GPS time" if proposal.by_satellite else "the others"
        shift = shift_words(proposal.seconds)
        span = _for_how_long(own, made) if part else ""
        yield Doubt(
            f"clock:{device.key}{f':{meant[0].id}' if part else ''}",
            device.key,
            ids,
            f"{named(device)} {'ran' if part else 'runs'} {shift[1:]} {side} {whom}{span}",
            f"{many(own)} on {_days(own)}. {_heard(proposal, devices)}{proposal.evidence}".rstrip(),
            Certainty.CERTAIN if proposal.certain else Certainty.LIKELY,
            (
                Answer(f"Shift {'them ' if part else ''}by {shift}", ShiftClock(device.key, proposal.seconds, part)),
                *_the_other_way_round(proposal, devices),
                Answer("Right as it is", TakeAsItIs(part, "" if part else device.key)),
            ),
            shift=proposal.seconds,
            heard=proposal.heard,
        )


def _drift(device: Device, own: Sequence[Capture], proposal: Proposal, drift: Drift) -> Doubt:
    """A clock that went off more from day to day: each day by its own shift."""
    first, last = drift.days[0], drift.days[-1]
    by = shift_words(first[1]) if first[1] == last[1] else f"{shift_words(first[1])} to {shift_words(last[1])}"
    asked = frozenset(one.id for one in own)
    shifts = tuple(ShiftClock(device.key, seconds, ids & asked) for _, seconds, ids in drift.days if ids & asked)
    return Doubt(
        f"clock:{device.key}:drift",
        device.key,
        tuple(one.id for one in own),
        f"The clock of {named(device)} drifted: {', '.join(_off(*day[:2]) for day in dict.fromkeys((first, last)))}",
        f"{many(own)} on {_days(own)}. {proposal.evidence}",
        Certainty.LIKELY,
        (
            Answer(f"Shift them day by day, by {by}", ShiftClocks(shifts)),
            Answer("Right as it is", TakeAsItIs(asked)),
        ),
        shift=proposal.seconds,
    )


def _off(day: date, seconds: float) -> str:
    return f"{shift_words(seconds)[1:]} {'behind' if seconds > 0 else 'ahead'} on {day}"


def _the_other_way_round(proposal: Proposal, devices: Mapping[str, Device]) -> tuple[Answer, ...]:
    """Where nothing tells which side is wrong: that the others are."""
    against = [devices[key] for key in proposal.against if key in devices]
    if not against or proposal.captures:
        return ()
    who = named(against[0]) if len(against) == 1 else f"the {len(against)} others"
    shifts = tuple(ShiftClock(device.key, -proposal.seconds) for device in against)
    return (Answer(f"Shift {who} by {shift_words(-proposal.seconds)}", ShiftClocks(shifts)),)


def _heard(proposal: Proposal, devices: Mapping[str, Device]) -> str:
    """What it rests on where two devices heard the same."""
    heard = proposal.heard
    if heard is None:
        return ""
    is_clips = proposal.device == heard.device
    count = len({pair.clip if is_clips else pair.take for pair in heard.pairs})
    other = devices[heard.other if is_clips else heard.device]
    return (
        f"{count} of them heard what {named(other)} heard at the same moment: "
        f"{heard.clear:.1f} times as much speaks for this shift as for any other. "
    )


def _for_how_long(own: Sequence[Capture], made: Sequence[Capture]) -> str:
    """From when to when something holds of a part of what a device made, by its own clock."""
    begin, end = (f"{_at(one):%Y-%m-%d %H:%M}" for one in (own[0], own[-1]))
    if own[-1].id == made[-1].id:
        return f" from {begin} on"
    return f" until {end}" if own[0].id == made[0].id else f" from {begin} to {end}"


def _dates(captures: Iterable[Capture]) -> list[date]:
    return sorted({one.moment.local.date() for one in captures if one.moment})


def _span(ordered: Sequence[str]) -> str:
    """The first and the last of some dates, so that it is true of all of them."""
    return ordered[0] if len(ordered) == 1 else f"{ordered[0]} to {ordered[-1]}"


def _days(captures: Iterable[Capture]) -> str:
    days = _dates(captures)
    if len(days) > 4:
        return f"{len(days)} days between {days[0]:%Y-%m-%d} and {days[-1]:%Y-%m-%d}"
    return ", ".join(f"{day:%Y-%m-%d}" for day in days)


def _jumps(
    captures: Sequence[Capture], devices: Mapping[str, Device], decisions: Decisions, home: Collection[str]
) -> Iterator[Doubt]:
    """A clock that jumps back inside a card: the counter goes on, the time does not."""
    cards: dict[tuple[str, str, Kind], list[tuple[int, Capture]]] = defaultdict(list)
    fixed = {key for fix in decisions.fixes for key in fix.captures} | decisions.placed.keys() | decisions.right
    for capture in captures:
        counter = counter_of(capture.id)
        if capture.trusted and counter is not None and capture.id not in fixed and not capture.is_scan:
            cards[capture.device, os.path.dirname(capture.id), capture.kind].append((counter, capture))
    for (key, folder, kind), own in cards.items():
        own.sort(key=lambda one: (one[0], one[1].id))
        jump = _first_jump(own)
        if jump is None:
            continue
        first, end = jump
        before, batch = own[first - 1][1], [capture for _, capture in own[first:end] if capture.id not in home]
        if not batch:
            continue
        back = _behind(before, batch[0])
        seconds = (back + timedelta(minutes=1)).total_seconds()
        ids = frozenset(one.id for one in batch)
        yield Doubt(
            f"jump:{folder}:{kind}:{own[first][0]}",
            key,
            tuple(one.id for one in batch),
            f"The clock of {named(devices[key])} jumps back by {shift_words(back.total_seconds())[1:]}",
            f"{_name(batch[0])} was made after {_name(before)} by its counter, but before it by its time. "
            f"So were {many(batch)}.",
            Certainty.OPEN,
            (
                Answer(f"Shift them by {shift_words(seconds)}", ShiftClock(key, seconds, ids)),
                Answer("Right as it is", TakeAsItIs(ids)),
            ),
            shift=seconds,
            neighbours=(before.id, own[end][1].id if end < len(own) else ""),
        )


def _first_jump(shots: Sequence[tuple[int, Capture]]) -> tuple[int, int] | None:
    """From where to where, among shots in the order of their counters, the clock lies behind what it told before.

    Where it does so again and again, the counters do not tell the order of shooting, and nothing is said.
    """
    jumps = [
        number
        for number, ((counter, one), (next_counter, then)) in enumerate(pairwise(shots), 1)
        if _behind(one, then) > _JUMP_BACK and 0 < next_counter - counter <= 3
    ]
    if not 1 <= len(jumps) <= _MOST_JUMPS:
        return None
    first = end = jumps[0]
    while end < len(shots) and _behind(shots[first - 1][1], shots[end][1]) > timedelta(0):
        end += 1
    return first, end


def _behind(one: Capture, other: Capture) -> timedelta:
    """How far another capture lies before one: in UTC where both know their offset, as on a flight to the west."""
    apart = _at(one) - _at(other)
    offsets = [capture.moment.offset if capture.moment else None for capture in (one, other)]
    if offsets[0] is not None and offsets[1] is not None:
        apart += timedelta(minutes=offsets[1] - offsets[0])
    return apart


def _at(capture: Capture) -> datetime:
    return capture.moment.local if capture.moment else datetime.min


def _name(capture: Capture) -> str:
    return os.path.splitext(os.path.basename(capture.id))[0]


def _batches(captures: Sequence[Capture], devices: Mapping[str, Device], counters: Counters) -> Iterator[Doubt]:
    """Captures without a date to trust, by what is the matter with them and what lies around them."""
    batches: dict[tuple[str, ...], list[Capture]] = defaultdict(list)
    for capture in captures:
        if not capture.trusted:
            moment = capture.moment
            doubt = moment.doubt if moment and moment.doubt else "none"
            source = _evidence_at(capture) if doubt is Doubtful.OUTSIDE else ""
            before, behind = counters.around(capture, capture)
            around = (before.id if before else "", behind.id if behind else "")
            batches[doubt, capture.device, os.path.dirname(capture.id), source, *around].append(capture)
    for (doubt, key, folder, source, before_id, behind_id), batch in batches.items():
        batch.sort(key=lambda one: (counter_of(one.id) or 0, one.id))
        before, behind = counters.around(batch[0], batch[-1])
        headline, evidence = _says(doubt, source, batch, devices[key])
        certainty, answers, near = _answers(doubt, source, batch, before, behind)
        shift = next((answer.change.seconds for answer in answers[:1] if isinstance(answer.change, ShiftClock)), 0.0)
        yield Doubt(
            f"{doubt}:{key}:{folder}:{source}:{before_id}:{behind_id}",
            key,
            tuple(one.id for one in batch),
            headline,
            f"{evidence} {near}".strip(),
            certainty,
            answers,
            shift,
            (before.id if before else "", behind.id if behind else ""),
        )


def _evidence_at(capture: Capture) -> str:
    moment = capture.moment
    claim = capture.files[capture.dated_by].reading.claims[moment.claim] if moment and moment.claim >= 0 else None
    return claim.at if claim else ""


def _says(doubt: str, source: str, batch: Sequence[Capture], device: Device) -> tuple[str, str]:
    """Headline and evidence of a batch."""
    count, one = many(batch), len(batch) == 1
    first = batch[0].moment
    if doubt == Doubtful.NEVER_SET and first:
        carry = "carries" if one else "carry"
        span = _span([f"{day:%Y-%m-%d}" for day in _dates(batch)])
        return f"{count} of {device.name} {carry} {span}: that clock was never set", ""
    if doubt == Doubtful.FUTURE and first:
        return f"{count} {'lies' if one else 'lie'} in the future", f"The first one says {first.local:%Y-%m-%d %H:%M}."
    if doubt == Doubtful.ANCIENT and first:
        years = _span(sorted({f"{day:%Y}" for day in _dates(batch)}))
        return f"{count} {'is' if one else 'are'} dated {years}", (
            "That is older than digital cameras."
            if _at(batch[-1]).year < 1990
            else "That is older than files of this kind."
        )
    if doubt == Doubtful.FIGHT and first:
        return f"{count} {'carries' if one else 'carry'} dates that disagree", first.why
    if source in NAME.kinds:
        say = "its name says" if one else "their names say"
        return f"{count} {'has' if one else 'have'} no date inside", f"Only {say} one: {_days(batch)}."
    if source == "folder":
        evidence = f"Only the name of {'its' if one else 'their'} folder says one."
        return f"{count} {'has' if one else 'have'} no date inside", evidence
    if source == CHANGED:
        tell = "tells" if one else "tell"
        return f"{count} {tell} only when {'it was' if one else 'they were'} changed", (
            f"Changed on {_days(batch)}: made then or before."
        )
    if source:
        evidence = f"Only the time of the file{'' if one else 's'} says {_days(batch)}, which copying often resets."
        return f"{count} {'has' if one else 'have'} no date inside", evidence
    return f"{count} {'has' if one else 'have'} no date", "Nothing in or around them says one."


_Answers = tuple[Answer, ...]


def _answers(
    doubt: str, source: str, batch: Sequence[Capture], before: Capture | None, behind: Capture | None
) -> tuple[Certainty, _Answers, str]:
    """How sure a proposal is, the answers, and what the neighbours by counter say."""
    ids = frozenset(one.id for one in batch)
    answers: list[Answer] = []
    certainty, near = Certainty.OPEN, ""
    if before is not None and behind is not None and timedelta(0) < _at(behind) - _at(before) <= _BETWEEN:
        near = (
            f"By their counters they lie between {_name(before)} ({_at(before):%Y-%m-%d %H:%M}) "
            f"and {_name(behind)} ({_at(behind):%Y-%m-%d %H:%M})."
        )
        answers.append(Answer("Put there", _between(batch, before, behind)))
        certainty = Certainty.LIKELY
    moments = [one.moment for one in batch if one.moment is not None]
    if source and len(moments) == len(batch):
        precise = all(moment.precision >= Precision.MINUTE for moment in moments)
        if source in NAME.kinds and precise:
            answers.append(Answer("File by their names", TakeAsItIs(ids)))
            certainty = Certainty.LIKELY
        else:
            answers.append(Answer("File by that day", SetDate(tuple(_day_only(batch, moments)))))
            certainty = Certainty.ONLY_A_DAY if certainty is Certainty.OPEN else certainty
    elif doubt in (Doubtful.FIGHT, Doubtful.FUTURE, Doubtful.ANCIENT):
        answers.append(Answer("Right as it is", TakeAsItIs(ids)))
        other = [_other_date(one) for one in batch] if doubt == Doubtful.FIGHT else []
        if other and all(other):
            dates = tuple((one.id, placed) for one, placed in zip(batch, other, strict=True) if placed)
            answers.append(Answer("Use the other date", SetDate(dates)))
    answers.append(Answer("Leave unfiled", LeaveUnfiled(ids)))
    if len(moments) == len(batch) and not any(isinstance(answer.change, TakeAsItIs) for answer in answers):
        # The date that there is stands: never proposed, and always a way out.
        answers.append(Answer("Right as it is", TakeAsItIs(ids)))
    return certainty, tuple(answers), near


def _between(batch: Sequence[Capture], before: Capture, behind: Capture) -> Change:
    """Put a batch between two others: by a shift that keeps its own pace where it has one that fits, else evenly."""
    start, end = _at(before) + timedelta(seconds=before.duration), _at(behind)
    times = [one.moment.local for one in batch if one.moment and one.moment.precision >= Precision.SECOND]
    if len(times) == len(batch) and times == sorted(times) and times[-1] - times[0] < end - start:
        middle = start + (end - start - (times[-1] - times[0])) / 2
        seconds = round((middle - times[0]).total_seconds())
        return ShiftClock(batch[0].device, seconds, frozenset(one.id for one in batch))
    return SetDate(spread((one.id for one in batch), start, end))


def _day_only(batch: Sequence[Capture], moments: Sequence[Moment]) -> Iterator[tuple[str, GivenDate]]:
    for capture, moment in zip(batch, moments, strict=True):
        precision = min(moment.precision, Precision.DAY)
        yield capture.id, GivenDate(moment.local.replace(hour=0, minute=0, second=0, microsecond=0), precision)


def _other_date(capture: Capture) -> GivenDate | None:
    """The date that contradicts the chosen one, where it is a local one."""
    moment = capture.moment
    if moment is None or moment.against is None:
        return None
    stamp = capture.files[capture.dated_by].reading.claims[moment.against].stamp
    if stamp.offset is not None and stamp.offset.by_definition:
        return None
    return GivenDate(stamp.wall, stamp.precision)


def held(doubts: Iterable[Doubt]) -> dict[str, str]:
    """Why captures wait: the headline of their question, by capture."""
    return {capture: f"{doubt.headline}." for doubt in doubts for capture in doubt.captures}
