"""An outline that is written: its text at the left, what it makes and what lies beside it at the right."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from jutrek.jobs.making import Whole
from jutrek.jobs.shelf import Kept
from jutrek.ui.pages.jobs.editor import OutlineText
from jutrek.ui.pages.jobs.whole import WholeStairs
from jutrek.ui.plainly import Label
from jutrek.ui.theme import Theme, font, section
from jutrek.ui.widgets.headline import Headline
from jutrek.ui.widgets.layout import Card, scrolling
from jutrek.ui.widgets.statebar import StateBar
from jutrek.words import counted

_MARGIN = 18
_SIGNS = (
    "Folders are lines, what lies in one is moved in. Blanks stand in braces: {job} {client} {title} {year} {date}.\n"
    "Behind “ : ” stands what is said of a line: captures by {device} · called raw · from FILE · empty file · "
    "each device · if wished · unless left out.\n"
    "Above: about: · series: · blank: client : needed : one of A or B : from LIST : digits : 3 signs : usually A"
)


class OutlineView(QWidget):
    """Shows an outline, and passes wishes on as signals."""

    changed = Signal()
    kept = Signal()
    left = Signal()
    more_asked = Signal(object)
    """What else can be done: the widget that a menu opens at."""
    dropped = Signal(object, int)
    """A file is to be a starter: its path, and the line that it was dropped onto, from 0."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._notice = ""
        self.headline = Headline(theme)
        self.written = OutlineText(theme)
        self.stairs = WholeStairs(theme)
        self._figures, self._beside, self._signs = Label(), Label(), Label(_SIGNS)
        for label in (self._figures, self._beside, self._signs):
            label.setFont(font(12.5))
            label.setWordWrap(label is not self._figures)
            label.setStyleSheet(f"color: {theme.soft.name()}")
        self.more, self.back, self.main = QPushButton("More…"), QPushButton("Back to the jobs"), QPushButton("Keep")
        self.bar = StateBar(theme, (self.more, self.back, self.main))
        titles = [Label(words) for words in ("THE OUTLINE", "WHAT IT MAKES", "BESIDE IT", "HOW IT IS WRITTEN")]
        for title in titles:
            title.setFont(section())
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(titles[0])
        left.addWidget(Card(theme, self.written, fills=True), 1)
        right = QVBoxLayout()
        right.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(titles[1])
        head.addStretch()
        head.addWidget(self._figures)
        right.addLayout(head)
        self.steps = scrolling(self.stairs)
        right.addWidget(self.steps, 1)
        for widget in (titles[2], self._beside, titles[3], self._signs):
            right.addWidget(widget)
        row = QHBoxLayout()
        row.setSpacing(24)
        row.addLayout(left, 1)
        row.addLayout(right, 1)
        column = QVBoxLayout()
        column.setContentsMargins(_MARGIN, 0, _MARGIN, 12)
        column.setSpacing(4)
        column.addWidget(self.headline)
        column.addLayout(row, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(column, 1)
        whole.addWidget(self.bar)
        self.written.textChanged.connect(self.changed)
        self.written.dropped.connect(self.dropped)
        self.stairs.lined.connect(lambda line: self.written.choose(line - 1, line))
        self.main.clicked.connect(self.kept)
        self.back.clicked.connect(self.left)
        self.more.clicked.connect(lambda: self.more_asked.emit(self.more))

    def open_on(self, kept: Kept) -> None:
        """Open an outline as it is kept."""
        self.written.blockSignals(True)
        self.written.setPlainText(kept.text)
        self.written.document().setModified(False)
        self.written.blockSignals(False)
        self.show_starters(kept)

    def show_starters(self, kept: Kept) -> None:
        """Show what lies beside an outline."""
        used = kept.outline.starters if kept.outline is not None else kept.starters.keys()
        names = [f"{name}{'' if name in used else ' (no line copies it)'}" for name in kept.starters]
        self._beside.setText(", ".join(names) or "No starter file. Drop one onto the line of a folder.")
        about = kept.outline.about if kept.outline is not None and kept.outline.about else "an outline"
        self.headline.say(kept.name, f"{about} · kept in the library, the same for everybody who opens it")

    def show_read(self, kept: Kept, whole: Whole | None, why: str) -> None:
        """Show how it reads by now, and what it would make.

        Args:
            kept: as it was read.
            whole: what it would make with some example; None for nothing.
            why: why nothing, if it can be used all the same.
        """
        self.show_starters(kept)
        self.written.point_at(kept.trouble)
        if whole is not None:
            self.stairs.show_whole(whole)
        files = counted(whole.files, "starter file") if whole is not None else ""
        made = f"{counted(whole.folders, 'folder')} and {files}" if whole is not None else why
        self._figures.setText("as it was before" if kept.trouble is not None else made)
        self._say(kept)

    def notify(self, words: str) -> None:
        """Say something until the next change; no words end it."""
        self._notice = words
        if words:
            self.bar.say(words)

    def _say(self, kept: Kept) -> None:
        self.main.setEnabled(self.written.document().isModified())
        under = "Tab and Shift+Tab move a line in and out · Alt+Up and Alt+Down, or a drag of its number, up and down"
        if kept.trouble is not None:
            where = f"line {kept.trouble.line}"
            self.bar.say(f"It can't be used yet, {where}:", kept.trouble.trouble, under, amber=True)
        elif self._notice:
            self.bar.say(self._notice, "", under)
        else:
            state = "Changed, and not kept yet." if self.written.document().isModified() else "Kept."
            self.bar.say(state, "The next job follows what is kept; those that there are stay as they are.", under)
        self._notice = ""
