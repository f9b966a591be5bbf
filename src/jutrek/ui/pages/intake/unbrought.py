"""What keeps a card from being safe to clear, each with a way: it comes along as it is, or is declared unwanted."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from jutrek.errors import shown
from jutrek.transfer.certificate import Certificate
from jutrek.ui import paint
from jutrek.ui.plainly import Label
from jutrek.ui.theme import Theme, font

_LISTED = 2000


class UnbroughtDialog(QDialog):
    """Lists what was not brought, with the reasons. What is ticked can be declared unwanted."""

    def __init__(self, theme: Theme, certificate: Certificate, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Not brought from {shown(certificate.name)}")
        self.resize(720, 480)
        self.along = False
        """Whether everything is to come along; else what is ticked is declared unwanted."""
        things = [(certificate.below(one.path), one.why) for one in (*certificate.others, *certificate.unaccounted)]
        were = "was" if len(things) == 1 else "were"
        lead = Label(
            f"{paint.counted(len(things), 'thing')} on {certificate.name} {were} not brought home, so the card is not "
            "safe to clear. Files can come along as they are, into a folder of their own. What nobody misses can be "
            "ticked and declared unwanted: it stays on the card, and that is written down with your name."
        )
        lead.setWordWrap(True)
        lead.setFont(font(13))
        self.list = QListWidget()
        self.list.setProperty("ticked", True)
        self.list.setAccessibleName("What was not brought")
        self._paths = [path for path, _ in things[:_LISTED]]
        # Kept beside the list: an item's data would lose the bytes of a name that is no UTF-8.
        for path, why in things[:_LISTED]:
            item = QListWidgetItem(f"{shown(path)}: {shown(why)}")
            item.setCheckState(Qt.CheckState.Unchecked)
            self.list.addItem(item)
        self.list.itemChanged.connect(self._count)
        more = Label(f"and {len(things) - _LISTED:,} more" if len(things) > _LISTED else "")
        more.setVisible(len(things) > _LISTED)
        more.setStyleSheet(f"color: {theme.soft.name()}")
        self.all = QPushButton("Tick all")
        self.unwanted = QPushButton()
        self.bring = QPushButton("Bring the files along")
        self.bring.setProperty("main", True)
        self.bring.setEnabled(bool(certificate.others))
        leave = QPushButton("Leave it")
        leave.setDefault(True)
        for button in (self.all, self.unwanted, self.bring):
            button.setAutoDefault(False)
        self.all.clicked.connect(self._tick_all)
        self.unwanted.clicked.connect(self.accept)
        self.bring.clicked.connect(self._bring)
        leave.clicked.connect(self.reject)
        buttons = QHBoxLayout()
        buttons.addWidget(leave)
        buttons.addStretch()
        buttons.addWidget(self.all)
        buttons.addWidget(self.unwanted)
        buttons.addWidget(self.bring)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 16, 18, 16)
        column.setSpacing(10)
        for part in (lead, self.list, more):
            column.addWidget(part)
        column.addLayout(buttons)
        self._count()
        leave.setFocus()

    @property
    def ticked(self) -> frozenset[str]:
        """Paths relative to the source of what is ticked."""
        return frozenset(
            path for row, path in enumerate(self._paths) if self.list.item(row).checkState() is Qt.CheckState.Checked
        )

    def _count(self) -> None:
        count = len(self.ticked)
        self.all.setText("Tick none" if count == len(self._paths) else "Tick all")
        self.unwanted.setText(f"Declare {paint.counted(count, 'thing')} unwanted" if count else "Declare unwanted")
        self.unwanted.setEnabled(count > 0)

    def _tick_all(self) -> None:
        """Tick everything, or nothing where everything is ticked."""
        state = Qt.CheckState.Unchecked if len(self.ticked) == len(self._paths) else Qt.CheckState.Checked
        self.list.blockSignals(True)
        for row in range(self.list.count()):
            self.list.item(row).setCheckState(state)
        self.list.blockSignals(False)
        self._count()

    def _bring(self) -> None:
        self.along = True
        self.accept()
