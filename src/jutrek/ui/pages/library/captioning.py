"""Captions on the Library page and while sorting: K shows what the chosen say, beside the pictures, to be changed."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject, QPoint, Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu, QWidget

from jutrek.desk.keyword_acts import told
from jutrek.ui import paint
from jutrek.ui.pages.library.folders import menu_of
from jutrek.ui.plainly import caption, plain
from jutrek.wording.spelling import key

if TYPE_CHECKING:
    from jutrek.desk.captioning import Around, Shared
    from jutrek.desk.keyword_acts import KeywordAct, KeywordList
    from jutrek.desk.sidecars import Described
    from jutrek.errors import JutrekError
    from jutrek.ui.pages.library.asking import Asking
    from jutrek.ui.pages.library.caption_sheet import CaptionSheet
    from jutrek.ui.pages.library.grid import CaptureGrid
    from jutrek.ui.pages.library.tidying import LibraryTidying
    from jutrek.ui.pages.library.view import LibraryView
    from jutrek.views.columns import Columns
    from jutrek.wording.caption import Caption


class Surface(NamedTuple):
    """What shows captures that are captioned.

    Attributes:
        view: all of it; a sheet lies over it.
        grid: the pictures.
        sheet: shows what they say.
        meant: the columns and rows of what is meant; None where nothing is, which is said.
        say: tells something, as `StateBar.say`.
        remember: what can be taken back: a run.
        ask: has a job done by the services of the library, and its answer heard.
        renew: reads and shows what is true, at once.
        asking: asks in place; None where nothing is done everywhere.
    """

    view: QWidget
    grid: CaptureGrid
    sheet: CaptionSheet
    meant: Callable[[], tuple[Columns, list[int]] | None]
    say: Callable[..., None]
    remember: Callable[[str], None]
    ask: Callable[..., object]
    renew: Callable[[], None]
    asking: Asking | None = None


class Captions(QObject):
    """Ties what captures say to what shows them."""

    def __init__(self, surface: Surface, parent: QObject) -> None:
        super().__init__(parent)
        self._at = surface
        self._columns: Columns | None = None
        self._rows: list[int] = []
        self._asked = 0
        self.sheet = surface.sheet
        self.sheet.wanted.connect(self._write)
        self.sheet.left.connect(surface.grid.setFocus)
        if surface.asking is not None:
            self.sheet.menu_wanted.connect(self._menu)
        surface.grid.chosen.connect(self._chosen_anew)
        shortcut = QShortcut(QKeySequence("K"), surface.view, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
        shortcut.activated.connect(self.open)

    def forget(self) -> None:
        """Another library is open."""
        self._asked += 1
        self._columns, self._rows = None, []
        self.sheet.hide()

    def add_to_menu(self, menu: QMenu) -> None:
        """Offer what can be said of what is chosen."""
        menu.addAction("Keywords and words…\tK", self.open)
        where = menu.addMenu("Say where they were")
        where.addAction("By spot, town and country", partial(self._place, as_words=False))
        where.addAction("The same, and as keywords", partial(self._place, as_words=True))

    def _place(self, *, as_words: bool) -> None:
        meant = self._at.meant()
        if meant is not None:
            self._at.ask(lambda at: at.captioning.place(*meant, as_words=as_words), self._done, self._not_done)

    # ---- the sheet

    def open(self) -> None:
        """Show what is chosen says, and ask what is to be said of it."""
        meant = self._at.meant()
        if meant is not None:
            self._show(*meant)
            self.sheet.word.setFocus()

    def _chosen_anew(self) -> None:
        """Something else is chosen while nothing is written down yet: that is shown."""
        grid = self._at.grid
        if not self.sheet.isVisible() or self.sheet.touched or not len(grid.picked()):
            return
        meant = self._at.meant()
        if meant is not None and (meant[0] is not self._columns or meant[1] != self._rows):
            focus = grid.hasFocus()
            self._show(*meant)
            if focus:
                grid.setFocus()

    def _show(self, columns: Columns, rows: list[int]) -> None:
        self._columns, self._rows, self._asked = columns, rows, self._asked + 1
        counts: dict[str, tuple[str, int]] = {}
        for row in rows:
            for word in columns.words(row):
                known = counts.get(key(word), (word, 0))
                counts[key(word)] = known[0], known[1] + 1
        self.sheet.open(len(rows), dict(counts.values()))
        number = self._asked
        self._at.ask(
            lambda at: at.captioning.look(columns, rows) if number == self._asked else None,
            partial(self._fill, number), quiet=True,
        )  # fmt: skip

    def _fill(self, number: int, known: tuple[Shared, Around] | None) -> None:
        if known is not None and number == self._asked and self.sheet.isVisible():
            self.sheet.fill(*known)

    def _write(self, said: Caption) -> None:
        columns, rows = self._columns, self._rows
        if columns is None:
            return
        self._at.say("")
        self._at.ask(lambda at: at.captioning.go(columns, rows, said), self._done, self._not_done)

    def _done(self, done: Described) -> None:
        self._at.ask(lambda at: at.captioning.follow(), self._followed)
        if done.run:
            self._at.remember(done.run)
        already = f"{paint.counted(done.same, 'capture')} said so already. " if done.same else ""
        if done.run:
            words = f"{paint.counted(done.captures, 'capture says', 'captures say')} it now."
            self._at.say(words, done.why or f"{already}Ctrl+Z takes it back.", brick=bool(done.why))
        else:
            self._at.say("Nothing was written.", done.why or already, brick=bool(done.why))
        self._at.renew()

    def _followed(self, why: str) -> None:
        if why:
            self._at.say("What is said is written.", why, brick=True)

    def _not_done(self, error: JutrekError) -> None:
        self._at.say("Nothing was written.", str(error), brick=True)

    # ---- a keyword everywhere

    def _menu(self, word: str, at: QPoint) -> None:
        menu = menu_of(self._at.view)
        menu.addAction(caption(f"Call “{word}” otherwise everywhere…"), partial(self._ask_name, word))
        menu.addAction("Let it stand under…", partial(self._ask_under, word))
        menu.addAction("It is the same as…", partial(self._ask_same, word))
        menu.addAction("Take it off everywhere…", partial(self._look, lambda listed: listed.removing(word)))
        menu.popup(at)

    @property
    def _asking(self) -> Asking:
        assert self._at.asking is not None
        return self._at.asking

    def _ask_name(self, word: str) -> None:
        self._asking.ask(
            f"Call {plain(word)} everywhere:", "See", name=word, hint="another word",
            then=lambda text: self._look(lambda listed: listed.renaming(word, text)),
        )  # fmt: skip

    def _ask_under(self, word: str) -> None:
        self._asking.ask(
            f"{plain(word)} stands under:", "See", hint="another keyword",
            then=lambda text: self._look(lambda listed: listed.moving(word, text)),
        )  # fmt: skip

    def _ask_same(self, word: str) -> None:
        self._asking.ask(
            f"{plain(word)} is the same as:", "See", hint="another keyword",
            then=lambda text: self._look(lambda listed: listed.merging(word, text)),
        )  # fmt: skip

    def _look(self, act_of: Callable[[KeywordList], KeywordAct]) -> None:
        """Say first what it would do."""
        columns = self._columns
        if columns is None:
            return
        self._at.ask(
            lambda at: at.captioning.look_everywhere(columns, act_of), partial(self._confirm, columns), self._not_done
        )

    def _confirm(self, columns: Columns, act: KeywordAct) -> None:
        away = f"; {paint.counted(act.stored, 'stored one')} can't be written" if act.stored else ""
        question = f"{plain(told(act))} on {paint.counted(act.captures, 'capture')}{away}."
        self._asking.confirm(question, "Do it", partial(self._everywhere, columns, act))

    def _everywhere(self, columns: Columns, act: KeywordAct) -> None:
        self.sheet.close_it()
        self._at.ask(lambda at: at.captioning.go_everywhere(columns, act), self._done, self._not_done)


def over_library(
    view: LibraryView, tidying: LibraryTidying, ask: Callable[..., object], renew: Callable[[], None]
) -> Surface:
    """The Library page as what shows captures.

    Args:
        view: shows them.
        tidying: knows what is meant, and takes back what was done on the disk.
        ask, renew: as of `Surface`.
    """

    def meant() -> tuple[Columns, list[int]] | None:
        if view.folders.list.hasFocus():
            view.notify("The keys go to folders now.", "A click on a picture means what is chosen.")
            return None
        rows = tidying.chosen()
        return (view.view.columns, rows.tolist()) if rows is not None and view.view is not None else None

    def remember(run: str) -> None:
        tidying.remember((run,))

    return Surface(view, view.grid, view.captions, meant, view.notify, remember, ask, renew, view.asking)
