"""Many groups decided at once: what that would come to, before it is done."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from jutrek.ui import paint
from jutrek.ui.plainly import Label
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.keyed import keyed

if TYPE_CHECKING:
    from jutrek.desk.doubles import Decided, Pile

_MOST = 2
_CARRIED = " Keywords, rights and dates go over to those that stay."


class PilesPanel(QWidget):
    """Ways to decide all groups of a degree, each with its figures and a button."""

    decided = Signal(object)
    """A pile."""
    carried_out = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._piles: list[Pile] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 10)
        column.setSpacing(4)
        self.labels: list[Label] = []
        self.buttons: list[QPushButton] = []
        for number in range(_MOST):
            label, button = Label(), QPushButton()
            label.setFont(font(12))
            label.setWordWrap(True)
            label.setStyleSheet(f"color: {theme.soft.name()}")
            button.setProperty("small", True)
            button.clicked.connect(lambda _=False, number=number: self.decided.emit(self._piles[number]))
            self.labels.append(label)
            self.buttons.append(button)
            column.addWidget(button)
            column.addWidget(label)

        self.made = Label()
        self.made.setFont(font(12.5, SEMIBOLD))
        self.made.setWordWrap(True)
        self.go = keyed(QPushButton(), "Ctrl+Enter")
        self.go.setProperty("main", True)
        self.go.setToolTip("What was decided is done; it can be taken back (Ctrl+Enter)")
        self.go.clicked.connect(self.carried_out)
        column.addWidget(self.made)
        column.addWidget(self.go)
        self.hide()

    def show_piles(self, piles: list[Pile], decided: Decided) -> None:
        """Offer piles, and to carry out what was decided; where there is neither, the panel hides."""
        self._piles = piles[:_MOST]
        for number in range(_MOST):
            there = number < len(self._piles)
            self.labels[number].setVisible(there)
            self.buttons[number].setVisible(there)
            if there:
                pile = self._piles[number]
                self.buttons[number].setText(pile.words)
                self.labels[number].setText(
                    f"In {paint.counted(len(pile.groups), 'group')}: sets {paint.counted(pile.files, 'file')} aside, "
                    f"{paint.size_words(pile.size)}.{_CARRIED if pile.carries else ''}"
                )
        count, kept = len(decided.dropped), len(decided.kept)
        size = paint.size_words(sum(one.size for one in decided.dropped))
        parts = [f"{paint.counted(count, 'file')} to set aside, {size}"] if count else []
        parts += [f"all stay in {paint.counted(kept, 'group')}"] if kept else []
        self.made.setText(f"Decided: {'; '.join(parts)}.")
        self.go.setText(f"Set {paint.counted(count, 'file')} aside" if count else "Remember what stays")
        for part in (self.made, self.go):
            part.setVisible(bool(parts))
        self.setVisible(bool(piles or parts))
