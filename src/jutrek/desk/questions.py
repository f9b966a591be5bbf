"""Open questions as they are shown, with their evidence as pictures, and what an answer would change."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from jutrek.captures import Capture, Doubt
from jutrek.desk.board import OverlaidWaves, Question, Strip, Wave, as_home
from jutrek.desk.board_captures import CaptureView
from jutrek.desk.doubling import KEY
from jutrek.desk.story import Story
from jutrek.filing import Action, Plan
from jutrek.formats import Kind

_PICTURES = 6
_SAMPLES = 3
_BESIDE = timedelta(seconds=5)


@dataclass(frozen=True, slots=True)
class Effect:
    """What an answer changes.

    Attributes:
        question: its key.
        figures: what changes, and how often.
        samples: name before, name after, and a remark, for some files.
    """

    question: str
    figures: tuple[tuple[str, int], ...]
    samples: tuple[tuple[str, str, str], ...]


def questions_of(story: Story, views: Mapping[str, CaptureView], root: str = "") -> tuple[Question, ...]:
    """All open questions; `root` is where the library lies."""
    return tuple(_question(doubt, story, views, root) for doubt in story.doubts)


def _question(doubt: Doubt, story: Story, views: Mapping[str, CaptureView], root: str) -> Question:
    is_clock = doubt.is_of_a_clock
    day, strips = _strips(doubt, story) if is_clock else (None, ())
    return Question(
        doubt.key,
        doubt.headline,
        doubt.evidence,
        doubt.certainty.value,
        tuple(answer.words for answer in doubt.answers),
        story.devices[doubt.device],
        doubt.captures,
        doubt.shift,
        strips,
        day,
        () if is_clock else _pictures(doubt, views, root),
        doubt.neighbours,
        _waves(doubt, story, views),
    )


def _waves(doubt: Doubt, story: Story, views: Mapping[str, CaptureView]) -> OverlaidWaves | None:
    """The clip and the take in which it was heard best, to be laid over one another."""
    waves = doubt.heard.waves if doubt.heard is not None else None
    if waves is None or doubt.heard is None or not {waves.clip, waves.take} <= views.keys():
        return None
    ours, theirs = story.devices[doubt.heard.device], story.devices[doubt.heard.other]
    return OverlaidWaves(
        Wave(_stem(views[waves.clip]), ours.letter, ours.colour, waves.ours),
        Wave(_stem(views[waves.take]), theirs.letter, theirs.colour, waves.theirs),
        waves.step,
        waves.begin,
    )


def _stem(view: CaptureView) -> str:
    return view.name.rpartition(".")[0] or view.name


def _pictures(doubt: Doubt, views: Mapping[str, CaptureView], root: str) -> tuple[CaptureView, ...]:
    if doubt.key.startswith(KEY):
        own = [views[key] for key in doubt.captures[: _PICTURES // 2]]
        beside = [views.get(view.equal) or as_home(view, root) for view in own]
        return tuple(view for pair in zip(own, beside, strict=True) for view in pair)
    before, behind = doubt.neighbours
    some = [*([before] if before else []), *doubt.captures[:_PICTURES], *([behind] if behind else [])]
    return tuple(views[key] for key in some)


def _strips(doubt: Doubt, story: Story) -> tuple[date | None, tuple[Strip, ...]]:
    """The day on which the device did most that the others would meet after the shift, a lane for each that was out."""
    shift, about = timedelta(seconds=doubt.shift), set(doubt.captures)
    by_day: dict[date, dict[str, list[Capture]]] = defaultdict(lambda: defaultdict(list))
    for capture in story.captures:
        if capture.trusted and capture.moment:
            if capture.device == doubt.device and capture.id not in about:
                continue
            moved = capture.moment.local + (shift if capture.id in about else timedelta(0))
            by_day[moved.date()][capture.device].append(capture)
    days = [day for day, own in by_day.items() if doubt.device in own]
    if not days:
        return None, ()
    best = max(days, key=lambda day: (len(by_day[day]) > 1, len(by_day[day][doubt.device])))
    turn = sorted(by_day[best], key=lambda key: (key == doubt.device, story.devices[key].letter))
    strips = []
    for key in turn:
        device = story.devices[key]
        ticks = tuple(_tick(capture, best) for capture in by_day[best][key] if capture.moment)
        strips.append(Strip(device.name, device.letter, device.colour, ticks))
    return best, tuple(strips)


def _tick(capture: Capture, day: date) -> tuple[float, float]:
    start = datetime(day.year, day.month, day.day)
    at = capture.moment.local if capture.moment else start
    return (at - start).total_seconds(), capture.duration


def effect_of(question: str, before: tuple[Story, Plan], after: tuple[Story, Plan]) -> Effect:
    """Compare two plans: how many names and days change, and which folders come and go."""
    old = {row.source: row for row in before[1].rows}
    new = {row.source: row for row in after[1].rows}
    days = [
        {capture.id: shoot.day for shoot in story.shoots for capture in shoot.captures}
        for story in (before[0], after[0])
    ]
    changed = [
        key for key, row in new.items() if (row.destination, row.action) != (old[key].destination, old[key].action)
    ]
    primaries = [key for key in changed if new[key].capture == key]
    coming = [key for key in primaries if new[key].action is Action.BRING and old[key].action is not Action.BRING]
    moved = {key for key in days[0].keys() & days[1].keys() if days[0][key] != days[1][key]}
    folders = [{(row.destination or "").rpartition("/")[0] for row in plan.to_bring()} for _, plan in (before, after)]
    figures = (
        ("come home with it", len(coming)),
        ("other names", len(primaries) - len(coming)),
        ("move to another day", len(moved)),
        ("now beside a sound take", _beside_sound(after[0], primaries)),
        ("folders more", len(folders[1] - folders[0])),
        ("folders no longer needed", len(folders[0] - folders[1])),
    )
    samples = []
    for key in primaries[:_SAMPLES]:
        name = (old[key].destination or key).rpartition("/")[2]
        goes = new[key].destination or ""
        samples.append((name, goes.rpartition("/")[2] or "stays on its source", goes.rpartition("/")[0]))
    return Effect(question, tuple((words, count) for words, count in figures if count), tuple(samples))


def _beside_sound(story: Story, changed: Sequence[str]) -> int:
    """How many of the changed clips now lie within a take of sound."""
    takes = [
        (capture.moment.local - _BESIDE, capture.moment.local + timedelta(seconds=capture.duration) + _BESIDE)
        for capture in story.captures
        if capture.kind is Kind.SOUND and capture.moment and capture.trusted
    ]
    wanted = set(changed)
    clips = [one for one in story.captures if one.kind is Kind.CLIP and one.id in wanted and one.moment]
    return sum(
        any(
            start <= one.moment.local and one.moment.local + timedelta(seconds=one.duration) <= end
            for start, end in takes
        )
        for one in clips
        if one.moment
    )
