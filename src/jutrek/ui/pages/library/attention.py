"""What wants attention, and how safe all of it is: links beside the sentence, those that press most first."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QDate, QLocale, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from jutrek.ui.theme import SEMIBOLD, font
from jutrek.views.columns import day_of
from jutrek.views.conditions import Condition, How, Is, Measure, Sort, State, no

if TYPE_CHECKING:
    from jutrek.views.laying import Laid

_STATES = (
    (State.DAMAGED, "damaged"), (State.GONE, "gone"), (State.CHANGED, "changed outside"), (State.UNFILED, "unfiled"),
    (State.DOUBLED, "doubled"), (State.MOVED, "moved outside"),
)  # fmt: skip
_BARE = Measure(Sort.COPIES, How.EXACTLY, 0)
_UNPROVEN = no(Is(State.PROVEN))
_GAP = 8


class Attention(QWidget):
    """Links, as many as there is room for."""

    said = Signal(object)
    """A view of what is told."""
    checked = Signal()
    """Proofs are to be looked at, or made anew."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(_GAP)
        self.links: dict[Condition, QPushButton] = {
            one: self._link(partial(self.said.emit, one), "Show them")
            for one in (*(Is(state) for state, _ in _STATES[:3]), _BARE, *(Is(state) for state, _ in _STATES[3:]),
                        _UNPROVEN)
        }  # fmt: skip
        self.proof = self._link(self.checked.emit, "The oldest proof of anything at home; the journal reads it again")
        self._room = 0
        self._wanted: list[QPushButton] = []

    def _link(self, do: object, tip: str) -> QPushButton:
        link = QPushButton("")
        link.setProperty("link", True)
        link.setFont(font(12.5, SEMIBOLD))
        link.setToolTip(tip)
        link.clicked.connect(do)
        link.hide()
        self._row.addWidget(link)
        return link

    def show_laid(self, laid: Laid) -> None:
        """Tell what a view's library holds."""
        safety = laid.safety
        words: dict[Condition, tuple[int, str]] = {
            Is(state): (laid.attention.get(state, 0), words) for state, words in _STATES
        }
        words |= {_BARE: (safety.bare, "in no backup"), _UNPROVEN: (safety.unproven, "not read back")}
        self._wanted = []
        for one, link in self.links.items():
            count, what = words[one]
            link.setText(f"{count:,} {what}")
            if count:
                self._wanted.append(link)
        if safety.oldest is not None:
            day = day_of(safety.oldest)
            told = QLocale().toString(QDate(day.year, day.month, day.day), "d MMM yyyy")
            self.proof.setText(f"oldest proof {told}")
            self._wanted.append(self.proof)
        self._fit()

    def fit(self, room: int) -> None:
        """Take no more room than this, in pixels."""
        self._room = room
        self._fit()

    def _fit(self) -> None:
        left = self._room
        for link in (*self.links.values(), self.proof):
            wide = link.sizeHint().width() + _GAP
            shown = link in self._wanted and wide <= left
            left -= wide if shown else 0
            link.setVisible(shown)
