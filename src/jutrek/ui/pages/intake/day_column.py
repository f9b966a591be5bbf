"""The middle of the board: rows of shoots, months or years, one of them open."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from jutrek.desk.board import Board
from jutrek.desk.board_days import DayView, gathered
from jutrek.ui import paint
from jutrek.ui.pages.intake.days import DayRow, hours_of
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import Theme

if TYPE_CHECKING:
    from jutrek.captures import Change
    from jutrek.ui.pages.intake.grid import CaptureGrid
    from jutrek.ui.pages.intake.opened import Opened

_FIRST_ROWS, _A_MOMENT = 12, 30
"""Rows that are made at once, more than a window shows; and milliseconds from their paint until the rest follows."""


class DayColumn(QWidget):
    """Rows, and what is done in them, as changes of decisions."""

    chosen = Signal(object)
    looked = Signal()
    settled = Signal(object)
    """The key of the row that asked."""
    decided = Signal(object)
    """A list of changes."""
    slid = Signal(int)
    """By how many pixels the chosen capture went down."""
    moved = Signal()
    filled = Signal()
    """What can take the focus may be other rows, or what one of them holds."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self._board = Board()
        self._days: tuple[DayView, ...] = ()
        self._gathered: tuple[DayView, ...] = ()
        self._hours = (0.0, 24.0)
        self._rows: list[DayRow] = []
        self._shown: list[tuple[DayView, int]] = []
        self._unfolded: set[str] = set()
        self._open: str | None = None
        self._running = False
        self._step = 0
        self._rest_due = False
        """Whether rows below the fold are to be made, once those above it were painted."""
        self._opened: Opened | None = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 4, 0)
        self._column.setSpacing(7)
        self._column.addStretch()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        # What is opaque is moved on the screen when it scrolls, and only what comes into view is painted. The style
        # sheet takes the attribute away whenever it is applied.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        QPainter(self).fillRect(event.rect(), self._theme.paper)
        if self._rest_due:
            self._rest_due = False
            QTimer.singleShot(_A_MOMENT, self, self._fill_rest)

    def make_ahead(self) -> None:
        """Make what an open row holds, which takes longer than opening one."""
        _ = self.opened

    @property
    def opened(self) -> Opened:
        """What an open row holds; made when a row is opened for the first time."""
        if self._opened is None:
            from jutrek.ui.pages.intake.opened import Opened

            opened = self._opened = Opened(self._theme, self._pictures, self)
            opened.hide()
            opened.grid.chosen.connect(self.chosen)
            opened.grid.left.connect(self.close_row)
            opened.grid.looked.connect(self.looked)
            opened.grid.slid.connect(self.slid)
            opened.grid.show_size(self._step)
            opened.split.connect(self._split)
            opened.aside.connect(self._set_aside)
            opened.shifting.connect(self._shift_captures)
            opened.placing.connect(self._place_captures)
            opened.carried.connect(self._carried)
            opened.worded.connect(self._worded)
            opened.told.connect(self._tell)
            opened.fitted.connect(self._refit)
        return self._opened

    @property
    def grid(self) -> CaptureGrid:
        """The grid of the open row."""
        return self.opened.grid

    @property
    def is_open(self) -> bool:
        """Whether a row is open."""
        return self._opened is not None and not self._opened.isHidden()

    @property
    def open_key(self) -> str | None:
        """The key of the open row."""
        return self._open

    def show_size(self, step: int) -> None:
        """Show pictures in another size, the smallest for 0."""
        self._step = step
        if self._opened is not None:
            self._opened.grid.show_size(step)

    def put_first(self, widget: QWidget) -> None:
        """Put something above the rows."""
        self._column.insertWidget(0, widget)

    def rows(self) -> list[DayRow]:
        """The rows that are shown."""
        return [row for row in self._rows if not row.isHidden()]

    def days(self) -> tuple[DayView, ...]:
        """The shoots that are shown, folded or not."""
        return self._days

    def show_days(self, board: Board, days: tuple[DayView, ...], *, running: bool) -> None:
        """Show shoots; beyond very many they are put together by month and year."""
        self._board, self._days, self._running = board, days, running
        # Of all of them it is known already.
        self._gathered = board.rows if days is board.days else gathered(days)
        self._hours = hours_of(days)
        self._unfold()

    def _unfold(self) -> None:
        self._shown = list(self._flat(self._gathered, 0))
        self._fill(_FIRST_ROWS)
        self._rest_due = len(self._rows) < len(self._shown)
        self.update()

    def _flat(self, days: Iterable[DayView], level: int) -> Iterator[tuple[DayView, int]]:
        for day in days:
            yield day, level
            if day.parts and day.key in self._unfolded:
                yield from self._flat(day.parts, level + 1)

    def _fill_rest(self) -> None:
        self._fill(len(self._shown))
        self.filled.emit()

    def _fill(self, at_least: int) -> None:
        """Show what is unfolded in rows; of rows that are missing, make this many in all."""
        while len(self._rows) < min(len(self._shown), at_least):
            self._add_row()
        for row, (day, level) in zip(self._rows, self._shown, strict=False):
            row.show_view(
                day,
                self._hours,
                running=self._running,
                level=level,
                unfolded=day.key in self._unfolded,
                earlier=self._board.earlier,
            )
            row.setVisible(True)
        for row in self._rows[len(self._shown) :]:
            row.setVisible(False)
        self._open_row()

    def _add_row(self) -> None:
        row = DayRow(self._theme)
        row.opened.connect(self.toggle)
        row.settled.connect(lambda row=row: self.settled.emit(row.view.key))
        row.described.connect(lambda words, row=row: self._describe(row.view, words))
        row.shifted.connect(self._shift_device)
        row.ranged.connect(lambda key, low, high, row=row: self._select_range(row.view, key, low, high))
        row.joined.connect(lambda row=row: self._join(row.view))
        row.received.connect(lambda ids, row=row: self._receive(row.view, ids))
        self._rows.append(row)
        self._column.insertWidget(self._column.count() - 1, row)

    def open_day(self, key: str) -> None:
        """Open a shoot's row, if there is one, and the month and year that it lies in."""
        if key == self._open or not any(day.key == key for day in self._days):
            return
        if key and self._gathered[0].parts:
            self._unfolded |= {key[:4], key[:7]}
            self._unfold()
            self._fill(len(self._shown))
        self.toggle(key)

    def toggle(self, key: str) -> None:
        """Open or close a row."""
        row = next((row for row in self.rows() if row.view.key == key), None)
        if row is not None and row.view.parts:
            self._unfolded ^= {key}
            self._unfold()
            return
        self._open = None if key == self._open else key
        self._open_row()
        if self._open is not None:
            self.grid.setFocus()

    def close_row(self) -> None:
        """Close the open row, and give it the focus."""
        row = next((row for row in self.rows() if row.view.key == self._open), None)
        self._open = None
        self._open_row()
        if row is not None:
            row.setFocus()

    def _open_row(self) -> None:
        """Put the grid into the open row. A grid that is there already stays, with its focus and choice."""
        host = None
        if self._open is not None:
            host = next((row for row in self.rows() if row.view.key == self._open), None)
        focused = self._opened is not None and self._opened.grid.hasFocus()
        for row in self._rows:
            if row is not host:
                row.open(None)
        if host is not None:
            host.open(self.opened)
            if focused:
                self.grid.setFocus()
        elif self._opened is not None:
            self._opened.hide()
            self._opened.setParent(self)
        self.moved.emit()
        self.filled.emit()

    def _refit(self) -> None:
        for row in self.rows():
            if row.view.key == self._open:
                row.refit()
        self.moved.emit()

    def _decide(self, *changes: Change) -> None:
        self.decided.emit(list(changes))

    def _describe(self, view: DayView, words: str) -> None:
        from jutrek.captures.decisions import Describe

        if view.start is not None:
            times = [capture.when for capture in view.captures if capture.when is not None]
            self._decide(Describe(view.start, times[len(times) // 2], words))

    def _shift_device(self, key: str, seconds: float) -> None:
        from jutrek.captures.decisions import ShiftClock

        self._decide(ShiftClock(key, seconds))

    def _select_range(self, view: DayView, key: str, low: float, high: float) -> None:
        from jutrek.desk.board_days import hour_of

        self.open_day(view.key)
        self.grid.pick_like(
            lambda one: (
                one.when is not None
                and low <= hour_of(one.when, view.start) <= high
                and (not key or one.device.key == key)
            )
        )

    def _join(self, view: DayView) -> None:
        """Join a shoot with the one before it."""
        from jutrek.captures.decisions import JoinShoots

        shoots = [day for day in self._board.days if day.start is not None]
        at = next((number for number, day in enumerate(shoots) if day.key == view.key), 0)
        if at > 0 and shoots[at - 1].ends and view.begins:
            before = shoots[at - 1]
            times = [capture.when for capture in before.captures if capture.when]
            self._decide(JoinShoots(max(times), view.begins))

    def _receive(self, view: DayView, ids: tuple[str, ...]) -> None:
        """Captures were dropped on a shoot: those with a date go with it, those without one get its day."""
        from jutrek.captures.decisions import GivenDate, MoveToShoot, SetDate
        from jutrek.formats import Precision

        wanted = set(ids) - {capture.id for capture in view.captures}
        dropped = [capture for day in self._board.days for capture in day.captures if capture.id in wanted]
        if view.start is None or view.begins is None or not dropped:
            return
        changes: list[Change] = []
        if dated := [capture.id for capture in dropped if capture.dated]:
            changes.append(MoveToShoot(frozenset(dated), view.begins))
        if bare := [capture.id for capture in dropped if not capture.dated]:
            day = GivenDate(view.begins.replace(hour=0, minute=0, second=0, microsecond=0), Precision.DAY)
            changes.append(SetDate(tuple((key, day) for key in bare)))
        self._decide(*changes)

    def _split(self, capture: str) -> None:
        from jutrek.captures.decisions import SplitShoot

        view = self._board.find(capture)
        if view is not None and view.when is not None:
            self._decide(SplitShoot(view.when))

    def _set_aside(self, ids: tuple[str, ...], back: bool) -> None:
        from jutrek.captures.decisions import SetAside

        self._decide(SetAside(frozenset(ids), back=back))

    def _shift_captures(self, ids: tuple[str, ...], text: str) -> None:
        from jutrek.captures.decisions import ShiftClock
        from jutrek.desk.typed import shift_of

        try:
            seconds = shift_of(text)
        except ValueError as error:
            self.opened.answered(str(error))
            return
        wanted = set(ids)
        by_device: dict[str, set[str]] = {}
        for day in self._board.days:
            for capture in day.captures:
                if capture.id in wanted:
                    by_device.setdefault(capture.device.key, set()).add(capture.id)
        self.opened.answered("")
        self._decide(*(ShiftClock(key, seconds, frozenset(own)) for key, own in by_device.items()))

    def _place_captures(self, ids: tuple[str, ...], text: str) -> None:
        from jutrek.captures.decisions import SetDate
        from jutrek.desk.typed import placed_of

        try:
            placed = placed_of(text)
        except ValueError as error:
            self.opened.answered(str(error))
            return
        self.opened.answered("")
        self._decide(SetDate(tuple((key, placed) for key in ids)))

    def _tell(self, ids: tuple[str, ...], words: str) -> None:
        from jutrek.captures.decisions import Tell

        self.opened.answered("")
        self._decide(Tell(frozenset(ids), words))

    def _carried(self, ids: tuple[str, ...], who: str) -> None:
        from jutrek.captures.decisions import CarriedBy

        self.opened.answered("")
        self._decide(CarriedBy(frozenset(ids), who))

    def _worded(self, ids: tuple[str, ...], text: str) -> None:
        from jutrek.captures.decisions import WordBy
        from jutrek.desk.typed import keywords_of

        self.opened.answered("")
        self._decide(WordBy(frozenset(ids), keywords_of(text)))
