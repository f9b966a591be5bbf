"""Share bars: one bar each for kind, device, lens …; its parts are as wide as their shares, and narrow the view."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from PySide6.QtCore import QPoint, QRect, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part as SpokenPart
from jutrek.ui.widgets.spoken import Spoken
from jutrek.views.conditions import Sort
from jutrek.views.laying import BARS, Part

TITLES = {
    Sort.KIND: "Kind", Sort.LIKELY: "Likely", Sort.DEVICE: "Device", Sort.LENS: "Lens", Sort.PLACE: "Place",
    Sort.KEYWORD: "Keywords", Sort.MARK: "Marks", Sort.COPIES: "Copies", Sort.STATE: "How it stands",
}  # fmt: skip
_TITLE, _BAR, _LEAST, _ROOM, _MORE = 17, 20, 24, 40, 36


class _Stretch(NamedTuple):
    """A part of a bar as it is painted; those that have no room are put together in one without a part."""

    part: Part | None
    words: str
    box: QRect
    colour: QColor


class ShareBar(QWidget, Spoken):
    """One bar."""

    kept = Signal(object, bool)
    """What keeps a part, and whether the others that are kept stay."""
    denied = Signal(object)

    def __init__(self, theme: Theme, sort: Sort, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._sort = theme, sort
        self._parts: tuple[Part, ...] = ()
        self._colour_of: Callable[[str], QColor | None] = lambda _: None
        self._stretches: list[_Stretch] = []
        self._cursor = 0
        self.setFixedHeight(_TITLE + _BAR + 4)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(TITLES[sort])

    def show_parts(self, parts: tuple[Part, ...], colour_of: Callable[[str], QColor | None]) -> None:
        """Show the parts of the bar, those of most captures first.

        Args:
            colour_of: gives what is called so a colour of its own, where it has one.
        """
        self._parts, self._colour_of = parts, colour_of
        self._lay()

    def _lay(self) -> None:
        wide = self.width()
        # What is chosen is always told.
        told = sorted(self._parts, key=lambda part: not part.chosen)[: max(1, wide // _ROOM)]
        rest = len(self._parts) - len(told)
        if rest:
            told, rest = told[:-1], rest + 1
        shown = [part for part in self._parts if part in told]
        free = wide - len(shown) * _LEAST - (_MORE if rest else 0)
        whole = sum(part.captures for part in shown) or 1
        self._stretches, left, given = [], 0, 0
        for number, part in enumerate(shown):
            given += part.captures
            right = (number + 1) * _LEAST + free * given // whole
            words = f"{part.words} {part.captures:,}"
            box = QRect(left, _TITLE, right - left - 2, _BAR)
            self._stretches.append(_Stretch(part, words, box, self._colour(part, number)))
            left = right
        if rest:
            box = QRect(left, _TITLE, max(1, wide - left), _BAR)
            self._stretches.append(_Stretch(None, f"+{rest}", box, self._theme.track))
        self._cursor = min(self._cursor, max(0, len(self._stretches) - 1))
        self.update()

    def _colour(self, part: Part, number: int) -> QColor:
        own = self._colour_of(part.words)
        if own is not None:
            return own
        if part.chosen:
            return QColor(self._theme.accent)
        # One that is dark, the others so light that dark ink can be read on them.
        fill = QColor(self._theme.soft)
        fill.setAlphaF(1.0 if number == 0 else max(0.22, 0.42 - 0.05 * number))
        return fill

    def resizeEvent(self, event: object) -> None:
        self._lay()

    # ---- keys and the pointer

    def _press(self, at: int, *, more: bool, out: bool) -> None:
        part = self._stretches[at].part if 0 <= at < len(self._stretches) else None
        if part is None:
            return
        if out:
            self.denied.emit(part.condition)
        else:
            self.kept.emit(part.condition, more)

    def _at(self, point: QPoint) -> int:
        return next((at for at, one in enumerate(self._stretches) if one.box.contains(point)), -1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        held, at = event.modifiers(), self._at(event.position().toPoint())
        control = bool(held & Qt.KeyboardModifier.ControlModifier)
        shift = bool(held & Qt.KeyboardModifier.ShiftModifier)
        self._cursor = max(0, at)
        self._press(at, more=control, out=control and shift)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = self._at(event.position().toPoint())
        self.setToolTip("" if at < 0 else self._tip(self._stretches[at]))

    def _tip(self, stretch: _Stretch) -> str:
        from jutrek.ui.plainly import tip_text

        if stretch.part is None:
            shown = {one.part for one in self._stretches}
            return tip_text("\n".join(f"{one.words} {one.captures:,}" for one in self._parts if one not in shown))
        return tip_text(f"{stretch.words}\nCtrl keeps several, Ctrl+Shift leaves it out.")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        held, key = event.modifiers(), event.key()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._cursor = max(0, min(len(self._stretches) - 1, self._cursor + (1 if key == Qt.Key.Key_Right else -1)))
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            control = bool(held & Qt.KeyboardModifier.ControlModifier)
            self._press(self._cursor, more=control, out=control and bool(held & Qt.KeyboardModifier.ShiftModifier))
        else:
            super().keyPressEvent(event)

    # ---- painting

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.text(painter, QRect(0, 0, self.width(), _TITLE), TITLES[self._sort], font(11.5), theme.soft)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        any_chosen = any(part.chosen for part in self._parts)
        for at, stretch in enumerate(self._stretches):
            chosen = stretch.part is not None and stretch.part.chosen
            fill = QColor(stretch.colour)
            if any_chosen and not chosen:
                fill.setAlphaF(min(fill.alphaF(), 0.35))
            painter.setPen(QPen(theme.ink, 1.8) if chosen else Qt.PenStyle.NoPen)
            painter.setBrush(fill)
            painter.drawRoundedRect(stretch.box.adjusted(1, 1, -1, -1), 3, 3)
            ink = theme.soft if stretch.part is None else _readable(fill, theme)
            room = stretch.box.adjusted(7, 0, -3, 0)
            if room.width() > 24:
                paint.text(painter, room, stretch.words, font(11.5, SEMIBOLD), ink)
            elif stretch.part is not None and len(stretch.part.words) == 1:
                paint.text(painter, stretch.box, stretch.part.words, font(11.5, SEMIBOLD), ink, align=paint.CENTRE)
            if at == self._cursor and self.hasFocus():
                painter.setPen(QPen(theme.ink, 1, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(stretch.box.adjusted(-1, -1, 0, 1))

    def spoken_parts(self) -> Sequence[SpokenPart]:
        return [
            SpokenPart(one.words, one.box, one.part.chosen if one.part else None, at == self._cursor)
            for at, one in enumerate(self._stretches)
        ]


def _readable(fill: QColor, theme: Theme) -> QColor:
    """Ink that can be read on a colour laid over a card."""
    share = fill.alphaF()
    ground = theme.card
    levels = [
        share * own + (1 - share) * under
        for own, under in (
            (fill.redF(), ground.redF()),
            (fill.greenF(), ground.greenF()),
            (fill.blueF(), ground.blueF()),
        )
    ]
    linear = [level / 12.92 if level <= 0.04045 else ((level + 0.055) / 1.055) ** 2.4 for level in levels]
    luminance = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
    return QColor("#FFFFFF") if luminance < 0.22 else QColor("#1B2A30")


class ShareBars(QWidget):
    """All bars, those that tell nothing left out."""

    kept = Signal(object, bool)
    denied = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.bars = {sort: ShareBar(theme, sort) for sort in BARS}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        for bar in self.bars.values():
            bar.kept.connect(self.kept)
            bar.denied.connect(self.denied)
            column.addWidget(bar)
        column.addStretch()

    def show_bars(
        self, bars: Mapping[Sort, tuple[Part, ...]], colours: Mapping[Sort, Callable[[str], QColor | None]]
    ) -> None:
        """Show the parts of all bars.

        Args:
            bars: their parts.
            colours: of some of them what gives what is called so a colour of its own, where it has one.
        """
        for sort, bar in self.bars.items():
            parts = bars.get(sort, ())
            told = len(parts) > 1 or any(part.chosen for part in parts)
            bar.setVisible(told or (sort is Sort.KIND and bool(parts)))
            bar.show_parts(parts, colours.get(sort, lambda _: None))
