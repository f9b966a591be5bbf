"""F1: the keys of the page that is open, and those of every page."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QDialog, QGridLayout, QPushButton, QWidget

from jutrek.ui.plainly import Label
from jutrek.ui.shell.page import Key, Page
from jutrek.ui.theme import SEMIBOLD, Theme, font, section
from jutrek.ui.widgets.layout import dialog_column

TOLD: tuple[tuple[str, str, Callable[[Page], None]], ...] = (
    ("Ctrl+Return", "do what the page is about: bring home, keep, carry out", lambda page: page.go()),
    ("Ctrl+S", "keep what the page is about: save the plan, keep the rules", lambda page: page.save()),
    ("Esc", "one step back", lambda page: page.back()),
    ("Ctrl+Z", "take back what was decided last", lambda page: page.undo()),
    ("Ctrl+Shift+Z", "decide it again", lambda page: page.redo()),
)
"""What the page that is open is told by which keys, and what that does."""
ADD, HELP = "Ctrl+O", "F1"
FIND, NARROW = "Ctrl+K", "Ctrl+F"


class KeySheet(QDialog):
    """The keys of a page, and below them those of every page. F1, Esc or Close end it."""

    def __init__(
        self, theme: Theme, title: str, keys: Sequence[Key], everywhere: Sequence[Key], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Keys: {title}")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        dialog_column(self, (_table(theme, title, keys), _table(theme, "On every page", everywhere)), (close,))
        self.keys = {one for one, _ in (*keys, *everywhere)}
        self.addAction("Close", QKeySequence(HELP), self.close)


def _table(theme: Theme, title: str, keys: Sequence[Key]) -> QWidget:
    table = QWidget()
    grid = QGridLayout(table)
    grid.setContentsMargins(0, 0, 0, 6)
    grid.setHorizontalSpacing(20)
    grid.setVerticalSpacing(5)
    head = Label(title.upper())
    head.setFont(section())
    head.setStyleSheet(f"color: {theme.soft.name()}")
    grid.addWidget(head, 0, 0, 1, 2)
    for row, (one, what) in enumerate(keys, 1):
        name, words = Label(one), Label(what)
        name.setFont(font(13, SEMIBOLD))
        words.setFont(font(13))
        grid.addWidget(name, row, 0)
        grid.addWidget(words, row, 1)
    grid.setColumnMinimumWidth(0, 150)
    grid.setColumnStretch(1, 1)
    return table


def words_of(keys: str) -> str:
    """Keys as they are told: `Ctrl+Return` is Ctrl+Enter."""
    return keys.replace("Return", "Enter")
