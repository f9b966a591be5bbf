"""How the places are: what was proven there and when, what they lack, what is bad."""

from __future__ import annotations

from PySide6.QtCore import QLocale, QRect, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from jutrek.desk.events import PlaceState
from jutrek.errors import shown
from jutrek.ui import paint
from jutrek.ui.plainly import local
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font

_HEIGHT = 108
"""Pixels of a card with one row of buttons."""
_BUTTON, _BETWEEN = 26, 8
_ABREAST = 2
"""Buttons beside each other: what they say must fit the column."""


class PlaceCard(QWidget):
    """One place, with what can be done about it."""

    wanted = Signal(object, object)
    """What: `check`, `catch up`, `library`, `copy`, `mend` or `let go`; and the place's id."""

    def __init__(self, theme: Theme, state: PlaceState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self.state = theme, state
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(12, _HEIGHT - 38, 12, 8)
        rows.setSpacing(_BETWEEN)
        self.buttons: dict[str, QPushButton] = {}
        tips = {
            "library": "The library's versions go there; the changed ones are kept aside in this backup",
            "copy": "The changed ones come home; the library's versions are kept aside there",
        }
        for what, words, is_shown in (
            ("library", "Library is right", bool(state.changed)),
            ("copy", "Copy is right", bool(state.changed)),
            ("catch up", f"Bring {paint.counted(state.lacks, 'file')}", state.here and state.lacks > 0),
            ("mend", f"Mend {paint.counted(state.bad, 'file')}", state.here and state.bad > 0),
            ("let go", "Miss no more", state.bad > 0),
            ("check", "Check", state.here and state.proven + state.unproven > 0),
        ):
            if is_shown:
                button = self.buttons[what] = QPushButton(words)
                button.setProperty("small", True)
                button.setToolTip(tips.get(what, ""))
                button.setAccessibleName(f"{words}: {state.place.name}")
                button.clicked.connect(lambda _=False, what=what: self.wanted.emit(what, state.place.id))
        buttons = list(self.buttons.values())
        for start in range(0, len(buttons), _ABREAST):
            row = QHBoxLayout()
            row.setSpacing(_BETWEEN)
            for button in buttons[start : start + _ABREAST]:
                row.addWidget(button)
            row.addStretch()
            rows.addLayout(row)
        more = max(0, -(-len(buttons) // _ABREAST) - 1)
        self.setFixedHeight(_HEIGHT + more * (_BUTTON + _BETWEEN))
        self.setAccessibleName(f"{state.place.name}: {'. '.join(words for words, _ in self.lines())}")

    def lines(self) -> list[tuple[str, QColor]]:
        """What is said of the place, with colours."""
        state, theme = self.state, self._theme
        oldest, files = local(state.oldest), paint.counted(state.proven, "file")
        day = QLocale().toString(oldest, "d MMM yyyy") if oldest is not None else ""
        if state.place.archive:
            proven = f"{files} stored{f', read since {day}' if day else ''}"
        else:
            proven = f"{files} read back{f', the oldest on {day}' if day else ''}"
        if state.here and not state.place.id and not (state.proven or state.unproven or state.bad):
            return [("Nothing is in it yet.", theme.soft)]
        lines = [(proven, theme.soft)]
        if not state.here:
            lines.append(("Not connected.", theme.amber))
        if state.bad:
            lines.append((f"{paint.counted(state.bad, 'file')} rotted, unreadable or gone.", theme.brick))
        elif state.changed:
            words = f"{paint.counted(len(state.changed), 'file')} changed there: {shown(state.changed[0])}"
            lines.append((words, theme.amber))
        elif state.lacks:
            size = paint.size_words(state.lacks_bytes)
            lines.append((f"Is missing {paint.counted(state.lacks, 'file')} ({size}).", theme.amber))
        elif state.unproven:
            lines.append((f"{paint.counted(state.unproven, 'file was', 'files were')} never read back.", theme.soft))
        elif state.partly:
            lines.append((f"{paint.size_words(state.partly)} of files that were partly copied.", theme.soft))
        elif state.here:
            is_copy = state.place.id and not state.place.archive
            lines.append(("Has everything." if is_copy else "All of it was read back.", theme.accent))
        return lines

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        line = QRect(12, 9, self.width() - 24, 18)
        used = paint.text(painter, line, self.state.place.name, font(13, BOLD), theme.ink)
        if self.state.place.archive:
            paint.text(painter, line.adjusted(used + 8, 0, 0, 0), "archive drive", font(12), theme.soft)
        for number, (words, colour) in enumerate(self.lines()[:2]):
            paint.text(painter, line.translated(0, 20 + 18 * number), words, font(12), colour)


class PlacesColumn(QWidget):
    """All places, one below the other, and a way to have one more."""

    wanted = Signal(object, object)
    added = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.cards: dict[str, PlaceCard] = {}
        self.add = QPushButton("Add a backup…")
        self.add.setProperty("link", True)
        self.add.setToolTip("A folder on another drive that gets a copy of everything")
        self.add.clicked.connect(self.added)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 22, 0, 0)
        self._column.setSpacing(8)
        self._column.addWidget(self.add)
        self._column.addStretch()

    def show_places(self, states: tuple[PlaceState, ...]) -> None:
        """Show how all places are."""
        for card in self.cards.values():
            card.deleteLater()
        self.cards = {}
        for number, state in enumerate(states):
            card = PlaceCard(self._theme, state)
            card.wanted.connect(self.wanted)
            self._column.insertWidget(number, card)
            self.cards[state.place.id] = card

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        paint.text(QPainter(self), QRect(0, 0, 200, 18), "COPIES", font(11.5, SEMIBOLD, spaced=True), self._theme.soft)
