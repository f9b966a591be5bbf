"""A field for a word that is completed while it is typed: what may be meant stands below it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QModelIndex, QObject, QStringListModel, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCompleter, QLineEdit, QWidget

Offer = tuple[str, str]
"""What is shown, and what is taken when it is chosen."""


class WordField(QLineEdit):
    """Enter takes what is marked in the list, else what is typed; Tab takes the first that is offered."""

    taken = Signal(object)
    """A word."""

    def __init__(self, hint: str, offers: Callable[[str], Sequence[Offer]], parent: QWidget | None = None) -> None:
        """
        Args:
            hint: what the field asks for.
            offers: gives what may be meant by what is typed.
        """
        super().__init__(parent)
        self._offers = offers
        self._known: dict[str, str] = {}
        self._model = QStringListModel(self)
        completer = QCompleter(self._model, self)
        completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        completer.setMaxVisibleItems(12)
        # By a role that says nothing: what begins as what is typed is not marked until somebody does that.
        completer.setCompletionRole(Qt.ItemDataRole.UserRole)
        # The field writes down what was chosen, too, and that goes again.
        completer.activated[QModelIndex].connect(self._choose, Qt.ConnectionType.QueuedConnection)  # type: ignore[index]
        self.setCompleter(completer)
        self.setPlaceholderText(hint)
        self.setAccessibleName(hint)
        self.textEdited.connect(self._offer)
        completer.popup().installEventFilter(self)

    def _offer(self, typed: str) -> None:
        found = self._offers(typed)
        self._known = dict(found)
        self._model.setStringList([words for words, _ in found])
        if found:
            self.completer().complete()
        else:
            self.completer().popup().hide()

    def _choose(self, index: QModelIndex) -> None:
        shown = str(index.data())
        self._take(self._known.get(shown, shown))

    def _take(self, word: str) -> None:
        self.completer().popup().hide()
        self.clear()
        if word.strip():
            self.taken.emit(word.strip())

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and self._took(event):
            return True
        return super().event(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        # While the list is open the keys go to it first.
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            popup = self.completer().popup()
            if event.key() == Qt.Key.Key_Escape:
                popup.hide()
                return True
            if self._took(event):
                return True
        return super().eventFilter(watched, event)

    def _took(self, event: QKeyEvent) -> bool:
        """Take what is typed, or the first that is offered. Returns whether a key did so."""
        popup, typed = self.completer().popup(), self.text().strip()
        if popup.isVisible() and popup.currentIndex().isValid():
            return False
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers() and typed:
            self._take(typed)
            return True
        if event.key() == Qt.Key.Key_Tab and typed and (first := next(iter(self._known.values()), "")):
            self._take(first)
            return True
        return False
