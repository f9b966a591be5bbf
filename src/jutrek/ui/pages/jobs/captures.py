"""The captures of a job: some of its pictures."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.decoding import Shown
from jutrek.formats import Kind
from jutrek.ui import paint
from jutrek.ui.pictures.service import SIZE, Pictures
from jutrek.ui.theme import Theme, font

_GAP, _EDGE, _LINES = 4, 4, 2


class JobPictures(QWidget):
    """Two lines of pictures, spread over all that there are; a click shows all of them."""

    wanted = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self._root, self._words = "", ""
        self._paths: tuple[str, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Captures of the job")
        pictures.ready.connect(lambda _: self.update())

    def show_pictures(self, root: str, paths: Sequence[str], words: str) -> None:
        """Show pictures of a library, by their paths in it, and what is said below them."""
        self._root, self._paths, self._words = root, tuple(paths), words
        self.setAccessibleDescription(words)
        self._fit()

    def _fit(self) -> None:
        across = self._across()
        lines = min(_LINES, -(-len(self._paths) // across))
        self.setFixedHeight(_EDGE + lines * (SIZE.height() + _GAP) + 24)
        self.update()

    def _across(self) -> int:
        return max(1, (self.width() - 2 * _EDGE + _GAP) // (SIZE.width() + _GAP))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit()

    def sizeHint(self) -> QSize:
        return QSize(300, self.height())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._paths and event.button() is Qt.MouseButton.LeftButton:
            self.wanted.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self._paths:
            self.wanted.emit()
        else:
            super().keyPressEvent(event)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, across = QPainter(self), self._theme, self._across()
        if self.hasFocus():
            painter.setPen(theme.accent)
            painter.drawRoundedRect(self.rect().adjusted(0, 0, -1, -1), 4, 4)
        for at, path in enumerate(self._paths[: across * _LINES]):
            down, aside = divmod(at, across)
            left, top = _EDGE + aside * (SIZE.width() + _GAP), _EDGE + down * (SIZE.height() + _GAP)
            box = QRect(left, top, SIZE.width(), SIZE.height())
            shown = Shown(f"{self._root}/{path}", Kind.STILL)
            paint.filling(painter, box, self._pictures.of(shown, self._root, at_home=True), theme.track)
        line = QRect(_EDGE, self.height() - 24, self.width() - 2 * _EDGE, 20)
        paint.text(painter, line, self._words, font(13), theme.ink)
