"""A library looked at by a face: its columns, and views of them laid out. All of it belongs to the thread that asks."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from jutrek.decoding import Shown, shown
from jutrek.desk.details import CaptureDetails, details_of
from jutrek.desk.drives_shown import DrivesShown
from jutrek.desk.laid_out import View
from jutrek.desk.marks_shown import MarksShown
from jutrek.desk.rebuilding import Rebuilding
from jutrek.disk import Outside, inside
from jutrek.errors import NotInside, NotPossible, SourceUnreadable
from jutrek.filing.rulebook import load_rules
from jutrek.formats import read
from jutrek.jobs.listed import job_folders, without_work
from jutrek.library import Library, Survey, drives_here, known_devices
from jutrek.library.ledger import Ledger
from jutrek.library.marks import HouseMark, forget_mark, keep_mark, marks_of
from jutrek.library.spots import forget_spot, name_spot, spots_of
from jutrek.library.stored import Lying, lying
from jutrek.views import looking
from jutrek.views.by_hand import arrange, forget, orders_of
from jutrek.views.columns import Columns, Names
from jutrek.views.conditions import Condition, Sort
from jutrek.views.describing import Describing
from jutrek.views.laying import Apart, Layer, apart
from jutrek.views.orders import Order
from jutrek.views.outside import outside
from jutrek.views.shelves import BY_HAND, Shelves, Thing, change, put_on, shelves_of
from jutrek.views.shelving import Stood, arranged, shelf_among, stood, things_of
from jutrek.views.vocabulary import names_of

if TYPE_CHECKING:
    from jutrek.whereabouts import Spot


_A_MOMENT, _AT_ONCE = 0.3, 100
"""Seconds for which files are read before somebody else has a turn; files that are read together."""
_RESTS = 4
"""How many times as long as it took, columns are not built anew."""
_LOOKING = "Looking through the library"


class Views:
    """Views of one library."""

    def __init__(self, library: Library, ledger: Ledger) -> None:
        self._library, self._ledger = library, ledger
        self._layer: Layer | None = None
        self._names: dict[Sort, list[str]] = {}
        self._colours: dict[str, int] = {}
        self._marks: tuple[HouseMark, ...] = ()
        self._folder_marks: dict[str, str] = {}
        self._shown_marks, self._drives = MarksShown(), DrivesShown(library, ledger)
        self._orders: tuple[Stood, ...] = ()
        """By hand, within folders."""
        self._state = ""
        self._not_before = 0.0
        """When columns are built anew at the soonest: of very many captures that takes long."""
        self._folders: dict[str, int] | None = None
        self._reading: Describing | None = None
        self._found: Survey | None = None
        self._done: list[Callable[[], str]] = []
        """What takes back what was done here, the last first from behind; each says what it took back."""

    def lay(self, view: Condition, what: Apart = Apart.DAYS, by: Order = Order.MOMENT) -> View:
        """Lay out a view of what is known. What was kept of an earlier look will do; see `renew`.

        Args:
            view: what it holds.
            what: stands apart, if it is not in the order of a shelf.
            by: in which order otherwise. But by moment no days stand apart.
        """
        if self._layer is None:
            kept = looking.kept(self._ledger)
            if kept is not None:
                self._use(*kept)
            else:
                self.renew()
        assert self._layer is not None
        columns = self._layer.columns
        laid = self._layer.lay(view)
        tree, shelves = self._layer.tree, self._layer.shelves
        order = arranged(laid.rows, view, shelves)
        if order is None:
            what = Apart.NOTHING if what is Apart.DAYS and by is not Order.MOMENT else what
            rows, groups = apart(columns, tree, laid.rows, what, by, self._orders)
        else:
            rows, groups = apart(columns, tree, order, Apart.NOTHING)
        root, name = self._library.root, self._library.name
        shown = None if order is not None else what
        return View(
            root, name, columns, tree, laid, rows, groups, shown, self._names, self._colours, shelves, self._marks,
            self._folder_marks, self._drives.now(), self._drives.folders,
        )  # fmt: skip

    def catch_up(self, stop: threading.Event, report: looking.Report, *, look: bool = False) -> int:
        """Look whether other files are there than before, if anything says so.

        Args:
            stop: ends it when it is set.
            report: told what is going on.
            look: whether something does, besides the times of folders.

        Returns:
            How many files are to be read for what they say; `read_some` does that.

        Raises:
            LibraryMissing: when the library's root cannot be listed.
            Stopped: when it was stopped.
        """
        kept = self._folders if self._folders is not None else looking.kept_folders(self._ledger)
        if look or not looking.unchanged(self._library, kept):
            # Before: what changes meanwhile is noticed the next time.
            kept = looking.folders_of(self._library)
            rules = load_rules(self._library).rules
            found = outside(
                self._library, self._ledger, rules, rest=0, stop=stop, report=lambda seen: report(_LOOKING, seen, 0)
            )  # fmt: skip
            found = without_work(found, job_folders(self._ledger))
            if found.moves or found.altered or found.lost:
                self._found = found
        self._folders = kept
        self._reading = Describing(self._library, self._ledger, load_rules(self._library).rules, at_once=_AT_ONCE)
        return self._reading.left

    def other_drives(self) -> bool:
        """Whether backups or archive drives came or went since a view was laid out."""
        return self._drives.look()

    def take_found(self) -> Survey | None:
        """What was found to be changed outside since somebody asked last; None where only new files came."""
        found, self._found = self._found, None
        return found

    def read_some(self, stop: threading.Event) -> int:
        """Read some of the files that are to be read, for a moment. Returns how many are left.

        Raises:
            Stopped: when it was stopped. What was read is kept.
        """
        reading, until = self._reading, time.monotonic() + _A_MOMENT
        if reading is None:
            return 0
        try:
            while reading.left:
                reading.go_on(stop)
                if time.monotonic() > until:
                    break
        finally:
            reading.close()
        return reading.left

    def due(self, *, soon: bool = True) -> Rebuilding | None:
        """What is to be done to show what the ledger learnt since; None where it learnt nothing.

        Args:
            soon: whether it has time where columns were built a short while ago, and that took long.
        """
        state = looking.state_of(self._library, self._ledger)
        if self._layer is not None and (state == self._state or (soon and time.monotonic() < self._not_before)):
            return None
        # While files are left to be read, what is kept must not count as all of the library: without the times of
        # folders whoever needs it current looks through it, and reads them.
        whole = self._reading is not None and not self._reading.left
        return Rebuilding(self._library, state, self._folders if whole else None, self._shown_marks.written)

    def take(self, built: Rebuilding, columns: Columns) -> bool:
        """Show columns that were built. Returns whether they are those of this library."""
        if built.library != self._library:
            return False
        self._shown_marks.are_read(built.written)
        self._use(columns, built.state)
        self._not_before = time.monotonic() + (_RESTS * built.took if built.took > _A_MOMENT else 0)
        return True

    def renew(self, *, soon: bool = True) -> bool:
        """Learn what the ledger learnt since, at once. Returns whether anything is new. Arguments as for `due`."""
        built = self.due(soon=soon)
        return built is not None and self.take(built, built.run())

    def _use(self, columns: Columns, state: str) -> None:
        self._marks = tuple(marks_of(self._library)[0])
        columns, names = self._shown_marks.on(columns, self._marks), columns.names
        self._drives.use(columns)
        marked = zip(names[Names.FOLDER], names[Names.FOLDER_MARK], strict=True)
        self._folder_marks = {path: mark for path, mark in marked if mark}
        self._orders = orders_of(self._library, columns, self._ledger)
        self._layer, self._state = Layer(columns, self._stood(shelves_of(self._library)[0], columns)), state
        self._names = names_of(columns, [one.name for one in self._layer.shelves])
        devices = known_devices(self._library).values()
        self._colours = {f"{one.letter} {one.name}".strip(): one.colour for one in devices}

    # ---- marks

    def mark(self, columns: Columns, rows: Sequence[int], letter: str) -> int:
        """Show captures with a mark that is being written.

        Args:
            columns: that the rows are of.
            rows: of the captures.
            letter: of the mark; empty for none.

        Returns:
            What `marked` is told when it was written: from then on what is shown next is what was written.
        """
        number = self._shown_marks.give(columns.paths(rows), letter)
        if self._layer is not None:
            marked = self._shown_marks.on(self._layer.columns, self._marks)
            self._layer, self._state = Layer(marked, self._layer.shelves), ""
            self._names = names_of(marked, [one.name for one in self._layer.shelves])
        return number

    def marked(self, number: int) -> None:
        """A mark was written, or could not be."""
        self._shown_marks.is_written(number)

    def keep_mark(self, mark: HouseMark) -> None:
        """Write down a mark of the house; `take_back` takes it back. Columns are built anew by `renew`.

        Raises:
            LibraryTrouble: when it can't be one, or cannot be written.
        """
        before = keep_mark(self._library, mark)
        self._done.append(partial(self._mark_back, before, mark.letter))
        self._marks = tuple(marks_of(self._library)[0])

    def forget_mark(self, letter: str) -> None:
        """Take a mark from the house's list; likewise."""
        self._done.append(partial(self._mark_back, forget_mark(self._library, letter), letter))
        self._marks = tuple(marks_of(self._library)[0])

    def _mark_back(self, before: HouseMark | None, letter: str) -> str:
        if before is None:
            forget_mark(self._library, letter)
        else:
            keep_mark(self._library, before)
        self._marks = tuple(marks_of(self._library)[0])
        return "The marks of the house are as they were before."

    # ---- shelves

    def _stood(self, shelves: Shelves, columns: Columns) -> tuple[Stood, ...]:
        return stood(shelves, columns, self._ledger)

    def change_shelves(self, how: Callable[[Shelves], Shelves]) -> None:
        """Change shelves; `take_back` takes it back.

        Args:
            how: gives what they are to be of what they are.

        Raises:
            LibraryTrouble: when they cannot be changed so.
        """
        before, after = change(self._library, how)
        if after != before:
            self._done.append(partial(self._shelves_back, before, after))
            self._show_shelves(after)

    @property
    def acts(self) -> int:
        """How much can be taken back here."""
        return len(self._done)

    def take_back(self) -> str:
        """Take back what was done last with shelves or spots. Returns what was taken back; empty for nothing.

        Raises:
            LibraryTrouble: when something was changed elsewhere since, or cannot be written.
        """
        if not self._done:
            return ""
        # What can't be written now can be taken back later.
        words = self._done[-1]()
        self._done.pop()
        return words

    def arrange(
        self,
        paths: Sequence[str],
        before: str = "",
        *,
        stop: threading.Event | None = None,
        report: looking.Report = lambda what, done, total: None,
    ) -> None:
        """Put captures of one folder in another place in its order by hand; `take_back` takes it back.

        Args:
            paths: of the captures, in the order that they are to have.
            before: the path of the one that they are put in front of; empty for the end.
            stop, report: as for `put_on`.

        Raises:
            LibraryTrouble: when they do not lie in one folder, or it cannot be written.
            Stopped: when it was stopped.
        """
        if self._layer is None:
            return
        columns = self._layer.columns
        found = columns.rows_of([*paths, before])
        moved = [found[path] for path in paths if path in found]
        self._arranged(*arrange(
            columns, moved, found.get(before), self._library, self._ledger, stop=stop,
            report=lambda done, total: report("Looking at files", done, total),
        ))  # fmt: skip

    def by_moment(self, folder: str) -> None:
        """Let the captures right in a folder stand by moment again; likewise."""
        if self._layer is not None:
            self._arranged(*forget(self._layer.columns, folder, self._library, self._ledger))

    def _arranged(self, before: Shelves, after: Shelves) -> None:
        if self._layer is not None:
            self._orders = orders_of(self._library, self._layer.columns, self._ledger)
        if before != after:
            self._done.append(partial(self._orders_back, before, after))

    def _orders_back(self, before: Shelves, after: Shelves) -> str:
        def back(now: Shelves) -> Shelves:
            if now != after:
                self._done.pop()
                raise NotPossible(self._library.root, "its orders by hand were changed elsewhere since")
            return before

        change(self._library, back, BY_HAND)
        if self._layer is not None:
            self._orders = orders_of(self._library, self._layer.columns, self._ledger)
        return "The order is as it was before."

    def _shelves_back(self, before: Shelves, after: Shelves) -> str:
        def back(now: Shelves) -> Shelves:
            if now != after:
                self._done.pop()
                raise NotPossible(self._library.root, "its shelves were changed elsewhere since")
            return before

        self._show_shelves(change(self._library, back)[1])
        return "Shelves are as they were before."

    def _show_shelves(self, shelves: Shelves) -> None:
        if self._layer is not None:
            columns = self._layer.columns
            self._layer = Layer(columns, self._stood(shelves, columns))
            self._names = names_of(columns, [one.name for one in self._layer.shelves])

    def put_on(
        self,
        name: str,
        paths: Sequence[str],
        before: Thing | None = None,
        *,
        stop: threading.Event | None = None,
        report: looking.Report = lambda what, done, total: None,
    ) -> int:
        """Put captures on a shelf, which is made where there is none; what stands on it already is moved.

        Args:
            name: of the shelf.
            paths: of the captures, in their order. What is not at home is left out.
            before: what they are put in front of; at its end without one.
            stop: ends it when it is set; nothing is put there then.
            report: told what is going on: files whose content is not known yet are read for it.

        Returns:
            How many were put there.

        Raises:
            LibraryTrouble: when the name is none, or it cannot be written.
            Stopped: when it was stopped.
        """
        if self._layer is None:
            self.renew()
        assert self._layer is not None
        columns, shelf = self._layer.columns, shelf_among(self._layer.shelves, name)
        rows = columns.rows_of(paths)
        found = list(dict.fromkeys(rows[path] for path in paths if path in rows))
        things = things_of(
            columns, found, self._library, self._ledger, shelf, stop=stop,
            report=lambda done, total: report("Looking at files", done, total),
        )  # fmt: skip
        self.change_shelves(lambda shelves: put_on(shelves, name, things, before))
        return len(things)

    # ---- spots

    def name_spot(self, spot: Spot) -> Spot | None:
        """Give a position a name; `take_back` takes it back. Columns are built anew by `renew`.

        Returns:
            What was called so before.

        Raises:
            LibraryTrouble: when that cannot be.
        """
        before = name_spot(self._library, spot)
        self._done.append(partial(self._spot_back, spot.name, before, spots_of(self._library)[0][-1]))
        return before

    def _spot_back(self, name: str, before: Spot | None, after: Spot) -> str:
        if after not in spots_of(self._library)[0]:
            self._done.pop()
            raise NotPossible(self._library.root, f"“{name}” was changed elsewhere since")
        if before is not None:
            name_spot(self._library, before)
            return f"“{name}” is the spot that it was before."
        forget_spot(self._library, name)
        return f"“{name}” is no spot any more."

    def details(self, path: str) -> LookedAt:
        """What a file at home says, read now.

        Args:
            path: relative to the library.

        Raises:
            SourceUnreadable: when it cannot be read: it may be gone meanwhile.
        """
        lies = lying(self._library.root, self._ledger.stored, drives_here(self._library))
        return looked_at(self._library, path, lies)


class LookedAt(NamedTuple):
    """A file at home as it is looked at up close.

    Attributes:
        picture: what its picture is made of.
        details: all that is known of it.
    """

    picture: Shown
    details: CaptureDetails


def looked_at(library: Library, path: str, lies: Lying) -> LookedAt:
    """A file at home, read now.

    Args:
        library: the library.
        path: relative to it.
        lies: where its files lie.

    Raises:
        SourceUnreadable: when it cannot be read.
        NotInside: when the path leads out of it.
    """
    from jutrek.captures import Capture, ReadFile, Said, decided, device_key
    from jutrek.sources import SourceFile

    try:
        whole = lies.at(str(inside(path)))
    except Outside as error:
        raise NotInside(path, error) from error
    reading = read(whole)
    try:
        status = os.stat(whole, follow_symlinks=False)
    except OSError as error:
        raise SourceUnreadable(whole, error) from error
    moment = decided([Said(library.root, whole, reading)])[0]
    file = SourceFile(library.root, whole, status.st_size, status.st_mtime_ns)
    capture = Capture((ReadFile(file, reading, moment),), moment, device_key(reading.device, library.root))
    return LookedAt(shown(whole, reading), details_of(capture))
