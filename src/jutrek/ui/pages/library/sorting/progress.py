"""How far a sorting is: its name, and one bar of what was filed, what was set aside, and what is to go."""

from __future__ import annotations

from PySide6.QtCore import QRect, QRectF
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, Theme, font

_TITLE, _BAR = 32, 26
_ROOM = 120


class Progress(QWidget):
    """The head of a sorting."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._name, self._about = "", ""
        self._figures = (0, 0, 0)
        self.right = 0
        """Pixels at the right of the title that links take."""
        self.setFixedHeight(_TITLE + _BAR)

    def show_figures(self, name: str, about: str, filed: int, aside: int, to_go: int) -> None:
        """Show how far it is.

        Args:
            name: of the sorting.
            about: more to say of it, beside its name.
            filed, aside, to_go: how many captures.
        """
        self._name, self._about, self._figures = name, about, (filed, aside, to_go)
        self.setAccessibleName(f"{name}: {filed:,} filed, {aside:,} set aside, {to_go:,} to go. {about}")
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        line = QRect(0, 2, self.width() - self.right, _TITLE - 6)
        used = paint.text(painter, line, f"Sorting by hand: {self._name}", font(15.5, SEMIBOLD), theme.ink)
        paint.text(painter, line.adjusted(used + 16, 1, 0, 0), self._about, font(12.5), theme.soft)
        box = QRect(0, _TITLE, self.width(), _BAR - 2)
        paint.card(painter, box, theme.card, theme.line)
        filed, aside, to_go = self._figures
        whole = max(1, filed + aside + to_go)
        painter.setClipRect(box.adjusted(1, 1, -1, -1))
        left = float(box.left())
        for count, fill, word in ((filed, theme.accent, "filed"), (aside, theme.home, "aside")):
            wide = box.width() * count / whole
            painter.fillRect(QRectF(left, box.top(), wide, box.height()), fill)
            if wide > _ROOM * 0.6:
                inner = QRect(round(left) + 10, box.top(), round(wide) - 14, box.height())
                paint.text(painter, inner, f"{count:,} {word}", font(12.5, SEMIBOLD), theme.on_accent)
            left += wide
        if box.right() - left > _ROOM:
            words = [f"{filed:,} filed"] if 0 < filed * box.width() / whole <= _ROOM * 0.6 else []
            words += [f"{aside:,} aside"] if 0 < aside * box.width() / whole <= _ROOM * 0.6 else []
            room = QRect(round(left) + 10, box.top(), round(box.right() - left) - 20, box.height())
            used = paint.text(painter, room, f"{to_go:,} to go", font(12.5, SEMIBOLD), theme.ink, align=paint.RIGHT)
            paint.text(painter, room.adjusted(0, 0, -used - 12, 0), " · ".join(words), font(12.5), theme.soft)
