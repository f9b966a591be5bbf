"""What a job would be made of, as steps of tiles: the job's folder, what lies in it, and what lies in that."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QPoint, QPointF, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.jobs.making import Made, Whole
from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken

_HIGH, _FLOW, _GAP, _NARROW, _WIDE = 44, 26, 8, 92, 170
_MOST = 4
"""Steps that are shown at once."""
_FLOW_SHADE = 0.32


class _Tile(NamedTuple):
    """Something that would be made, where it stands; `under` is the tile that it lies in."""

    made: Made
    box: QRect
    under: int
    is_made: bool


class WholeStairs(QWidget, Spoken):
    """The steps of a job. A click on a folder shows what lies in it; one on an optional part takes it in, or out."""

    wished = Signal(object)
    """An optional part, by what it is called: it is wished for, or no longer."""
    lined = Signal(int)
    """The line of the outline of what was clicked."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._whole: Whole | None = None
        self._path: tuple[str, ...] = ()
        """The chosen folder of each step, by its path."""
        self._cursor = 0
        self._tiles: list[_Tile] = []
        self._more: list[tuple[QRect, int]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("What it makes")
        self.setFixedHeight(_HIGH)

    def show_whole(self, whole: Whole | None) -> None:
        """Show what would be made; None for nothing."""
        self._whole = whole
        self._arrange()

    # ---- where it stands

    def _arrange(self) -> None:
        self._tiles, self._more = [], []
        whole = self._whole
        if whole is None:
            self.setFixedHeight(_HIGH)
            self.update()
            return
        top = whole.made[0]
        wide = min(self.width(), max(_WIDE * 2, paint.width_of(self._title(top), font(13, SEMIBOLD)) + 28))
        self._tiles.append(_Tile(top, QRect(0, 1, wide, _HIGH), -1, True))
        first, step = 0, 1
        while step <= _MOST:
            count = len(self._tiles)
            if not self._lay_step(whole, range(first, count), step):
                break
            first, step = count, step + 1
        self._cursor = max(0, min(self._cursor, len(self._tiles) - 1))
        self.setFixedHeight(max(tile.box.bottom() for tile in self._tiles) + 4)
        self.update()

    def _lay_step(self, whole: Whole, above: range, step: int) -> bool:
        """Lay the next step: what lies in all tiles above where there is room, else in the chosen one."""
        found = [
            (number, one, True) for number in above for one in _within(whole, self._tiles[number].made, whole.made)
        ]
        found += [
            (number, one, False) for number in above for one in _within(whole, self._tiles[number].made, whole.left_out)
            if self._tiles[number].is_made
        ]  # fmt: skip
        found.sort(key=lambda each: (each[0], each[1].line))
        parents = list(dict.fromkeys(number for number, _, _ in found))
        if len(found) * (_NARROW + _GAP) > self.width() and len(parents) > 1:
            chosen = next((number for number in parents if self._tiles[number].made.path in self._path), parents[0])
            found = [each for each in found if each[0] == chosen]
        if not found:
            return False
        room = max(1, self.width() // (_NARROW + _GAP))
        shown = found[:room]
        wide = min(_WIDE, (self.width() - (len(shown) - 1) * _GAP) // len(shown))
        top = 1 + step * (_HIGH + _FLOW)
        for at, (number, one, is_made) in enumerate(shown):
            self._tiles.append(_Tile(one, QRect(at * (wide + _GAP), top, wide, _HIGH), number, is_made))
        if len(found) > len(shown):
            self._more.append((QRect(0, top + _HIGH, self.width(), _FLOW), len(found) - len(shown)))
        return True

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._arrange()

    def sizeHint(self) -> QSize:
        return QSize(400, self.height())

    # ---- keys and the pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._at(event.position().toPoint())
        if number is not None and event.button() is Qt.MouseButton.LeftButton:
            self._cursor = number
            self._choose(number)

    def _at(self, point: QPoint) -> int | None:
        return next((number for number, tile in enumerate(self._tiles) if tile.box.contains(point)), None)

    def _choose(self, number: int) -> None:
        tile = self._tiles[number]
        if tile.made.optional:
            self.wished.emit(tile.made.name)
        self.lined.emit(tile.made.line)
        path = tile.made.path
        self._path = (*(one for one in self._path if path.startswith(f"{one}/")), path)
        self._arrange()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        key = Qt.Key(event.key())
        if key in steps and self._tiles:
            self._cursor = max(0, min(len(self._tiles) - 1, self._cursor + steps[key]))
            self.update()
        elif key in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._tiles:
            self._choose(self._cursor)
        else:
            super().keyPressEvent(event)

    # ---- how it looks

    def _title(self, made: Made) -> str:
        whole = self._whole
        return made.path.rpartition("/")[2] or (whole.folder.rpartition("/")[2] if whole is not None else "")

    def _about(self, tile: _Tile) -> str:
        made, whole = tile.made, self._whole
        if whole is None:
            return ""
        if not made.path:
            above = whole.folder.rpartition("/")[0]
            return f"in {above.replace('/', ' / ')}" if above else "in the library"
        if not tile.is_made:
            return "if wished: click to take in"
        if made.lands:
            return "captures land here"
        if made.starter is not None:
            return f"from {made.starter}" if made.starter else "an empty file"
        if made.optional:
            return "optional: click to leave out"
        if made.each:
            return "for this device"
        within = sum(one.path.startswith(f"{made.path}/") for one in whole.made)
        return f"{within} within" if within else ""

    def spoken_parts(self) -> list[Part]:
        return [
            Part(
                f"{self._title(tile.made)} {self._about(tile)}".strip(), tile.box,
                tile.is_made if tile.made.optional else None, number == self._cursor,
            )
            for number, tile in enumerate(self._tiles)
        ]  # fmt: skip

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for number in range(len(self._tiles)):
            self._paint_flow(painter, number)
        for number, tile in enumerate(self._tiles):
            self._paint_tile(painter, tile, has_focus=self.hasFocus() and number == self._cursor)
        for box, left in self._more:
            paint.text(painter, box, f"and {left:,} more", font(12), self._theme.soft)

    def _paint_flow(self, painter: QPainter, number: int) -> None:
        """What flows from a folder into what lies in it."""
        below = [tile.box for tile in self._tiles if tile.under == number]
        if not below:
            return
        above = self._tiles[number].box
        left, right = below[0].left(), below[-1].right()
        path = QPainterPath(QPointF(above.left() + 8, above.bottom()))
        bend = above.bottom() + _FLOW * 0.6
        path.cubicTo(QPointF(above.left() + 8, bend), QPointF(left, bend), QPointF(left, below[0].top() - 1))
        path.lineTo(QPointF(right, below[0].top() - 1))
        path.cubicTo(QPointF(right, bend), QPointF(above.right() - 8, bend), QPointF(above.right() - 8, above.bottom()))
        shade = QColor(self._theme.accent)
        shade.setAlphaF(_FLOW_SHADE * 0.6)
        painter.fillPath(path, shade)

    def _paint_tile(self, painter: QPainter, tile: _Tile, *, has_focus: bool) -> None:
        theme, made, box = self._theme, tile.made, tile.box
        is_top, is_file = not made.path, made.starter is not None
        painter.setPen(
            QPen(theme.accent if has_focus or is_top else theme.soft if is_file else theme.line, 2 if has_focus else 1)
        )
        pen = painter.pen()
        if is_file or not tile.is_made:
            pen.setStyle(Qt.PenStyle.DashLine)
            painter.setPen(pen)
        painter.setBrush(theme.accent if is_top else theme.card if tile.is_made else theme.paper)
        painter.drawRoundedRect(box.adjusted(0, 0, -1, -1), 4, 4)
        ink = theme.on_accent if is_top else theme.ink if tile.is_made else theme.soft
        weight = font(13) if is_file else font(13, SEMIBOLD)
        inner = box.adjusted(10, 4, -8, 0)
        about = self._about(tile)
        title = QRect(inner.left(), inner.top() + (1 if about else 9), inner.width(), 18)
        paint.text(painter, title, self._title(made), weight, ink, cut=Qt.TextElideMode.ElideMiddle)
        soft = theme.on_accent if is_top else theme.soft
        paint.text(painter, QRect(inner.left(), inner.top() + 19, inner.width(), 16), about, font(11.5), soft)


def _within(whole: Whole, made: Made, among: tuple[Made, ...]) -> list[Made]:
    """What lies right in a folder."""
    if made.starter is not None:
        return []
    above = f"{made.path}/" if made.path else ""
    return [
        one for one in among
        if one.path and one.path.startswith(above) and "/" not in one.path[len(above) :] and one.depth == made.depth + 1
    ]  # fmt: skip
