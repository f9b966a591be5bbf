"""The headline is the view: how many captures, and what they are, as a sentence of which each part can be clicked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QPoint, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QMenu, QPushButton, QStackedWidget, QWidget

from jutrek.ui import paint
from jutrek.ui.plainly import Label, caption, plain
from jutrek.ui.theme import HEADLINE, SEMIBOLD, Theme, font
from jutrek.ui.widgets.keyed import keyed
from jutrek.views.completing import Completion, completions
from jutrek.views.conditions import EVERYTHING, Condition, Sort, no
from jutrek.views.laying import without
from jutrek.views.saying import parts_of, sentence
from jutrek.views.sentence import understand

if TYPE_CHECKING:
    from jutrek.views.kept import KeptView

_MOST_SHOWN = 9


class SentenceBar(QWidget):
    """Says a view, and lets it be changed: part by part, or typed."""

    said = Signal(object)
    """Another view."""
    kept = Signal(object)
    """This view is to be kept, under a name."""
    left = Signal()
    """Nothing is typed any more."""
    wants_kept = Signal(object)
    """The kept views are asked for: where a menu opens."""
    wants_copies = Signal(object)
    """Small copies in folders are asked for, likewise."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.view: Condition = EVERYTHING
        self.names: Mapping[Sort, Sequence[str]] = {}
        self._row = self._make_row()
        self.field = QLineEdit()
        self.field.setAccessibleName("The view as a sentence")
        self.field.setPlaceholderText("stills by … in May 2026 without keywords")
        self.field.textEdited.connect(self._typed)
        self.field.installEventFilter(self)
        self.trouble = Label("")
        self.trouble.setFont(font(12))
        self.menu = QListWidget(self.window())
        for style in ("menu", "ticked"):
            self.menu.setProperty(style, True)
        self.menu.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.menu.setAccessibleName("What may follow")
        self.menu.itemClicked.connect(lambda item: self._complete(self.menu.row(item)))
        self.menu.hide()
        self._completions: list[Completion] = []
        typing = QWidget()
        beside = QHBoxLayout(typing)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(self.field, 3)
        beside.addWidget(self.trouble, 2)
        self._stack = QStackedWidget(self)
        self._stack.addWidget(self._row)
        self._stack.addWidget(typing)
        self.setFixedHeight(38)

    def _make_row(self) -> QWidget:
        """The sentence in its parts, and what can be done with it."""
        self.count = QPushButton("")
        self.count.setToolTip("Views that are kept")
        self.count.setFont(font(HEADLINE, SEMIBOLD))
        self.count.clicked.connect(lambda: self.wants_kept.emit(self.count.mapToGlobal(QPoint(0, self.count.height()))))
        self.parts: list[QPushButton] = []
        self.more = Label("")
        self.more.setFont(font(12.5))
        self.edit = keyed(QPushButton("Say what you want"), "Ctrl+E")
        self.edit.setToolTip("Type the sentence: stills in May 2026 without keywords (Ctrl+E)")
        self.edit.clicked.connect(self.type_it)
        self.keep = QPushButton("Keep this view")
        self.keep.clicked.connect(lambda: self.kept.emit(self.view))
        self.copies = QPushButton("Small copies…")
        self.copies.setToolTip("Small copies of this view in a folder, kept in step: for a phone, for a screen")
        self.copies.clicked.connect(
            lambda: self.wants_copies.emit(self.copies.mapToGlobal(QPoint(0, self.copies.height())))
        )
        self.others = QPushButton("more…")
        self.others.setToolTip("Say what you want, keep this view, small copies")
        self.others.clicked.connect(self._offer_links)
        for link in (self.count, self.edit, self.keep, self.copies, self.others):
            link.setProperty("link", True)
        self.rest = QPushButton("")
        self.rest.setProperty("chip", True)
        self.rest.setToolTip("Type the sentence")
        self.rest.clicked.connect(self.type_it)
        self._said = 0
        row = QWidget()
        self._line = QHBoxLayout(row)
        self._line.setContentsMargins(0, 0, 0, 0)
        self._line.setSpacing(6)
        for part in (self.count, self.rest, self.more, self.edit, self.keep, self.copies, self.others):
            self._line.addWidget(part)
        self._line.addStretch()
        return row

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._stack.setGeometry(0, 2, self.width(), 34)
        self._fit()

    def _fit(self) -> None:
        """Show what there is room for: first its span goes, then the links stand in a menu, then parts are counted."""
        links = [self.edit, *([self.keep] if self.view != EVERYTHING else []), self.copies]

        def fits(*widgets: QWidget) -> bool:
            return sum(one.sizeHint().width() + self._line.spacing() for one in widgets) <= self.width()

        tail = links if fits(self.count, *self.parts, *links) else [self.others]
        shown = list(self.parts)
        while shown and not fits(self.count, *shown, *([self.rest] if len(shown) < self._said else []), *tail):
            shown.pop()
            self.rest.setText(f"and {self._said - len(shown)} more")
        self.more.setVisible(fits(self.count, *self.parts, self.more, *links))
        self.rest.setVisible(len(shown) < self._said)
        for part in self.parts:
            part.setVisible(part in shown)
        for link in (self.edit, self.keep, self.copies, self.others):
            link.setVisible(link in tail)

    def _offer_links(self) -> None:
        """Offer what there was no room for."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction(self.edit.text(), self.type_it)
        if self.view != EVERYTHING:
            menu.addAction(self.keep.text(), lambda: self.kept.emit(self.view))
        at = self.others.mapToGlobal(QPoint(0, self.others.height()))
        menu.addAction(self.copies.text(), lambda: self.wants_copies.emit(at))
        menu.popup(at)

    def sizeHint(self) -> QSize:
        return QSize(600, 38)

    # ---- what is shown

    def show_view(self, view: Condition, captures: int, more: str, names: Mapping[Sort, Sequence[str]]) -> None:
        """Say a view.

        Args:
            view: what it is.
            captures: how many it holds.
            more: their span and size, in words.
            names: what there is to be named.
        """
        self.view, self.names = view, names
        self.count.setText(paint.counted(captures, "capture"))
        self.more.setText(more)
        for button in self.parts:
            self._line.removeWidget(button)
            button.deleteLater()
        self.parts = []
        parts = () if view == EVERYTHING else parts_of(view)
        for number, (words, part) in enumerate(parts[:_MOST_SHOWN]):
            button = QPushButton(caption(words))
            button.setProperty("chip", True)
            button.setToolTip("Take it out, or turn it round")
            button.clicked.connect(partial(self._ask, part, button))
            self.parts.append(button)
            self._line.insertWidget(1 + number, button)
        self._said = len(parts)
        self.rest.setText(f"and {self._said - len(self.parts)} more")
        self._fit()

    def _ask(self, part: Condition, button: QPushButton) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        rest = without(self.view, part)
        menu.addAction("Take it out", lambda: self.said.emit(rest))
        turned = _turned(self.view, part)
        menu.addAction(caption(f"Instead: {parts_of(no(part))[0][0]}"), lambda: self.said.emit(turned))
        if rest != EVERYTHING:
            menu.addAction("Only this", lambda: self.said.emit(part))
        menu.addAction("Type the sentence…", self.type_it)
        menu.popup(button.mapToGlobal(QPoint(0, button.height())))

    # ---- typing

    @property
    def typing(self) -> bool:
        """Whether the sentence is being typed."""
        return self._stack.currentIndex() == 1

    def type_it(self) -> None:
        """Type the sentence."""
        self._stack.setCurrentIndex(1)
        self.field.setText("" if self.view == EVERYTHING else f"{sentence(self.view)} ")
        self.field.setFocus()
        self._say("")
        self._offer()

    def _typed(self, text: str) -> None:
        read = understand(text)
        if read.view is not None:
            self._say("")
            if read.view != self.view:
                self.view = read.view
                self.said.emit(read.view)
        self._offer()
        if read.trouble is not None:
            # A word that is not finished is not wrong yet.
            begun = bool(self._completions) and read.trouble.at >= self._completions[-1].start
            self._say("" if begun else read.trouble.trouble, wrong=not begun)

    def _say(self, trouble: str, *, wrong: bool = False) -> None:
        """Say what is wrong with what was typed; what only lacks its end is not wrong yet."""
        self.trouble.setText(trouble)
        self.field.setProperty("wrong", wrong)
        self.field.style().polish(self.field)

    def _offer(self) -> None:
        """Offer what may follow."""
        before = self.field.text()[: self.field.cursorPosition()]
        self._completions = completions(before, self.names)[:12]
        self.menu.clear()
        self.menu.addItems([plain(one.text) for one in self._completions])
        if not self._completions:
            self.menu.hide()
            return
        self.menu.setParent(self.window())
        at = self.field.mapTo(self.window(), QPoint(self.field.cursorRect().left(), self.field.height() + 2))
        wide = max(180, self.menu.sizeHintForColumn(0) + 30)
        self.menu.setGeometry(at.x(), at.y(), wide, self.menu.sizeHintForRow(0) * len(self._completions) + 8)
        self.menu.show()
        self.menu.raise_()

    def _complete(self, row: int) -> None:
        """Take what is offered."""
        if not 0 <= row < len(self._completions):
            return
        one, text, at = self._completions[row], self.field.text(), self.field.cursorPosition()
        self.field.setText(f"{text[: one.start]}{one.text} {text[at:].lstrip()}")
        self.field.setCursorPosition(one.start + len(one.text) + 1)
        self._typed(self.field.text())

    def leave(self) -> None:
        """Type no more."""
        self.menu.hide()
        if self.typing:
            self._stack.setCurrentIndex(0)
            self.left.emit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            return self._key(event)
        if watched is self.field and event.type() == QEvent.Type.FocusOut:
            self.menu.hide()
        return super().eventFilter(watched, event)

    def _key(self, event: QKeyEvent) -> bool:
        key, shown, row = event.key(), self.menu.isVisible(), self.menu.currentRow()
        if key in (Qt.Key.Key_Down, Qt.Key.Key_Up) and shown:
            step = 1 if key == Qt.Key.Key_Down else -1
            self.menu.setCurrentRow(max(-1, min(len(self._completions) - 1, row + step)))
        elif key == Qt.Key.Key_Tab and shown:
            self._complete(max(0, row))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and shown and row >= 0:
            self._complete(row)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            self.leave()
            self.said.emit(self.view)
        else:
            return False
        return True


def _turned(view: Condition, part: Condition) -> Condition:
    """A view with one of its parts denied, in its place."""
    from jutrek.views.conditions import All, both

    parts = view.parts if isinstance(view, All) else (view,)
    return both(*(no(one) if one == part else one for one in parts))


def kept_menu(parent: QWidget, views: Sequence[KeptView], at: QPoint, chosen: Signal, removed: Signal) -> QMenu:
    """The kept views by their groups.

    Args:
        parent: owns the menu.
        views: kept ones.
        at: where it opens, on the screen.
        chosen: is emitted with the view that is wanted.
        removed: is emitted with the view that is to be kept no longer.
    """
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    groups: dict[str, QMenu] = {}
    for one in views:
        host = menu
        if one.group:
            if one.group not in groups:
                groups[one.group] = menu.addMenu(caption(one.group))
            host = groups[one.group]
        action = host.addAction(caption(one.name), partial(chosen.emit, one))
        action.setEnabled(not one.trouble)
        action.setToolTip(plain(one.trouble or one.sentence))
    if views:
        menu.addSeparator()
        less = menu.addMenu("Keep no longer")
        for one in views:
            if not one.group:
                less.addAction(caption(one.name), partial(removed.emit, one))
        for name in groups:
            inner = less.addMenu(caption(name))
            for one in views:
                if one.group == name:
                    inner.addAction(caption(one.name), partial(removed.emit, one))
    menu.popup(at)
    return menu
