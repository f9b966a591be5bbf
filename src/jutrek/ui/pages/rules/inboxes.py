"""The section of house rules about inboxes: what becomes of what comes there; and which folders are yours."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QPushButton

from jutrek.filing import Cleared, HouseRules, OnArrival
from jutrek.ui.pages.rules.sections import Section
from jutrek.ui.plainly import Label, plain
from jutrek.ui.theme import Theme, font

if TYPE_CHECKING:
    from jutrek.desk.inboxes import WatchedFolder


class InboxesSection(Section):
    """Inboxes."""

    watched = Signal()
    """Another folder is to be watched."""
    unwatched = Signal(object)
    """An inbox is to be watched no longer."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(
            theme,
            "A folder that a phone or a sync program fills. A file counts once it rests: whole, and closed by all "
            "who wrote it. These two rules are the house's; which folders are inboxes is yours alone.",
        )
        self.arrivals = self.choice("What comes there", {
            "ask": "waits on the Intake page", "by-itself": "comes home by itself where nothing is doubtful",
            "leave": "is left",
        })  # fmt: skip
        self.cleared = self.choice("What is home, and proven in every backup", {
            "never": "stays in the inbox", "trash": "goes into the trash of this computer", "for-good": "is deleted",
        })  # fmt: skip
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._grid.setColumnStretch(0, 1)
        self.add = QPushButton("Watch a folder…")
        self.add.setProperty("small", True)
        self.add.clicked.connect(self.watched)
        self.column.addLayout(self._grid)
        self.column.addWidget(self.add, 0, Qt.AlignmentFlag.AlignLeft)
        self.rows: dict[str, QPushButton] = {}
        self.show_inboxes(())
        self.finish()

    def fill(self) -> None:
        rules = self.rules
        self.arrivals.setCurrentIndex(max(0, self.arrivals.findData(rules.arrivals.value)))
        self.cleared.setCurrentIndex(max(0, self.cleared.findData(rules.cleared.value)))

    def read(self) -> HouseRules:
        arrivals, cleared = OnArrival(self.arrivals.currentData()), Cleared(self.cleared.currentData())
        return replace(self.rules, arrivals=arrivals, cleared=cleared)

    def show_inboxes(self, inboxes: Sequence[WatchedFolder]) -> None:
        """Show which folders are watched for this library."""
        while (item := self._grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.rows = {}
        title = Label("Your inboxes of this library" if inboxes else "You have no inbox of this library yet.")
        title.setFont(font(11.5))
        self._grid.addWidget(title, 0, 0)
        for row, one in enumerate(inboxes, 1):
            always = "  ·  by itself, whatever the rule says" if one.by_itself else ""
            words = Label(f"{plain(one.root)}{always}")
            words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            button = self.rows[one.root] = QPushButton("Watch it no longer")
            button.setProperty("link", True)
            button.setAccessibleName(f"Watch {plain(one.root)} no longer")
            button.clicked.connect(partial(self.unwatched.emit, one.root))
            self._grid.addWidget(words, row, 0)
            self._grid.addWidget(button, row, 1)
