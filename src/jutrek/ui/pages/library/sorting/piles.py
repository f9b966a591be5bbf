"""The piles of a sorting, which count down; those that are done fold away."""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtCore import QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QAbstractScrollArea, QFrame, QWidget

from jutrek.sorting.piles import By, Pile
from jutrek.ui import paint
from jutrek.ui.pages.library.sorting.words import pile_words
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken

_HIGH, _LOW = 40, 24
_FOLDS = 2
"""More piles than this that are done are folded into one line."""


class _Line(NamedTuple):
    """A line of the list: a pile, or how many are folded away."""

    pile: Pile | None
    top: int
    height: int


class PileList(QAbstractScrollArea, Spoken):
    """The piles, of which one is looked at."""

    chosen = Signal(object)
    """A pile, by its key."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._by = By.MONTH
        self._piles: tuple[Pile, ...] = ()
        self._top = ""
        """The folder that all piles have in common."""
        self._lines: list[_Line] = []
        self.current: str | None = None
        self.folded = True
        """Whether piles that are done are."""
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Piles")

    # ---- what is shown

    def show_piles(self, by: By, piles: Sequence[Pile], current: str | None) -> None:
        """Show piles.

        Args:
            by: what they are made by.
            piles: in their order.
            current: the key of the one that is looked at; None for none.
        """
        self._by, self._piles = by, tuple(piles)
        keys = [f"/{one.key}" for one in piles]
        self._top = os.path.commonpath(keys).strip("/") if by is By.FOLDER and keys else ""
        moved = current != self.current
        self.current = current
        self._lay()
        if moved:
            self._show_current()

    def _lay(self) -> None:
        done = [one for one in self._piles if not one.to_go]
        folds = self.folded and len(done) > _FOLDS
        self._lines, top = [], 0
        for one in [None, *self._piles] if len(done) > _FOLDS else self._piles:
            if one is not None and not one.to_go and folds and one.key != self.current:
                continue
            height = _LOW if one is None or not one.to_go else _HIGH
            self._lines.append(_Line(one, top, height))
            top += height
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, top - self.viewport().height()))
        bar.setPageStep(self.viewport().height())
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._lay()

    def _show_current(self) -> None:
        line = next((one for one in self._lines if one.pile is not None and one.pile.key == self.current), None)
        bar = self.verticalScrollBar()
        if line is not None and line.top < bar.value():
            bar.setValue(line.top)
        elif line is not None and line.top + line.height > bar.value() + self.viewport().height():
            bar.setValue(line.top + line.height - self.viewport().height())

    def next_of(self, key: str | None, by: int = 1) -> str | None:
        """The pile after one, or before it, of which something is to go: round the end, too; None where nothing is."""
        keys = [one.key for one in self._piles]
        at = keys.index(key) if key in keys else -1 if by > 0 else 0
        for step in range(1, len(keys) + 1):
            one = self._piles[(at + by * step) % len(keys)]
            if one.to_go:
                return one.key
        return None

    # ---- keys and the pointer

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}
        if (by := steps.get(Qt.Key(event.key()))) is not None:
            if (key := self.next_of(self.current, by)) is not None:
                self.chosen.emit(key)
        elif event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._fold()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        y = int(event.position().y()) + self.verticalScrollBar().value()
        line = next((one for one in self._lines if one.top <= y < one.top + one.height), None)
        if line is None:
            return
        if line.pile is None:
            self._fold()
        elif line.pile.to_go:
            self.chosen.emit(line.pile.key)

    def _fold(self) -> None:
        """Fold what is done away, or show it."""
        self.folded = not self.folded
        self._lay()

    # ---- painting

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, top = QPainter(self.viewport()), self.verticalScrollBar().value()
        for line in self._lines:
            box = QRect(0, line.top - top, self.viewport().width(), line.height)
            if box.intersects(event.rect()):
                self._line(painter, line.pile, box)

    def _line(self, painter: QPainter, pile: Pile | None, box: QRect) -> None:
        theme, inner = self._theme, box.adjusted(8, 0, -8, 0)
        if pile is None:
            done = sum(not one.to_go for one in self._piles)
            paint.text(painter, inner, paint.counted(done, "pile is done", "piles are done"), font(12.5), theme.soft)
            words = "show them" if self.folded else "fold them away"
            paint.text(painter, inner, words, font(12), theme.accent, align=paint.RIGHT)
            return
        if pile.key == self.current:
            paint.card(painter, box.adjusted(0, 1, 0, -1), theme.accent_wash, theme.accent if self.hasFocus() else
                       theme.accent_wash)  # fmt: skip
        line = QRect(inner.left(), inner.top() + (2 if pile.to_go else 0), inner.width(), _LOW)
        words = f"{pile.to_go:,} to go" if pile.to_go else "done"
        ink = theme.ink if pile.to_go else theme.soft
        used = paint.text(painter, line, words, font(12.5), ink if pile.to_go else theme.accent, align=paint.RIGHT)
        face = font(13, SEMIBOLD) if pile.key == self.current else font(13)
        room = line.adjusted(0, 0, -used - 10, 0)
        paint.text(
            painter, room, pile_words(self._by, pile.key, self._top), face, ink, cut=Qt.TextElideMode.ElideMiddle
        )
        if pile.to_go:
            share = 1 - pile.to_go / max(1, pile.began)
            track = QRect(inner.left(), line.bottom() + 2, inner.width(), 4)
            empty = theme.card if pile.key == self.current else theme.track
            paint.bar(painter, track, share, theme.accent, empty)

    def spoken_parts(self) -> Sequence[Part]:
        top, high = self.verticalScrollBar().value(), self.viewport().height()
        seen = [one for one in self._lines if one.top + one.height > top and one.top < top + high]
        return [
            Part(
                f"{pile_words(self._by, pile.key, self._top)}, {f'{pile.to_go:,} to go' if pile.to_go else 'done'}",
                QRect(0, line.top - top, self.viewport().width(), line.height),
                pile.key == self.current,
                pile.key == self.current,
            )
            for line in seen
            if (pile := line.pile) is not None
        ]
