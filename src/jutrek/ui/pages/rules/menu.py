"""The left column of the House rules page: its sections, starting points, and rules from elsewhere."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from jutrek.filing.starting import STARTS
from jutrek.ui.plainly import Label
from jutrek.ui.theme import Theme, section

WIDTH = 190
SECTIONS = (
    "Where it goes", "What it is called", "When a day starts", "Which date to trust", "Doubles",
    "Copies and extensions", "Keywords and rights", "Devices", "Inboxes",
)  # fmt: skip
_ROW = 25


class _List(QListWidget):
    """A list whose rows are taken by a click, Return or Space."""

    taken = Signal(int)

    def __init__(self, words: tuple[str, ...], name: str) -> None:
        super().__init__()
        for one in words:
            item = QListWidgetItem(one)
            item.setSizeHint(QSize(100, _ROW))
            self.addItem(item)
        self.setAccessibleName(name)
        self.setProperty("menu", True)
        self.setFixedHeight(len(words) * _ROW + 4)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemClicked.connect(lambda item: self.taken.emit(self.row(item)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self.currentRow() >= 0:
            self.taken.emit(self.currentRow())
        else:
            super().keyPressEvent(event)


class SectionMenu(QWidget):
    """Chooses a section, and what to start from."""

    opened = Signal(int)
    started = Signal(object)
    wanted_others = Signal()
    wanted_export = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(WIDTH)
        self.current = 0
        self.list = _List(SECTIONS, "Sections of the house rules")
        self.starts = _List(tuple(start.words for start in STARTS), "Start from")
        self.others = QPushButton("Copy from another library…")
        self.export = QPushButton("Write them to a file…")
        label = Label("START FROM")
        label.setFont(section())
        label.setStyleSheet(f"color: {theme.soft.name()}; padding: 8px 6px 2px 6px")
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 8, 6, 8)
        column.setSpacing(0)
        for part in (self.list, label, self.starts):
            column.addWidget(part)
        column.addSpacing(4)
        for button in (self.others, self.export):
            button.setProperty("link", True)
            column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch()
        self.list.currentRowChanged.connect(self._open)
        self.list.taken.connect(self.opened)
        self.starts.taken.connect(lambda row: self.started.emit(STARTS[row]))
        self.others.clicked.connect(self.wanted_others)
        self.export.clicked.connect(self.wanted_export)

    def mark(self, number: int) -> None:
        """Mark a section as the one that is open; -1 for none."""
        self.current = number
        self.list.blockSignals(True)
        self.list.setCurrentRow(number)
        self.list.blockSignals(False)

    def _open(self, number: int) -> None:
        if number >= 0 and number != self.current:
            self.opened.emit(number)

    def stops(self) -> list[QWidget]:
        """Where Tab stops, in order."""
        return [self.list, self.starts, self.others, self.export]
