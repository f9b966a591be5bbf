"""A pattern as a path of chips: pieces are dragged in, about and out; text is typed between them.

By keyboard: arrows move the caret, Alt with an arrow moves the chip beside it, Return opens the chip's menu, Backspace
and Delete take out, and whatever is typed stands as text.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.filing.composing import (
    SLASH,
    Token,
    inserted,
    moved,
    pattern_of,
    removed,
    tokens_of,
    with_form,
    with_optional,
)
from jutrek.filing.facts import Facts
from jutrek.filing.pattern import LAYOUT, Pattern, Piece
from jutrek.filing.pieces import Setting
from jutrek.ui import paint
from jutrek.ui.pages.rules.chips import MIME, chip_words, piece_menu, value_of
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken

_CHIP, _UNDER, _ROW = 34, 30, 72
_TOP, _LEFT = 6, 4
_DRAG_FROM = 6
_NONE = "none"
_ONLY = "only when there is one"


class PathEditor(QWidget, Spoken):
    """Edits a layout or a name. It tells every change, and what it refuses."""

    changed = Signal(object)
    """The new pattern."""
    refused = Signal(object)

    def __init__(self, theme: Theme, use: str, parent: QWidget | None = None) -> None:
        """
        Args:
            use: `LAYOUT` or `NAME`.
        """
        super().__init__(parent)
        self._theme, self._use = theme, use
        self.tokens: list[Token] = []
        self.caret = 0
        self._sample: Facts | None = None
        self._setting = Setting()
        self._boxes: list[QRect] = []
        self._pressed: int | None = None
        self._press_at = QPoint()
        self._drag_at: QPoint | None = None
        self._drop_gap: int | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.IBeamCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._fit()

    def show_pattern(self, pattern: Pattern, sample: Facts | None, setting: Setting) -> None:
        """Show a pattern with the values that a sample capture gives its pieces."""
        self._sample, self._setting = sample, setting
        tokens = tokens_of(pattern)
        if [token.part for token in tokens] != [token.part for token in self.tokens]:
            self.caret = min(self.caret, len(tokens)) if self.tokens else len(tokens)
        self.tokens = tokens
        self._fit()

    def insert(self, piece: Piece) -> None:
        """Put a piece where the caret stands."""
        self._take(inserted(self.tokens, self.caret, piece), self.caret + 1)

    def current(self) -> int | None:
        """The number of the chip beside the caret: the one before it, else the one behind; None for none."""
        for at in (self.caret - 1, self.caret):
            if 0 <= at < len(self.tokens) and self.tokens[at].piece is not None:
                return at
        return None

    def box(self, number: int) -> QRect:
        """Where a token stands."""
        return self._boxes[number]

    def _take(self, tokens: Sequence[Token], caret: int) -> None:
        # Written and read again, so that numbers of optional parts and texts are as they will be.
        self.tokens = tokens_of(pattern_of(tokens))
        self.caret = max(0, min(caret, len(self.tokens)))
        self._fit()
        self.changed.emit(pattern_of(self.tokens))

    def _fit(self) -> None:
        self._boxes = []
        x, y = _LEFT, _TOP
        room = max(self.width(), 200) - _LEFT
        for token in self.tokens:
            wide = self._width(token)
            if x + wide > room and x > _LEFT:
                x, y = _LEFT, y + _ROW
            self._boxes.append(QRect(x, y, wide, _CHIP))
            x += wide + (4 if token.piece is not None else 0)
        self.setFixedHeight(y + _ROW)
        self.setAccessibleName(f"{'Folders' if self._use == LAYOUT else 'Name'}: {pattern_of(self.tokens)}")
        self.update()

    def _width(self, token: Token) -> int:
        if token.piece is None:
            wide = paint.width_of(str(token.part), font(16, SEMIBOLD))
            return max(14, wide) if token.part == SLASH else max(wide, 5)
        value = paint.width_of(self._value(token.piece) or _NONE, font(14.5, SEMIBOLD)) + 20
        return max(34, min(value, 300), paint.width_of(chip_words(token.piece), font(11.5)) + 6)

    def _value(self, piece: Piece) -> str:
        return value_of(piece, self._sample, self._setting)

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.oldSize().width() != event.size().width():
            self._fit()

    def sizeHint(self) -> QSize:
        return QSize(400, self.height())

    def spoken_parts(self) -> list[Part]:
        return [
            Part(self._spoken(token), box, has_focus=number == self.current())
            for number, (token, box) in enumerate(zip(self.tokens, self._boxes, strict=True))
        ]

    def _spoken(self, token: Token) -> str:
        if token.piece is None:
            return "a folder in it" if token.part == SLASH else str(token.part)
        only = f", {_ONLY}" if token.optional else ""
        return f"{chip_words(token.piece)}: {self._value(token.piece) or _NONE}{only}"

    # ---- drawing

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_optionals(painter)
        current = self.current() if self.hasFocus() else None
        for number, (token, box) in enumerate(zip(self.tokens, self._boxes, strict=True)):
            if token.piece is None:
                colour = theme.soft if token.part == SLASH else theme.ink
                paint.text(painter, box, str(token.part), font(16, SEMIBOLD), colour, align=paint.CENTRE)
                continue
            self._paint_chip(painter, token.piece, box, chosen=number == current, optional=bool(token.optional))
        if not self.tokens:
            hint = "Drag pieces here, or type."
            paint.text(painter, QRect(_LEFT + 6, _TOP, 300, _CHIP), hint, font(13), theme.soft)
        gap = self._drop_gap if self._drop_gap is not None else self.caret if self.hasFocus() else None
        if gap is not None:
            painter.setPen(QPen(theme.accent, 2))
            at = self._gap_at(gap)
            painter.drawLine(at.x(), at.y() - 2, at.x(), at.y() + _CHIP + 2)
        if self._drag_at is not None and self._pressed is not None:
            piece = self.tokens[self._pressed].piece
            if piece is not None:
                box = self._boxes[self._pressed]
                box = QRect(self._drag_at - QPoint(box.width() // 2, _CHIP // 2), box.size())
                painter.setOpacity(0.75)
                self._paint_chip(painter, piece, box, chosen=True, optional=False)

    def _paint_chip(self, painter: QPainter, piece: Piece, box: QRect, *, chosen: bool, optional: bool) -> None:
        theme, value = self._theme, self._value(piece)
        fill = theme.card if optional else theme.accent_wash
        pen = QPen(theme.accent, 2 if chosen else 1, Qt.PenStyle.DashLine if optional else Qt.PenStyle.SolidLine)
        painter.setPen(pen)
        painter.setBrush(fill)
        painter.drawRoundedRect(box.adjusted(1, 1, -1, -1), 5, 5)
        colour, words = (theme.ink, value) if value else (theme.soft, _NONE)
        style = font(14.5, SEMIBOLD) if value else font(12, italic=True)
        paint.text(painter, box.adjusted(4, 0, -4, 0), words, style, colour, align=paint.CENTRE)
        under = QRect(box.x() - 10, box.bottom() + 2, box.width() + 20, 15)
        paint.text(painter, under, chip_words(piece), font(11.5), theme.soft, align=paint.CENTRE)

    def _paint_optionals(self, painter: QPainter) -> None:
        """A wash behind each optional part, and what it means below."""
        theme = self._theme
        for number in dict.fromkeys(token.optional for token in self.tokens if token.optional):
            boxes = [box for token, box in zip(self.tokens, self._boxes, strict=True) if token.optional == number]
            for top in dict.fromkeys(box.y() for box in boxes):
                row = [box for box in boxes if box.y() == top]
                whole = row[0].united(row[-1]).adjusted(-3, -4, 3, 4)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.amber_wash)
                painter.drawRoundedRect(whole, 6, 6)
            wide = paint.width_of(_ONLY, font(11)) + 4
            last = boxes[-1]
            left = max(0, min(last.center().x() - wide // 2, self.width() - wide))
            under = QRect(left, last.bottom() + 16, wide, 14)
            paint.text(painter, under, _ONLY, font(11), theme.amber, align=paint.CENTRE)

    def _gap_at(self, gap: int) -> QPoint:
        if not self._boxes:
            return QPoint(_LEFT, _TOP)
        if gap < len(self._boxes) and (gap == 0 or self._boxes[gap].y() > self._boxes[gap - 1].y()):
            return self._boxes[gap].topLeft() - QPoint(2, 0)
        before = self._boxes[gap - 1]
        return QPoint(before.right() + (3 if self.tokens[gap - 1].piece is not None else 1), before.y())

    # ---- mouse

    def _gap_near(self, at: QPoint) -> int:
        """The gap between tokens that is nearest to a point."""
        rows = dict.fromkeys(box.y() for box in self._boxes)
        if not rows:
            return 0
        row = min(rows, key=lambda y: abs(y + _CHIP // 2 - at.y()))
        gap = 0
        for number, box in enumerate(self._boxes):
            if box.y() < row or (box.y() == row and box.center().x() < at.x()):
                gap = number + 1
        return gap

    def _token_at(self, at: QPoint) -> int | None:
        under = (number for number, box in enumerate(self._boxes) if box.adjusted(0, 0, 0, 16).contains(at))
        return next((number for number in under if self.tokens[number].piece is not None), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position().toPoint()
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        self._pressed, self._press_at = self._token_at(at), at
        self.caret = self._pressed + 1 if self._pressed is not None else self._gap_near(at)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.open_menu()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position().toPoint()
        if self._pressed is None:
            over = self._token_at(at) is not None
            self.setCursor(Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.IBeamCursor)
        elif self._drag_at is not None or (at - self._press_at).manhattanLength() > _DRAG_FROM:
            self._drag_at = at
            inside = self._holds(at)
            self._drop_gap = self._gap_near(at) if inside else None
            self.setCursor(Qt.CursorShape.ClosedHandCursor if inside else Qt.CursorShape.ForbiddenCursor)
            self.update()

    def _holds(self, at: QPoint) -> bool:
        return self.rect().adjusted(-12, -12, 12, 12).contains(at)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, dragged = self._pressed, self._drag_at
        self._pressed = self._drag_at = self._drop_gap = None
        self.setCursor(Qt.CursorShape.IBeamCursor)
        if pressed is not None and dragged is not None:
            at = event.position().toPoint()
            if self._holds(at):
                gap = self._gap_near(at)
                self._take(moved(self.tokens, pressed, gap), gap + (gap <= pressed))
            else:
                self._take(removed(self.tokens, pressed), pressed)
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        under = self._token_at(event.pos())
        if under is not None:
            self.caret = under + 1
        self.open_menu()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self._drop_gap = self._gap_near(event.position().toPoint())
        self.update()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._drop_gap = None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        name, _, form = bytes(event.mimeData().data(MIME).data()).decode().partition(":")
        gap = self._gap_near(event.position().toPoint())
        self._drop_gap = None
        self._take(inserted(self.tokens, gap, Piece(name, form)), gap + 1)
        event.acceptProposedAction()

    # ---- keyboard

    def event(self, event: QEvent) -> bool:
        # Typing must not set off shortcuts of the window, nor Return its main button.
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and not _is_command(event):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, at = event.key(), self.current()
        keys = Qt.Key
        is_alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if key in (keys.Key_Left, keys.Key_Right):
            step = -1 if key == keys.Key_Left else 1
            if is_alt and at is not None:
                to = at + step if step < 0 else at + 2
                if 0 <= to <= len(self.tokens):
                    self._take(moved(self.tokens, at, to), at + 1 + step)
            else:
                self._go(self.caret + step)
        elif key in (keys.Key_Home, keys.Key_End):
            self._go(0 if key == keys.Key_Home else len(self.tokens))
        elif key == keys.Key_Backspace and self.caret:
            self._take(removed(self.tokens, self.caret - 1), self.caret - 1)
        elif key == keys.Key_Delete and self.caret < len(self.tokens):
            self._take(removed(self.tokens, self.caret), self.caret)
        elif key in (keys.Key_Return, keys.Key_Enter, keys.Key_Menu):
            self.open_menu()
        elif event.text().isprintable() and event.text() and not _is_command(event):
            self.type_text(event.text())
        else:
            super().keyPressEvent(event)

    def _go(self, to: int) -> None:
        self.caret = max(0, min(to, len(self.tokens)))
        self.update()

    def type_text(self, text: str) -> None:
        """Put one sign of text where the caret stands."""
        if text == SLASH and self._use != LAYOUT:
            self.refused.emit("A name can't hold “/”: folders belong to “Where it goes”.")
            return
        self._take(inserted(self.tokens, self.caret, text), self.caret + 1)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()

    # ---- the menu of a chip

    def open_menu(self) -> None:
        """Open the menu of the chip beside the caret: its formats, whether it is optional, and taking it out."""
        at = self.current()
        if at is None:
            return
        piece, box = self.tokens[at].piece, self._boxes[at]
        if piece is None:
            return
        menu = piece_menu(piece, self._sample, self._setting, optional=bool(self.tokens[at].optional), parent=self)
        tokens = self.tokens

        def take(made: list[Token], caret: int) -> None:
            # The rules may have been replaced while the menu was open.
            if self.tokens == tokens:
                self._take(made, caret)

        menu.chosen.connect(lambda form: take(with_form(tokens, at, form), self.caret))
        menu.optional.connect(lambda: take(with_optional(tokens, at), self.caret))
        menu.removed.connect(lambda: take(removed(tokens, at), at))
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.mapToGlobal(box.bottomLeft() + QPoint(0, 4)))


def _is_command(event: QKeyEvent) -> bool:
    modifiers = event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
    return bool(modifiers & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.MetaModifier))
