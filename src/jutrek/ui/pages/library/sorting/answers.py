"""What is answered: it counts at once, the disk follows, and what could not be done comes back into its pile."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QPoint, Signal

from jutrek.desk.sorting import Job, Settled, TakenBack
from jutrek.errors import JutrekError
from jutrek.filing.tidying import Answer as Decision
from jutrek.sorting.pairs import worse_of
from jutrek.sorting.record import What, new_id
from jutrek.ui import paint
from jutrek.ui.pages.library.captioning import Surface
from jutrek.ui.pages.library.folders import menu_of
from jutrek.ui.pages.library.sorting.shown import Asks, Shown
from jutrek.ui.pages.library.sorting.where import short_form_of, where_to
from jutrek.ui.plainly import caption, plain

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.desk.tidying import Tidying
    from jutrek.sorting.cards import Card
    from jutrek.views.columns import Columns

    Rows = NDArray[np.int64]


class Answers(QObject):
    """Takes answers, and has them done."""

    settled = Signal()
    """Something moved on the disk, or could not."""
    restored = Signal()
    """What was said of captures, or how they were turned, is as before."""
    told = Signal()
    """The house has another short form."""

    def __init__(self, shown: Shown, asks: Asks, parent: QObject) -> None:
        super().__init__(parent)
        self._shown, self._asks = shown, asks
        self.given = 0
        """How many answers were given, or taken back, here."""
        self._said: list[tuple[str, int]] = []
        """Runs that said something of captures, and how many answers had been given then."""
        self._clashing: list[tuple[Job, Tidying]] = []
        view = shown.view
        view.grid.put_aside.connect(self.put_aside)
        view.grid.left_there.connect(self.leave_there)
        view.grid.worse_aside.connect(self._worse_aside)
        view.grid.carried.connect(self._carry)
        view.grid.dropped.connect(self._drop)
        view.cards.taken.connect(self.file)
        view.cards.asked.connect(self._folder_menu)
        view.destination.taken.connect(self.file)
        view.main.clicked.connect(self.file)
        view.aside.clicked.connect(self.put_aside)
        view.leave_there.clicked.connect(self.leave_there)
        view.decide.clicked.connect(self._decide)
        view.clashes.decided.connect(self._decided)
        view.clashes.refused.connect(self._refused)

    def forget(self) -> None:
        """Another sorting is opened."""
        self._clashing.clear()
        self._said.clear()
        self._shown.clashing = 0

    # ---- giving answers

    def file(self) -> None:
        """File what is chosen where it is said to go."""
        shown, view = self._shown, self._shown.view
        text = view.destination.text
        if shown.found is None:
            return
        if (told := short_form_of(text)) is not None:
            self._keep_short_form(*told)
            return
        rows = shown.chosen()
        going = where_to(shown.found, rows, text, view.cards.target, exists=shown.exists, by_house=False)
        if going.ready and going.target is not None:
            self._answer(What.FILED, rows, going.target)
        else:
            view.notify("Nothing is filed yet.", going.how)

    def put_aside(self) -> None:
        """Set aside what is chosen."""
        self._answer(What.ASIDE, self._shown.chosen())

    def leave_there(self) -> None:
        """Leave what is chosen where it lies: that is its place."""
        self._answer(What.LEFT, self._shown.chosen())

    def _worse_aside(self) -> None:
        """Set aside the worse ones of the doubles that are chosen."""
        shown = self._shown
        if shown.found is None:
            return
        rows = worse_of(shown.chosen(), shown.twins, shown.found.bench.put_aside)
        if len(rows):
            self._answer(What.ASIDE, rows)
        else:
            shown.view.notify("Nothing here is the worse of doubles.", "Del sets aside what is chosen.")

    def _answer(self, what: What, rows: Rows, target: str = "") -> None:
        shown, view, found = self._shown, self._shown.view, self._shown.found
        if found is None or view.clashes.isVisible():
            return
        places = np.flatnonzero(np.isin(view.grid.rows, rows))
        id_ = new_id()
        rows = found.bench.answer(id_, what, rows)
        if not len(rows):
            view.notify("Nothing is chosen.", "Choose captures first.")
            return
        if what is What.FILED:
            self._use(target)
            shown.went.setdefault(target, []).extend(rows.tolist())
        self._do(Job(shown.id, id_, what, target, found.bench.columns, tuple(rows.tolist()), found.setting))
        view.notify("")
        shown.show(int(places[0]) if len(places) else 0)
        view.closely.leave()
        shown.to_pictures()

    def _do(self, job: Job) -> None:
        self.given += 1
        by_house = self._shown.view.destination.by_house and job.what is What.FILED
        self._asks.library(
            lambda at: at.sorting.settle(job, by_house=by_house), self._on_settled, partial(self._failed, job),
            quiet=True,
        )  # fmt: skip

    # ---- what came of them

    def _on_settled(self, settled: Settled) -> None:
        job, found = settled.job, self._shown.found
        if found is not None and job.sorting == self._shown.id:
            if settled.clashing is not None:
                self._clashing.append((job, settled.clashing))
                self._shown.clashing = len(self._clashing)
            if settled.back:
                self._come_back(job, settled.back, settled.why)
            else:
                found.bench.done(job.answer)
        self.settled.emit()

    def _failed(self, job: Job, error: JutrekError) -> None:
        if self._shown.found is not None and job.sorting == self._shown.id:
            self._come_back(job, [job.columns.path(row) for row in job.rows], str(error))
        self.settled.emit()

    def _come_back(self, job: Job, paths: Sequence[str], why: str) -> None:
        """Captures did not move: they are to go again."""
        shown, stay = self._shown, set(paths)
        assert shown.found is not None
        rows = np.array([row for row in job.rows if job.columns.path(row) in stay], np.int64)
        if shown.found.bench.columns is job.columns:
            shown.found.bench.came_back(job.answer, rows)
            self._not_there(rows)
        shown.show()
        came = paint.counted(len(paths), "capture came back", "captures came back")
        shown.view.notify(f"{came}.", plain(why), brick=True)

    def _not_there(self, rows: Rows) -> None:
        """Captures are in no folder that they were filed into here."""
        gone = set(rows.tolist())
        for target, went in self._shown.went.items():
            self._shown.went[target] = [one for one in went if one not in gone]

    # ---- names that are taken

    def _decide(self) -> None:
        if self._clashing and self._shown.found is not None:
            self._shown.view.clashes.open(self._clashing[0][1], self._shown.found.view.root)

    def _decided(self, answers: dict[str, Decision]) -> None:
        shown, found = self._shown, self._shown.found
        if found is None or not self._clashing:
            return
        job, _ = self._clashing.pop(0)
        shown.clashing = len(self._clashing)
        goes = [path for path, one in answers.items() if one is not Decision.LEAVE]
        id_ = new_id()
        rows = found.bench.answer(id_, job.what, found.bench.rows_at(goes))
        if len(rows):
            self._do(job._replace(answer=id_, columns=found.bench.columns, rows=tuple(rows.tolist()), answers=answers))
        shown.view.notify("" if len(rows) else "They stay where they are.")
        shown.show()
        shown.view.grid.setFocus()

    def _refused(self) -> None:
        if self._clashing:
            self._clashing.pop(0)
        self._shown.clashing = len(self._clashing)
        self._shown.preview()
        self._shown.view.grid.setFocus()

    # ---- taking back

    def take_back(self) -> None:
        """Take back the last answer, on the disk, too; also one of weeks ago. What was said since comes first."""
        if self._said and self._said[-1][1] == self.given:
            run, _ = self._said.pop()
            self._asks.library(lambda at: at.tidying.take_back((run,)), self._said_back, quiet=True)
        elif id_ := self._shown.id:
            self._asks.library(lambda at: at.sorting.take_back(id_), self._taken_back, quiet=True)

    def remember_said(self, run: str) -> None:
        """A run said something of captures, and can be taken back."""
        self._said.append((run, self.given))

    def _said_back(self, back: tuple[int, str]) -> None:
        self.restored.emit()
        words = "They are as before." if back[0] else "Nothing could be taken back."
        self._shown.view.notify(words, plain(back[1]), brick=bool(back[1]))
        self._asks.renew()

    def _taken_back(self, back: TakenBack | None) -> None:
        shown = self._shown
        if shown.found is None:
            return
        self.given += 1
        if back is None:
            shown.view.notify("Nothing was answered that could be taken back.")
            return
        rows = shown.found.bench.reopened(back.what, back.paths)
        self._not_there(rows)
        shown.show()
        shown.go_to_pile_of(rows)
        count = paint.counted(len(back.paths), "capture is", "captures are")
        words = f"{count} to go again." if back.paths else "Nothing could be taken back."
        shown.view.notify(words, plain(back.stays), brick=bool(back.stays))
        self.settled.emit()
        if len(rows) < len(back.paths):
            # They were answered before it was opened: they are shown as soon as they are found.
            self._asks.renew()

    # ---- folders in use, and short forms

    def _use(self, target: str) -> None:
        """A folder is in use from now on: it keeps its number."""
        if target not in self._shown.in_use:
            self._shown.in_use.append(target)
            self._write_folders()

    def _write_folders(self) -> None:
        id_, folders = self._shown.id, tuple(self._shown.in_use)
        self._asks.lookup(lambda lookup: lookup.sortings.use(id_, folders))
        self._shown.show_cards()

    def _no_longer(self, target: str) -> None:
        self._shown.in_use.remove(target)
        self._write_folders()

    def _folder_menu(self, card: Card, place: QPoint) -> None:
        menu = menu_of(self._shown.view)
        name = card.target.rpartition("/")[2] or "the root"
        if card.target in self._shown.in_use:
            menu.addAction(caption(f"“{name}” is in use no longer"), partial(self._no_longer, card.target))
        else:
            menu.addAction(caption(f"Keep “{name}” in use"), partial(self._use, card.target))
        menu.popup(place)

    def _keep_short_form(self, short: str, whole: str) -> None:
        def kept(was: str) -> None:
            view = self._shown.view
            more = f"Before it stood for “{plain(was)}”." if was else "Type it, and a space, in the name of a folder."
            words = f"“{plain(short)}” stands for “{plain(whole)}”." if whole else f"“{plain(short)}” is forgotten."
            view.notify(words, more)
            view.destination.clear()
            self.told.emit()

        self._asks.lookup(lambda lookup: lookup.sortings.keep_short_form(short, whole), kept)

    # ---- carried by the pointer

    def _carry(self, place: QPoint | None) -> None:
        view = self._shown.view
        view.held.show_at(paint.counted(len(self._shown.chosen()), "capture"), place)
        view.cards.hang_over(place)

    def _drop(self, place: QPoint) -> None:
        self._carry(None)
        target = self._shown.view.cards.folder_at(place)
        if target is not None:
            self._answer(What.FILED, self._shown.chosen(), target)


def over_sorting(shown: Shown, answers: Answers, asks: Asks) -> Surface:
    """A sorting as what shows captures that are captioned."""

    def meant() -> tuple[Columns, list[int]] | None:
        rows, found = shown.chosen(), shown.found
        return (found.bench.columns, rows.tolist()) if found is not None and len(rows) else None

    view = shown.view
    return Surface(view, view.grid, view.captions, meant, view.notify, answers.remember_said, asks.library, asks.renew)
