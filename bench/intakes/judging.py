"""What Jutrek makes of a made-up intake, held against the truth."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import timedelta, timezone

from bench.intakes.world import Intake
from jutrek.captures import Capture, Certainty, Decisions, Doubt, Said, decided, group, propose, settled
from jutrek.captures.moment import Moment
from jutrek.desk.story import Story, devices_of, tell
from jutrek.filing import HouseRules
from jutrek.formats import Precision
from jutrek.sources import Medium, Source

CLOSE = timedelta(seconds=90)
"""How far a date may be off."""
HOME = timezone(timedelta(hours=2))
"""The house's zone."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """How an intake came out.

    Attributes:
        false_alarms: captures that are right, tellably, and are asked about all the same.
        captures: of the intake.
        wrong_certain: questions that are called certain, and whose answer puts a capture wrong.
        wrong_answers: other questions whose first answer does not put right what can be told, or puts it wrong.
        filed_wrong: captures that would be filed under a wrong date, without a word.
        torn: presses whose files are not together, or that are together with others.
        devices_off: whether devices were not told apart as they are.
    """

    captures: int = 0
    false_alarms: int = 0
    wrong_certain: int = 0
    wrong_answers: int = 0
    filed_wrong: int = 0
    torn: int = 0
    devices_off: bool = False

    @property
    def is_right(self) -> bool:
        """Whether nothing is the matter."""
        faults = (self.false_alarms, self.wrong_certain, self.wrong_answers, self.filed_wrong, self.torn)
        return not any(faults) and not self.devices_off


def story_of(intake: Intake) -> Story:
    """The story that Jutrek tells of an intake, with nothing decided."""
    moments = decided([Said(read.file.root, read.file.path, read.reading) for read in intake.files], home=HOME)
    captures = group(
        type(read)(read.file, read.reading, moment) for read, moment in zip(intake.files, moments, strict=True)
    )
    roots = dict.fromkeys(read.file.root for read in intake.files)
    sources = [Source(root, root.rpartition("/")[2], Medium.FOLDER) for root in roots]
    devices = devices_of(sources, captures, Decisions(), {})
    bare = tell(captures, devices, Decisions(), HouseRules(), ())
    return tell(captures, devices, Decisions(), HouseRules(), propose(bare.captures))


def judge(intake: Intake) -> Verdict:
    """Hold the story of an intake against what is true of it."""
    story = story_of(intake)
    asked = {key: doubt for doubt in story.doubts for key in doubt.captures}
    false_alarms = filed_wrong = 0
    for capture in story.captures:
        right, truth = is_right(capture, capture.moment, intake), intake.truth[capture.id]
        if capture.id in asked:
            false_alarms += right and truth.tellable and not intake.may_ask
        else:
            filed_wrong += not right and (truth.tellable or truth.suspect)
    wrong_certain = wrong_answers = 0
    for doubt in story.doubts:
        certain = doubt.certainty is Certainty.CERTAIN
        wrong = _is_wrong(doubt, story, intake, all_of_them=certain)
        wrong_certain += wrong and certain
        wrong_answers += wrong and not certain
    devices = len({capture.device for capture in story.captures})
    return Verdict(
        len(story.captures), false_alarms, wrong_certain, wrong_answers, filed_wrong, _torn(story, intake),
        bool(intake.devices) and devices != intake.devices,
    )  # fmt: skip


def is_right(capture: Capture, moment: Moment | None, intake: Intake) -> bool:
    """Whether a moment is the true one, as far as it says."""
    if moment is None:
        return False
    truth = intake.truth[capture.id].local
    if moment.precision < Precision.MINUTE:
        length = {Precision.YEAR: 4, Precision.MONTH: 7}.get(moment.precision, 10)
        return moment.local.isoformat()[:length] == truth.isoformat()[:length]
    return abs(moment.local - truth) <= CLOSE


def _is_wrong(doubt: Doubt, story: Story, intake: Intake, *, all_of_them: bool) -> bool:
    """Whether the first answer puts a capture wrong, or leaves it so: one whose date can be told, or any."""
    after = settled(story.captures, doubt.answers[0].change.on(Decisions()))
    about = {key for key in doubt.captures if all_of_them or intake.truth[key].tellable}
    return any(not is_right(one, one.moment, intake) for one in after if one.id in about)


def _torn(story: Story, intake: Intake) -> int:
    """Presses that are not one capture, and captures of several presses. Parts of a recording are one press."""
    together: dict[int, set[str]] = defaultdict(set)
    for path, truth in intake.truth.items():
        together[truth.press].add(path)
    found = {frozenset(read.file.path for read in capture.files) for capture in story.captures}
    return sum(frozenset(paths) not in found for paths in together.values())
