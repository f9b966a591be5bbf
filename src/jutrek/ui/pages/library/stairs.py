"""The stairs: folders as steps of tiles, walked by keys from the root down to a picture, and back."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.decoding import Shown
from jutrek.formats import Kind
from jutrek.ui import paint
from jutrek.ui.pages.library.pennants import colour_of, paint_pennant
from jutrek.ui.pictures.service import SIZE, Pictures
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken
from jutrek.views.columns import KINDS
from jutrek.views.narrowing import folded

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.desk.laid_out import View

_LABEL, _TILE, _LOW, _HIGH, _GAP = 92, 150, 34, 96, 16
_MOST_STEPS = 4
_PICTURES = 3
_TYPING = 1.2
"""Seconds after which what is typed begins anew."""


class _Tile(NamedTuple):
    """A folder on a step."""

    number: int
    box: QRect
    chosen: bool


class Stairs(QWidget, Spoken):
    """The steps from the root to the chosen folder, and the folders within it."""

    chosen = Signal(object)
    """A folder, by its path."""
    entered = Signal()
    """Down was pressed on the lowest step: the pictures are next."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self._view: View | None = None
        self.path = ""
        self._went: dict[str, str] = {}
        """Of each folder the one within it where one was last."""
        self._shifts: dict[int, int] = {}
        self._over: str | None = None
        """The folder over whose tile something hangs."""
        """By how many pixels the step of a folder is moved."""
        self._typed, self._typed_at = "", 0.0
        self._samples: dict[int, list[int]] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Folders as steps")
        pictures.ready.connect(self._on_ready)

    # ---- what is shown

    def show_view(self, view: View) -> None:
        """Show the folders of a view; the same one stays chosen, or the nearest above it that is there."""
        if self._view is None or self._view.columns is not view.columns or self._view.laid is not view.laid:
            self._samples.clear()
        self._view = view
        while self.path and view.tree.number(self.path) is None:
            self.path = self.path.rpartition("/")[0]
        self._fit()

    def go(self, path: str) -> None:
        """Choose a folder."""
        view = self._view
        if view is None or view.tree.number(path) is None:
            return
        self.path = path
        if path:
            self._went[path.rpartition("/")[0]] = path
        self._fit()
        self.chosen.emit(path)

    def rows(self) -> NDArray[np.int64]:
        """The rows of the view that are in the chosen folder, or deeper."""
        view = self._view
        number = view.tree.number(self.path) if view is not None else None
        if view is None or number is None:
            return np.zeros(0, np.int64)
        return self._rows_of(view, number)

    def _rows_of(self, view: View, number: int) -> NDArray[np.int64]:
        rows = view.rows
        folders = view.tree.of_code[view.columns.folder[rows]]
        within: NDArray[np.int64] = rows[(folders >= number) & (folders < view.tree.ends[number])]
        return within

    def _steps(self) -> list[int]:
        """The folders whose own folders make a step, the last few of them."""
        view = self._view
        if view is None or (number := view.tree.number(self.path)) is None:
            return []
        steps = [one for one in view.tree.parents(number) if int(view.tree.ends[one]) > one + 1]
        return steps[-_MOST_STEPS:]

    def _fit(self) -> None:
        steps = self._steps()
        self.setFixedHeight(sum(self._high(at, len(steps)) + _GAP for at in range(len(steps))) if steps else 8)
        self.update()

    def _high(self, at: int, steps: int) -> int:
        return _HIGH if at == steps - 1 else _LOW

    def _tiles(self) -> list[tuple[int, QRect, list[_Tile]]]:
        """The steps: whose folders they are, where they are, and their tiles as far as they can be seen."""
        view, steps, top = self._view, self._steps(), 2
        found: list[tuple[int, QRect, list[_Tile]]] = []
        if view is None:
            return found
        here = view.tree.number(self.path)
        on_path = set(view.tree.parents(here)) if here is not None else set()
        for at, step in enumerate(steps):
            high = self._high(at, len(steps))
            line = QRect(_LABEL, top, self.width() - _LABEL, high)
            children = view.tree.children(step)
            wide = _TILE if high == _LOW else _TILE + 40
            pitch = wide + 6
            chosen = next((number for number, one in enumerate(children) if one in on_path), None)
            shift = self._shift(step, chosen, pitch, len(children), line.width())
            first, last = max(0, shift // pitch), min(len(children), (shift + line.width()) // pitch + 1)
            tiles = [
                _Tile(children[number], QRect(line.left() + number * pitch - shift, top, wide, high), number == chosen)
                for number in range(first, last)
            ]
            found.append((step, line, tiles))
            top += high + _GAP
        return found

    def _shift(self, step: int, chosen: int | None, pitch: int, count: int, wide: int) -> int:
        """By how much a step is moved, so that what is chosen can be seen."""
        shift = self._shifts.get(step, 0)
        if chosen is not None:
            shift = min(max(shift, (chosen + 1) * pitch - wide), chosen * pitch)
        shift = max(0, min(shift, count * pitch - wide))
        self._shifts[step] = shift
        return shift

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    # ---- keys and the pointer

    def _siblings(self) -> tuple[list[int], int]:
        """The folders beside the chosen one, and which of them it is; none at the root."""
        view = self._view
        number = view.tree.number(self.path) if view is not None else None
        if view is None or not number:
            return [], 0
        above = view.tree.parents(number)[-2]
        siblings = view.tree.children(above)
        return siblings, siblings.index(number)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and _is_typed(event):
            # Letters jump here, and call nothing else.
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        view, key = self._view, event.key()
        if view is None:
            return
        siblings, at = self._siblings()
        steps = {Qt.Key.Key_Left: at - 1, Qt.Key.Key_Right: at + 1, Qt.Key.Key_Home: 0, Qt.Key.Key_End: -1}
        if (to := steps.get(Qt.Key(key))) is not None and siblings:
            to = len(siblings) - 1 if to == -1 and key == Qt.Key.Key_End else max(0, min(len(siblings) - 1, to))
            self.go(view.tree.paths[siblings[to]])
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Right):
            self._down(view)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Escape, Qt.Key.Key_Backspace) and self.path:
            self.go(self.path.rpartition("/")[0])
        elif _is_typed(event):
            self._jump(event.text())
        else:
            super().keyPressEvent(event)

    def _down(self, view: View) -> None:
        number = view.tree.number(self.path)
        children = view.tree.children(number) if number is not None else []
        if not children:
            self.entered.emit()
            return
        before = self._went.get(self.path, "")
        known = view.tree.number(before) if before else None
        self.go(view.tree.paths[known if known in children and known is not None else children[0]])

    def _jump(self, typed: str) -> None:
        """Go to the folder beside, or else within the chosen one, whose name begins with what is typed."""
        view, now = self._view, time.monotonic()
        assert view is not None
        if typed == " " and not self._typed:
            self.entered.emit()
            return
        self._typed = self._typed + typed if now - self._typed_at < _TYPING else typed
        self._typed_at = now
        number = view.tree.number(self.path)
        siblings, at = self._siblings()
        around = [*siblings[at:], *siblings[:at]] + (view.tree.children(number) if number is not None else [])
        wanted = folded(self._typed)
        for begins in (True, False):
            for one in around:
                name = folded(view.tree.paths[one].rpartition("/")[2])
                if name.startswith(wanted) if begins else wanted in name:
                    self.go(view.tree.paths[one])
                    return

    def mousePressEvent(self, event: QMouseEvent) -> None:
        point = event.position().toPoint()
        for _, _, tiles in self._tiles():
            for tile in tiles:
                if tile.box.contains(point) and self._view is not None:
                    self.setFocus()
                    self.go(self._view.tree.paths[tile.number])
                    return

    def folder_at(self, place: QPoint) -> str | None:
        """The path of the folder whose tile is at a point of the screen; None for none."""
        point, view = self.mapFromGlobal(place), self._view
        if view is None or not self.isVisible() or not self.rect().contains(point):
            return None
        found = (tile for _, _, tiles in self._tiles() for tile in tiles if tile.box.contains(point))
        tile = next(found, None)
        return view.tree.paths[tile.number] if tile is not None else None

    def hang_over(self, place: QPoint | None) -> None:
        """Show into which folder would go what hangs at a point of the screen; None for no longer."""
        over = self.folder_at(place) if place is not None else None
        if over != self._over:
            self._over = over
            self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Move the step below the pointer."""
        delta = event.angleDelta()
        by = -(delta.x() or delta.y())
        for step, line, _ in self._tiles():
            if line.top() <= event.position().y() <= line.bottom():
                self._shifts[step] = max(0, self._shifts.get(step, 0) + by)
                self.update()
                event.accept()
                return

    # ---- painting

    def _on_ready(self, path: str) -> None:
        if self._view is not None and self.isVisible() and self._view.holds(path):
            self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, view = QPainter(self), self._theme, self._view
        if view is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        steps = self._tiles()
        for (_, _, tiles), below in zip(steps, [*steps[1:], None], strict=False):
            source = next((tile for tile in tiles if tile.chosen), None)
            if source is not None:
                self._flow(painter, source.box, below)
        for step, line, tiles in steps:
            name = view.tree.paths[step].rpartition("/")[2] or "the library"
            label = QRect(0, line.top(), _LABEL - 8, line.height())
            paint.text(painter, label, f"in {name}", font(11.5), theme.soft)
            painter.save()
            painter.setClipRect(line)
            for tile in tiles:
                self._tile(painter, view, tile)
            painter.restore()

    def _flow(self, painter: QPainter, box: QRect, below: tuple[int, QRect, list[_Tile]] | None) -> None:
        """The chosen folder flows into the next step down; from the lowest one into the pictures."""
        target = QRect(_LABEL, self.height() - 1, self.width() - _LABEL, 1)
        if below is not None:
            chosen = next((tile.box for tile in below[2] if tile.chosen), None)
            target = chosen if chosen is not None else below[1]
        top, bottom = box.bottom(), target.top()
        middle = (top + bottom) / 2
        left, right = max(box.left() + 20, _LABEL), max(box.right() - 20, _LABEL)
        path = QPainterPath(QPointF(left, top))
        path.cubicTo(left, middle, target.left() + 20, middle, target.left() + 20, bottom)
        path.lineTo(min(target.right() - 20, target.left() + 220), bottom)
        path.cubicTo(min(target.right() - 20, target.left() + 220), middle, right, middle, right, top)
        fill = QColor(self._theme.accent)
        fill.setAlphaF(0.3)
        painter.fillPath(path, fill)

    def _tile(self, painter: QPainter, view: View, tile: _Tile) -> None:
        theme, laid = self._theme, view.laid
        count, whole = int(laid.folders[tile.number]), int(laid.all_folders[tile.number])
        is_here = view.tree.paths[tile.number] == self.path
        edge = theme.ink if is_here and self.hasFocus() else theme.accent if tile.chosen else theme.line
        is_over = view.tree.paths[tile.number] == self._over
        edge, wide = (theme.accent, 3) if is_over else (edge, 2 if is_here else 1)
        paint.card(painter, tile.box, theme.accent if tile.chosen else theme.card, edge, width=wide)
        ink = theme.on_accent if tile.chosen else theme.ink if count else theme.soft
        soft = theme.on_accent if tile.chosen else theme.soft
        box, line = (
            tile.box.adjusted(9, 0, -9, 0),
            QRect(tile.box.left() + 9, tile.box.top(), tile.box.width() - 18, _LOW),
        )
        if box.height() > _LOW:
            self._pictures_of(painter, view, tile)
            line.moveTop(tile.box.bottom() - _LOW + 2)
        words = f"{count:,}" if count == whole else f"{count:,} of {whole:,}"
        right = paint.text(painter, line, words, font(11.5), soft, align=paint.RIGHT)
        name = view.tree.paths[tile.number].rpartition("/")[2]
        if drive := view.drive(view.folder_drives.get(view.tree.paths[tile.number], "")):
            where = line.adjusted(0, 0, -right - 8, 0)
            right += 8 + paint.text(painter, where, drive.words, font(11.5), soft, align=paint.RIGHT)
        if mark := view.mark_of(view.tree.paths[tile.number]):
            at = QPoint(tile.box.right() - 24, tile.box.top())
            if box.height() <= _LOW:
                at, line = line.topLeft() + QPoint(0, 5), line.adjusted(20, 0, 0, 0)
            paint_pennant(painter, at, mark, colour_of(view.marks, mark), scale=1.0 if box.height() > _LOW else 0.72)
        paint.text(painter, line.adjusted(0, 0, -right - 6, 0), name, font(13, SEMIBOLD), ink)

    def _pictures_of(self, painter: QPainter, view: View, tile: _Tile) -> None:
        """The first, the middle and the last picture of a folder."""
        rows = self._samples.get(tile.number)
        if rows is None:
            within = self._rows_of(view, tile.number)
            at = sorted({0, len(within) // 2, len(within) - 1}) if len(within) else []
            rows = self._samples[tile.number] = [int(within[one]) for one in at]
        room = tile.box.width() - 16
        wide = room // _PICTURES
        for number, row in enumerate(rows):
            box = QRect(tile.box.left() + 8 + number * wide, tile.box.top() + 8, wide - 3, tile.box.height() - _LOW - 8)
            shown = Shown(view.whole(row), Kind(KINDS[view.columns.kind[row]]))
            picture = self._pictures.of(shown, view.top(row), SIZE, at_home=True, kept_as=view.kept_as(row))
            paint.filling(painter, box, picture, self._theme.track)

    def spoken_parts(self) -> Sequence[Part]:
        view = self._view
        if view is None:
            return ()
        return [
            Part(
                f"{view.tree.paths[tile.number].rpartition('/')[2]}, in {view.tree.paths[step] or 'the library'}, "
                f"{paint.counted(int(view.laid.folders[tile.number]), 'capture')}"
                f"{_lies(view, view.tree.paths[tile.number])}",
                tile.box, tile.chosen, view.tree.paths[tile.number] == self.path,
            )
            for step, _, tiles in self._tiles()
            for tile in tiles
        ]  # fmt: skip


def _lies(view: View, path: str) -> str:
    drive = view.drive(view.folder_drives.get(path, ""))
    return f", {drive.words}" if drive is not None else ""


def _is_typed(event: QKeyEvent) -> bool:
    """Whether a key writes a sign."""
    control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
    return bool(event.text()) and event.text().isprintable() and not control
