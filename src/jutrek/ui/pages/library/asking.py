"""Asking in place, over the sentence of the Library page: for a name, or for a folder, which is completed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QObject, QRect, Qt
from PySide6.QtWidgets import QCompleter, QWidget

from jutrek.ui.theme import Theme
from jutrek.ui.widgets.askbar import AskBar

Check = Callable[[str], tuple[str, bool]]
"""What is to be said of what was typed so far, and whether it will do."""
_WIDE = 380


class Asking(QObject):
    """One question at a time."""

    def __init__(self, theme: Theme, page: QWidget, place: Callable[[], QRect], ended: Callable[[], None]) -> None:
        """
        Args:
            theme: colours and sizes.
            page: over which it asks.
            place: where.
            ended: called when nothing is asked any more.
        """
        super().__init__(page)
        self._theme, self._page, self._place, self._ended = theme, page, place, ended
        self.bar: AskBar | None = None

    def ask(
        self,
        question: str,
        answer: str,
        then: Callable[[str], object],
        *,
        name: str = "",
        hint: str = "a name",
        offers: Sequence[str] = (),
        check: Check | None = None,
    ) -> None:
        """Ask for something that is typed.

        Args:
            question: what is asked.
            answer: what the button says.
            then: hears what was typed.
            name: what stands there to begin with.
            hint: what the field asks for.
            offers: what it may be completed to.
            check: tells what is to be said of what is typed.
        """
        self.end()
        bar = self.bar = AskBar(self._theme, question, answer, self._page, field=name, hint=hint)
        bar.setAutoFillBackground(True)
        bar.accepted.connect(lambda text: self._answered(text, then, check))
        bar.refused.connect(self.end)
        bar.setGeometry(self._place())
        field = bar.field
        if field is not None:
            if offers or check is not None:
                field.setFixedWidth(_WIDE)
            if offers:
                completer = QCompleter(list(offers), field)
                completer.setFilterMode(Qt.MatchFlag.MatchContains)
                completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
                completer.setMaxVisibleItems(12)
                field.setCompleter(completer)
            if check is not None:
                field.textChanged.connect(lambda text: self._say(bar, question, text, check))
                self._say(bar, question, field.text(), check)
        bar.show()
        (field or bar.main).setFocus()
        if field is not None:
            field.selectAll()

    def confirm(self, question: str, answer: str, then: Callable[[], object]) -> None:
        """Ask whether something is to be done."""
        self.end()
        bar = self.bar = AskBar(self._theme, question, answer, self._page)
        bar.setAutoFillBackground(True)
        bar.accepted.connect(lambda _: self._answered("x", lambda _: then(), None))
        bar.refused.connect(self.end)
        bar.setGeometry(self._place())
        bar.show()
        bar.main.setFocus()

    def _say(self, bar: AskBar, question: str, text: str, check: Check) -> None:
        words, good = check(text)
        bar.say(words or question, brick=bool(words) and not good)
        bar.main.setEnabled(good)

    def _answered(self, text: str, then: Callable[[str], object], check: Check | None) -> None:
        if self._was_completing():
            return
        if text.strip() and (check is None or check(text)[1]):
            self.end()
            then(text.strip())

    def _was_completing(self) -> bool:
        """Enter in the list of what it may be completed to only takes what is marked there, or closes the list."""
        field = self.bar.field if self.bar is not None else None
        completer = field.completer() if field is not None else None
        if completer is None or not completer.popup().isVisible():
            return False
        completer.popup().hide()
        return True

    def end(self) -> None:
        """Ask nothing any more."""
        if self.bar is not None:
            self.bar.hide()
            self.bar.deleteLater()
            self.bar = None
            self._ended()
