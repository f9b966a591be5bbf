"""Captions on the Library page: K shows what the chosen say, beside the pictures, and what is said is written."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint, Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu

from jutrek.desk.keyword_acts import told
from jutrek.ui import paint
from jutrek.ui.pages.library.folders import menu_of
from jutrek.ui.plainly import caption, plain
from jutrek.wording.spelling import key

if TYPE_CHECKING:
    from jutrek.desk.captioning import Around, Captioned, Shared
    from jutrek.desk.keyword_acts import KeywordAct, KeywordList
    from jutrek.errors import JutrekError
    from jutrek.ui.pages.library.tidying import LibraryTidying
    from jutrek.ui.pages.library.view import LibraryView
    from jutrek.views.columns import Columns
    from jutrek.wording.caption import Caption


class LibraryCaptions(QObject):
    """Ties what captures say to a view of the library."""

    def __init__(
        self,
        view: LibraryView,
        tidying: LibraryTidying,
        ask: Callable[..., object],
        renew: Callable[[], None],
        parent: QObject,
    ) -> None:
        """
        Args:
            view: shows captures.
            tidying: knows what is meant, and takes back what was done on the disk.
            ask: has a job done by the services of the library, and its answer heard.
            renew: reads and shows what is true, at once.
            parent: keeps it.
        """
        super().__init__(parent)
        self._view, self._tidying, self._ask, self._renew = view, tidying, ask, renew
        self._columns: Columns | None = None
        self._rows: list[int] = []
        self._asked = 0
        self.sheet = view.captions
        self.sheet.wanted.connect(self._write)
        self.sheet.left.connect(view.take_focus)
        self.sheet.menu_wanted.connect(self._menu)
        view.grid.chosen.connect(self._chosen_anew)
        shortcut = QShortcut(QKeySequence("K"), view, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
        shortcut.activated.connect(self.open)

    def forget(self) -> None:
        """Another library is open."""
        self._asked += 1
        self._columns, self._rows = None, []
        self.sheet.hide()

    def add_to_menu(self, menu: QMenu) -> None:
        """Offer what can be said of what is chosen."""
        menu.addAction("Keywords and words…\tK", self.open)

    # ---- the sheet

    def open(self) -> None:
        """Show what is chosen says, and ask what is to be said of it."""
        rows, view = self._tidying.chosen(), self._view.view
        if rows is None or view is None:
            return
        self._show(view.columns, rows.tolist())
        self.sheet.word.setFocus()

    def _chosen_anew(self) -> None:
        """Something else is chosen while nothing is written down yet: that is shown."""
        view, picked = self._view.view, self._view.grid.picked()
        if view is None or not self.sheet.isVisible() or self.sheet.touched or not len(picked):
            return
        if view.columns is not self._columns or picked.tolist() != self._rows:
            focus = self._view.grid.hasFocus()
            self._show(view.columns, picked.tolist())
            if focus:
                self._view.grid.setFocus()

    def _show(self, columns: Columns, rows: list[int]) -> None:
        self._columns, self._rows, self._asked = columns, rows, self._asked + 1
        counts: dict[str, tuple[str, int]] = {}
        for row in rows:
            for word in columns.words(row):
                known = counts.get(key(word), (word, 0))
                counts[key(word)] = known[0], known[1] + 1
        self.sheet.open(len(rows), dict(counts.values()))
        number = self._asked
        self._ask(
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
        self._view.notify("")
        self._ask(lambda at: at.captioning.go(columns, rows, said), self._done, self._not_done)

    def _done(self, done: Captioned) -> None:
        self._ask(lambda at: at.captioning.follow(), self._followed)
        if done.run:
            self._tidying.remember((done.run,))
        already = f"{paint.counted(done.same, 'capture')} said so already. " if done.same else ""
        if done.run:
            words = f"{paint.counted(done.captures, 'capture says', 'captures say')} it now."
            self._view.notify(words, done.why or f"{already}Ctrl+Z takes it back.", brick=bool(done.why))
        else:
            self._view.notify("Nothing was written.", done.why or already, brick=bool(done.why))
        self._renew()

    def _followed(self, why: str) -> None:
        if why:
            self._view.notify("What is said is written.", why, brick=True)

    def _not_done(self, error: JutrekError) -> None:
        self._view.notify("Nothing was written.", str(error), brick=True)

    # ---- a keyword everywhere

    def _menu(self, word: str, at: QPoint) -> None:
        menu = menu_of(self._view)
        menu.addAction(caption(f"Call “{word}” otherwise everywhere…"), partial(self._ask_name, word))
        menu.addAction("Let it stand under…", partial(self._ask_under, word))
        menu.addAction("It is the same as…", partial(self._ask_same, word))
        menu.addAction("Take it off everywhere…", partial(self._look, lambda listed: listed.removing(word)))
        menu.popup(at)

    def _ask_name(self, word: str) -> None:
        self._view.asking.ask(
            f"Call {plain(word)} everywhere:", "See", name=word, hint="another word",
            then=lambda text: self._look(lambda listed: listed.renaming(word, text)),
        )  # fmt: skip

    def _ask_under(self, word: str) -> None:
        self._view.asking.ask(
            f"{plain(word)} stands under:", "See", hint="another keyword",
            then=lambda text: self._look(lambda listed: listed.moving(word, text)),
        )  # fmt: skip

    def _ask_same(self, word: str) -> None:
        self._view.asking.ask(
            f"{plain(word)} is the same as:", "See", hint="another keyword",
            then=lambda text: self._look(lambda listed: listed.merging(word, text)),
        )  # fmt: skip

    def _look(self, act_of: Callable[[KeywordList], KeywordAct]) -> None:
        """Say first what it would do."""
        view = self._view.view
        if view is None:
            return
        columns = view.columns
        self._ask(
            lambda at: at.captioning.look_everywhere(columns, act_of), partial(self._confirm, columns), self._not_done
        )

    def _confirm(self, columns: Columns, act: KeywordAct) -> None:
        away = f"; {paint.counted(act.stored, 'stored one')} can't be written" if act.stored else ""
        question = f"{plain(told(act))} on {paint.counted(act.captures, 'capture')}{away}."
        self._view.asking.confirm(question, "Do it", partial(self._everywhere, columns, act))

    def _everywhere(self, columns: Columns, act: KeywordAct) -> None:
        self.sheet.close_it()
        self._ask(lambda at: at.captioning.go_everywhere(columns, act), self._done, self._not_done)
