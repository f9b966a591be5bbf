"""The wall: how much of a view lies in each month of each year, or in each week. It narrows to a span of time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from typing import NamedTuple

from PySide6.QtCore import QEvent, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken
from jutrek.views.conditions import Condition, During, Lately, Unit
from jutrek.views.spans import MONTHS, day_span, last_of_month, lately, month_span, week_span, weeks_in

_YEAR, _LINE, _TOP, _DAYS = 36, 21, 20, 26
"""Width of years, height of lines, of what stands above them, and of the days of a month that is open."""


class Cell(NamedTuple):
    """A stretch of time on the wall."""

    span: During
    words: str
    captures: int
    box: QRect


class Wall(QWidget, Spoken):
    """Years below one another, the newest first; their months or weeks side by side."""

    spanned = Signal(object)
    """A span of time, or None for any."""
    fitted = Signal()
    """It has another height."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._days: Mapping[int, int] = {}
        self._counts: Mapping[tuple[int, int], int] = {}
        self._chosen: During | None = None
        self._open: tuple[int, int] | None = None
        self._weeks = False
        self._cells: list[Cell] = []
        self._cursor, self._dragged = -1, -1
        self._run = QRect()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("When: captures by month")

    # ---- what is shown

    def show_counts(
        self, months: Mapping[tuple[int, int], int], days: Mapping[int, int], chosen: Condition | None
    ) -> None:
        """Show how many captures there are.

        Args:
            months: of each month, by (year, month).
            days: of each day, by `date.toordinal`.
            chosen: the span that the view is narrowed to, where it is one.
        """
        self._counts, self._days = months, days
        if isinstance(chosen, Lately):
            chosen = lately(chosen, date.today())
        self._chosen = chosen if isinstance(chosen, During) and not chosen.filed else None
        if self._chosen is None or self._chosen.unit not in (Unit.MONTH, Unit.DAY):
            self._open = None
        self._lay()

    def show_weeks(self, weeks: bool) -> None:
        """Show weeks in place of months."""
        self._weeks = weeks
        self.setAccessibleName(f"When: captures by {'week' if weeks else 'month'}")
        self._lay()

    @property
    def by_weeks(self) -> bool:
        """Whether weeks are shown."""
        return self._weeks

    def _years(self) -> list[int]:
        """All years from the first that has any to the last, the newest first."""
        found = {year for year, _ in self._counts}
        if self._chosen is not None and self._chosen.first is not None:
            found.add(self._chosen.first.year)
        return list(range(max(found), min(found) - 1, -1)) if found else []

    def _lay(self) -> None:
        self._cells = []
        top, wide = _TOP, max(1, self.width() - _YEAR - 6)
        for year in self._years():
            stretches = self._weeks_of(year) if self._weeks else self._months_of(year)
            for number, (span, words, count) in enumerate(stretches):
                left, right = (_YEAR + wide * at // len(stretches) for at in (number, number + 1))
                gap = 1 if self._weeks else 3
                self._cells.append(Cell(span, words, count, QRect(left, top + 2, right - left - gap, _LINE - 4)))
            top += _LINE
            if self._open is not None and self._open[0] == year:
                self._cells += self._days_of(*self._open, top, wide)
                top += _DAYS
        if self._cursor >= len(self._cells):
            self._cursor = -1
        if self.height() != top + 4:
            self.setFixedHeight(top + 4)
            self.fitted.emit()
        self.update()

    def _months_of(self, year: int) -> list[tuple[During, str, int]]:
        return [
            (month_span(year, month), f"{MONTHS[month - 1]} {year}", self._counts.get((year, month), 0))
            for month in range(1, 13)
        ]

    def _weeks_of(self, year: int) -> list[tuple[During, str, int]]:
        found = []
        for week in range(1, weeks_in(year) + 1):
            span = week_span(year, week)
            assert span.first is not None
            first = span.first.toordinal()
            count = sum(self._days.get(first + day, 0) for day in range(7))
            found.append((span, f"week {week} of {year}", count))
        return found

    def _days_of(self, year: int, month: int, top: int, wide: int) -> list[Cell]:
        last = last_of_month(year, month).day
        cells = []
        for day in range(1, last + 1):
            when = date(year, month, day)
            left, right = (_YEAR + wide * at // last for at in (day - 1, day))
            box = QRect(left, top + 1, right - left - 1, _DAYS - 5)
            words = f"{day} {MONTHS[month - 1]} {year}"
            cells.append(Cell(day_span(when), words, self._days.get(when.toordinal(), 0), box))
        return cells

    def sizeHint(self) -> QSize:
        return QSize(240, self.height())

    def resizeEvent(self, event: object) -> None:
        self._lay()

    # ---- what is chosen

    def _press(self, at: int, to: int | None = None) -> None:
        """Choose a stretch, or all from it to another one; the one that is chosen opens, or is chosen no more."""
        cell, other = self._cells[at], self._cells[at if to is None else to]
        if cell.span.unit is other.span.unit and cell is not other:
            first, last = sorted((cell.span, other.span), key=lambda one: one.first or date.min)
            self.spanned.emit(During(cell.span.unit, first.first, last.last))
        elif cell.span != self._chosen:
            self.spanned.emit(cell.span)
        elif cell.span.unit is Unit.MONTH and cell.span.first is not None and self._open is None:
            self._open = cell.span.first.year, cell.span.first.month
            self._lay()
        else:
            self._open = None
            self.spanned.emit(None)

    def _is_chosen(self, cell: Cell) -> bool:
        chosen = self._chosen
        if chosen is None or cell.span.first is None or cell.span.last is None:
            return False
        if cell.span.unit is Unit.DAY and chosen.unit is not Unit.DAY:
            return False
        within = chosen.first is None or cell.span.first >= chosen.first
        return within and (chosen.last is None or cell.span.last <= chosen.last)

    def _at(self, point: QPoint) -> int:
        return next((at for at, cell in enumerate(self._cells) if cell.box.adjusted(0, -2, 3, 2).contains(point)), -1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._dragged = self._cursor = self._at(event.position().toPoint())
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = self._at(event.position().toPoint())
        if event.buttons() and self._dragged >= 0 and at >= 0:
            self._cursor = at
            self.update()
        cell = self._cells[at] if at >= 0 else None
        self.setToolTip(f"{cell.words}: {paint.counted(cell.captures, 'capture')}" if cell else "")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        at, self._dragged = self._dragged, -1
        if at >= 0 and 0 <= self._cursor < len(self._cells):
            self._press(at, self._cursor)
        self.update()

    def event(self, event: QEvent) -> bool:
        is_escape = event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Escape
        if is_escape and self._chosen is not None:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        each = 53 if self._weeks else 12
        by = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -each, Qt.Key.Key_Down: each,
        }.get(Qt.Key(event.key()))  # fmt: skip
        if by is not None and self._cells:
            to = self._cursor + by if self._cursor >= 0 else 0
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self._dragged < 0:
                self._dragged = max(0, self._cursor)
            elif not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self._dragged = -1
            self._cursor = max(0, min(len(self._cells) - 1, to))
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self._cursor >= 0:
            at, self._dragged = self._dragged, -1
            self._press(self._cursor, None if at < 0 else at)
        elif event.key() == Qt.Key.Key_Escape and self._chosen is not None:
            self.spanned.emit(None)
        else:
            super().keyPressEvent(event)

    # ---- painting

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        self._heads(painter)
        self._run = QRect()
        most = max((cell.captures for cell in self._cells if cell.span.unit is not Unit.DAY), default=1) or 1
        most_days = max((cell.captures for cell in self._cells if cell.span.unit is Unit.DAY), default=1) or 1
        low, high = sorted((self._dragged, self._cursor)) if self._dragged >= 0 else (-1, -2)
        for at, cell in enumerate(self._cells):
            marked = self._is_chosen(cell) or low <= at <= high
            painter.fillRect(cell.box, theme.accent_wash if marked else theme.track)
            share = cell.captures / (most_days if cell.span.unit is Unit.DAY else most)
            if cell.captures:
                # By its root, else one day of a festival hides all others.
                tall = max(3, round(cell.box.height() * share**0.5))
                fill = QColor(theme.accent)
                fill.setAlphaF(0.35 + 0.55 * share**0.5)
                painter.fillRect(cell.box.adjusted(0, cell.box.height() - tall, 0, 0), fill)
            if marked:
                self._run = self._run.united(cell.box) if at and self._run.top() == cell.box.top() else cell.box
            after = self._cells[at + 1] if at + 1 < len(self._cells) else None
            ends = after is None or after.box.top() != cell.box.top()
            if not self._run.isNull() and (ends or not (self._is_chosen(after) or low <= at + 1 <= high)):
                painter.setPen(QPen(theme.ink, 1.6))
                painter.drawRect(self._run.adjusted(-1, -1, 0, 0))
                self._run = QRect()
            if at == self._cursor and self.hasFocus():
                painter.setPen(QPen(theme.ink, 1, Qt.PenStyle.DotLine))
                painter.drawRect(cell.box.adjusted(-2, -2, 1, 1))

    def _heads(self, painter: QPainter) -> None:
        theme, wide = self._theme, max(1, self.width() - _YEAR - 6)
        if not self._weeks:
            for month, name in enumerate(MONTHS):
                box = QRect(_YEAR + wide * month // 12, 2, wide // 12, 16)
                paint.text(painter, box, name[:1], font(11), theme.soft, align=paint.CENTRE)
        else:
            for week in (1, 10, 20, 30, 40, 50):
                box = QRect(_YEAR + wide * (week - 1) // 53 - 8, 2, 24, 16)
                paint.text(painter, box, str(week), font(11), theme.soft, align=paint.CENTRE)
        chosen = self._chosen.first.year if self._chosen is not None and self._chosen.first is not None else 0
        for cell in self._cells:
            if cell.span.unit is not Unit.DAY and cell.box.left() == _YEAR and cell.span.first is not None:
                year = (cell.span.first + timedelta(days=3)).year if self._weeks else cell.span.first.year
                box = QRect(0, cell.box.top() - 2, _YEAR - 6, cell.box.height() + 4)
                face = font(12, BOLD if year == chosen else SEMIBOLD if self._weeks else font().weight())
                paint.text(painter, box, str(year), face, theme.ink)

    def spoken_parts(self) -> Sequence[Part]:
        return [
            Part(
                f"{cell.words}, {paint.counted(cell.captures, 'capture')}", cell.box, self._is_chosen(cell),
                at == self._cursor,
            )
            for at, cell in enumerate(self._cells)
        ]  # fmt: skip
