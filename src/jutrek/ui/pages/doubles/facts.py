"""What is known of the files beside one another, with what differs from the framed one marked."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.pages.doubles.pair import GAP
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken

if TYPE_CHECKING:
    from jutrek.desk.doubles import FileFacts

_ROW, _LABEL, _MARGIN = 26, 134, 16
_NEVER_MARKED = frozenset({"Name", "Folder", "Came with"})
"""These differ in every group, and say nothing about which file is the better one."""


class FactTable(QWidget, Spoken):
    """A row for each fact, a column for each file that is seen."""

    def __init__(self, theme: Theme, labels: tuple[str, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._labels = theme, labels
        self._files: tuple[FileFacts, ...] = ()
        self._frame = 0
        self._shown: tuple[int, ...] = ()
        self._why = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_ROW * (len(labels) + 1) + 22)

    def show_files(self, files: tuple[FileFacts, ...], frame: int, shown: tuple[int, ...], why: str) -> None:
        """Show files, and why one of them is proposed to stay.

        Args:
            files: in their order.
            frame: the one that is framed.
            shown: those that are seen.
            why: a sentence.
        """
        self._files, self._frame, self._shown, self._why = files, frame, shown, why
        self.setAccessibleName(". ".join(self._told()) if files else "Nothing is chosen")
        self.update()

    def _told(self) -> list[str]:
        rows = [
            f"{label}: {', '.join(self._files[at].words[row] for at in self._shown)}"
            + (" (differs)" if self._differs(row) else "")
            for row, label in enumerate(self._labels)
        ]
        return [*rows, self._why]

    def spoken_parts(self) -> list[Part]:
        told = self._told() if self._files else []
        return [Part(words, QRect(0, 8 + row * _ROW, self.width(), _ROW)) for row, words in enumerate(told)]

    def differing(self) -> tuple[str, ...]:
        """The labels of what is marked as differing."""
        return tuple(label for row, label in enumerate(self._labels) if self._differs(row))

    def _differs(self, row: int) -> bool:
        if self._labels[row] in _NEVER_MARKED or not self._files:
            return False
        return any(self._files[at].words[row] != self._files[self._frame].words[row] for at in self._shown)

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        count = max(1, len(self._shown))
        room = self.width() - _LABEL - 2 * _MARGIN
        wide = (room - GAP * (count - 1)) // count
        for row, label in enumerate(self._labels):
            top = 8 + row * _ROW
            paint.text(painter, QRect(_MARGIN, top, _LABEL - 8, _ROW), label, font(12.5, SEMIBOLD), theme.soft)
            for column, at in enumerate(self._shown):
                words, own = self._files[at].words[row], self._files[self._frame].words[row]
                marked = label not in _NEVER_MARKED and words != own
                box = QRect(_MARGIN + _LABEL + column * (wide + GAP), top, wide, _ROW)
                cut = Qt.TextElideMode.ElideMiddle if label == "Folder" else Qt.TextElideMode.ElideRight
                paint.text(painter, box, words, font(13), theme.amber if marked else theme.ink, cut=cut)
            painter.setPen(theme.line)
            painter.drawLine(_MARGIN, top + _ROW, self.width() - _MARGIN, top + _ROW)
        line = QRect(_MARGIN, 10 + len(self._labels) * _ROW, self.width() - 2 * _MARGIN, _ROW)
        paint.text(painter, line, self._why, font(12.5), theme.soft)
