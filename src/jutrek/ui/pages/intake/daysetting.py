"""When a day starts, when a shoot parts, and which zone holds: a small panel over the board."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from datetime import date

from PySide6.QtCore import QEvent, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from jutrek.desk.board import Board
from jutrek.filing.facts import SAID
from jutrek.ui import paint
from jutrek.ui.plainly import Label
from jutrek.ui.theme import HEADLINE, SEMIBOLD, Theme, font
from jutrek.ui.widgets.askbar import keeps_escape


class FieldPanel(QWidget):
    """A card with fields, a main button, and a way out. It lies over the board."""

    left = Signal()

    def __init__(self, theme: Theme, parent: QWidget, title: str, fields: Sequence[tuple[str, str]], main: str) -> None:
        """
        Args:
            fields: label and hint of each.
            main: what the main button says.
        """
        super().__init__(parent)
        self._theme, self._title = theme, title
        self.fields: list[QLineEdit] = []
        form = QFormLayout()
        form.setSpacing(8)
        for label, hint in fields:
            field = QLineEdit()
            field.setPlaceholderText(hint)
            field.setAccessibleName(label)
            field.setMinimumWidth(250)
            field.returnPressed.connect(self._accept)
            form.addRow(label, field)
            self.fields.append(field)
        self._trouble = Label()
        self._trouble.setWordWrap(True)
        self._trouble.setStyleSheet(f"color: {theme.brick.name()}")
        self._trouble.hide()
        self.main = QPushButton(main)
        self.main.setProperty("main", True)
        self.main.clicked.connect(self._accept)
        self.cancel = QPushButton("Leave it")
        self.cancel.clicked.connect(self.leave)
        self.foot = QHBoxLayout()
        self.foot.addStretch()
        self.foot.addWidget(self.cancel)
        self.foot.addWidget(self.main)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 44, 18, 14)
        column.setSpacing(12)
        column.addLayout(form)
        column.addWidget(self._trouble)
        column.addLayout(self.foot)
        self.hide()

    def open(self, *texts: str) -> None:
        """Open with these texts in the fields."""
        for field, text in zip(self.fields, texts, strict=True):
            field.setText(text)
        self._trouble.hide()
        self.adjustSize()
        self.show()
        self.raise_()
        self.fields[0].setFocus()
        self.fields[0].selectAll()

    def leave(self) -> None:
        """Close it."""
        self.hide()
        self.left.emit()

    def _accept(self) -> None:
        try:
            self.take(*(field.text() for field in self.fields))
        except ValueError as error:
            self._trouble.setText(str(error))
            self._trouble.show()
            self.adjustSize()
            return
        self.leave()

    @abstractmethod
    def take(self, *texts: str) -> None:
        """Take what was typed.

        Raises:
            ValueError: when it cannot be taken, with the sentence to show.
        """

    def event(self, event: QEvent) -> bool:
        return keeps_escape(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.leave()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        paint.card(painter, self.rect(), self._theme.card, self._theme.accent, width=2)
        box = QRect(18, 12, self.width() - 36, 22)
        paint.text(painter, box, self._title, font(HEADLINE, SEMIBOLD), self._theme.ink)


class DaysPanel(FieldPanel):
    """Day start, gap, home zone, journeys."""

    changed = Signal(int, int, object, object)
    """Day start and gap in minutes; the zone in minutes or None; the journeys."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        fields = (
            ("A day starts at", "04:00"),
            ("A new shoot after hours without a capture", "6"),
            ("Zone at home, for times known only in UTC", "this computer's"),
            ("Journeys: from which day which zone holds", "2026-05-12 +01:00, 2026-05-20 +02:00"),
        )
        super().__init__(theme, parent, "Days and zones", fields, "Use these")

    def open_on(self, board: Board) -> None:
        """Open with what holds for a board."""
        from jutrek.desk.typed import offset_words

        journeys = ", ".join(f"{day} {offset_words(minutes)}" for day, minutes in board.journeys)
        zone = "" if board.zone is None else offset_words(board.zone)
        self.open(f"{board.day_starts // 60:02}:{board.day_starts % 60:02}", f"{board.gap / 60:g}", zone, journeys)

    def take(self, *texts: str) -> None:
        from jutrek.desk.typed import clock_of, journeys_of, offset_of

        starts, gap, zone, journeys = texts
        try:
            minutes = round(float(gap.replace(",", ".")) * 60)
        except ValueError as error:
            raise ValueError(f"Hours are written such as 6 or 1.5, not “{gap}”.") from error
        if not 1 <= minutes <= 24 * 60:
            raise ValueError("A gap is between a minute and 24 hours.")
        found: tuple[tuple[date, int], ...] = journeys_of(journeys)
        self.changed.emit(clock_of(starts), minutes, offset_of(zone) if zone.strip() else None, found)


class AboutPanel(FieldPanel):
    """What the intake is for: what house rules may file it by."""

    said = Signal(object)
    """Words by the names in `SAID`; empty ones take back what was said."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        hints = ("26-014", "a name", "a few words", "where it was")
        fields = [(name.capitalize(), hint) for name, hint in zip(SAID, hints, strict=True)]
        super().__init__(theme, parent, "What this intake is for", fields, "Keep that")

    def open_on(self, board: Board) -> None:
        """Open with what is said of an intake."""
        self.open(*(board.said.get(name, "") for name in SAID))

    def take(self, *texts: str) -> None:
        self.said.emit({name: text.strip() for name, text in zip(SAID, texts, strict=True)})


class DevicePanel(FieldPanel):
    """What a device is called, who carries it, and whether it is one."""

    named = Signal(object, object, object)
    parted = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        fields = (("Call it", "Stills body"), ("Carried by", "a name"))
        super().__init__(theme, parent, "This device", fields, "Keep that")
        self._key = ""
        self.part = QPushButton("Another body on every card")
        self.part.setToolTip("Its files name no serial number: take every card's for the work of a body of its own")
        self.part.clicked.connect(self._part)
        self.foot.insertWidget(0, self.part)

    def open_on(self, key: str, name: str, operator: str, *, several: bool) -> None:
        """Open for a device.

        Args:
            key: the device's.
            name: what it is called.
            operator: who carries it.
            several: whether it may be told apart by its sources.
        """
        self._key = key
        self.part.setVisible(several)
        self.open(name, operator)

    def take(self, *texts: str) -> None:
        self.named.emit(self._key, *texts)

    def _part(self) -> None:
        self.parted.emit(self._key)
        self.leave()
