"""Sorting by hand: what can be looked at beside everything else, and what moves files."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from jutrek.desk import sorting
from jutrek.desk.naming_anew import named_by
from jutrek.desk.services.opened import Opened
from jutrek.desk.services.tidying import TidyingService
from jutrek.desk.sorting import Job, Settled, Sorted, TakenBack
from jutrek.errors import NotPossible, shown
from jutrek.filing import HouseRules
from jutrek.filing.rulebook import load_rules
from jutrek.library import Library
from jutrek.library.short_forms import keep_short_form
from jutrek.sorting import record
from jutrek.sorting.bench import Bench
from jutrek.sorting.piles import By
from jutrek.transfer.journal import Kind
from jutrek.transfer.run_log import head_of
from jutrek.views.conditions import Condition

if TYPE_CHECKING:
    from jutrek.desk.laid_out import View
    from jutrek.desk.viewing import Views
    from jutrek.filing.tidying import Whole, Wish

_MOVES = frozenset({Kind.TIDY, Kind.SET_ASIDE})


class Standing(NamedTuple):
    """A sorting among others, as far as it is.

    Attributes:
        id: its id.
        name: what it is called.
        view: the sentence of what is sorted.
        filed, aside, to_go: how many captures.
        sitting: what was answered lately, in words.
        trouble: why it can't go on; empty where it can.
    """

    id: str
    name: str
    view: str
    filed: int = 0
    aside: int = 0
    to_go: int = 0
    sitting: str = ""
    trouble: str = ""


class Sortings:
    """The sortings of a library as they are looked at, beside everything else. Of files only records are written."""

    def __init__(self, library: Library, views: Views, report: Callable[[str], None] = lambda _: None) -> None:
        """
        Args:
            library: the library.
            views: of it.
            report: told when something longer is going on.
        """
        self._library, self._views, self._report = library, views, report

    def _lay(self, view: Condition) -> View:
        """Lay out a view of what is at home now: in columns from before a move, what was filed is where it lay."""
        if (built := self._views.due(soon=False)) is not None:
            self._report("Learning what lies where")
            self._views.take(built, built.run())
        return self._views.lay(view)

    def all(self) -> tuple[list[Standing], list[str]]:
        """Those that are not ended, the newest first; and sentences about records that can't be read."""
        found, bad = record.records(self._library)
        return [self._standing(one) for one in found if not one.ended], bad

    def _standing(self, known: record.Record) -> Standing:
        head = known.head
        try:
            view = self._lay(sorting.view_of(head, self._library))
        except NotPossible as error:
            return Standing(head.id, head.name, head.view, trouble=str(error))
        bench = Bench(known, view.columns, view.laid.rows)
        words = bench.sitting.words(bench.to_go)
        return Standing(head.id, head.name, head.view, bench.filed, bench.aside, bench.to_go, words)

    def begin(self, view: Condition, name: str = "") -> str:
        """Begin a sorting of a view, or go on with the one of that view. Returns its id.

        Raises:
            NotPossible: when nothing is in it, or it can't be written.
        """
        laid = self._lay(view)
        if not len(laid.laid.rows):
            raise NotPossible(self._library.root, "there is nothing to sort")
        return sorting.begun(self._library, view, laid.columns, laid.laid.rows, name)

    def open(self, id_: str) -> Sorted:
        """A sorting to work at.

        Raises:
            LibraryTrouble: when its record can't be read.
        """
        known = record.record_of(self._library, id_)
        view = self._lay(sorting.view_of(known.head, self._library))
        return sorting.opened(self._library, load_rules(self._library).rules, known, view)

    def use(self, id_: str, folders: Sequence[str]) -> None:
        """Write down which folders are in use. Raises `NotPossible` when that can't be."""
        record.use(self._library, id_, folders)

    def look_at(self, id_: str, by: By, pile: str) -> None:
        """Write down which pile is looked at. Likewise."""
        record.look_at(self._library, id_, by, pile)

    def end(self, id_: str, *, ended: bool = True) -> None:
        """A sorting is done with, or goes on. What was filed stays where it is. Likewise."""
        record.end(self._library, id_, ended=ended)

    def keep_short_form(self, short: str, whole: str) -> str:
        """Write down a short form; an empty name forgets it. Returns what it stood for.

        Raises:
            LibraryTrouble: when it can't be one, or can't be written.
        """
        return keep_short_form(self._library, short, whole)


class SortingService:
    """Does what is answered."""

    def __init__(self, opened: Opened, tidying: TidyingService, rules: Callable[[], HouseRules]) -> None:
        self._at, self._tidying, self._rules = opened, tidying, rules

    def settle(self, job: Job, *, by_house: bool = False) -> Settled:
        """Do what an answer says.

        Args:
            job: the answer.
            by_house: whether captures get the house's names where they go.

        Raises:
            LibraryTrouble: when it can't be written down, or named; then nothing moved.
        """
        return sorting.settle(
            job._replace(anew=self._named) if by_house else job, self._at.library, self._tidying.carry_out
        )  # fmt: skip

    def _named(self, wholes: Sequence[Whole]) -> Sequence[Wish]:
        at = self._at
        return named_by(
            at.library, at.ledger, self._rules(), wholes, "", stop=at.stop,
            report=lambda done, total: at.teller.working("Reading the library", done, total),
        )  # fmt: skip

    def take_back(self, id_: str) -> TakenBack | None:
        """Take back the last answer of a sorting; None where there is none.

        Raises:
            LibraryTrouble: when it can't be done.
        """
        return sorting.take_back(self._at.library, id_, self._back)

    def _kind_of(self, run: str) -> object:
        """What a run did; None where there is none of the name."""
        try:
            return head_of(self._at.library, run).get("entry")
        except OSError:
            return None

    def _back(self, runs: Sequence[str]) -> tuple[int, str]:
        for run in runs:
            # A record may come from anybody: it leads to no run that did anything else.
            if self._kind_of(run) not in _MOVES:
                raise NotPossible(self._at.library.root, f"{shown(run)} is no run that filed or set aside anything")
        return self._tidying.take_back(runs)
