"""Saying anew what captures at home are: asked in one small window, and only what was changed in it is said."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCompleter,
    QDialog,
    QFormLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from jutrek.errors import shown
from jutrek.transfer.saying import Words
from jutrek.ui import paint
from jutrek.ui.plainly import Label
from jutrek.ui.theme import font
from jutrek.ui.widgets.layout import dialog_column

if TYPE_CHECKING:
    from jutrek.filing.facts import Facts

_FIELDS: tuple[tuple[str, str, Callable[[Facts], str]], ...] = (
    ("shoot", "Shoot", lambda one: one.shoot),
    ("place", "Place", lambda one: one.place),
    ("person", "Person", lambda one: one.operator),
    ("job", "Job", lambda one: one.said.get("job", "")),
    ("client", "Client", lambda one: one.said.get("client", "")),
    ("title", "Title", lambda one: one.said.get("title", "")),
)
_TOLD = 3


class SayDialog(QDialog):
    """Shows what is said of some captures, where it is the same of all, and takes what is to be said instead."""

    def __init__(self, captures: Sequence[Facts], all_known: Sequence[Facts], parent: QWidget | None = None) -> None:
        """
        Args:
            captures: of which something is to be said.
            all_known: whose words are offered while typing.
        """
        super().__init__(parent)
        count = paint.counted(len(captures), "capture")
        self.setWindowTitle(f"What {'this capture is' if len(captures) == 1 else f'these {count} are'}")
        self.setMinimumWidth(520)
        told = Label("Nothing moves by this: a re-filing follows it. It can be taken back in the Journal.")
        told.setWordWrap(True)
        told.setFont(font(13))
        self.fields: dict[str, QLineEdit] = {}
        self._before: dict[str, str | None] = {}
        asked = QWidget()
        form = QFormLayout(asked)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(8)
        for name, label, value in _FIELDS:
            form.addRow(label, self._field(name, label, {value(one) for one in captures}, map(value, all_known)))
        self.main = QPushButton(f"Say it of {count}")
        self.main.setProperty("main", True)
        self.main.setDefault(True)
        self.main.clicked.connect(self.accept)
        leave = QPushButton("Leave it as it is")
        leave.setAutoDefault(False)
        leave.clicked.connect(self.reject)
        dialog_column(self, (told, asked), (leave, self.main))
        self._look()
        self.fields["shoot"].setFocus()

    def _field(self, name: str, label: str, values: set[str], known: Iterable[str]) -> QLineEdit:
        field = self.fields[name] = QLineEdit()
        field.setAccessibleName(label)
        self._before[name] = next(iter(values)) if len(values) == 1 else None
        if len(values) == 1:
            field.setText(shown(next(iter(values))))
        else:
            some = sorted(filter(None, values))
            more = ", …" if len(some) > _TOLD else " and nothing" if "" in values else ""
            field.setPlaceholderText(f"different: {shown(', '.join(some[:_TOLD]))}{more}")
        completer = QCompleter(sorted(filter(None, map(shown, set(known)))), field)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        field.setCompleter(completer)
        field.textChanged.connect(self._look)
        return field

    @property
    def words(self) -> Words:
        """What was changed. Where several differ, a field that stays empty says nothing."""
        said = {}
        for name, field in self.fields.items():
            text, before = (" ".join(one.split()) for one in (field.text(), shown(self._before[name] or "")))
            if text != before:
                said[name] = text
        return Words(**said)

    def _look(self) -> None:
        self.main.setEnabled(self.words != Words())
