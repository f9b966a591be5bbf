"""What is chosen: how many, how large, when, on what, where; of one capture all that a line has room for."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QRect, QSize
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.pages.library.words import mark_words, when_words
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.views.columns import Names
from jutrek.views.guessing import PHOTOGRAPH
from jutrek.views.standing import standing_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.desk.laid_out import View

_LINE, _LABEL = 19, 72
_MOST = 7


class ChosenPanel(QWidget):
    """Lines about what is chosen."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._title = ""
        self._lines: list[tuple[str, str]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._fit()

    def show_rows(self, view: View | None, rows: NDArray[np.int64]) -> None:
        """Show what is chosen of a view."""
        self._title, self._lines = "", []
        if view is not None and len(rows):
            size = paint.size_words(int(view.columns.size[rows].sum()))
            self._title = f"{paint.counted(len(rows), 'capture')}, {size}"
            facts = facts_of(view, int(rows[0])) if len(rows) == 1 else _of_many(view, rows)
            self._lines = [(label, words) for label, words in facts if words][:_MOST]
        self.setAccessibleName(". ".join([self._title, *(f"{label}: {words}" for label, words in self._lines)]))
        self._fit()

    def _fit(self) -> None:
        self.setFixedHeight(24 + _LINE * max(1, len(self._lines)) + 4)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(240, self.height())

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        line = QRect(4, 0, self.width() - 8, 20)
        if not self._title:
            paint.text(painter, line, "Nothing is chosen", font(12.5), theme.soft)
            return
        paint.text(painter, line, self._title, font(13, SEMIBOLD), theme.ink)
        for number, (label, words) in enumerate(self._lines):
            row = line.translated(0, 24 + _LINE * number)
            paint.text(painter, row, label, font(12), theme.soft)
            paint.text(painter, row.adjusted(_LABEL, 0, 0, 0), words, font(12), theme.ink)


def facts_of(view: View, row: int) -> list[tuple[str, str]]:
    """What is known of a capture, each with its label; what is not known is empty."""
    columns, names = view.columns, view.columns.names
    copies, others = int(columns.copies[row]), columns.companions(row)
    standing = standing_of(columns.states(row))
    width = int(columns.pixels[row])
    return [
        ("Lies", view.lies(row)),
        ("Shot", when_words(view, row)),
        ("Device", names[Names.DEVICE][columns.device[row]]),
        ("Lens", names[Names.LENS][columns.lens[row]]),
        ("Where", names[Names.PLACE][columns.place[row]]),
        ("Carried by", names[Names.PERSON][columns.person[row]]),
        ("Files", ", ".join([columns.name(row), *(one.rpartition("/")[2] for one in others)])),
        ("Mark", mark_words(view, row)),
        ("Keywords", ", ".join(columns.words(row))),
        ("Copies", f"in {paint.counted(copies, 'backup')}" if copies else "in no backup"),
        ("Pixels", f"{width / 1e6:.1f} megapixels" if width else ""),
        ("Likely", _guess_words(names[Names.LIKELY][columns.likely[row]])),
        ("Stands", "" if standing == "home" else standing),
    ]


def _guess_words(guess: str) -> str:
    """What a capture likely is, where that is no photograph."""
    return f"a {guess}" if guess not in ("", PHOTOGRAPH) else ""


def _of_many(view: View, rows: NDArray[np.int64]) -> list[tuple[str, str]]:
    columns, names = view.columns, view.columns.names
    dated = rows[columns.precision[rows] > 0]
    span = ""
    if len(dated):
        first, last = when_words(view, int(dated.min())), when_words(view, int(dated.max()))
        one, other = first.partition(",")[0], last.partition(",")[0]
        span = first if first == last else one if one == other else f"{one} to {other}"
    devices = [names[Names.DEVICE][code] for code in np.unique(columns.device[rows]).tolist() if code]
    copies = int(columns.copies[rows].min())
    folders = len(np.unique(columns.folder[rows]))
    return [
        ("Shot", span),
        ("Devices", ", ".join(devices)),
        ("Where", ", ".join(names[Names.PLACE][code] for code in np.unique(columns.place[rows]).tolist() if code)),
        ("Folders", names[Names.FOLDER][columns.folder[rows[0]]] if folders == 1 else f"{folders:,}"),
        ("Copies", f"each in {paint.counted(copies, 'backup')} at least" if copies else "some in no backup"),
    ]
