"""The text of an outline as lines that are moved: Tab and Shift+Tab in and out, Alt and arrows or a drag elsewhere."""

from __future__ import annotations

import os
from collections.abc import Sequence

from PySide6.QtCore import QMimeData, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QTextCharFormat,
    QTextCursor,
    QWheelEvent,
)
from PySide6.QtWidgets import QFrame, QPlainTextEdit, QTextEdit, QWidget

from jutrek.jobs.lines import Lines, block_of, moved_block, moved_down, moved_in, moved_out, moved_up, with_line
from jutrek.jobs.outline import OutlineError
from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, Theme, font

_GUTTER = 34


class OutlineText(QPlainTextEdit):
    """The text, with a gutter by which lines are dragged."""

    dropped = Signal(object, int)
    """A file was dropped onto a line: its path, and the line, from 0."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.gutter = _Gutter(theme, self)
        wide = font(14)
        # What is moved in is seen better so.
        wide.setWordSpacing(2)
        self.setFont(wide)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.setViewportMargins(_GUTTER, 0, 0, 0)
        self.setTabChangesFocus(False)
        self.setAcceptDrops(True)
        self.setAccessibleName("The text of the outline")
        self.blockCountChanged.connect(lambda _: self.gutter.update())
        self.updateRequest.connect(lambda _rect, _dy: self.gutter.update())
        self.cursorPositionChanged.connect(self.gutter.update)

    def lines(self) -> list[str]:
        """The lines as they stand."""
        return self.toPlainText().split("\n")

    def chosen(self) -> tuple[int, int]:
        """The first line of what is chosen, and the one behind its last, from 0."""
        cursor, document = self.textCursor(), self.document()
        first = document.findBlock(cursor.selectionStart()).blockNumber()
        last = document.findBlock(max(cursor.selectionStart(), cursor.selectionEnd() - cursor.hasSelection()))
        return first, last.blockNumber() + 1

    def take(self, made: Lines) -> None:
        """Let other lines stand there, as one step that is taken back as one."""
        scrolled = self.verticalScrollBar().value()
        cursor = self.textCursor()
        cursor.beginEditBlock()
        cursor.select(QTextCursor.SelectionType.Document)
        cursor.insertText("\n".join(made.lines))
        cursor.endEditBlock()
        self.choose(made.first, made.behind)
        self.verticalScrollBar().setValue(scrolled)

    def choose(self, first: int, behind: int) -> None:
        """Choose lines; the caret stands at the end of the last."""
        document = self.document()
        begin, end = document.findBlockByNumber(first), document.findBlockByNumber(max(first, behind - 1))
        cursor = QTextCursor(begin)
        if behind - first > 1:
            cursor.setPosition(end.position() + end.length() - 1, QTextCursor.MoveMode.KeepAnchor)
        else:
            cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock)
        self.setTextCursor(cursor)

    def point_at(self, trouble: OutlineError | None) -> None:
        """Underline what a sentence points at; None for nothing."""
        if trouble is None:
            self.setExtraSelections([])
            return
        block = self.document().findBlockByNumber(trouble.line - 1)
        text = block.text()
        begin = min(trouble.at, max(0, len(text) - 1))
        end = next((at for at in range(begin + 1, len(text)) if text[at] in " }:/"), len(text))
        cursor = QTextCursor(block)
        cursor.setPosition(block.position() + begin)
        cursor.setPosition(block.position() + max(end, begin), QTextCursor.MoveMode.KeepAnchor)
        look = QTextCharFormat()
        look.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
        look.setUnderlineColor(self._theme.brick)
        look.setForeground(self._theme.brick)
        selection = QTextEdit.ExtraSelection()
        selection.cursor, selection.format = cursor, look
        self.setExtraSelections([selection])

    # ---- keys and drops

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, held = Qt.Key(event.key()), event.modifiers()
        first, behind = self.chosen()
        if key == Qt.Key.Key_Tab and held == Qt.KeyboardModifier.NoModifier:
            self.take(moved_in(self.lines(), first, behind))
        elif key == Qt.Key.Key_Backtab:
            self.take(moved_out(self.lines(), first, behind))
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and held == Qt.KeyboardModifier.AltModifier:
            move = moved_up if key == Qt.Key.Key_Up else moved_down
            self.take(move(self.lines(), first))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and held == Qt.KeyboardModifier.NoModifier:
            line = self.textCursor().block().text()
            self.insertPlainText("\n" + line[: len(line) - len(line.lstrip())])
        elif key == Qt.Key.Key_Escape:
            # Tab moves lines here, so there is another way out.
            self.nextInFocusChain().setFocus()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if _files(event.mimeData()):
            event.acceptProposedAction()
        else:
            super().dragEnterEvent(event)

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        if _files(event.mimeData()):
            self.gutter.hang_over(self.line_at(event.position().toPoint()))
            event.acceptProposedAction()
        else:
            super().dragMoveEvent(event)

    def dropEvent(self, event: QDropEvent) -> None:
        files = _files(event.mimeData())
        self.gutter.hang_over(None)
        if not files:
            super().dropEvent(event)
            return
        event.acceptProposedAction()
        line = self.line_at(event.position().toPoint())
        for path in files:
            self.dropped.emit(path, line)

    def add_starter(self, name: str, line: int) -> None:
        """Write the line of a starter into the folder of a line, or beside the file that stands there."""
        self.take(with_line(self.lines(), line, f"{name} : from {name}"))

    # ---- where lines are

    def line_at(self, point: QPoint) -> int:
        """The number of the line at a point of the view, from 0."""
        return self.cursorForPosition(point).blockNumber()

    def box_of(self, line: int) -> QRect:
        """Where a line is in the view."""
        block = self.document().findBlockByNumber(line)
        return self.blockBoundingGeometry(block).translated(self.contentOffset()).toRect()

    def seen(self) -> Sequence[int]:
        """The lines that can be seen."""
        block, found = self.firstVisibleBlock(), []
        while block.isValid():
            if self.box_of(block.blockNumber()).top() > self.viewport().height():
                break
            found.append(block.blockNumber())
            block = block.next()
        return found

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.gutter.setGeometry(0, 0, _GUTTER, self.height())


class _Gutter(QWidget):
    """The numbers of lines, by which they are dragged."""

    def __init__(self, theme: Theme, text: OutlineText) -> None:
        super().__init__(text)
        self._theme, self._text = theme, text
        self._dragged: int | None = None
        self._over: int | None = None
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName("Lines: drag one to move it with all that lies in it")

    def sizeHint(self) -> QSize:
        return QSize(_GUTTER, 0)

    def hang_over(self, line: int | None) -> None:
        """Show that something hangs over a line; None for over none."""
        self._over = line
        self.update()

    def _line(self, event: QMouseEvent) -> int:
        return self._text.line_at(QPoint(4, int(event.position().y())))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            self._dragged = self._line(event)
            self._text.choose(*block_of(self._text.lines(), self._dragged))
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged is not None:
            self.hang_over(self._line(event))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        line, self._dragged = self._dragged, None
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        if line is not None and self._over is not None and self._over != line:
            behind = self._over + 1 if self._over > line else self._over
            self._text.take(moved_block(self._text.lines(), line, behind))
        self.hang_over(None)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._text.wheelEvent(event)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.fillRect(self.rect(), theme.paper)
        current = self._text.textCursor().blockNumber()
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for line in self._text.seen():
            box = self._text.box_of(line)
            cell = QRect(0, box.top(), _GUTTER - 8, box.height())
            ink = theme.ink if line == current else theme.soft
            weight = font(11.5, SEMIBOLD) if line == current else font(11.5)
            paint.text(painter, cell, str(line + 1), weight, ink, align=right)
            if line == self._over:
                wash = QColor(theme.accent)
                painter.fillRect(QRect(0, box.bottom() - 1, _GUTTER, 2), wash)


def _files(data: QMimeData) -> list[str]:
    """The files that are dragged."""
    paths = [url.toLocalFile() for url in data.urls() if url.isLocalFile()]
    return [path for path in paths if os.path.isfile(path)]
