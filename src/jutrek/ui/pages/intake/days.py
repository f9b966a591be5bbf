"""When: a row per shoot with a lane per device on a shared time axis; the chosen row opens into its captures."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from itertools import pairwise
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QLocale, QPoint, QRect, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import QAbstractButton, QCompleter, QLineEdit, QPushButton, QSizePolicy, QWidget

from jutrek.desk.board_captures import State
from jutrek.desk.board_days import DayView, day_view
from jutrek.ui import paint
from jutrek.ui.pages.intake.dragging import CAPTURES
from jutrek.ui.pages.intake.lanes import Lanes, shift_words
from jutrek.ui.shell.offers import Act
from jutrek.ui.theme import BOLD, RADIUS, SEMIBOLD, THIN, Theme, font
from jutrek.ui.widgets.askbar import AskBar, keeps_escape

if TYPE_CHECKING:
    from jutrek.ui.pages.intake.opened import Opened

_HEAD, _INSET, _INDENT, _ASK = 62, 12, 18, 40
_LANES_RIGHT, _TEXT_LEAST = 92, 128


class DayRow(QAbstractButton):
    """One shoot, or a month or year of them, or the captures without a date to trust."""

    opened = Signal(object)
    settled = Signal()
    described = Signal(object)
    shifted = Signal(object, float)
    ranged = Signal(object, float, float)
    joined = Signal()
    received = Signal(tuple)
    """Ids of captures that were dropped here."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.view = day_view("", None, ())
        self._level, self._unfolded = 0, False
        self._running = self._over = False
        self._opened: Opened | None = None
        self._edit: QLineEdit | None = None
        self._earlier: tuple[str, ...] = ()
        self.ask: AskBar | None = None
        self.lanes = Lanes(theme, self)
        self.lanes.pressed.connect(self.click)
        self.lanes.ranged.connect(self.ranged)
        self.lanes.shifted.connect(self._ask_shift)
        self.settle = QPushButton("Settle…", self)
        self.settle.setProperty("link", True)
        self.settle.clicked.connect(self.settled)
        self.clicked.connect(lambda: self.opened.emit(self.view.key))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_view(
        self,
        view: DayView,
        hours: tuple[float, float],
        *,
        running: bool,
        level: int = 0,
        unfolded: bool = False,
        earlier: tuple[str, ...] = (),
    ) -> None:
        """Show a row on a time axis that goes from one hour to another.

        Args:
            running: whether a run is at work, so that progress stands in place of the lanes.
            level: how deep it lies in years and months.
            unfolded: whether the rows that it opens into are shown below it.
            earlier: what shoots of the library were, to be offered.
        """
        if view.key != self.view.key:
            self._end_edit()
            self._end_ask()
        if view is not self.view or hours != self.lanes.hours:
            self.lanes.show_view(view, hours)
        self.view, self._running, self._level, self._unfolded = view, running, level, unfolded
        self._earlier = earlier
        self.lanes.setVisible(view.start is not None and not running)
        self.settle.setVisible(bool(view.count(State.LOOK)) and not running and not view.parts)
        self.setAcceptDrops(not view.parts and not running)
        self._name_it()
        self._fit()
        self.update()

    def _name_it(self) -> None:
        parts = (self.date_words, *self._words(), self._standing())
        self.setAccessibleName(", ".join(part for part in parts if part))
        self.settle.setAccessibleName(f"Settle {self.date_words}")

    def open(self, opened: Opened | None) -> None:
        """Open the row with a grid of its captures, or close it."""
        if opened is None and self._opened is None:
            return
        self._opened = opened
        if opened is not None:
            if opened.parentWidget() is not self:
                opened.setParent(self)
            opened.show_day(self.view)
            opened.show()
        self._fit()
        self.update()

    def refit(self) -> None:
        """Make room for what is open anew."""
        self._fit()

    def stops(self) -> tuple[QWidget, ...]:
        """What can take the focus, in order."""
        return (self, self.settle, *(self._opened.stops() if self._opened is not None else ()))

    @property
    def anchor(self) -> int:
        """The height within the row at which ribbons end, in pixels."""
        return _HEAD // 2

    def _fit(self) -> None:
        height = _HEAD
        if self.ask is not None:
            self.ask.setGeometry(_INSET, _HEAD - 4, self.width() - 2 * _INSET, _ASK - 4)
            height += _ASK
        if self._opened is not None:
            width = self.width() - 2 * _INSET + 4
            tall = self._opened.height_for(width)
            self._opened.setGeometry(_INSET - 3, height + 4, width, tall)
            height += tall + 10
        if self.minimumHeight() != height:
            self.setFixedHeight(height)
        self.lanes.setGeometry(self._lane_box())
        hint = self.settle.sizeHint()
        top = 17 if self.view.start is None else 30
        self.settle.setGeometry(self.width() - hint.width() - 6, top, hint.width(), hint.height())
        if self._edit is not None:
            self._edit.setGeometry(self._title_box().adjusted(-5, -2, 0, 3))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit()

    @property
    def date_words(self) -> str:
        """Its date, as it is told."""
        view = self.view
        if view.start is None:
            return f"{paint.counted(len(view.captures), 'capture')} without a date to trust"
        form = "yyyy" if len(view.key) == 4 else "MMMM yyyy" if view.parts else "dddd d MMMM yyyy"
        return str(QLocale().toString(view.start, form))

    def _words(self) -> tuple[str, str]:
        view = self.view
        captures = paint.counted(len(view.captures), "capture")
        devices = paint.counted(len(view.devices), "device")
        if view.start is None:
            return "", self._reasons()
        if view.parts:
            days = len({part.key[:10] for part in _shoots(view)})
            return captures, f"{devices} · {paint.counted(days, 'day')}"
        span = ""
        if view.hours:
            first, last = (f"{int(hour) % 24:02}:{int(hour % 1 * 60 + 1e-6):02}" for hour in view.hours)
            span = f"{first} – {last}"
        return view.words, " · ".join(part for part in (captures, devices, span) if part)

    def _reasons(self) -> str:
        reasons: dict[str, int] = {}
        for capture in self.view.captures:
            # What is different for each capture stands behind a colon, and up close.
            first = capture.why.split(". ")[0].split(": ")[0].rstrip(".")
            reasons[first] = reasons.get(first, 0) + 1
        most = sorted(reasons.items(), key=lambda reason: -reason[1])
        return " · ".join(f"{count}: {words}" for words, count in most)

    def _standing(self) -> str:
        view = self.view
        new, home = view.count(State.BRING, State.FAILED), view.count(State.HOME, State.BROUGHT)
        look = view.count(State.LOOK)
        return f"{new} new, {home} home" + (f", {look} to settle" if look else "")

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, view = QPainter(self), self._theme, self.view
        chosen = self._opened is not None or self._over
        look = view.start is None or (view.count(State.LOOK) > 0 and not view.parts)
        edge = theme.accent if chosen or self.hasFocus() else theme.amber.lighter(170) if look else theme.line
        box = self.rect().adjusted(self._level * _INDENT, 0, 0, 0)
        paint.card(painter, box, theme.card, edge, width=2 if chosen or self.hasFocus() else 1)
        if look:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.amber_wash)
            painter.drawRoundedRect(box.adjusted(2, 2, -2, _HEAD - 2 - box.height()), RADIUS - 1, RADIUS - 1)
        if view.start is None:
            self._paint_undated(painter)
        else:
            self._paint_date(painter)
            if self._running:
                self._paint_progress(painter)
            self._paint_counts(painter)
        if self._opened is not None:
            painter.setPen(theme.line)
            painter.drawLine(_INSET, _HEAD, self.width() - _INSET, _HEAD)

    def _paint_undated(self, painter: QPainter) -> None:
        theme = self._theme
        paint.text(painter, QRect(14, 12, 30, 36), "?", font(24, BOLD), theme.amber)
        room = (self.settle.x() if not self.settle.isHidden() else self.width()) - 86 - 16
        paint.text(painter, QRect(86, 12, room, 19), self.date_words, font(14, SEMIBOLD), theme.ink)
        paint.text(painter, QRect(86, 32, room, 17), self._reasons(), font(12), theme.soft)

    def _paint_date(self, painter: QPainter) -> None:
        theme, view, locale = self._theme, self.view, QLocale()
        if view.start is None:
            return
        left = self._level * _INDENT
        if not view.parts:
            # Further shoots of a day step back behind its first one.
            colour = theme.soft if "/" in view.key else theme.ink
            paint.text(painter, QRect(left + 14, 10, 36, 38), str(view.start.day), font(26, THIN), colour)
            day, month = (locale.toString(view.start, form) for form in ("ddd", "MMM"))
            paint.text(painter, QRect(left + 48, 12, 38, 17), day, font(12, SEMIBOLD), theme.soft)
            paint.text(painter, QRect(left + 48, 28, 38, 17), month, font(12), theme.soft)
        else:
            sign = "▾" if self._unfolded else "▸"
            paint.text(painter, QRect(left + 8, 10, 14, 38), sign, font(12), theme.soft)
            form = "yyyy" if len(view.key) == 4 else "MMM yyyy"
            words = locale.toString(view.start, form)
            paint.text(painter, QRect(left + 22, 10, 74 - left // 3, 38), words, font(15, THIN), theme.ink)
        title, under = self._words()
        box = self._title_box()
        face = font(14, SEMIBOLD)
        if view.is_shoot and not title:
            title, face = "What was it?", font(14, italic=True)
        if self._edit is None:
            paint.text(painter, box, title, face, theme.ink if view.words or view.parts else theme.soft)
        paint.text(painter, box.translated(0, 20), under, font(12), theme.soft)

    def _title_box(self) -> QRect:
        left = 86 + self._level * _INDENT
        return QRect(left, 11, max(60, self._lane_box().left() - left - 8), 20)

    def _lane_box(self) -> QRect:
        wide = max(80, min(250, self.width() - 86 - _TEXT_LEAST - _LANES_RIGHT))
        return QRect(self.width() - _LANES_RIGHT - wide, 5, wide, _HEAD - 10)

    def _paint_progress(self, painter: QPainter) -> None:
        box, theme = self._lane_box(), self._theme
        coming = self.view.count(State.BRING, State.BROUGHT, State.FAILED)
        if coming:
            done = self.view.count(State.BROUGHT)
            track = QRect(box.left(), 18, box.width(), 8)
            paint.bar(painter, track, done / coming, theme.accent, theme.track)
            words = f"{done} of {coming} read back" if done < coming else "all read back"
            paint.text(painter, QRect(box.left(), 31, box.width(), 17), words, font(12), theme.soft)

    def _paint_counts(self, painter: QPainter) -> None:
        theme, right = self._theme, self.width() - _INSET
        view = self.view
        new, home = view.count(State.BRING, State.FAILED), view.count(State.HOME, State.BROUGHT)
        look, aside = view.count(State.LOOK), view.count(State.ASIDE)
        column = QRect(right - 84, 11, 84, 19)
        if new:
            paint.text(painter, column, f"{new:,} new", font(13, BOLD), theme.ink, align=paint.RIGHT)
        elif look:
            paint.text(painter, column, f"{look:,} to settle", font(13, BOLD), theme.amber, align=paint.RIGHT)
        elif home:
            paint.text(painter, column, "all home", font(13, BOLD), theme.accent, align=paint.RIGHT)
        under, face, colour = f"{home:,} home" if home else "", font(12), theme.soft
        if aside and not home:
            under = f"{aside:,} set aside"
        if failed := view.count(State.FAILED):
            under, face, colour = f"{failed:,} not home", font(12, SEMIBOLD), theme.brick
        if self.settle.isHidden():
            paint.text(painter, column.translated(0, 19), under, face, colour, align=paint.RIGHT)

    def edit(self) -> None:
        """Let the person say what it was."""
        if not self.view.is_shoot or self._running:
            return
        if self._edit is None:
            self._edit = QLineEdit(self)
            self._edit.setPlaceholderText("What was it?")
            self._edit.setAccessibleName("What this shoot was")
            completer = QCompleter(self._earlier, self._edit)
            completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
            self._edit.setCompleter(completer)
            self._edit.returnPressed.connect(self._describe)
            self._edit.editingFinished.connect(self._end_edit)
        self._edit.setText(self.view.words)
        self._edit.selectAll()
        self._fit()
        self._edit.show()
        self._edit.setFocus()

    def _describe(self) -> None:
        if self._edit is not None:
            words, self._edit = self._edit.text(), self._drop(self._edit)
            self.setFocus()
            self._say(words)

    def _end_edit(self) -> None:
        """Going elsewhere keeps what was typed."""
        edit = self._edit
        if edit is not None:
            self._edit = self._drop(edit)
            if edit.text() != self.view.words:
                self._say(edit.text())
            self.update()

    def _say(self, words: str) -> None:
        """Show what was typed at once; the plan follows."""
        self.view = replace(self.view, words=" ".join(words.split()))
        self._name_it()
        self.described.emit(words)
        self.update()

    @staticmethod
    def _drop(edit: QLineEdit) -> None:
        edit.blockSignals(True)
        edit.hide()
        edit.deleteLater()

    def _ask_shift(self, key: str, seconds: float) -> None:
        """A lane was dropped: ask whether the clock is meant."""
        device = next((one for one in self.view.devices if one.key == key), None)
        if device is None:
            return
        words = f"Shift {device.letter} · {device.name} by {shift_words(seconds)}, in all of this intake?"
        self._end_ask()
        self.ask = AskBar(self._theme, words, "Shift it", self)
        self.ask.accepted.connect(lambda: self._answer_shift(key, seconds))
        self.ask.refused.connect(self._end_ask)
        self._fit()
        self.ask.show()
        for one, other in pairwise((self.settle, *self.ask.stops())):
            self.setTabOrder(one, other)
        self.ask.main.setFocus()

    def _answer_shift(self, key: str, seconds: float) -> None:
        self._end_ask()
        self.shifted.emit(key, seconds)

    def _end_ask(self) -> None:
        if self.ask is not None:
            self.ask.hide()
            self.ask.deleteLater()
            self.ask = None
            self.lanes.forget()
            self._fit()

    def hitButton(self, at: QPoint) -> bool:
        """Only the head opens and closes the row; what is open below it is not a part of the button."""
        return at.y() <= _HEAD and not self._on_title(at)

    def _on_title(self, at: QPoint) -> bool:
        if not self.view.is_shoot or self._running:
            return False
        words = self.view.words or "What was it?"
        wide = QFontMetrics(font(14, SEMIBOLD)).horizontalAdvance(words) + 8
        box = self._title_box()
        return QRect(box.left(), box.top(), min(wide, box.width()), box.height()).contains(at)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton and self._on_title(event.position().toPoint()):
            self.edit()
            return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        on = self._on_title(event.position().toPoint())
        self.setCursor(Qt.CursorShape.IBeamCursor if on else Qt.CursorShape.PointingHandCursor)
        super().mouseMoveEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if acts := self.acts():
            from PySide6.QtWidgets import QMenu

            menu = QMenu(self)
            for act in acts:
                menu.addAction(act.words, act.do)
            menu.exec(event.globalPos())

    def acts(self) -> list[Act]:
        """All that can be done with a shoot as a whole."""
        if not self.view.is_shoot or self._running:
            return []
        return [Act("Say what it was…", self.edit, keys="F2"), Act("Join with the shoot before it", self.joined.emit)]

    def event(self, event: QEvent) -> bool:
        editing = self._edit is not None and self._edit.hasFocus()
        return (editing and keeps_escape(event)) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self._edit is not None:
            self._edit = self._drop(self._edit)
            self.setFocus()
            self.update()
        elif event.key() == Qt.Key.Key_F2:
            self.edit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        elif event.key() == Qt.Key.Key_Down:
            self.focusNextChild()
        elif event.key() == Qt.Key.Key_Up:
            self.focusPreviousChild()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(CAPTURES) and self.view.start is not None:
            event.acceptProposedAction()
            self._over = True
            self.update()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._over = False
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        self._over = False
        ids = bytes(event.mimeData().data(CAPTURES).data()).decode("utf-8", "surrogateescape").split("\0")
        event.acceptProposedAction()
        self.received.emit(tuple(ids))
        self.update()


def _shoots(view: DayView) -> list[DayView]:
    return [shoot for part in view.parts for shoot in (_shoots(part) if part.parts else [part])]


def hours_of(days: Iterable[DayView]) -> tuple[float, float]:
    """The shared time axis: from the first to the last hour of any shoot, at least six hours long."""
    hours = [hour for day in days if day.start and day.hours for hour in day.hours]
    if not hours:
        return 6.0, 20.0
    start, end = float(int(min(hours))), float(int(max(hours)) + 1)
    end = min(end, start + 30)
    return (start, end) if end - start >= 6 else (max(0.0, end - 6), max(6.0, end))
