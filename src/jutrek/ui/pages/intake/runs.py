"""What runs have to do with the Intake page: from the first button to the report."""

from __future__ import annotations

import os
from functools import partial
from typing import TYPE_CHECKING

from jutrek.desk import events
from jutrek.desk.board_captures import State
from jutrek.errors import JutrekError, Stopped
from jutrek.ui import paint
from jutrek.ui.plainly import plain

if TYPE_CHECKING:
    from jutrek.desk.answers import CaughtUp, TakenBack
    from jutrek.library import Place
    from jutrek.transfer import Choice, Outcome
    from jutrek.ui.pages.intake.view import IntakeView
    from jutrek.ui.shell.page import Page


class Runs:
    """Shows the run that is at work, and how it ended.

    Attributes:
        report: the path of the report of the last run; empty for none.
    """

    def __init__(self, page: Page, view: IntakeView) -> None:
        self._page, self._view, self._control = page, view, page.context.runs
        self.report = ""
        client = page.context.client
        view.brought.connect(self.bring_home)
        view.action_bar.paused.connect(self._pause)
        view.after.chosen.connect(self._choose_after)
        self._control.began.connect(self._show_begun)
        self._control.ended.connect(self._show_ended)
        self._control.failed.connect(self._show_failed)
        client.on(events.Running, self._show_running)
        client.on(events.Found, self._offer_finishing)
        client.on(events.PapersLeft, self._see_papers)

    @property
    def running(self) -> bool:
        """Whether files are being brought home."""
        return self._control.running

    def bring_home(self) -> None:
        """Carry out the plan that is shown."""
        if self._page.shown and self._view.action_bar.main.isEnabled():
            self._control.bring_home()

    def finish(self, run: str) -> None:
        """Bring home what a run left."""
        self._control.finish(run)

    def stop(self) -> None:
        """Stop the run, safely."""
        self._view.action_bar.say("Stopping.", "The files at hand are put away first.")
        self._view.action_bar.begin(stopping=True)
        self._control.stop()

    def _pause(self, paused: bool) -> None:
        if self._control.pause(paused):
            self._view.action_bar.show_paused(paused)

    def _choose_after(self, prove: bool, eject: bool) -> None:
        from jutrek.desk.answers import AfterRun

        self._control.after = AfterRun(prove, eject)

    # ---- while it is at work

    def _show_begun(self) -> None:
        self.report = ""
        bar = self._view.action_bar
        bar.ask()
        self._page.notify("")
        bar.say("Beginning.", "The plan is written into the journal first.")
        bar.offer(0, running=True)

    def _show_running(self, event: events.Running) -> None:
        if self.running:
            self._view.show_running(event)
            self._ask_about(event.progress.asked)

    def _ask_about(self, full: tuple[Place, ...]) -> None:
        """A place is full: the run waits until it is said what becomes of it."""
        bar = self._view.action_bar
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

    def _answer(self, place: str, choice: Choice) -> None:
        self._view.action_bar.ask()
        self._view.action_bar.offer(0, running=True)
        self._control.answer(place, choice)

    # ---- when it has ended

    def _show_ended(self, outcome: Outcome) -> None:
        self._show_over()
        self._say_outcome(outcome)

    def _show_failed(self, error: JutrekError) -> None:
        from jutrek.transfer import Outcome

        self._show_over()
        if isinstance(error, Stopped):
            self._say_outcome(Outcome(trouble=error))
        else:
            self._page.say_trouble(error)

    def _show_over(self) -> None:
        self._view.action_bar.ask()
        self._view.show_running(None)
        self._view.show_board(self._view.board)

    def _say_outcome(self, outcome: Outcome) -> None:
        bar, notify = self._view.action_bar, self._page.notify
        home, failed, trouble = outcome.home, len(outcome.failed), outcome.trouble
        came = f"{paint.counted(home, 'file')} brought home and proven."
        if self.report:
            sorts = [("Sort by hand", partial(self._sort, outcome))] if home else []
            bar.ask(("Report", self.open_report), *sorts)
        if trouble is not None:
            notify(str(trouble).split(".", maxsplit=1)[0] + ".", came, str(trouble), brick=True)
        elif outcome.gone:
            names = ", ".join(sorted(os.path.basename(root) for root in outcome.gone))
            waiting = sum(done.gone for done in outcome.done)
            more = f"{came} {paint.counted(waiting, 'file on it is', 'files on it are')} untouched."
            bar.ask(("Finish", partial(self.finish, outcome.run)))
            notify(f"{names} was pulled.", more, "Put it back in, then finish.", brick=True)
        elif failed:
            notify(f"{paint.counted(failed, 'file')} did not come home.", came, outcome.failed[0].why, brick=True)
        elif outcome.lost:
            lacks = sum(outcome.lacking(place) for place in outcome.lost)
            notify(
                came,
                "A backup dropped out.",
                f"{next(iter(outcome.lost.values()))} ({paint.counted(lacks, 'file lacks', 'files lack')}.)",
            )
        else:
            look = self._view.board.count(State.LOOK)
            waits = paint.counted(look, "capture waits", "captures wait")
            notify(came, f"{waits} for an answer." if look else "", self._cards_words())

    def _cards_words(self) -> str:
        """What is to be said of the cards."""
        sources = self._view.board.sources
        safe = [view.source.name for view in sources if view.released is not None and view.released.safe]
        if safe and len(safe) == len(sources):
            return "Every card is proven: safe to clear."
        return f"Safe to clear: {', '.join(safe)}." if safe else "The cards are as they were."

    def _see_papers(self, papers: events.PapersLeft) -> None:
        self.report = papers.report
        if papers.trouble:
            self._page.notify("The report is missing.", papers.trouble, brick=True)

    def open_report(self) -> None:
        """Show the report of the last run."""
        if self.report:
            self._page.context.show_file(self.report)

    def _sort(self, outcome: Outcome) -> None:
        """Put what came on a shelf of its own, and sort that by hand."""
        names = sorted({os.path.basename(done.row.root) for done in outcome.done if done.home})
        paths = [done.row.destination for done in outcome.done if done.home]
        self._page.context.sort_by_hand(f"From {plain(names[0])}" if len(names) == 1 else "What came", paths)

    # ---- runs of before

    def _offer_finishing(self, event: events.Found) -> None:
        """Say what the last run left, and offer to finish it, or to roll it back."""
        leftovers, notify = event.leftovers, self._page.notify
        left, home = sum(one.left for one in leftovers), sum(one.home for one in leftovers)
        if all(one.did for one in leftovers):
            more = f"{paint.counted(home, 'file')} {leftovers[-1].did}, {left:,} not. The Journal takes it back."
            notify("The last run did not end.", more)
            return
        more = f"{paint.counted(home, 'file')} came home, proven; {left:,} still on their sources."
        intakes = [one for one in leftovers if one.kind == "intake" and one.left]
        if intakes:
            run = intakes[-1].run
            finish, roll_back = partial(self.finish, run), partial(self._roll_back, run)
            self._view.action_bar.ask(("Finish", finish), ("Take it back", roll_back))
        notify("The last run did not end.", more, "Finishing reads only what is not proven yet.")

    def _roll_back(self, run: str) -> None:
        """Take back what a run brought."""
        self._view.action_bar.ask()
        self._page.ask_library(lambda library: library.runs.take_back(run), self._say_taken_back)

    def _say_taken_back(self, back: TakenBack) -> None:
        stays = back.left[0] if back.left else ""
        self._page.notify(f"{paint.counted(back.outcome.home, 'file')} {back.became}.", stays, brick=bool(stays))

    def say_caught_up(self, caught_up: CaughtUp) -> None:
        """Say what a place was brought."""
        outcome = caught_up.outcome
        words = f"{paint.counted(outcome.home + outcome.moved, 'file')} brought to {caught_up.name}."
        self._page.notify(words, outcome.why, brick=bool(outcome.why))
