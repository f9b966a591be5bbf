"""What is shown of a sorting: its piles, the pictures of one of them, and the folders that may take what is chosen."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from PySide6.QtCore import QObject, QPoint, QRect

from jutrek.sorting.along import Along, along
from jutrek.sorting.pairs import Twin, side_by_side
from jutrek.sorting.piles import By, codes_of, key_of
from jutrek.ui import paint
from jutrek.ui.pages.library.folders import menu_of
from jutrek.ui.pages.library.sorting.view import SortingView
from jutrek.ui.pages.library.sorting.where import where_to
from jutrek.ui.pages.library.sorting.words import BY, chosen_words
from jutrek.ui.plainly import plain

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.desk.sorting import Sorted

    Rows = NDArray[np.int64]

_RECENT = 3
_NONE = np.zeros(0, np.int64)


class Asks(NamedTuple):
    """How a sorting asks for things; as the page does.

    Attributes:
        library, lookup: have a job done, and its answer heard.
        renew: learns what changed, and shows it.
        shown: the library is shown again.
    """

    library: Callable[..., object]
    lookup: Callable[..., object]
    renew: Callable[[], None]
    shown: Callable[[], None]


class Shown(QObject):
    """A sorting on the screen.

    Attributes:
        view: draws it.
        found: the sorting; None while none is open.
        by, pile: what piles are made by, and the key of the one that is looked at; None for none.
        in_use: folders that keep their numbers.
        went: rows that went into each folder since the library was looked through last.
        twins: of captures that are doubles.
        clashing: how many answers wait for a decision about names.
    """

    def __init__(self, view: SortingView, parent: QObject) -> None:
        super().__init__(parent)
        self.view = view
        self.found: Sorted | None = None
        self.by: By = By.MONTH
        self.pile: str | None = None
        self.in_use: list[str] = []
        self.went: dict[str, list[int]] = {}
        self.twins: dict[int, Twin] = {}
        self.clashing = 0
        self._shows = False
        """Whether it is being shown: what is chosen on the way is not told of."""
        view.piles.chosen.connect(self.go_to)
        view.stepped.connect(self._step)
        view.by.clicked.connect(self._ask_by)
        view.grid.chosen.connect(self.show_cards)
        view.grid.widened.connect(self._widen)
        view.grid.looked.connect(self.look)
        view.grid.numbered.connect(view.cards.begin_number)
        view.cards.chosen.connect(self._on_folder)
        view.cards.typed.connect(view.destination.begin)
        view.cards.left.connect(self.to_pictures)
        view.destination.changed.connect(self._on_typed)
        view.destination.left.connect(self.to_pictures)
        view.closely.walked.connect(view.grid.choose)
        view.closely.closed.connect(view.grid.setFocus)

    @property
    def id(self) -> str:
        """The id of the sorting; empty for none."""
        return self.found.bench.record.head.id if self.found is not None else ""

    # ---- piles and pictures

    def take(self, found: Sorted) -> None:
        """Show a sorting that was opened, or opened anew."""
        self.found, self.went = found, {}
        self.view.destination.know(found.spelling, found.shorts)
        self.show()

    def show(self, at: int | None = None) -> None:
        """Show piles, and the pictures of the one that is looked at.

        Args:
            at: which of its captures is chosen; None where what is chosen stays so.
        """
        view, found = self.view, self.found
        if found is None:
            return
        bench, head = found.bench, found.bench.record.head
        piles = bench.piles(self.by)
        left = {one.key: one.to_go for one in piles}
        view.piles.show_piles(self.by, piles, self.pile)
        if self.pile is None or not left.get(self.pile, 0):
            self.pile, at = view.piles.next_of(self.pile), 0
            view.piles.show_piles(self.by, piles, self.pile)
        rows = bench.rows_of(self.by, self.pile) if self.pile is not None else _NONE
        rows, twins = side_by_side(rows, self.twins)
        view.grid.show_twins(twins)
        view.show_pile(self.by, self.pile, len(rows))
        elsewhere = head.captures - bench.filed - bench.aside - bench.to_go - bench.stored
        about = [f"{head.captures:,} when you began", bench.sitting.words(bench.to_go)]
        about += [f"{elsewhere:,} went elsewhere meanwhile"] if elsewhere > 0 else []
        words = " · ".join(filter(None, about))
        view.progress.show_figures(plain(head.name), words, bench.filed, bench.aside, bench.to_go)
        self._shows = True
        view.grid.show_view(found.view, rows)
        if len(rows) and (at is not None or not len(view.grid.picked())):
            view.grid.choose(min(max(0, view.grid.at if at is None else at), len(rows) - 1))
        self._shows = False
        self.show_cards()

    def go_to(self, key: str) -> None:
        """Look at a pile."""
        self.pile = key
        self.view.notify("")
        self.show(0)

    def go_to_pile_of(self, rows: Rows) -> None:
        """Look at the pile of some captures, and choose them."""
        if self.found is not None and len(rows):
            columns = self.found.bench.columns
            self.pile = key_of(columns, self.by, int(codes_of(columns, rows, self.by)[0]))
            self.show()
            self.view.grid.pick(rows)

    def _step(self, by: int) -> None:
        if (key := self.view.piles.next_of(self.pile, by)) is not None:
            self.go_to(key)

    def _ask_by(self) -> None:
        view, menu = self.view, menu_of(self.view)
        for by in By:
            action = menu.addAction(BY[by], partial(self.pile_by, by))
            action.setCheckable(True)
            action.setChecked(by is self.by)
        menu.popup(view.by.mapToGlobal(QPoint(0, view.by.height())))

    def pile_by(self, by: By) -> None:
        """Make piles by something else."""
        self.by, self.pile = by, None
        self.view.piles.folded = True
        self.show(0)

    # ---- what is chosen

    def chosen(self) -> Rows:
        """The rows of what is chosen, in the order in which they are shown; up close, of what is looked at."""
        grid = self.view.grid
        picked = _NONE if self.view.closely.is_open else grid.picked()
        return picked if len(picked) or grid.row < 0 else np.array([grid.row], np.int64)

    def along(self) -> Along | None:
        """What goes along with what is chosen."""
        grid, found = self.view.grid, self.found
        if found is None or self.view.closely.is_open:
            return None
        return along(found.bench.columns, np.sort(grid.rows), grid.picked())

    def _widen(self) -> None:
        if (more := self.along()) is None:
            self.view.notify("Nothing more of this pile goes along.")
        else:
            self.view.notify("")
            self.view.grid.pick(more.rows)

    def look(self) -> None:
        """Look closely at the current capture."""
        view = self.view
        if self.found is not None and len(view.grid.rows):
            view.closely.open(self.found.view, view.grid.rows, max(0, view.grid.at))
            view.closely.place(QRect(0, 0, view.width(), view.bar.y()))

    def to_pictures(self) -> None:
        """Back to the pictures: no folder is chosen any more."""
        self.view.destination.clear()
        self.view.cards.choose(-1)
        self.view.grid.setFocus()

    # ---- folders

    def show_cards(self) -> None:
        """Show the folders that may take what is chosen, and where it would go."""
        view, found = self.view, self.found
        if found is None or self._shows:
            return
        rows = self.chosen()
        more = {target: len(went) for target, went in self.went.items()}
        recent = {target: tuple(went[::-1][:_RECENT]) for target, went in self.went.items()}
        view.cards.coming = len(rows)
        view.cards.show_cards(found.view, found.cards.cards(self.in_use, rows), more, recent)
        self.preview()

    def exists(self, path: str) -> bool:
        """Whether there is such a folder."""
        return self.found is not None and self.found.view.tree.number(path) is not None

    def _on_folder(self) -> None:
        if self.view.cards.target is not None and self.view.destination.text:
            self.view.destination.clear()
        self.preview()

    def _on_typed(self) -> None:
        if self.view.destination.text and self.view.cards.target is not None:
            self.view.cards.choose(-1)
        self.preview()

    def preview(self) -> None:
        """Say where what is chosen would go, and what goes along with it."""
        view, found, rows = self.view, self.found, self.chosen()
        if found is None:
            return
        place = view.destination
        going = where_to(found, rows, place.text, view.cards.target, exists=self.exists, by_house=place.by_house)
        place.say(going.where, going.how)
        words = []
        if any(row in self.twins for row in rows.tolist()):
            words.append("W sets the worse aside.")
        if (more := self.along()) is not None:
            count = len(more.rows) - len(rows)
            words.append(f"{more.words.capitalize()}, {paint.counted(count, 'more', 'more')}: Shift+Space adds them.")
        view.say(chosen_words(len(rows)), " ".join(words))
        view.ask_less(len(rows), ready=going.ready, clashing=self.clashing > 0)
        view.flow.update()
