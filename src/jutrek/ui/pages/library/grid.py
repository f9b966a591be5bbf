"""The captures of a view: by days, or in one row; any number of them, of which only what can be seen is painted."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea, QFrame, QWidget

from jutrek.decoding import Shown
from jutrek.formats import Kind
from jutrek.ui import paint
from jutrek.ui.pages.library.cell import Cells
from jutrek.ui.pages.library.lines import Group, Lines
from jutrek.ui.pages.library.words import day_title, spoken
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import SEMIBOLD, THIN, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken
from jutrek.views.columns import KINDS
from jutrek.views.laying import Apart

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.desk.laid_out import View

_TITLE = 38
_MOST_SPOKEN = 120
_FOUND_AGAIN = 5000
"""So many captures that are chosen are found again in columns that were built anew."""


class CaptureGrid(QAbstractScrollArea, Spoken):
    """The captures of a view, which are chosen by pointer and keys."""

    chosen = Signal()
    """What is chosen, or current, is another."""
    looked = Signal()
    left = Signal()
    above = Signal()
    """Up was pressed in the first line."""
    asked = Signal(object)
    """What may be done with what is chosen: where a menu opens, on the screen."""
    carried = Signal(object)
    """What is chosen hangs at a point of the screen; None once it does no longer."""
    dropped = Signal(object)
    """What is chosen was let go of at a point of the screen."""

    def __init__(
        self, theme: Theme, pictures: Pictures, parent: QWidget | None = None, cells: Cells | None = None
    ) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self._view: View | None = None
        self.rows: NDArray[np.int64] = np.zeros(0, np.int64)
        self._picked: NDArray[np.bool_] = np.zeros(0, bool)
        self._current, self._anchor = -1, -1
        self._is_part = False
        self._cells = cells or Cells(theme)
        self._lines = Lines((), 1, QSize(1, 1), 0)
        self._band: QRect | None = None
        self._before_band = self._picked
        self._pressed: QPoint | None = None
        self._carries, self._gap = False, -1
        """Whether what is chosen hangs at the pointer, and in front of which capture it would be put."""
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.verticalScrollBar().setSingleStep(40)
        self.setAccessibleName("Captures of this view")
        pictures.ready.connect(self._on_ready)

    # ---- what is shown

    def show_view(self, view: View, rows: NDArray[np.int64] | None = None) -> None:
        """Show a view; what was chosen stays so where it is still there.

        Args:
            view: laid out.
            rows: of its captures, where not all of them are shown; as one group.
        """
        # Of columns that were only marked otherwise the rows are the same.
        same = self._view is not None and self._view.columns.name_bytes is view.columns.name_bytes
        picked = self.rows[self._picked] if same else self._found_again(view)
        row = self.row
        path = self._view.columns.path(row) if self._view is not None and row >= 0 and not same else ""
        self._view, self._is_part = view, rows is not None
        self.rows = view.rows if rows is None else rows
        self._picked = np.isin(self.rows, picked) if len(picked) else np.zeros(len(self.rows), bool)
        self._current = self._anchor = -1
        self._lay()
        if path:
            row = view.columns.row_of(path)
        if row >= 0 and len(places := np.flatnonzero(self.rows == row)):
            self._current = self._anchor = int(places[0])
        elif len(self.rows) and rows is None:
            self.verticalScrollBar().setValue(0)
        self.viewport().update()
        self.chosen.emit()

    def _found_again(self, view: View) -> NDArray[np.int64]:
        """The rows of what is chosen in a view of columns that were built anew; of very many nothing is."""
        if self._view is None or not 0 < np.count_nonzero(self._picked) <= _FOUND_AGAIN:
            return np.zeros(0, np.int64)
        paths = self._view.columns.paths(self.rows[self._picked].tolist())
        return np.array(sorted(view.columns.rows_of(paths).values()), np.int64)

    def show_size(self, step: int) -> None:
        """Show pictures in another size, the smallest for 0."""
        self._cells.show_size(step)
        self._lay()
        self._show_current()
        self.viewport().update()

    def _lay(self) -> None:
        columns, cell = self._cells.fit(self.viewport().width())
        groups: Sequence[Group] = ()
        titled = self._view is not None and not self._is_part and self._view.apart in (Apart.DAYS, Apart.FOLDERS)
        if self._view is not None and titled:
            found = self._view.groups
            groups = [Group((day, words), rows.start, rows.stop - rows.start) for day, words, rows in found]
        elif len(self.rows):
            groups = [Group((None, ""), 0, len(self.rows))]
        self._lines = Lines(groups, columns, cell, _TITLE if titled else 0)
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, self._lines.height - self.viewport().height()))
        bar.setPageStep(self.viewport().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._lay()

    def _top(self) -> int:
        return self.verticalScrollBar().value()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self.viewport().scroll(0, dy)

    def seen_folders(self) -> list[tuple[int, int, float]]:
        """Of each capture that is seen: its group, the number of its folder, and how high its middle is in pixels."""
        view = self._view
        if view is None:
            return []
        found: list[tuple[int, int, float]] = []
        for at in self._visible():
            number = int(view.tree.of_code[view.columns.folder[self.rows[at]]])
            middle = self._lines.box(at).center().y() - self._top()
            found.append((self._lines.group_of(at), number, min(max(0, middle), self.viewport().height())))
        return found

    # ---- what is chosen

    @property
    def row(self) -> int:
        """The row of the current capture in the columns; -1 for none."""
        return int(self.rows[self._current]) if 0 <= self._current < len(self.rows) else -1

    @property
    def at(self) -> int:
        """Which of the view's captures is current; -1 for none."""
        return self._current

    def picked(self) -> NDArray[np.int64]:
        """The rows of what is chosen, in the order of shooting."""
        return self.rows[self._picked]

    def pick(self, rows: NDArray[np.int64]) -> None:
        """Choose captures by their rows, as far as they are shown; the first one is the current one."""
        self._picked = np.isin(self.rows, rows)
        places = np.flatnonzero(self._picked)
        if len(places):
            self._current = self._anchor = int(places[0])
            self._show_current()
        self._tell()

    def pick_all(self) -> None:
        """Choose all."""
        self._picked[:] = True
        self._tell()

    def choose(self, at: int, *, add: bool = False, span: bool = False) -> None:
        """Make a capture the current one.

        Args:
            at: which of the view's.
            add: whether what is chosen stays so, and this is put to it or taken from it.
            span: whether all from the last one that was chosen alone up to it are chosen.
        """
        if not 0 <= at < len(self.rows):
            return
        if span and self._anchor >= 0:
            if not add:
                self._picked[:] = False
            low, high = sorted((self._anchor, at))
            self._picked[low : high + 1] = True
        elif add:
            self._picked[at] = not self._picked[at]
            self._anchor = at
        else:
            self._picked[:] = False
            self._picked[at] = True
            self._anchor = at
        self._current = at
        self._show_current()
        self._tell()

    def _show_current(self) -> None:
        if not 0 <= self._current < len(self.rows):
            return
        box, bar = self._lines.box(self._current), self.verticalScrollBar()
        first = self._lines.groups[self._lines.group_of(self._current)].first
        above = self._lines.title if self._current - first < self._lines.columns else 0
        if box.top() - above < bar.value():
            bar.setValue(box.top() - above)
        elif box.bottom() > bar.value() + self.viewport().height():
            bar.setValue(box.bottom() - self.viewport().height())

    def _tell(self) -> None:
        self.viewport().update()
        self.chosen.emit()

    # ---- keys and the pointer

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, held = event.key(), event.modifiers()
        control = bool(held & Qt.KeyboardModifier.ControlModifier)
        if key == Qt.Key.Key_Escape and self._carries:
            self._carries, self._pressed, self._band = False, None, None
            self.carried.emit(None)
        elif key == Qt.Key.Key_Escape:
            self.left.emit()
        elif event.matches(QKeySequence.StandardKey.SelectAll):
            self.pick_all()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or (key == Qt.Key.Key_Space and not control):
            self.looked.emit()
        elif key == Qt.Key.Key_Space:
            self.choose(self._current, add=True)
        elif (to := self._target(key)) is not None:
            if to == self._current and key == Qt.Key.Key_Up:
                self.above.emit()
            self._go(to, span=bool(held & Qt.KeyboardModifier.ShiftModifier), free=control)
        else:
            super().keyPressEvent(event)

    def _target(self, key: int) -> int | None:
        """Where a key leads."""
        last, at = len(self.rows) - 1, max(0, self._current)
        if last < 0:
            return None
        page = max(1, self.viewport().height() // self._lines.cell.height())
        return {
            Qt.Key.Key_Left: max(0, at - 1), Qt.Key.Key_Right: min(last, at + 1) if self._current >= 0 else 0,
            Qt.Key.Key_Up: self._lines.moved(at, -1), Qt.Key.Key_Home: 0, Qt.Key.Key_End: last,
            Qt.Key.Key_Down: self._lines.moved(at, 1) if self._current >= 0 else 0,
            Qt.Key.Key_PageUp: self._lines.moved(at, -page), Qt.Key.Key_PageDown: self._lines.moved(at, page),
        }.get(Qt.Key(key))  # fmt: skip

    def _go(self, to: int, *, span: bool, free: bool) -> None:
        if free and not span:
            # What is chosen stays; Ctrl+Space chooses.
            self._current = to
            self._show_current()
            self._tell()
        else:
            self.choose(to, span=span)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        point = event.position().toPoint() + QPoint(0, self._top())
        held = event.modifiers()
        self._pressed, self._before_band, self._carries = point, self._picked.copy(), False
        at = self._lines.at(point.x(), point.y())
        control = bool(held & Qt.KeyboardModifier.ControlModifier)
        on_picture = at is not None and self._cells.frame(self._lines.box(at)).contains(point)
        if at is not None and on_picture and self._picked[at] and held == Qt.KeyboardModifier.NoModifier:
            # It may be carried away; else it is chosen alone once it is let go of.
            self._carries = True
            self._current = at
            self._tell()
        elif at is not None:
            self.choose(at, add=control, span=bool(held & Qt.KeyboardModifier.ShiftModifier))
        elif not control:
            self._picked[:] = False
            self._tell()
        if not control:
            self._before_band = np.zeros(len(self.rows), bool)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        point = event.position().toPoint() + QPoint(0, self._top())
        if self._band is None and (point - self._pressed).manhattanLength() < 8:
            return
        if self._carries:
            self._band = QRect()
            self.carried.emit(event.globalPosition().toPoint())
            self._scroll_along(event)
            return
        self._band = QRect(self._pressed, point).normalized()
        self._picked = self._before_band.copy()
        self._picked[list(self._lines.cells_in(self._band))] = True
        self._tell()
        self._scroll_along(event)

    def _scroll_along(self, event: QMouseEvent) -> None:
        """Go on where the pointer is held above or below what can be seen."""
        y = event.position().y()
        if not 0 <= y <= self.viewport().height():
            bar = self.verticalScrollBar()
            bar.setValue(bar.value() + (40 if y > 0 else -40))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        carries, moved = self._carries, self._band is not None
        self._pressed = self._band = None
        self._carries = False
        if carries and moved:
            self.carried.emit(None)
            self.dropped.emit(event.globalPosition().toPoint())
        elif carries:
            self.choose(self._current)
        self.viewport().update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if event.reason() is QContextMenuEvent.Reason.Mouse:
            at = self._lines.at(event.pos().x(), event.pos().y() + self._top())
            if at is not None and not self._picked[at]:
                self.choose(at)
            place = event.globalPos()
        else:
            box = self._lines.box(max(0, self._current)) if len(self.rows) else QRect()
            place = self.viewport().mapToGlobal(box.center() - QPoint(0, self._top()))
        self.asked.emit(place)

    # ---- an order by hand

    def gap_at(self, place: QPoint) -> int:
        """In front of which capture something is put at a point of the screen: up to their number; -1 for nowhere."""
        point = self.viewport().mapFromGlobal(place)
        if not self.viewport().rect().contains(point):
            return -1
        at = self._lines.at(point.x(), point.y() + self._top())
        if at is None:
            return len(self.rows)
        return at + (point.x() > self._lines.box(at).center().x())

    def show_gap(self, at: int) -> None:
        """Show in front of which capture something would be put; -1 for nowhere."""
        if at != self._gap:
            self._gap = at
            self.viewport().update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        point = event.position().toPoint() + QPoint(0, self._top())
        if self._lines.at(point.x(), point.y()) is not None:
            self.looked.emit()

    # ---- painting

    def _on_ready(self, path: str) -> None:
        if self._view is not None and self.isVisible() and self._view.holds(path):
            self.viewport().update()

    def _visible(self) -> list[int]:
        area = self.viewport().rect().translated(0, self._top())
        return list(self._lines.cells_in(area))

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        view = self._view
        painter, theme, top = QPainter(self.viewport()), self._theme, self._top()
        painter.fillRect(event.rect(), theme.paper)
        if view is None:
            return
        area = event.rect().translated(0, top)
        painter.translate(0, -top)
        if self._lines.title:
            for number in self._lines.groups_in(area.top(), area.bottom()):
                self._title(painter, view, number)
        for at in self._lines.cells_in(area):
            row = int(self.rows[at])
            shown = Shown(view.whole(row), Kind(KINDS[view.columns.kind[row]]))
            picture = self._pictures.of(
                shown, view.top(row), self._cells.made, at_home=True, kept_as=view.kept_as(row), whole=self._cells.whole
            )
            chosen, current = bool(self._picked[at]), at == self._current and self.hasFocus()
            self._cells.draw(painter, self._lines.box(at), view, row, picture, chosen=chosen, current=current)
        if 0 <= self._gap <= len(self.rows) and len(self.rows):
            box = self._lines.box(min(self._gap, len(self.rows) - 1))
            left = box.left() if self._gap < len(self.rows) else box.right()
            painter.fillRect(QRect(left - 2, box.top(), 4, box.height() - 20), theme.accent)
        if self._band is not None and not self._band.isNull():
            wash = QColor(theme.accent)
            wash.setAlpha(40)
            painter.setPen(theme.accent)
            painter.setBrush(wash)
            painter.drawRect(self._band)

    def _title(self, painter: QPainter, view: View, number: int) -> None:
        """The title of a day: its date, what it was, how many there are, from when to when."""
        theme, group = self._theme, self._lines.groups[number]
        box = self._lines.title_box(number, self.viewport().width() - 8)
        day, words = group.title
        line = QRect(box.left(), box.top() + 4, box.width(), 28)
        if view.apart is Apart.FOLDERS:
            about = paint.counted(group.captures, "capture")
            used = paint.text(painter, line, about, font(12.5), theme.soft, align=paint.RIGHT)
            paint.name(painter, line.adjusted(0, 0, -used - 12, 0), words or view.name, font(14, SEMIBOLD), theme.ink)
            return
        figure, above, below = day_title(day)
        used = line.left() + paint.text(painter, line, figure, font(23, THIN), theme.ink) + 10
        paint.text(painter, QRect(used, line.top(), 90, 14), above, font(11.5, SEMIBOLD), theme.soft)
        beside = paint.text(painter, QRect(used, line.top() + 14, 90, 14), below, font(11.5), theme.soft)
        used += max(beside, paint.width_of(above, font(11.5, SEMIBOLD))) + 16
        about = self._about(view, group)
        wanted = paint.width_of(about, font(12.5))
        if line.right() - used - wanted < (60 if words else 0):
            about, wanted = str(group.captures), paint.width_of(str(group.captures), font(12.5))
        paint.text(painter, line, about, font(12.5), theme.soft, align=paint.RIGHT)
        room = QRect(used, line.top(), line.right() - used - wanted - 12, line.height())
        paint.text(painter, room, words, font(14, SEMIBOLD), theme.ink)

    def _about(self, view: View, group: Group) -> str:
        about = paint.counted(group.captures, "capture")
        first, last = (view.columns.when(int(self.rows[at])) for at in (group.first, group.first + group.captures - 1))
        if first is None or last is None or group.title[0] is None or last - first < timedelta(minutes=1):
            return about
        return f"{about} · {first:%H:%M} – {last:%H:%M}"

    def spoken_parts(self) -> Sequence[Part]:
        view = self._view
        if view is None:
            return ()
        return [
            Part(
                spoken(view, int(self.rows[at])), self._lines.box(at).translated(0, -self._top()),
                bool(self._picked[at]), at == self._current,
            )
            for at in self._visible()[:_MOST_SPOKEN]
        ]  # fmt: skip
