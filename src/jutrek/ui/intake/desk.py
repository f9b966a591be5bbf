"""Ties the Intake page to the session where runs, cards and places are concerned."""

from __future__ import annotations

import os
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QDialog

from jutrek.desk.board import State
from jutrek.desk.events import AfterRun
from jutrek.ui import paint
from jutrek.ui.intake.tiles import AppearedTile
from jutrek.ui.theme import current

if TYPE_CHECKING:
    from jutrek.desk import events
    from jutrek.desk.errands import Errand
    from jutrek.library import Place
    from jutrek.transfer import Leftover, Outcome
    from jutrek.transfer.certificate import Certificate
    from jutrek.ui.window import MainWindow


class RunDesk(QObject):
    """Runs, from the first button to the last card that may be pulled."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window, self._page = window, window.page
        self.running = False
        self.close_after = False
        self.report = ""
        """The path of the report of the last run; empty for none."""
        self._certificates: dict[str, tuple[Certificate, str]] = {}
        self._known: set[str] | None = None
        page, column = self._page, self._page.from_column
        page.brought.connect(self.bring_home)
        page.stopped.connect(self.stop)
        page.action_bar.paused.connect(self.pause)
        page.after.chosen.connect(self._choose_after)
        page.copies.added.connect(self.choose_place)
        page.copies.forgotten.connect(lambda id_: self._errand(lambda errands: errands.forget_place(id_)))
        page.copies.caught_up.connect(lambda id_: self._errand(lambda errands: errands.catch_up(id_)))
        column.proved.connect(lambda root: self._errand(lambda errands: errands.release(root)))
        column.ejected.connect(lambda root: self._errand(lambda errands: errands.eject(root)))
        column.cleared.connect(self.clear)
        column.certified.connect(self._show_certificate)
        column.asked.connect(self.ask_about_unbrought)

    def _errand(self, errand: Errand) -> None:
        """Have something done with the library, by the session."""
        self._window.wish(lambda session: session.errand(errand))

    def bring_home(self) -> None:
        """Carry out the plan that is shown."""
        page = self._page
        if self.running or not self._window.on_intake or not page.action_bar.main.isEnabled():
            return
        self._begin()
        self._window.wish(lambda session: session.bring_home())

    def _begin(self) -> None:
        self.running = True
        self.report = ""
        self._page.action_bar.ask()
        self._page.notify("")
        self._page.action_bar.say("Beginning.", "The plan is written into the journal first.")
        self._page.action_bar.offer(0, running=True)

    def pause(self, paused: bool) -> None:
        """Let the run pause, or go on."""
        steering = self._window.session.steering if self._window.session is not None else None
        if steering is not None and self.running:
            steering.pause() if paused else steering.go_on()
            self._page.action_bar.show_paused(paused)

    def stop(self) -> None:
        """Stop the run, safely."""
        self._page.action_bar.say("Stopping.", "The files at hand are put away first.")
        if self._window.session is not None:
            self._window.session.stop()

    def choose_place(self) -> None:
        """Ask for a folder on another drive, and keep copies there from now on."""
        from PySide6.QtWidgets import QFileDialog

        path = QFileDialog.getExistingDirectory(self._window, "A folder on another drive, for copies of everything")
        if path:
            self._errand(lambda errands: errands.add_place(path))

    def clear(self, root: str) -> None:
        """Show what would go from a card, and let it go on demand."""
        found = self._certificates.get(root)
        if found is None or self.running:
            return
        from jutrek.ui.intake.clearing import ClearDialog

        dialog = ClearDialog(current(), found[0], self._window)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            way = dialog.way
            self._errand(lambda errands: errands.clear(root, way))
        dialog.deleteLater()

    def ask_about_unbrought(self, root: str) -> None:
        """Show what was not brought from a card, and let it come along, or be declared unwanted."""
        found = self._certificates.get(root)
        if found is None or self.running:
            return
        from jutrek.ui.intake.unbrought import UnbroughtDialog

        dialog = UnbroughtDialog(current(), found[0], self._window)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            if dialog.along:
                self._bring_along(root)
            else:
                self._declare(root, dialog.ticked, back=False)
        dialog.deleteLater()

    def _bring_along(self, root: str) -> None:
        from jutrek.captures.decisions import BringAlong

        self._window.wish(lambda session: session.change(BringAlong(frozenset({root}))))
        self._page.action_bar.ask()
        self._page.notify("All of it comes along with the next run.", "Ctrl+Z takes that back.")

    def _declare(self, root: str, paths: frozenset[str], *, back: bool) -> None:
        """Declare things unwanted, or take that back; the new verdict follows."""
        self._errand(lambda errands: errands.declare_unwanted(root, paths, back=back))
        self._page.action_bar.ask(
            *([] if back else [("Take that back", partial(self._declare, root, paths, back=True))])
        )

    def hear(self, event: events.Event) -> bool:
        """Hear what the session tells. Returns whether that is nobody else's matter."""
        from jutrek.desk import events

        page = self._page
        match event:
            case events.Running(progress) if not self.running:
                words = "Copying and proving." if progress.places else "Moving."
                page.show_working(words, f"{progress.files:,} of {progress.all_files:,}")
            case events.Running():
                page.show_running(event)
                self._ask_about(event.progress.asked)
            case events.Ended(outcome):
                self.break_off()
                self._say_outcome(outcome)
            case events.Found(leftovers):
                self._offer_finishing(leftovers)
            case events.PapersLeft(report, trouble):
                self._hear_papers(report, trouble)
            case events.Released(root, certificate, path):
                self._certificates[root] = certificate, path
                if not self.running:
                    if certificate.others or certificate.unaccounted:
                        page.action_bar.ask(("What was not brought…", partial(self.ask_about_unbrought, root)))
                    page.notify(*_parted(certificate.verdict), path, brick=not certificate.safe)
            case events.LetGo(root, words, gone):
                self._hear_let_go(root, words, gone)
            case events.Cleared(root, cleared):
                self._certificates.pop(root, None)
                stayed = f"{paint.counted(len(cleared.stayed), 'file')} stay on it." if cleared.stayed else ""
                words = f"{paint.counted(cleared.gone, 'file')} cleared from {os.path.basename(root)}."
                page.notify(words, stayed, cleared.stayed[0][1] if cleared.stayed else "", brick=bool(cleared.stayed))
            case _:
                return self._hear_of_places(event)
        return True

    def _hear_of_places(self, event: events.Event) -> bool:
        """Hear what is told of places and drives. Returns whether it was that."""
        from jutrek.desk import events

        match event:
            case events.PlacesKnown(places):
                self._page.copies.show_states(places)
            case events.CaughtUp(name, outcome):
                self._hear_caught_up(name, outcome)
            case events.DrivesChanged(drives):
                self._see_drives(drives)
            case _:
                return False
        return True

    def break_off(self) -> None:
        """A run could not go on, or not begin."""
        if self.running:
            self.running = False
            self._page.action_bar.ask()
            self._page.show_running(None)
            self._page.show_board(self._page.board)
            if self.close_after:
                self._window.close()

    def _ask_about(self, full: tuple[Place, ...]) -> None:
        """A place is full: the run waits until it is said what becomes of it."""
        bar = self._page.action_bar
        if not full:
            if bar.asking:
                bar.ask()
                bar.offer(0, running=True)
            return
        if bar.asking:
            return
        from jutrek.transfer import Choice

        place = full[0]
        again = ("Room was made: go on", partial(self._answer, place.id, Choice.AGAIN))
        without = (f"Go on without {place.name}", partial(self._answer, place.id, Choice.WITHOUT))
        stop = ("Stop", partial(self._answer, place.id, Choice.STOP))
        bar.ask(again, without if place.id else stop)
        bar.say(f"{place.name} is full.", "Everything waits where it is.", "What is proven is home.", amber=True)
        bar.offer(0, running=True)

    def _answer(self, place: str, choice: object) -> None:
        steering = self._window.session.steering if self._window.session is not None else None
        self._page.action_bar.ask()
        self._page.action_bar.offer(0, running=True)
        if steering is not None:
            steering.answer(place, choice)

    def _offer_finishing(self, leftovers: tuple[Leftover, ...]) -> None:
        """Say what the last run left, and offer to finish it, or to roll it back."""
        page = self._page
        left, home = sum(one.left for one in leftovers), sum(one.home for one in leftovers)
        if all(one.moved for one in leftovers):
            more = f"{home:,} files moved; {left:,} lie where they lay. House rules can plan it anew, or take it back."
            page.notify("The last re-filing did not end.", more)
            return
        more = f"{home:,} files came home and are proven; {left:,} are still on their sources."
        intakes = [one for one in leftovers if one.kind == "intake" and one.left]
        if intakes:
            run = intakes[-1].run
            page.action_bar.ask(("Finish", partial(self.finish, run)), ("Roll back", partial(self.roll_back, run)))
        page.notify("The last run did not end.", more, "Finishing reads only what is not proven yet.")

    def finish(self, run: str) -> None:
        """Bring home what a run left."""
        self._begin()
        after = self._window.session.after if self._window.session is not None else AfterRun()
        self._errand(lambda errands: errands.finish(run, after))

    def roll_back(self, run: str) -> None:
        """Take back what a run brought."""
        self._page.action_bar.ask()
        self._errand(lambda errands: errands.take_back(run))

    def _hear_papers(self, report: str, trouble: str) -> None:
        self.report = report
        if trouble:
            self._page.notify("The report is missing.", trouble, brick=True)
        elif not self.running and report:
            self.open_report()

    def open_report(self) -> None:
        """Show the report of the last run."""
        if self.report:
            QDesktopServices.openUrl(QUrl.fromLocalFile(self.report))

    def _choose_after(self, prove: bool, eject: bool) -> None:
        if self._window.session is not None:
            self._window.session.after = AfterRun(prove, eject)

    def _show_certificate(self, root: str) -> None:
        if root in self._certificates:
            QDesktopServices.openUrl(QUrl.fromLocalFile(self._certificates[root][1]))

    def _hear_caught_up(self, name: str, outcome: Outcome) -> None:
        page = self._page
        page.show_working("")
        words = f"{paint.counted(outcome.home + outcome.moved, 'file')} brought to {name}."
        page.notify(words, outcome.why, brick=bool(outcome.why))

    def _hear_let_go(self, root: str, words: str, gone: bool) -> None:
        tile = self._page.from_column.tiles.get(root)
        if gone and tile is not None:
            tile.show_left("may be pulled")
        if not self.running:
            said = words or "It is a folder on this computer: there is nothing to pull."
            self._page.notify(*_parted(said), brick=bool(words) and not gone)

    def _see_drives(self, drives: tuple[tuple[object, bool], ...]) -> None:
        """Cards that appeared are asked about; those that are gone are not."""
        from jutrek.sources import Drive

        column = self._page.from_column
        there = {drive.id: (drive, is_card) for drive, is_card in drives if isinstance(drive, Drive)}
        for key in [key for key in column.appeared if key not in there]:
            column.take_appeared(key)
        known, self._known = self._known, set(there)
        for key, (drive, is_card) in there.items():
            if drive.mount in column.tiles or (known is not None and key in known and key not in column.appeared):
                continue
            if not (is_card or not drive.mount):
                continue
            size = paint.size_words(drive.size) if drive.size else drive.filesystem
            words = "Read it" if drive.mount else "Mount and read"
            tile = AppearedTile(current(), key, drive.title, size, words)
            tile.wanted.connect(partial(self._take_drive, drive))
            column.show_appeared(tile)
        for root, source in column.tiles.items():
            if any(drive.mount and root.startswith(drive.mount) for drive, _ in there.values()):
                source.show_left("")

    def _take_drive(self, drive: object, key: str) -> None:
        self._page.from_column.take_appeared(key)
        self._window.wish(lambda session: session.add_drive(drive))

    def _say_outcome(self, outcome: Outcome) -> None:
        page = self._page
        home, failed, trouble = outcome.home, len(outcome.failed), outcome.trouble
        came = f"{paint.counted(home, 'file')} brought home and proven."
        if self.report:
            page.action_bar.ask(("Report", self.open_report))
        if trouble is not None:
            page.notify(str(trouble).split(".", maxsplit=1)[0] + ".", came, str(trouble), brick=True)
        elif outcome.gone:
            names = ", ".join(sorted(os.path.basename(root) for root in outcome.gone))
            waiting = sum(done.gone for done in outcome.done)
            more = f"{came} {paint.counted(waiting, 'file')} on it are untouched."
            page.action_bar.ask(("Finish", partial(self.finish, outcome.run)))
            page.notify(f"{names} was pulled.", more, "Put it back in, then finish.", brick=True)
        elif failed:
            page.notify(f"{paint.counted(failed, 'file')} did not come home.", came, outcome.failed[0].why, brick=True)
        elif outcome.lost:
            lacks = sum(outcome.lacking(place) for place in outcome.lost)
            page.notify(came, "A place dropped out.", f"{next(iter(outcome.lost.values()))} ({lacks:,} files lack.)")
        else:
            look = page.board.count(State.LOOK)
            waits = paint.counted(look, "capture waits", "captures wait")
            page.notify(came, f"{waits} for an answer." if look else "", self._cards_words())

    def _cards_words(self) -> str:
        """What is to be said of the cards."""
        views = [view for view in self._page.board.sources if view.released is not None]
        safe = [view.source.name for view in views if view.released is not None and view.released.safe]
        if safe and len(safe) == len(self._page.board.sources):
            return "Every card is proven: safe to clear."
        return f"Safe to clear: {', '.join(safe)}." if safe else "The cards are as they were."


def _parted(sentence: str) -> tuple[str, str]:
    """A sentence as a short state and the rest."""
    state, sign, rest = sentence.partition(": ")
    return (f"{state}:" if sign else sentence), rest
