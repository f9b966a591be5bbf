"""The state of an intake and how its parts follow from one another. No threads and no events: the session owns those.

Sources are read into captures; decisions and rules laid over them make the story; the story and the standings of its
files make the plan; all of it makes the board. A change recomputes only what follows from it.
"""

from __future__ import annotations

import os
import threading
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from jutrek.captures import (
    Capture,
    Certainty,
    Decisions,
    Device,
    Doubt,
    Heard,
    Proposal,
    propose,
)
from jutrek.desk import board_views
from jutrek.desk.board import Board, Storage
from jutrek.desk.doubling import with_doubles
from jutrek.desk.drafts import DAY_RULES, Draft
from jutrek.desk.history import History, Step
from jutrek.desk.intake import Found, Report, make_captures, plan_of, standings_of
from jutrek.desk.questions import Effect, effect_of, questions_of
from jutrek.desk.storage import storage_at
from jutrek.desk.story import Story, devices_of, tell
from jutrek.disk import patiently
from jutrek.doubles import NEW, Comparison, Standing
from jutrek.doubles.beyond_bytes import Lookout
from jutrek.doubles.waiting import SEEN, decide_anew, remembered
from jutrek.filing import Action, HouseRules, OnDouble, Plan, rebased
from jutrek.filing.facts import SAID
from jutrek.filing.rules import RuleError
from jutrek.formats import MEDIA
from jutrek.jobs.job import job_above, rules_for
from jutrek.library import Library, known_devices
from jutrek.library.spots import spots_of
from jutrek.transfer import Done
from jutrek.whereabouts import Whereabouts

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence

    from jutrek.captures import Change
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.certificate import Certificate


class Workbench:
    """One intake: what was found, what was decided, what follows. One thread owns it.

    Attributes:
        founds: what was found on every source, by its root.
        unsorted: roots of sources that were read, and whose captures are none of the story yet.
        house: the rules of the house, from which those of the intake may differ.
        history: what was decided.
        story: what the intake tells, as decided.
        plan: the plan, or None while there is no library or something is not read yet.
        results: what became of files in runs, by source path.
        places: where else copies go.
        released: certificates of sources, by their roots.
        nothing_home: whether the library holds nothing.
        knows_content, knows_looks: whether all files of the library were looked at for what they hold, and decoded.
    """

    def __init__(self) -> None:
        self.founds: dict[str, Found] = {}
        self.unsorted: set[str] = set()
        self.house = HouseRules()
        self.history = History([Step(Decisions(), self.house)])
        self.story = Story()
        self.plan: Plan | None = None
        self.results: dict[str, Done] = {}
        self._library: Library | None = None
        self._known: dict[str, Device] = {}
        self._whereabouts = Whereabouts()
        self._earlier: tuple[str, ...] = ()
        self._captures: list[Capture] = []
        self._grouped_by: tuple[object, ...] = ()
        self._proposals: tuple[Proposal, ...] = ()
        self._lined_up_by: object = None
        self._heard: tuple[Heard, ...] = ()
        self._standings: dict[str, Comparison] | None = None
        self._stored: Collection[str] = ()
        self._looks: dict[str, Comparison] = {}
        self._look_stamps: dict[str, tuple[int, int]] = {}
        self._looked = False
        self.knows_content = self.knows_looks = False
        self.nothing_home = True
        self._existing: dict[str, bool] = {}
        self._called: dict[str, str] = {}
        """What jobs are called, by the folders that their captures land in."""
        self._expected: dict[str, tuple[int, int]] = {}
        self._awaited: tuple[str, ...] = ()
        self.places: tuple[Storage, ...] = ()
        self.released: Mapping[str, Certificate] = {}

    def use_library(self, library: Library | None, ledger: Ledger | None) -> None:
        """Use another library: its devices, and what its shoots were."""
        self._library, self.plan, self._standings = library, None, None
        self._looks, self._looked = {}, False
        self.knows_content = self.knows_looks = library is None
        self.nothing_home = True
        self.results.clear()
        self._called.clear()
        self.learn_devices()
        self.learn(ledger)

    def take_over(self, left: Workbench) -> None:
        """Go on with what was read and decided on another one."""
        self.founds, self.house = dict(left.founds), left.house
        self.history = History(list(left.history.steps), list(left.history.undone))
        self.sources_changed()

    @property
    def known(self) -> tuple[Device, ...]:
        """The library's devices, by letter."""
        return tuple(sorted(self._known.values(), key=lambda one: (len(one.letter), one.letter, one.key)))

    def learn_devices(self) -> None:
        """Learn anew what the library's devices are called, and its spots."""
        self._known = known_devices(self._library) if self._library else {}
        self._whereabouts = Whereabouts(spots_of(self._library)[0] if self._library else ())

    def use_house(self, rules: HouseRules) -> None:
        """Use other house rules. What was changed of them for this intake stays changed, in every step."""
        old, self.house = self.house, rules
        for steps in (self.history.steps, self.history.undone):
            steps[:] = [replace(step, rules=rebased(step.rules, old, rules)) for step in steps]

    def learn(self, ledger: Ledger | None) -> None:
        """Learn what the shoots of the library were."""
        self._earlier = tuple(ledger.shoot_words()) if ledger else ()

    @property
    def draft(self) -> Draft:
        """What has to be kept to go on with this intake another time."""
        now = self.history.now
        about = now.decisions.about
        files = {one.id: _stamp(one) for one in self._captures if one.id in about}
        sources = dict.fromkeys((*self.founds, *(root for root in self._awaited if not _is_there(root))))
        changed = {
            name: getattr(now.rules, name)
            for name in DAY_RULES
            if getattr(now.rules, name) != getattr(self.house, name)
        }
        return Draft(tuple(sources), now.decisions, changed, {**self._expected, **files}, now.rules.within)

    def take_up(self, draft: Draft) -> bool:
        """Go on with a draft, unless something was decided here already. Returns whether it decides anything."""
        self._awaited = draft.sources
        now = self.history.now
        rules = self._into_job(replace(self.house, **draft.changed), draft.within)
        if len(self.history.steps) > 1 or (draft.decisions, rules) == (now.decisions, now.rules):
            return False
        self._expected = dict(draft.files)
        self.history.take(Step(draft.decisions, rules, "all that was decided the last time"))
        self._forget_other_files()
        self.refresh()
        return True

    def _into_job(self, rules: HouseRules, within: str) -> HouseRules:
        """The rules of an intake that was for a job, if that is there still."""
        placed = job_above(self._library.tree, within) if within and self._library is not None else None
        if placed is None or placed.landing != within:
            return rules
        try:
            return rules_for(placed, rules)
        except RuleError:
            return rules

    def source_read(self, root: str) -> None:
        """A source was read. What follows from it is due, by `sources_changed`, and no plan holds until then."""
        self.plan = self._standings = None
        self.unsorted.add(root)

    def sources_changed(self) -> None:
        """Something was read, or taken out: everything follows anew, and standings are not known yet.

        What was seen of files by their looks holds until they are looked at again.
        """
        self.plan = self._standings = None
        self._looked = False
        self.unsorted.clear()
        self._group()
        stamps = {one.id: _stamp(one) for one in self._captures}
        self._looks = {
            path: one for path, one in self._looks.items() if self._look_stamps.get(path) == stamps.get(path)
        }
        self._retell()

    @property
    def to_listen_to(self) -> tuple[Sequence[Capture], Sequence[Proposal]]:
        """The captures with the dates that their files tell, and what is proposed for their clocks."""
        return self._captures, self._proposals

    @property
    def has_heard(self) -> bool:
        """Whether devices heard anything together."""
        return bool(self._heard)

    def hear(self, heard: tuple[Heard, ...]) -> None:
        """Take what devices heard together."""
        self._heard = heard
        self.refresh()

    def refresh(self) -> None:
        """Something was decided, taken back or done again. Nothing is read or compared again."""
        if self._grouped_by != self._grouping():
            self._group()
        self._retell()
        if self._library is not None and self._standings is not None:
            self.plan = self._plan_of(self._library, self.story, self._standings)

    def _grouping(self) -> tuple[object, ...]:
        now = self.history.now
        return now.decisions.apart, now.rules.zone, now.rules.journeys, now.rules.trust

    def _group(self) -> None:
        now = self.history.now
        self._captures = make_captures(list(self.founds.values()), now.rules, split=now.decisions.apart)
        self._forget_other_files()
        self._grouped_by, self._lined_up_by = self._grouping(), None

    def _forget_other_files(self) -> None:
        """What a draft decided about a file does not hold for another one that bears its name now."""
        known = {one.id: _stamp(one) for one in self._captures if one.id in self._expected}
        other = frozenset(key for key, stamp in known.items() if stamp != self._expected[key])
        for key in known:
            del self._expected[key]
        if other:
            now = self.history.now
            self.history.steps[-1] = Step(now.decisions.without(other), now.rules, now.words)

    def _retell(self) -> None:
        """Lay what was decided over the captures; line clocks up anew where that could find something else."""
        now = self.history.now
        sources = [found.source for found in self.founds.values()]
        devices = devices_of(sources, self._captures, now.decisions, self._known)
        made = now.decisions
        lined_up_by = (made.fixes, dict(made.placed), made.right, made.aside, self._heard)
        if self._lined_up_by != lined_up_by:
            bare = tell(self._captures, devices, made, now.rules, ())
            self._proposals = tuple(propose((one for one in bare.captures if one.id not in made.aside), self._heard))
            self._lined_up_by = lined_up_by
        story = tell(self._captures, devices, made, now.rules, self._proposals, self._heard, self._whereabouts)
        self.story = self._with_doubles(story, made)

    def _with_doubles(self, story: Story, made: Decisions) -> Story:
        """A story with what is known of its doubles by now."""
        return with_doubles(story, self.standings, self.history.now.rules, made)

    @property
    def standings(self) -> dict[str, Comparison]:
        """Where files stand, as far as it is known by now: by bytes and payload, and by looks."""
        by_content = self._standings or {}
        by_looks = {
            path: stands
            for path, stands in self._looks.items()
            if by_content.get(path, NEW).standing is Standing.NEW
        }  # fmt: skip
        return {**by_content, **by_looks} if by_looks else by_content

    def decide(self, changes: Sequence[Change]) -> bool:
        """Decide something, as one step. Returns whether anything changed."""
        now = self.history.now
        decisions = now.decisions
        for change in changes:
            decisions = change.on(decisions)
        if decisions == now.decisions:
            return False
        self.history.take(Step(decisions, now.rules, changes[-1].words))
        self.refresh()
        return True

    def doubt(self, key: str) -> Doubt | None:
        """An open question by its key."""
        return next((one for one in self.story.doubts if one.key == key), None)

    def certain_answers(self) -> list[Change]:
        """The proposed answers to all questions whose proposal is certain."""
        return [doubt.answers[0].change for doubt in self.story.doubts if doubt.certainty is Certainty.CERTAIN]

    def make_plan(self, ledger: Ledger, *, stop: threading.Event, report: Report) -> None:
        """Compare with the library, and plan.

        Raises:
            LibraryMissing: when the library cannot be listed.
            Stopped: when `stop` was set.
        """
        if self._library is None:
            return
        self._standings = standings_of(
            self.story.captures, self._library, ledger, stop=stop, report=report, founds=self.founds.values()
        )
        self._stored = ledger.stored.all()
        self._looked = False
        self._existing.clear()
        self._retell()
        self.plan = self._plan_of(self._library, self.story, self._standings)

    def look(self, ledger: Ledger, *, stop: threading.Event, report: Report) -> bool:
        """Compare the intake with the library by looks. Returns whether anything was found that changes the plan.

        Raises:
            Stopped: when `stop` was set.
        """
        if self._library is None or self._standings is None:
            return False
        look = Lookout(ledger, self._library.root, stop, lambda done, total: report("Comparing pictures", done, total))
        before = self._looks
        known = self._standings
        # What belongs to a capture whose other files are there comes beside them, and is asked about no further.
        by_bytes = {path: NEW if one.standing in SEEN else one for path, one in known.items()}
        alone = [one for one in self.story.captures if all(_is_new(read.file.path, by_bytes) for read in one.files)]
        found = look.standings([one.primary for one in alone], by_bytes)
        looked_at = look.seen
        self._looks = found | {path: one for path, one in before.items() if path not in looked_at}
        self._look_stamps = {one.id: _stamp(one) for one in alone if one.id in self._looks}
        self._looked = True
        over = [path for path in looked_at if known.get(path, NEW).standing in SEEN and path not in found]
        self._standings = {path: NEW if path in over else one for path, one in known.items()}
        decide_anew(over, ledger)
        remembered([one.primary.file for one in alone], self._looks, ledger)
        if self._looks == before and not over:
            return False
        self._retell()
        self.plan = self._plan_of(self._library, self.story, self._standings)
        return True

    def _plan_of(self, library: Library, story: Story, standings: dict[str, Comparison]) -> Plan:
        return plan_of(list(self.founds.values()), story, library, self.history.now.rules, standings, self._stored)

    def effect(self, key: str, number: int) -> Effect | None:
        """What an answer to a question would change; None where that cannot be told now.

        A clock fix is compared with the clock as it stands, since until then the captures wait.
        """
        doubt = self.doubt(key)
        if doubt is None or number >= len(doubt.answers) or self._library is None or self._standings is None:
            return None
        now, change = self.history.now, doubt.answers[number].change
        before, after = (
            (story, self._plan_of(self._library, story, self._standings))
            for story in (
                self._with_doubles(
                    tell(self._captures, self.story.devices, decisions, now.rules, (), whereabouts=self._whereabouts),
                    decisions,
                )
                for decisions in (now.decisions, change.on(now.decisions))
            )
        )
        return effect_of(key, before, after)

    def board(self) -> Board:
        """The whole picture."""
        story, plan, now = self.story, self.plan, self.history.now
        views = board_views.views_of(story, plan, self.results, self.standings)
        views = board_views.set_aside(views, story.aside)
        ended = self.results
        left = [row for row in plan.to_bring() if row.source not in ended or not ended[row.source].home] if plan else []
        sources = [found.source for found in self.founds.values()]
        return Board(
            sources=board_views.source_views(
                sources,
                views.values(),
                story.devices,
                plan,
                now.decisions,
                story.doubts,
                self.released,
                {root: len(self.founds[root].files) for root in self.unsorted if root in self.founds},
            ),
            days=board_views.day_views(story, views),
            folders=board_views.folder_views(views.values(), self._existing_folders(plan)),
            plan=plan,
            bring_bytes=sum(row.size for row in left),
            not_compared=not_compared(
                story,
                now.rules,
                self.standings,
                content=self.knows_content,
                looks=self.knows_looks and (self._looked or self.nothing_home),
            )
            if plan
            else 0,
            place=self._place(),
            places=self.places,
            devices=tuple(story.devices.values()),
            questions=questions_of(story, views, self._library.root if self._library else ""),
            can_undo=self.history.can_undo,
            can_redo=self.history.can_redo,
            day_starts=now.rules.day_starts,
            gap=now.rules.gap,
            zone=now.rules.zone,
            journeys=now.rules.journeys,
            earlier=self._earlier,
            asks=tuple(name for name in SAID if now.rules.uses(name)),
            said=now.decisions.said,
            into=self._into(now.rules.within),
        ).ready()

    def _into(self, within: str) -> str:
        """What the job is called that the intake is for; empty for none."""
        if not within or self._library is None:
            return ""
        if within not in self._called:
            placed = job_above(self._library.tree, within)
            self._called[within] = placed.job.called if placed is not None else within
        return self._called[within]

    def _place(self) -> Storage | None:
        library = self._library
        return storage_at(library.name, library.root) if library is not None else None

    def _existing_folders(self, plan: Plan | None) -> frozenset[str]:
        if plan is None:
            return frozenset()
        folders = {os.path.dirname(row.destination) for row in plan.rows if row.destination}
        for path in folders - self._existing.keys():
            self._existing[path] = os.path.isdir(os.path.join(plan.library, path))
        homes = {os.path.dirname(row.destination) for row in plan.rows if row.destination and row.action is Action.HOME}
        return frozenset(homes | {path for path in folders if self._existing[path]})


def not_compared(
    story: Story, rules: HouseRules, standings: Mapping[str, Comparison], *, content: bool, looks: bool
) -> int:
    """How many captures would come home without having been compared as far as the house rules ask for.

    Args:
        story: what was decided.
        rules: the house rules.
        standings: as told until now, by path.
        content: whether payloads were compared.
        looks: whether looks were compared.
    """
    by_content = not content and rules.retagged is not OnDouble.BRING
    by_looks = not looks and {rules.reencoded, rules.alike} != {OnDouble.BRING}
    if not by_content and not by_looks:
        return 0
    return sum(
        _is_new(one.id, standings) and one.trusted and one.id not in story.wishes.waits
        and (by_content or one.kind in MEDIA)
        for one in story.captures
    )  # fmt: skip


def _is_new(path: str, standings: Mapping[str, Comparison]) -> bool:
    return standings.get(path, NEW).standing is Standing.NEW


def _stamp(capture: Capture) -> tuple[int, int]:
    file = capture.primary.file
    return file.size, file.mtime_ns


def _is_there(root: str) -> bool:
    """Whether a source is there. One that does not answer is not."""
    try:
        return patiently(root, partial(os.path.isdir, root))
    except TimeoutError:
        return False
