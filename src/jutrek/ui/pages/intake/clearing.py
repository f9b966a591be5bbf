"""Clearing a card: what goes, what stays, and one button that says exactly that."""

from __future__ import annotations

import os

from PySide6.QtWidgets import (
    QDialog,
    QListWidget,
    QPushButton,
    QRadioButton,
    QWidget,
)

from jutrek.errors import shown
from jutrek.transfer.certificate import Certificate
from jutrek.transfer.clearing import Way
from jutrek.ui import paint
from jutrek.ui.plainly import Label
from jutrek.ui.theme import Theme, font
from jutrek.ui.widgets.layout import dialog_column

_LISTED = 2000


class ClearDialog(QDialog):
    """Lists what is going to be removed from a card, and asks once."""

    def __init__(self, theme: Theme, certificate: Certificate, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Clear {certificate.name}")
        self.resize(640, 460)
        going = () if certificate.away else certificate.home
        count = paint.counted(len(going), "file")
        words = Label(
            f"{count} on {certificate.name} ({paint.size_words(certificate.size)}) are proven in "
            f"{' and '.join(name for _, name in certificate.places)}. They are removed from the card; each is "
            "looked at once more before it goes."
        )
        words.setWordWrap(True)
        words.setFont(font(13))
        self.list = QListWidget()
        self.list.setAccessibleName("Files that go")
        for one in going[:_LISTED]:
            self.list.addItem(shown(os.path.relpath(one.path, certificate.root)))
        if len(going) > _LISTED:
            self.list.addItem(f"and {len(going) - _LISTED:,} more")
        stays = len(certificate.files) - len(going)
        self.stays = Label(
            f"{paint.counted(stays, 'file')} on it stay: they are not proven everywhere." if stays else ""
        )
        self.stays.setVisible(bool(stays))
        self.stays.setStyleSheet(f"color: {theme.amber.name()}")
        self.trash = QRadioButton("Into the trash of the card: they can be had back, and the room is not free yet")
        self.remove = QRadioButton("For good: the room is free")
        self.remove.setChecked(True)
        self.main = QPushButton(f"Clear {count} from {certificate.name}")
        self.main.setProperty("main", True)
        self.main.setEnabled(bool(going))
        leave = QPushButton("Leave the card as it is")
        leave.setDefault(True)
        self.main.setAutoDefault(False)
        self.main.clicked.connect(self.accept)
        leave.clicked.connect(self.reject)
        dialog_column(self, (words, self.list, self.stays, self.remove, self.trash), (leave, self.main))
        leave.setFocus()

    @property
    def way(self) -> Way:
        """How the files go."""
        return Way.TRASH if self.trash.isChecked() else Way.REMOVE
