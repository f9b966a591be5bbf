"""Sorting by hand for a face: the sortings of a library, what an answer would do, and doing it."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, NamedTuple

from jutrek.desk.tidying import Act, Tidied, Tidying, gathered, laid, putting_aside
from jutrek.disk import Outside, inside
from jutrek.errors import JutrekError, NotPossible, shown
from jutrek.filing.tidying import Answer, Wish
from jutrek.library import Library
from jutrek.library.short_forms import short_forms
from jutrek.sorting import record
from jutrek.sorting.bench import Bench
from jutrek.sorting.cards import CardMaker
from jutrek.sorting.piles import By, codes_of, counts_of
from jutrek.sorting.record import At, Head, Record, What
from jutrek.sorting.spelling import Spelling
from jutrek.sorting.targets import folders_of, is_pattern
from jutrek.views.conditions import Condition, Is, Sort, State, Value
from jutrek.views.saying import sentence
from jutrek.views.sentence import parse
from jutrek.views.walking import SentenceError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from jutrek.desk.laid_out import View
    from jutrek.filing import HouseRules
    from jutrek.filing.pieces import Setting
    from jutrek.filing.tidying import Whole
    from jutrek.views.columns import Columns


@dataclass(frozen=True, slots=True, eq=False)
class Sorted:
    """A sorting that is open.

    Attributes:
        view: what is sorted, laid out.
        bench: how far it is.
        cards: makes cards of folders.
        spelling: knows the folders that are there.
        shorts: the house's short forms.
        setting: what the house calls months and kinds.
        bad: sentences about lines of its record, or short forms, that are damaged.
    """

    view: View
    bench: Bench
    cards: CardMaker
    spelling: Spelling
    shorts: Mapping[str, str]
    setting: Setting
    bad: tuple[str, ...]


class Job(NamedTuple):
    """An answer that is to be done.

    Attributes:
        sorting: its id.
        answer: its own.
        what: it says.
        to: the folder, or pattern of folders; for what is filed.
        columns: of the captures, and the rows of those that it is about.
        rows: likewise.
        setting: what the house calls months and kinds.
        anew: gives captures the house's names; None keeps those that they have.
        answers: what was decided about names that are taken, by the paths of captures.
    """

    sorting: str
    answer: str
    what: What
    to: str
    columns: Columns
    rows: tuple[int, ...]
    setting: Setting
    anew: Callable[[Sequence[Whole]], Sequence[Wish]] | None = None
    answers: Mapping[str, Answer] = {}


class Settled(NamedTuple):
    """What came of an answer.

    Attributes:
        job: what was to be done.
        back: paths of captures that did not move.
        why: they did not, in a sentence; empty where all did.
        clashing: what is to be decided about names that are taken; None where none is.
    """

    job: Job
    back: tuple[str, ...] = ()
    why: str = ""
    clashing: Tidying | None = None


class TakenBack(NamedTuple):
    """An answer that was taken back.

    Attributes:
        what: it said.
        to: which folder.
        paths: of the captures that are to go again, where they lie.
        stays: what could not be moved back, in a sentence; empty where all was.
    """

    what: What
    to: str
    paths: tuple[str, ...]
    stays: str


# ---- which there are


def name_for(view: Condition) -> str:
    """What a sorting of a view is called, if nobody says otherwise."""
    if view == Is(State.UNFILED):
        return "Unfiled"
    if isinstance(view, Value) and view.sort in (Sort.FOLDER, Sort.RIGHT_IN):
        return view.text.strip("/").rpartition("/")[2] or sentence(view)
    return sentence(view) or "everything"


def view_of(head: Head, library: Library) -> Condition:
    """What a sorting is about.

    Raises:
        NotPossible: when its sentence is none.
    """
    try:
        return parse(head.view)
    except SentenceError as error:
        raise NotPossible(library.root, f"what “{shown(head.name)}” sorts can't be read: {error}") from error


def begun(library: Library, view: Condition, columns: Columns, rows: NDArray[np.int64], name: str = "") -> str:
    """Begin a sorting of a view, or go on with the one of that view that is there. Returns its id.

    Args:
        library: the library.
        view: what is to be sorted.
        columns: of the captures.
        rows: of those in the view.
        name: what it is called; one is made of the view where it is empty.

    Raises:
        NotPossible: when it can't be written.
    """
    said = sentence(view)
    for one in record.records(library)[0]:
        if one.head.view == said and not one.ended:
            return one.head.id
    captures, piles = _counted(columns, rows)
    return record.begin(library, name or name_for(view)[: record.LONGEST_NAME], said, captures, piles).id


def _counted(columns: Columns, rows: NDArray[np.int64]) -> tuple[int, dict[By, dict[str, int]]]:
    """How many captures can be sorted, and how many of them are in each pile."""
    rows = rows[columns.drive[rows] == 0]
    return len(rows), {by: counts_of(columns, codes_of(columns, rows, by), by) for by in By}


def opened(library: Library, rules: HouseRules, known: Record, view: View) -> Sorted:
    """A sorting to work at.

    Args:
        library: the library.
        rules: the house's.
        known: its record.
        view: what it is about, laid out.

    Raises:
        NotPossible: when its record can't be written.
    """
    captures, piles = _counted(view.columns, view.laid.rows)
    if not known.answers and (captures, piles) != (known.head.captures, known.head.piles):
        # When it was begun not every file was read yet.
        record.count(library, known.head.id, captures, piles)
        known.head = replace(known.head, captures=captures, piles=piles)
    shorts, bad = short_forms(library)
    bench = Bench(known, view.columns, view.laid.rows)
    setting = rules.setting(filed=True)
    cards = CardMaker(view.columns, view.tree, bench.standing.rows, rules.layout, setting)
    spelling = Spelling([*view.tree.paths, *(one for one in known.folders if is_pattern(one))])
    return Sorted(view, bench, cards, spelling, shorts, setting, (*known.bad, *bad))


# ---- doing what was answered


def settle(job: Job, library: Library, carry_out: Callable[[Tidying], Tidied]) -> Settled:
    """Do what an answer says: it is written down, then files move, and what did not move is written behind it.

    Args:
        job: the answer.
        library: the library.
        carry_out: moves what was looked at.

    Raises:
        NotPossible: when it can't be written down; then nothing moved.
    """
    columns = job.columns
    moments = {columns.path(row): int(columns.moment[row]) for row in job.rows}
    if job.what is What.LEFT:
        _write_down(job, library, {path: At(path, moment) for path, moment in moments.items()})
        return Settled(job)
    wholes, left = gathered(library, columns, job.rows)
    wanted, clashing = _looked_at(job, library, wholes)
    goes = _goes(wanted, library, moments)
    if not goes:
        return Settled(job, tuple(moments), _why(left, clashing), clashing)
    _write_down(job, library, goes)
    try:
        done = carry_out(wanted) if not wanted.is_nothing else Tidied()
    except JutrekError as error:
        done = Tidied(why=str(error))
    stays = [path for path, at in goes.items() if not _is_there(job.what, library, path, at.path)]
    if done.runs:
        record.moved(library, job.sorting, job.answer, done.runs)
    if stays:
        record.came_back(library, job.sorting, job.answer, stays)
    back = (*stays, *(path for path in moments if path not in goes))
    return Settled(job, back, (done.why or _why(left, clashing)) if back else "", clashing)


def _looked_at(job: Job, library: Library, wholes: Sequence[Whole]) -> tuple[Tidying, Tidying | None]:
    """What would move, and what is to be decided before the rest can."""
    if job.what is What.ASIDE:
        return putting_aside(wholes), None
    row_of = {job.columns.path(row): row for row in job.rows}
    folders = folders_of(job.to, job.columns, [row_of[one.path] for one in wholes], job.setting)
    stems = {one.whole.path: one.stem for one in job.anew(wholes)} if job.anew is not None else {}
    wishes = [Wish(one, folder, stems.get(one.path, "")) for one, folder in zip(wholes, folders, strict=True)]
    about = f"to {job.to or 'the root'}"
    wanted = laid(library, Tidying(Act.MOVE, about, tuple(wishes), answers=job.answers))
    if not wanted.clashes:
        return wanted, None
    clashes = {one.capture for one in wanted.clashes}
    asked = laid(library, replace(wanted, wishes=tuple(one for one in wishes if one.whole.path in clashes)))
    rest = laid(library, replace(wanted, wishes=tuple(one for one in wishes if one.whole.path not in clashes)))
    return rest, asked


def _goes(wanted: Tidying, library: Library, moments: Mapping[str, int]) -> dict[str, At]:
    """Where captures come to lie, by the paths that they have; those that stay are left out."""
    top = f"{library.root.rstrip('/')}/"
    found = {one.path: one.path for one in wanted.aside}
    found |= {path: path for path in wanted.laid.still}
    found |= {file.path: there for file, there in wanted.laid.same if file.path in moments}
    found |= {
        row.capture: row.destination or ""
        for row in wanted.laid.rows
        if row.source.removeprefix(top) == row.capture and row.destination
    }
    return {path: At(to, moments[path]) for path, to in found.items() if path in moments}


def _is_there(what: What, library: Library, old: str, new: str) -> bool:
    """Whether a capture went where it was to go."""
    try:
        if what is What.ASIDE:
            return library.tree.found(inside(old)) is None
        return library.tree.found(inside(new)) is not None
    except (OSError, Outside):
        # A path that a record tells may be anything: what is none in the library lies nowhere.
        return False


def _why(left: Sequence[str], clashing: Tidying | None) -> str:
    if clashing is not None:
        one = clashing.clashes[0]
        return f"{shown(os.path.basename(one.to))} is taken in {shown(os.path.dirname(one.to)) or 'the root'}."
    return left[0] if left else ""


def _write_down(job: Job, library: Library, captures: dict[str, At]) -> None:
    now = datetime.now(UTC)
    record.answered(library, job.sorting, record.Answer(job.answer, now, job.what, job.to, captures))


def _last_that_stands(known: record.Record, library: Library) -> record.Answer | None:
    """The last answer that was not taken back, here or in the Journal."""
    for one in reversed(known.answers.values()):
        moved = [(old, at.path) for old, at in one.captures.items() if at.path != old]
        went = any(_is_there(What.FILED, library, new, new) for _, new in moved)
        if not moved or went or not all(_is_there(What.FILED, library, old, old) for old, _ in moved):
            return one
    return None


def take_back(library: Library, sorting: str, back: Callable[[Sequence[str]], tuple[int, str]]) -> TakenBack | None:
    """Take back the last answer of a sorting that stands; None where there is none.

    Args:
        library: the library.
        sorting: its id.
        back: takes runs of the journal back, and says what stays.

    Raises:
        LibraryTrouble: when it can't be done.
    """
    known = record.record_of(library, sorting)
    last = _last_that_stands(known, library)
    if last is None:
        return None
    stays = ""
    if last.runs:
        stays = back(last.runs)[1]
    elif last.what is not What.LEFT and any(at.path != old for old, at in last.captures.items()):
        raise NotPossible(library.root, "it was cut off while this was moved; its run in the Journal takes it back")
    paths = [old for old in last.captures if _is_there(What.FILED, library, old, old)]
    if paths:
        record.came_back(library, sorting, last.id, paths)
    return TakenBack(last.what, last.to, tuple(paths), stays)
