"""Another folder, typed; and where what is chosen would go."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QEvent, QStringListModel, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCompleter, QLineEdit, QPushButton, QVBoxLayout, QWidget

from jutrek.sorting.spelling import Spelling, expanded
from jutrek.ui.pages.library.titles import Title
from jutrek.ui.plainly import Label
from jutrek.ui.theme import SEMIBOLD, Theme, font

_HINT = "theme / place, or with pieces: theme/{year} {place}"


class _Field(QLineEdit):
    """Completes what is typed: Tab takes the first that is offered."""

    left = Signal()
    wants_completion = Signal()

    def event(self, event: QEvent) -> bool:
        is_tab = isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Tab
        if event.type() == QEvent.Type.KeyPress and is_tab and self.text():
            self.wants_completion.emit()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)


class Destination(QWidget):
    """Where what is chosen goes."""

    changed = Signal()
    """Something else is typed."""
    taken = Signal()
    left = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._spelling = Spelling(())
        self._shorts: Mapping[str, str] = {}
        self.field = _Field()
        self.field.setPlaceholderText(f"Another folder: {_HINT}")
        self.field.setAccessibleName("Another folder: type its name")
        self._offers = QStringListModel(self)
        completer = QCompleter(self._offers, self)
        completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        completer.setMaxVisibleItems(8)
        self.field.setCompleter(completer)
        self.named = QPushButton("names stay")
        self.named.setProperty("link", True)
        self.named.setCheckable(True)
        self.named.setToolTip("Whether captures get the house's names where they go")
        self.where, self.how = Label(), Label()
        self.where.setFont(font(13, SEMIBOLD))
        for label in (self.where, self.how):
            label.setWordWrap(True)
        self.how.setProperty("soft", True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.field)
        column.addWidget(Title(theme, "GOES TO", (self.named,)))
        column.addWidget(self.where)
        column.addWidget(self.how)
        column.addStretch(1)
        self.setFixedHeight(150)
        self.field.textEdited.connect(self._on_edited)
        self.field.textChanged.connect(lambda _: self.changed.emit())
        self.field.returnPressed.connect(self._on_return)
        self.field.left.connect(self.left)
        self.field.wants_completion.connect(self._complete)
        self.named.toggled.connect(self._on_named)

    def know(self, spelling: Spelling, shorts: Mapping[str, str]) -> None:
        """Know the folders that are there, and the house's short forms."""
        self._spelling, self._shorts = spelling, shorts

    @property
    def text(self) -> str:
        """What is typed."""
        return self.field.text().strip()

    @property
    def by_house(self) -> bool:
        """Whether captures get the house's names."""
        return self.named.isChecked()

    def begin(self, text: str) -> None:
        """Another folder is typed, from its first letter on."""
        self.field.setFocus()
        self.field.setText(text)
        self._on_edited(text)

    def clear(self) -> None:
        """Nothing is typed any more."""
        self.field.clear()

    def say(self, where: str, how: str) -> None:
        """Say where what is chosen would go, and what that means."""
        self.where.setText(where)
        self.how.setText(how)

    def _on_edited(self, text: str) -> None:
        written = expanded(text, self._shorts)
        if written != text:
            self.field.setText(written)
        self._offers.setStringList([] if "=" in written else self._spelling.completions(written))

    def _on_return(self) -> None:
        popup = self.field.completer().popup()
        if popup.isVisible() and popup.currentIndex().isValid():
            popup.hide()
            return
        popup.hide()
        self.taken.emit()

    def _complete(self) -> None:
        """Take the folder that is most likely meant, else the first one that is offered."""
        popup = self.field.completer().popup()
        popup.hide()
        offers = self._offers.stringList()
        near = self._spelling.near(self.text)
        if near or offers:
            self.field.setText(near or offers[0])
            self._on_edited(self.field.text())

    def _on_named(self, by_house: bool) -> None:
        self.named.setText("the house's names" if by_house else "names stay")
        self.changed.emit()
