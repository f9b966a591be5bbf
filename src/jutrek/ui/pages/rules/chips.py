"""Chips of pieces: what they say, the stock that they are taken from, and the menu of one that is in use."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtCore import QMimeData, QPoint, Qt, Signal
from PySide6.QtGui import QDrag, QMouseEvent
from PySide6.QtWidgets import QApplication, QMenu, QPushButton, QWidget

from jutrek.filing.facts import Facts
from jutrek.filing.pattern import Piece
from jutrek.filing.pieces import COUNTER_SIGN, PIECES, Setting, counted_by, writer
from jutrek.ui.theme import Theme
from jutrek.ui.widgets.buttonflow import ButtonFlow

MIME = "application/x-jutrek-piece"
"""What a dragged piece is known by: its name, and its format behind a colon."""
STOCK: tuple[tuple[str, str], ...] = (
    ("year", ""), ("month", ""), ("month", "name"), ("day", ""), ("weekday", ""), ("week", ""), ("hour", ""),
    ("date", ""), ("time", ""), ("shoot", ""), ("place", ""), ("job", ""), ("client", ""), ("device", ""),
    ("letter", ""), ("operator", ""), ("kind", ""), ("original", ""), ("counter", "4"),
)  # fmt: skip
"""The pieces that are shown at once; the others are behind `more`."""
_DATE_FORMS = ("%Y-%m-%d", "%d.%m.%y", "%d %B", "%y%m%d")
_DIGITS = ("2", "3", "4", "5", "6")


def chip_words(piece: Piece) -> str:
    """What a chip is called: its piece's name, and its format where it has one."""
    return " ".join(filter(None, (piece_words(piece.name), piece.form)))


def piece_words(name: str) -> str:
    """What a piece is called beside a pattern."""
    return "camera letter" if name == "letter" else name.replace("-", " ")


def value_of(piece: Piece, sample: Facts | None, setting: Setting) -> str:
    """What a capture gives a piece; empty where it gives nothing, or there is none."""
    if piece.name == "counter":
        width, first = counted_by(piece.form)
        return str(1 if first is None else first).rjust(width, "0")
    if sample is None:
        return ""
    return writer(piece.name, piece.form)(sample, setting).replace(COUNTER_SIGN, "1")


def forms_of(name: str) -> Iterator[str]:
    """The formats that a menu offers for a piece, the usual one first."""
    kind = PIECES[name]
    yield ""
    yield from kind.forms
    if kind.digits:
        yield from _DIGITS
    if kind.directed:
        yield from _DATE_FORMS


class PieceMenu(QMenu):
    """The menu of a chip in use."""

    chosen = Signal(object)
    """Another format."""
    optional = Signal()
    """It is to be there only when there is one, or always again."""
    removed = Signal()


def piece_menu(piece: Piece, sample: Facts | None, setting: Setting, *, optional: bool, parent: QWidget) -> PieceMenu:
    """Make the menu of a chip: its formats as they would look, whether it is optional, taking it out.

    Args:
        piece: the chip's.
        sample: a capture whose values are shown.
        setting: the house's languages and words.
        optional: whether it is now.
        parent: of the menu.
    """
    menu = PieceMenu(parent)
    for form in forms_of(piece.name):
        value = value_of(Piece(piece.name, form), sample, setting)
        words = form or "as usual"
        action = menu.addAction(f"{words}\t{value}" if value else words)
        action.setCheckable(True)
        action.setChecked(form == piece.form)
        action.triggered.connect(lambda _=False, form=form: menu.chosen.emit(form))
    menu.addSeparator()
    only = menu.addAction("Only when there is one")
    only.setCheckable(True)
    only.setChecked(optional)
    only.triggered.connect(menu.optional)
    out = menu.addAction("Take it out")
    out.triggered.connect(menu.removed)
    return menu


class StockChip(QPushButton):
    """A piece in the stock: pressed, it goes where the caret stands; dragged, wherever it is dropped."""

    def __init__(self, piece: Piece, parent: QWidget | None = None) -> None:
        super().__init__(chip_words(piece), parent)
        self.piece = piece
        self._start = QPoint()
        self.setProperty("chip", True)
        self.setToolTip(f"{PIECES[piece.name].about[:1].upper()}{PIECES[piece.name].about[1:]}\n{piece}")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._start = event.position().toPoint()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        moved = (event.position().toPoint() - self._start).manhattanLength()
        if event.buttons() & Qt.MouseButton.LeftButton and moved >= QApplication.startDragDistance():
            data = QMimeData()
            data.setData(MIME, f"{self.piece.name}:{self.piece.form}".encode())
            drag = QDrag(self)
            drag.setMimeData(data)
            drag.setPixmap(self.grab())
            self.setDown(False)
            drag.exec(Qt.DropAction.CopyAction)


class Stock(ButtonFlow):
    """The pieces to compose with."""

    wanted = Signal(object)
    """A piece, to be put where the caret stands."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        self._chips = [StockChip(Piece(*one)) for one in STOCK]
        self.more = QPushButton("more…")
        self.more.setToolTip("All pieces")
        super().__init__([*self._chips, self.more], parent)
        for chip in self._chips:
            chip.clicked.connect(lambda _=False, chip=chip: self.wanted.emit(chip.piece))
        self.more.clicked.connect(self._open)

    def stops(self) -> list[QWidget]:
        """Where Tab stops, in order."""
        return [*self._chips, self.more]

    def show_for(self, *, names: bool) -> None:
        """Offer what fits a name, or a layout."""
        for chip in self._chips:
            chip.setVisible(names or chip.piece.name != "counter")
        self.arrange()

    def _open(self) -> None:
        menu = QMenu(self)
        groups = {"date": "Dates", "what": "What it was", "by": "By what and whom", "file": "The file"}
        for group, words in groups.items():
            inner = menu.addMenu(words)
            for name, kind in PIECES.items():
                if kind.group == group:
                    action = inner.addAction(f"{piece_words(name)}\t{kind.about}")
                    action.triggered.connect(lambda _=False, name=name: self.wanted.emit(Piece(name)))
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))
