"""What a session does with its library beyond planning: runs, places, releases, checks, the journal.

All of it runs on the session's thread, one after the other, and is told through events. Only `steering` is touched from
other threads, which it is made for.
"""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.desk import events
from jutrek.desk.doubles import Decided, drops_of, facts_of
from jutrek.desk.keeping import Places, caught_up, finish, leave_papers, places_of
from jutrek.desk.records import every_mark, files_of, records_of
from jutrek.desk.taking_back import done_words, take_back
from jutrek.desk.unwanting import declare_unwanted
from jutrek.doubles.degrees import Group
from jutrek.errors import DriveTrouble, JutrekError, NotPossible, SourceUnreadable, Stopped, reason, shown
from jutrek.filing import HouseRules, OnChanged, Plan
from jutrek.filing.rulebook import load_rules
from jutrek.library import (
    LIBRARY,
    Library,
    Place,
    add_place,
    as_place,
    forget_place,
    notice_roots,
    survey,
)
from jutrek.library.kept import keep_beside, kept_beside
from jutrek.library.unwanted import declared, want_again
from jutrek.sources import drive_at, known_source
from jutrek.sources import let_go as let_drive_go
from jutrek.transfer import Done, Listener, Outcome, Progress, Steering, bring
from jutrek.transfer.accounts import account_of
from jutrek.transfer.catching_up import lacking
from jutrek.transfer.certificate import Certificate
from jutrek.transfer.checking import check, known_bad, let_go, mend
from jutrek.transfer.clearing import Way, clear
from jutrek.transfer.partials import room_of_partials
from jutrek.transfer.release import declared_anew, keep_certificate, release
from jutrek.transfer.setting_aside import set_aside
from jutrek.transfer.taking_back import empty_taken_back
from jutrek.transfer.tray import Trayed, empty_tray, tray_of

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_JUST_PROVEN = 6


@dataclass(frozen=True, slots=True)
class Hooks:
    """What an errand needs of its session.

    Attributes:
        tell: passes an event on.
        stop: set by whoever wants the errand to end.
        report: told what is going on, how far it is, and how far it goes; and whether these are bytes.
        done: told of every file of an intake that ended.
        refresh: draws the board up anew, if that is due; when told so, in any case.
        changed: called when files came into the library, or left it.
        reread: reads a source again, by its root.
        rules: the house rules.
    """

    tell: Callable[[events.Event], None]
    stop: threading.Event
    report: Callable[[str, int, int, bool], None]
    done: Callable[[Done], None]
    refresh: Callable[[bool], None]
    changed: Callable[[], None]
    reread: Callable[[str], None]
    rules: Callable[[], HouseRules]


class Errands:
    """Everything that is done with one library."""

    def __init__(self, library: Library, ledger: Ledger, hooks: Hooks) -> None:
        self._library, self._ledger, self._hooks = library, ledger, hooks
        self.steering = Steering(hooks.stop)
        self.places = places_of(library)
        self.released: dict[str, Certificate] = {}
        self._groups: dict[str, Group] = {}

    def look_for_places(self) -> Places:
        """Look again which places are connected, and whether their trees are those that were proven."""
        self.places = places_of(self._library)
        notice_roots(self._ledger, self.places.here)
        return self.places

    def _steered(self) -> Steering:
        self.steering = Steering(self._hooks.stop)
        self.steering.may_ask = True
        return self.steering

    def _listener(self) -> Listener:
        just: list[str] = []

        def on_done(done: Done) -> None:
            self._hooks.done(done)
            if done.home:
                just.insert(0, done.row.destination or "")
                del just[_JUST_PROVEN:]

        def on_progress(progress: Progress) -> None:
            self._hooks.tell(events.Running(progress, tuple(just)))
            self._hooks.refresh(False)

        return Listener(on_done, on_progress)

    def bring(self, plan: Plan, settled: Sequence[str], after: events.AfterRun) -> Outcome:
        """Carry out the plan of an intake, and do what is to be done behind it."""
        self.released.clear()
        places = self.look_for_places()
        outcome = bring(
            plan, self._library, self._ledger, stop=self._hooks.stop, listener=self._listener(),
            places=places.here, steering=self._steered(), settled=settled,
        )  # fmt: skip
        self._behind(outcome, sorted({row.root for row in plan.rows}), after)
        return outcome

    def finish(self, run: str, after: events.AfterRun) -> None:
        """Bring home what an intake left; the event `Ended` follows."""
        outcome = Outcome()
        try:
            outcome = finish(
                self._library, self._ledger, run, self._hooks.rules(), self.look_for_places(),
                stop=self._hooks.stop, listener=self._listener(), steering=self._steered(),
            )  # fmt: skip
            self._behind(outcome, sorted({done.row.root for done in outcome.done}), after)
            self._hooks.changed()
        finally:
            self._hooks.tell(events.Ended(outcome))

    def _behind(self, outcome: Outcome, roots: Sequence[str], after: events.AfterRun) -> None:
        """The papers of a run, and the release of its cards."""
        if isinstance(outcome.trouble, Stopped) or not outcome.run:
            return
        with contextlib.suppress(Stopped):
            papers = leave_papers(
                self._library, outcome.run, self._hooks.rules(), self.places, stop=self._hooks.stop,
                report=lambda done, total: self._hooks.report("Writing the report", done, total, False),
            )  # fmt: skip
            self._hooks.tell(events.PapersLeft(papers.report, papers.trouble))
            if self.places.here:
                self.tell_places()
            if outcome.trouble is None and after.prove:
                for root in roots:
                    self._release_behind(root, eject=after.eject)

    def _release_behind(self, root: str, *, eject: bool) -> None:
        """Prove a source; trouble with it takes nothing from what came home."""
        try:
            self.release(root, eject=eject)
        except Stopped:
            raise
        except JutrekError as error:
            self._hooks.tell(events.Trouble(root, error))

    def release(self, root: str, *, again: bool = False, eject: bool = False) -> None:
        """Prove a source afresh; the event `Released` follows.

        Args:
            again: whether copies are read back once more.
            eject: whether it is let go, if it is safe.
        """
        try:
            source = known_source(root)
        except OSError as error:
            raise SourceUnreadable(root, error) from error
        self._survey()
        places = self.look_for_places()
        rules, what = self._hooks.rules(), [f"Proving {shown(source.name)}"]

        def begin(size: int, copies: int) -> None:
            what[0] += f": {size / 1e6:,.0f} MB of it, and {copies / 1e6:,.0f} MB of its copies"

        certificate = release(
            source, self._library, self._ledger, places.here, away=places.away, again=again, days=rules.proof_days,
            unwanted=rules.unwanted, stop=self._hooks.stop, begin=begin,
            report=lambda done, total: self._hooks.report(what[0], done, total, True),
        )  # fmt: skip
        self._keep_released(root, certificate)
        if eject and certificate.safe:
            self.eject(root)

    def declare_unwanted(self, root: str, paths: frozenset[str], *, back: bool = False) -> None:
        """Declare unwanted what the certificate of a source names, or take that back; `Released` follows.

        Args:
            paths: relative to the source.
        """
        certificate = self.released.get(root)
        if certificate is None:
            raise NotPossible(root, "it was not proven yet")
        if back:
            name = certificate.name
            want_again(
                self._library, [one for one in declared(self._library) if one.source == name and one.path in paths]
            )
        else:
            declare_unwanted(self._library, certificate, paths)
        self._keep_released(root, declared_anew(certificate, self._library, self._hooks.rules().unwanted))

    def _keep_released(self, root: str, certificate: Certificate) -> None:
        self.released[root] = certificate
        try:
            path = keep_certificate(certificate, self._library)
        except OSError as error:
            raise NotPossible(self._library.root, f"the certificate can't be kept: {reason(error)}") from error
        self._hooks.tell(events.Working(""))
        self._hooks.tell(events.Released(root, certificate, path))
        self._hooks.refresh(True)

    def eject(self, root: str) -> None:
        """Let a card go; the event `LetGo` follows."""
        try:
            drive = drive_at(root)
            words = let_drive_go(drive) if drive is not None else ""
            self._hooks.tell(events.LetGo(root, words, drive is not None))
        except DriveTrouble as error:
            self._hooks.tell(events.LetGo(root, str(error), False))

    def clear(self, root: str, way: Way) -> None:
        """Clear a card of what its certificate proves; the event `Cleared` follows."""
        certificate = self.released.get(root)
        if certificate is None:
            raise NotPossible(root, "it was not proven yet")
        cleared = clear(certificate, self._library, self._ledger, self.places.here, way, stop=self._hooks.stop)
        self.released.pop(root, None)
        self._hooks.reread(root)
        self._hooks.tell(events.Cleared(root, cleared))

    def add_place(self, path: str) -> None:
        """Keep copies in a folder from now on; the event `PlacesKnown` follows."""
        add_place(self._library, path)
        self.tell_places()

    def forget_place(self, id_: str) -> None:
        """Keep no more copies in a place; the event `PlacesKnown` follows."""
        forget_place(self._library, id_)
        self.tell_places()

    def tell_places(self) -> None:
        """Look at every place: what it lacks, what was proven when, and what is bad there; `PlacesKnown` follows."""
        self._survey()
        places = self.look_for_places()
        states = [self._state(as_place(self._library), here=True)]
        states += [self._state(place, here=True) for place in places.here]
        states += [self._state(place, here=False) for place in places.away]
        self._hooks.tell(events.PlacesKnown(tuple(states)))
        self._hooks.refresh(True)

    def _state(self, place: Place, *, here: bool) -> events.PlaceState:
        known = self._ledger.marks(place.id)
        marks = {path: mark for path, mark in known.items() if mark.stands}
        oldest = next(iter(marks.values())).at if marks else ""
        bad = len(known_bad(self._ledger, place.id))
        partly = room_of_partials(place.tree)[1] if here else 0
        if place.id == LIBRARY:
            unproven = len(self._ledger.all_files().keys() - marks.keys())
            return events.PlaceState(place, here, len(marks), oldest, unproven=unproven, bad=bad, partly=partly)
        lack = lacking(self._library, self._ledger, place, connected=here)
        return events.PlaceState(
            place, here, len(marks), oldest, lack.files - len(lack.changed), lack.size, bad=bad, partly=partly,
            changed=lack.changed,
        )  # fmt: skip

    def catch_up(self, id_: str, right: OnChanged | None = None) -> None:
        """Bring a place what it lacks; `CaughtUp` and `PlacesKnown` follow.

        Args:
            right: which version is right of files that were changed there; else the house rule says it.
        """
        self._survey()
        place = next((one for one in self.look_for_places().here if one.id == id_), None)
        if place is None:
            raise NotPossible(self._library.root, "the place is not connected")
        outcome = Outcome()
        try:
            wanted = lacking(self._library, self._ledger, place)
            outcome = caught_up(
                wanted, self._library, self._ledger, right or load_rules(self._library).rules.changed,
                stop=self._hooks.stop, steering=self._steered(),
                listener=Listener(progress=lambda progress: self._hooks.tell(events.Running(progress, ()))),
            )  # fmt: skip
        finally:
            self._hooks.tell(events.CaughtUp(place.name, outcome))
        self.tell_places()
        self.tell_records()

    def check(self, id_: str) -> None:
        """Read a place again; `CheckEnded` and `PlacesKnown` follow."""
        self._survey()
        place = self._place(id_)
        words = f"Checking {place.name}"
        checked = check(
            self._library, self._ledger, place, stop=self._hooks.stop,
            report=lambda done, total: self._hooks.report(words, done, total, True),
        )  # fmt: skip
        self._hooks.tell(events.Working(""))
        self._hooks.tell(events.CheckEnded(place.name, checked))
        self.tell_places()

    def mend(self, id_: str) -> None:
        """Bring good bytes back for what is known to be bad in a place; `Mended` and `PlacesKnown` follow."""
        place = self._place(id_)
        bad = known_bad(self._ledger, id_)
        others = [one for one in (as_place(self._library), *self.places.here) if one.id != id_]
        outcome = mend(bad, self._library, self._ledger, place, others, stop=self._hooks.stop)
        self._hooks.tell(events.Mended(place.name, outcome.home, len(bad) - outcome.home))
        self.tell_places()

    def let_go(self, id_: str) -> None:
        """Miss no more what is gone or bad in a place, as a person said so; `PlacesKnown` and `RecordsKnown` follow."""
        place = next((one for one in self._all_places() if one.id == id_), None)
        if place is not None:
            let_go(self._library, self._ledger, place, [mark.path for mark in known_bad(self._ledger, id_)])
        self.tell_places()
        self.tell_records()

    def _all_places(self) -> tuple[Place, ...]:
        places = self.look_for_places()
        return (as_place(self._library), *places.here, *places.away)

    def _place(self, id_: str) -> Place:
        known = (as_place(self._library), *self.look_for_places().here)
        found = next((one for one in known if one.id == id_), None)
        if found is None:
            raise NotPossible(self._library.root, "the place is not connected")
        return found

    def tell_records(self) -> None:
        """Read the journal; `RecordsKnown` follows."""
        self._hooks.report("Reading the journal", 0, 0, False)
        records = records_of(self._library)
        self._hooks.tell(events.Working(""))
        self._hooks.tell(events.RecordsKnown(tuple(records)))

    def open_run(self, run: str) -> None:
        """Read the files of a run; `RunOpened` follows."""
        try:
            marks = every_mark(self._library, self._ledger)
            self._hooks.tell(events.RunOpened(run, tuple(files_of(self._library, run, marks))))
        except OSError as error:
            raise NotPossible(self._library.root, f"the record of {run} can't be read: {reason(error)}") from error

    def take_back(self, run: str, only: frozenset[str] = frozenset()) -> None:
        """Take a run back, or only some of its files; `TakenBack` and `RecordsKnown` follow."""
        outcome, left, became = Outcome(), ["It was not taken back."], "taken back"
        try:
            became = done_words(self._library, run)
            words = "Taking back"
            listener = Listener(progress=lambda run: self._hooks.report(words, run.files, run.all_files, False))
            outcome, left = take_back(
                self._library, self._ledger, run, self.look_for_places(), stop=self._hooks.stop, listener=listener,
                only=only,
            )  # fmt: skip
            self._hooks.changed()
        finally:
            self._hooks.tell(events.Working(""))
            self._hooks.tell(events.TakenBack(outcome, tuple(left), became))
        self.tell_records()
        self.tell_places()

    def empty_taken_back(self) -> None:
        """Put what was taken back into the system's trash; `TakenBackEmptied` follows."""
        try:
            self._hooks.tell(events.TakenBackEmptied(empty_taken_back(self._library)))
        except OSError as error:
            raise NotPossible(self._library.root, f"the trash of its drive can't take it: {reason(error)}") from error

    def report(self, run: str) -> None:
        """Write the report of an intake; `PapersLeft` follows."""
        from jutrek.desk.report import write_report

        try:
            path = write_report(
                account_of(self._library, run), self._library, stop=self._hooks.stop,
                report=lambda done, total: self._hooks.report("Writing the report", done, total, False),
            )  # fmt: skip
        except OSError as error:
            raise NotPossible(self._library.root, f"the report can't be written: {reason(error)}") from error
        self._hooks.tell(events.Working(""))
        self._hooks.tell(events.PapersLeft(path))

    def find_doubles(self) -> None:
        """Find what the library has more than once; `DoublesFound` follows."""
        from jutrek.doubles.groups import find_groups

        self._survey()
        groups = find_groups(
            self._library, self._ledger, settled=kept_beside(self._library), stop=self._hooks.stop,
            report=lambda what, done, total: self._hooks.report(what, done, total, False),
        )  # fmt: skip
        self._groups = {group.key: group for group in groups}
        self._hooks.tell(events.Working(""))
        self._tell_doubles()

    def _tell_doubles(self) -> None:
        self._hooks.tell(events.DoublesFound(tuple(self._groups.values()), tuple(tray_of(self._library))))

    def open_group(self, key: str) -> None:
        """Read the files of a group; `GroupOpened` follows."""
        group = self._groups.get(key)
        if group is not None:
            files = facts_of(group, self._library, self._ledger)
            self._hooks.tell(events.GroupOpened(key, files))

    def settle_doubles(self, decided: Decided) -> None:
        """Set aside what was decided to go, and keep what was decided to stay; `SetAside` and `DoublesFound` follow."""
        keep_beside(self._library, [group.marks for group in decided.kept])
        outcome = Outcome()
        try:
            listener = Listener(
                progress=lambda run: self._hooks.report("Setting aside", run.files, run.all_files, False)
            )
            outcome = set_aside(
                drops_of(decided), self._library, self._ledger, stop=self._hooks.stop, listener=listener,
                places=self.look_for_places().here,
            )  # fmt: skip
            self._hooks.changed()
        finally:
            self._hooks.tell(events.Working(""))
            self._hooks.tell(events.SetAside(outcome))
        self.find_doubles()

    def empty_tray(self, trayed: Sequence[Trayed]) -> None:
        """Put files of the tray into the system's trash; `TrayEmptied` and `DoublesFound` follow."""
        emptied = empty_tray(
            trayed, self._library, places=self.look_for_places().here, stop=self._hooks.stop,
            report=lambda done, total: self._hooks.report("Emptying the tray", done, total, False),
        )  # fmt: skip
        self._hooks.tell(events.Working(""))
        self._hooks.tell(events.TrayEmptied(emptied))
        self._tell_doubles()

    def _survey(self) -> None:
        survey(
            self._library, self._ledger, stop=self._hooks.stop,
            report=lambda seen: self._hooks.report("Looking through the library", seen, 0, False),
        )  # fmt: skip


Errand = Callable[[Errands], None]
"""Something to be done with the library, on the session's thread."""
