"""The folders that may take what is chosen, each with its last pictures and a number."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QAbstractScrollArea, QFrame, QWidget

from jutrek.decoding import Shown
from jutrek.formats import Kind
from jutrek.sorting.cards import Card
from jutrek.ui import paint
from jutrek.ui.pages.library.sorting.words import target_words
from jutrek.ui.pictures.service import SIZE, Pictures
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken
from jutrek.views.columns import KINDS

if TYPE_CHECKING:
    from jutrek.desk.laid_out import View

_HIGH, _GAP, _ACROSS = 132, 8, 2
_PICTURES, _SHOWN = 46, 3


class FolderCards(QAbstractScrollArea, Spoken):
    """Folders; one of them may be chosen, and takes what is chosen by Enter. A key alone moves nothing."""

    chosen = Signal()
    """Another one is chosen, or none."""
    taken = Signal()
    """What is chosen is to go into the chosen folder."""
    typed = Signal(object)
    """A letter was typed: another folder begins with it."""
    left = Signal()
    asked = Signal(object, object)
    """What may be done with a folder: which, and where a menu opens."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self._view: View | None = None
        self.cards: tuple[Card, ...] = ()
        self.current = -1
        self._more: dict[str, int] = {}
        self._recent: dict[str, tuple[int, ...]] = {}
        self._over = -1
        self._figures = ""
        self.coming = 0
        """How many captures would go into the chosen one."""
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Folders")
        pictures.ready.connect(self._on_ready)

    # ---- what is shown

    def show_cards(
        self, view: View, cards: Sequence[Card], more: dict[str, int], recent: dict[str, tuple[int, ...]]
    ) -> None:
        """Show folders; the same one stays chosen where it is still there.

        Args:
            view: that pictures are of.
            cards: in the order of their numbers.
            more: how many captures went into each since their cards were made, by their targets.
            recent: rows of those that went there last.
        """
        target = self.target
        self._view, self.cards, self._more, self._recent = view, tuple(cards), more, recent
        at = next((at for at, one in enumerate(self.cards) if one.target == target), -1) if target is not None else -1
        changed = at != self.current
        self.current = at
        self._lay()
        if changed:
            self.chosen.emit()

    def _lay(self) -> None:
        lines = -(-len(self.cards) // _ACROSS)
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, lines * (_HIGH + _GAP) - _GAP - self.viewport().height()))
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep(40)
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._lay()

    def _box(self, at: int) -> QRect:
        line, column = divmod(at, _ACROSS)
        wide = (self.viewport().width() - _GAP) // _ACROSS
        top = line * (_HIGH + _GAP) - self.verticalScrollBar().value()
        return QRect(column * (wide + _GAP), top, wide, _HIGH)

    @property
    def target(self) -> str | None:
        """The chosen folder; None where none is."""
        return self.cards[self.current].target if 0 <= self.current < len(self.cards) else None

    def left_of(self) -> QPoint | None:
        """Where the chosen card begins at the left; None where it can't be seen."""
        if self.target is None:
            return None
        box = self._box(self.current)
        return QPoint(box.left(), box.center().y()) if box.intersects(self.viewport().rect()) else None

    # ---- choosing

    def choose(self, at: int) -> None:
        """Choose a card by its place; none for -1."""
        self.current = at if 0 <= at < len(self.cards) else -1
        if self.current >= 0:
            box, bar = self._box(self.current), self.verticalScrollBar()
            if box.top() < 0:
                bar.setValue(bar.value() + box.top())
            elif box.bottom() > self.viewport().height():
                bar.setValue(bar.value() + box.bottom() - self.viewport().height())
        self.viewport().update()
        self.chosen.emit()

    def begin_number(self, figure: str) -> None:
        """The number of a folder is typed, from its first figure on."""
        self._figures = ""
        self.setFocus()
        self._number(figure)

    def _number(self, figure: str) -> None:
        """A figure more: where there is no folder of the number that comes of it, it begins anew."""
        for typed in (self._figures + figure, figure):
            if typed.isascii() and 1 <= int(typed) <= len(self.cards):
                self._figures = typed
                self.choose(int(typed) - 1)
                return
        self._figures = ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, text = event.key(), event.text()
        control = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -_ACROSS, Qt.Key.Key_Down: _ACROSS}
        if text.isdigit() and not control:
            self._number(text)
            return
        self._figures = ""
        if (by := steps.get(Qt.Key(key))) is not None:
            at = self.current + by if self.current >= 0 else 0
            if 0 <= at < len(self.cards):
                self.choose(at)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit()
        elif key == Qt.Key.Key_Escape:
            self.left.emit()
        elif text.isprintable() and text.strip() and not control:
            self.typed.emit(text)
        else:
            super().keyPressEvent(event)

    def _at(self, point: QPoint) -> int:
        return next((at for at in range(len(self.cards)) if self._box(at).contains(point)), -1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton and (at := self._at(event.position().toPoint())) >= 0:
            self._figures = ""
            self.choose(at)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._at(event.position().toPoint()) == self.current >= 0:
            self.taken.emit()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        by_pointer = event.reason() is QContextMenuEvent.Reason.Mouse
        at = self._at(event.pos()) if by_pointer else self.current
        if at >= 0:
            place = event.globalPos() if by_pointer else self.viewport().mapToGlobal(self._box(at).center())
            self.asked.emit(self.cards[at], place)

    # ---- what hangs over it

    def folder_at(self, place: QPoint) -> str | None:
        """The folder at a point of the screen; None for none."""
        point = self.viewport().mapFromGlobal(place)
        at = self._at(point) if self.viewport().rect().contains(point) else -1
        return self.cards[at].target if at >= 0 else None

    def hang_over(self, place: QPoint | None) -> None:
        """Show into which folder would go what hangs at a point of the screen; None for no longer."""
        target = self.folder_at(place) if place is not None else None
        self._over = next((at for at, one in enumerate(self.cards) if one.target == target), -1)
        self.viewport().update()

    # ---- painting

    def _on_ready(self, path: str) -> None:
        if self._view is not None and self.isVisible() and self._view.holds(path):
            self.viewport().update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.fillRect(event.rect(), self._theme.paper)
        for at, card in enumerate(self.cards):
            if (box := self._box(at)).intersects(event.rect()):
                self._card(painter, box, at, card)

    def _card(self, painter: QPainter, box: QRect, at: int, card: Card) -> None:
        theme, chosen = self._theme, at == self.current
        edge, wide = (theme.accent, 3 if at == self._over else 2) if chosen or at == self._over else (theme.line, 1)
        paint.card(painter, box, theme.accent_wash if chosen else theme.card, edge, width=wide)
        inner = box.adjusted(9, 9, -9, -6)
        self._pictures_of(painter, QRect(inner.left(), inner.top(), inner.width(), _PICTURES), card)
        name, above = target_words(card.folder)
        line = QRect(inner.left(), inner.top() + _PICTURES + 5, inner.width(), 18)
        paint.text(painter, line, name, font(13, SEMIBOLD), theme.ink, cut=Qt.TextElideMode.ElideMiddle)
        paint.text(painter, line.translated(0, 17), above, font(12), theme.soft, cut=Qt.TextElideMode.ElideMiddle)
        foot = QRect(inner.left(), inner.bottom() - 20, inner.width(), 20)
        number = QRect(foot.left(), foot.top(), 20 + 6 * (at > 8), 20)
        paint.card(painter, number, theme.paper, theme.accent if chosen and self.hasFocus() else theme.line)
        paint.text(painter, number, str(at + 1), font(12.5, SEMIBOLD), theme.ink, align=paint.CENTRE)
        count = card.captures + self._more.get(card.target, 0)
        words = f"{count:,}" if count else "new"
        if chosen and self.coming:
            words = f"{count:,} + {self.coming:,}"
        used = paint.text(painter, foot, words, font(12.5), theme.accent if chosen else theme.soft, align=paint.RIGHT)
        room = foot.adjusted(number.width() + 8, 0, -used - 8, 0)
        paint.text(painter, room, card.why, font(12), theme.soft)

    def _pictures_of(self, painter: QPainter, box: QRect, card: Card) -> None:
        view, wide = self._view, (box.width() + 4) // _SHOWN
        if view is None:
            return
        rows = (*self._recent.get(card.target, ()), *reversed(card.last))[:_SHOWN]
        for number in range(_SHOWN):
            place = QRect(box.left() + number * wide, box.top(), wide - 4, box.height())
            picture = None
            if number < len(rows):
                row = rows[number]
                shown = Shown(view.whole(row), Kind(KINDS[view.columns.kind[row]]))
                picture = self._pictures.of(shown, view.top(row), SIZE, at_home=True, kept_as=view.kept_as(row))
            paint.filling(painter, place, picture, self._theme.track)

    def spoken_parts(self) -> Sequence[Part]:
        return [
            Part(
                f"{at + 1}, {target_words(card.folder)[0]}, {target_words(card.folder)[1]}, "
                f"{paint.counted(card.captures + self._more.get(card.target, 0), 'capture')}"
                f"{f', {card.why}' if card.why else ''}",
                self._box(at), at == self.current, at == self.current,
            )
            for at, card in enumerate(self.cards)
        ]  # fmt: skip
