"""Pictures side by side: zoomed and moved together, the keeper in a frame, one shown in the other's place to blink."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.pictures.large import SideBySide
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import BOLD, RADIUS, SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken

if TYPE_CHECKING:
    from jutrek.desk.doubles import FileFacts

COLUMNS = 3
"""How many files are seen at once."""
GAP = 16
_MOST, _STEP = 16.0, 1.25
_A_MOMENT = 120
_LARGEST = 6000
"""Pixels up to which a picture is decoded when it is zoomed into."""
_NOTHING = "There is nothing inside that can be shown."


class PairView(QWidget, Spoken):
    """The files of a group as columns. It knows which one is framed; the page says what that means."""

    framed = Signal(int)
    """By the pointer: the number of a file."""

    def __init__(
        self, theme: Theme, pictures: Pictures, parent: QWidget | None = None, *, stacked: bool = False
    ) -> None:
        """
        Args:
            theme: colours and sizes.
            pictures: fetches them.
            parent: of the widget.
            stacked: whether they stand below one another.
        """
        super().__init__(parent)
        self._theme, self._stacked = theme, stacked
        self._files: tuple[FileFacts, ...] = ()
        self._pixmaps: dict[str, QPixmap] = {}
        self._sizes: dict[str, QSize] = {}
        self._none: dict[str, str] = {}
        self.frame = self.first = 0
        self.zoom = 1.0
        self.middle = QPointF(0.5, 0.5)
        self.blinking = False
        self._drag: QPointF | None = None
        self._moved = False
        self._pictures = SideBySide(pictures, self._keep)
        self._ask_soon = QTimer(self, singleShot=True, interval=_A_MOMENT)
        self._ask_soon.timeout.connect(self._ask)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(180)
        self.setAccessibleName("Pictures side by side")

    def show_files(self, files: tuple[FileFacts, ...], frame: int) -> None:
        """Show the files of another group, or the same ones with more known."""
        if [one.path for one in files] != [one.path for one in self._files]:
            self.zoom, self.middle, self.first = 1.0, QPointF(0.5, 0.5), 0
            self._pixmaps.clear()
            self._sizes.clear()
            self._none.clear()
            self._pictures.forget()
        self._files = files
        self.show_frame(frame)
        self._ask()

    def show_frame(self, frame: int) -> None:
        """Frame another file; where there are more than fit, the columns follow."""
        self.frame = frame
        last = max(0, len(self._files) - COLUMNS)
        self.first = min(max(self.first, frame - COLUMNS + 1), frame, last)
        names = ", ".join(f"{one.words[0]}{' (stays)' if at == frame else ''}" for at, one in enumerate(self._files))
        self.setAccessibleName(f"Side by side: {names}")
        self._ask_soon.start()
        self.update()

    def blink(self, on: bool) -> None:
        """Show the framed picture in the place of the others, or each in its own again."""
        if on != self.blinking:
            self.blinking = on
            self.update()

    def magnify(self, factor: float) -> None:
        """Zoom all of them, around their middle."""
        self._zoom_to(self.zoom * factor, QPointF(0.5, 0.5))

    def shown(self) -> tuple[int, ...]:
        """The numbers of the files whose columns are seen."""
        return tuple(range(self.first, min(self.first + COLUMNS, len(self._files))))

    def columns(self) -> list[QRect]:
        """The place of every column that is seen, from the left."""
        count = max(1, len(self.shown()))
        if self._stacked:
            high = (self.height() - GAP * (count - 1)) // count
            return [QRect(0, at * (high + GAP), self.width(), high) for at in range(len(self.shown()))]
        wide = (self.width() - GAP * (count - 1)) // count
        return [QRect(at * (wide + GAP), 0, wide, self.height()) for at in range(len(self.shown()))]

    def spoken_parts(self) -> list[Part]:
        return [
            Part(self._files[at].words[0], box, at == self.frame)
            for at, box in zip(self.shown(), self.columns(), strict=True)
        ]

    def whole(self) -> bool:
        """Whether every picture that is seen has come, or is known to be none."""
        return all(self._files[at].path in self._pixmaps.keys() | self._none.keys() for at in self.shown())

    def _ask(self) -> None:
        for at, box in zip(self.shown(), self.columns(), strict=True):
            one = self._files[at]
            if one.view is None:
                self._none[one.path] = _NOTHING
                continue
            scale = self.devicePixelRatioF() * self.zoom
            side = min(_LARGEST, round(max(box.width(), box.height(), 64) * scale))
            wanted = QSize(side, side)
            had = self._sizes.get(one.path)
            if had is None or had.width() < wanted.width():
                self._sizes[one.path] = wanted
                self._pictures.wish(one.view, wanted)
        self.update()

    def _keep(self, path: str, picture: QPixmap | None, why: str) -> None:
        one = next((one for one in self._files if one.view is not None and one.view.id == path), None)
        if one is None:
            return
        if picture is None:
            self._none[one.path] = why or _NOTHING
        else:
            self._pixmaps[one.path] = picture
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._ask_soon.start()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        for at, box in zip(self.shown(), self.columns(), strict=True):
            self._paint_column(painter, at, box)

    def _paint_column(self, painter: QPainter, at: int, box: QRect) -> None:
        theme, framed = self._theme, at == self.frame
        edge, width = (theme.accent, 3.0) if framed else (theme.line, 1.0)
        paint.card(painter, box, theme.card, edge, width=width)
        inner = box.adjusted(4, 4, -4, -4)
        one = self._files[self.frame if self.blinking else at]
        pixmap = self._pixmaps.get(one.path)
        if pixmap is not None:
            painter.save()
            painter.setClipRect(inner)
            painter.drawPixmap(self._place(pixmap, inner), pixmap, QRectF(pixmap.rect()))
            painter.restore()
        else:
            words = self._none.get(one.path, "One moment.")
            paint.text(painter, inner, words, font(13), theme.soft, align=paint.CENTRE)
        if framed or self.blinking:
            self._paint_badge(painter, inner, "stays" if framed else "the framed one, here")

    def _paint_badge(self, painter: QPainter, inner: QRect, words: str) -> None:
        face = font(12.5, BOLD if words == "stays" else SEMIBOLD)
        badge = QRect(inner.left() + 8, inner.top() + 8, paint.width_of(words, face) + 22, 24)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._theme.accent)
        painter.drawRoundedRect(badge, RADIUS, RADIUS)
        paint.text(painter, badge, words, face, self._theme.on_accent, align=paint.CENTRE)

    def _place(self, pixmap: QPixmap, box: QRect) -> QRectF:
        """Where a picture is drawn: fitted into its column, then zoomed and moved as all of them."""
        size = pixmap.size()
        fit = min(box.width() / size.width(), box.height() / size.height())
        wide, high = size.width() * fit * self.zoom, size.height() * fit * self.zoom
        left = box.center().x() - self.middle.x() * wide
        top = box.center().y() - self.middle.y() * high
        return QRectF(left, top, wide, high)

    def _zoom_to(self, zoom: float, at: QPointF) -> None:
        """Zoom so that the point `at`, as shares of a column, stays where it is."""
        zoom = min(max(zoom, 1.0), _MOST)
        if zoom == self.zoom:
            return
        shift = (at - QPointF(0.5, 0.5)) * (1 / self.zoom - 1 / zoom)
        self.zoom = zoom
        self._move_to(self.middle + shift)
        self._ask_soon.start()

    def _move_to(self, middle: QPointF) -> None:
        margin = 0.5 / self.zoom
        self.middle = QPointF(
            min(max(middle.x(), margin), 1 - margin), min(max(middle.y(), margin), 1 - margin)
        )  # fmt: skip
        self.update()

    def _column_at(self, at: QPointF) -> tuple[int, QRect] | None:
        found = zip(self.shown(), self.columns(), strict=True)
        return next(((number, box) for number, box in found if box.contains(at.toPoint())), None)

    def wheelEvent(self, event: QWheelEvent) -> None:
        found = self._column_at(event.position())
        if found is not None and event.angleDelta().y():
            box = found[1]
            at = event.position() - QPointF(box.topLeft())
            share = QPointF(at.x() / max(1, box.width()), at.y() / max(1, box.height()))
            self._zoom_to(self.zoom * (_STEP if event.angleDelta().y() > 0 else 1 / _STEP), share)
            event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag, self._moved = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        columns = self.columns()
        if self._drag is None or not columns:
            return
        by = event.position() - self._drag
        if self._moved or by.manhattanLength() > 4:
            self._moved = True
            self._drag = event.position()
            wide, high = max(1, columns[0].width()), max(1, columns[0].height())
            self._move_to(self.middle - QPointF(by.x() / wide, by.y() / high) / self.zoom)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        found = self._column_at(event.position())
        if self._drag is not None and not self._moved and found is not None:
            self.framed.emit(found[0])
        self._drag = None
