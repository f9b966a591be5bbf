"""The pictures of a pile, large: they are chosen by pointer and keys; doubles stand side by side."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar

from PySide6.QtCore import QLocale, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent, QPainter, QPixmap
from PySide6.QtWidgets import QWidget

from jutrek.formats import Precision
from jutrek.sorting.pairs import Twin
from jutrek.ui import paint
from jutrek.ui.pages.library.cell import Cells
from jutrek.ui.pages.library.grid import CaptureGrid
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import Theme, font

if TYPE_CHECKING:
    from jutrek.desk.laid_out import View

SIZES = (QSize(146, 97), QSize(226, 151), QSize(470, 313))
USUAL = 1
_LOCALE = QLocale(QLocale.Language.English)
_NAME = 56
"""Pixels for a name beside a date, at least."""


class _Cells(Cells):
    """Draws pictures of a pile, with when they were shot before their names."""

    steps: ClassVar[tuple[QSize, ...]] = SIZES
    whole: ClassVar[bool] = True

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.twins: Mapping[int, Twin] = {}

    def draw(
        self,
        painter: QPainter,
        box: QRect,
        view: View,
        row: int,
        picture: QPixmap | None,
        *,
        chosen: bool,
        current: bool,
    ) -> None:
        super().draw(painter, box, view, row, picture, chosen=chosen, current=current)
        if (twin := self.twins.get(row)) is not None:
            frame = self.frame(box)
            self.badge(painter, QPoint(frame.left() + 4, frame.bottom() - 24), twin.words)
            if twin.follows:
                # What is a double of the one before is held together with it.
                painter.fillRect(QRect(box.left() - 5, frame.center().y() - 3, 8, 6), self._theme.amber)

    def picture(self, painter: QPainter, frame: QRect, picture: QPixmap | None) -> None:
        painter.fillRect(frame, self._theme.track)
        if picture is not None and not picture.isNull():
            size = picture.deviceIndependentSize().toSize().scaled(frame.size(), Qt.AspectRatioMode.KeepAspectRatio)
            box = QRect(QPoint(0, 0), size)
            box.moveCenter(frame.center())
            painter.drawPixmap(box, picture)

    def caption(self, painter: QPainter, line: QRect, view: View, row: int, face: QFont) -> None:
        columns = view.columns
        when, precision = columns.when(row), columns.precision[row]
        clock = ", HH:mm" if precision >= Precision.MINUTE else ""
        forms = (f"ddd d MMM yyyy{clock}", f"d MMM yyyy{clock}", "d MMM yyyy") if precision >= Precision.DAY else ()
        said = (_LOCALE.toString(when, one) for one in forms) if when is not None else ()
        words = next((one for one in said if paint.width_of(one, face) + _NAME <= line.width()), "")
        if not words:
            super().caption(painter, line, view, row, face)
            return
        used = paint.text(painter, line, words, face, self._theme.ink)
        room = line.adjusted(used + 12, 0, 0, 0)
        stem = columns.name(row).rpartition(".")[0] or columns.name(row)
        paint.name(painter, room, stem, font(11.5), self._theme.soft, align=paint.RIGHT)


class PileGrid(CaptureGrid):
    """The captures of a pile."""

    widened = Signal()
    """What goes along is to be chosen, too."""
    put_aside = Signal()
    left_there = Signal()
    worse_aside = Signal()
    numbered = Signal(object)
    """A figure was typed: the number of a folder begins with it."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        self._own = _Cells(theme)
        super().__init__(theme, pictures, parent, self._own)
        self.setAccessibleName("Captures of this pile")

    def show_twins(self, twins: Mapping[int, Twin]) -> None:
        """Show which rows are doubles."""
        self._own.twins = twins
        self.viewport().update()

    def right_of(self, row: int) -> QPoint | None:
        """Where a picture ends at the right, in the middle of its height; None where it can't be seen."""
        at = next((at for at in self._visible() if int(self.rows[at]) == row), None)
        if at is None:
            return None
        frame = self._own.frame(self._lines.box(at)).translated(0, -self._top())
        return QPoint(frame.right(), max(0, min(frame.center().y(), self.viewport().height())))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, held = event.key(), event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        plain = held == Qt.KeyboardModifier.NoModifier
        does = {Qt.Key.Key_Delete: self.put_aside, Qt.Key.Key_L: self.left_there, Qt.Key.Key_W: self.worse_aside}
        if plain and event.text().isdigit():
            self.numbered.emit(event.text())
        elif key == Qt.Key.Key_Space and held == Qt.KeyboardModifier.ShiftModifier:
            self.widened.emit()
        elif plain and (signal := does.get(Qt.Key(key))) is not None:
            signal.emit()
        else:
            super().keyPressEvent(event)
