"""Which captures stand on shelves: what shelves hold by content, found among the columns; and the other way round."""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.disk import FileStamp, Outside, inside
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.library.fingerprint import quick
from jutrek.views.columns import Columns, bit_of
from jutrek.views.conditions import All, Condition, Sort, State, Value
from jutrek.views.shelves import Shelves, Thing

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.library import HomeFile, Library
    from jutrek.library.ledger import Ledger

_TOLD_EVERY = 50
_AWAY = bit_of(State.GONE) | bit_of(State.ASIDE)


class Stood(NamedTuple):
    """A shelf, with the captures that stand on it.

    Attributes:
        name: what it is called.
        rows: of the captures in the columns, in the order of the shelf, each once.
        things: what each of them is on the shelf.
        missing: what stands on it and is not at home.
    """

    name: str
    rows: NDArray[np.int64]
    things: tuple[Thing, ...]
    missing: tuple[Thing, ...]


def stood(shelves: Shelves, columns: Columns, ledger: Ledger) -> tuple[Stood, ...]:
    """The captures that stand on shelves.

    What is there by its content counts, wherever it lies now. What is not is where it was last, if what lies there now
    was shot at the same time: then its file was changed in place.

    Args:
        shelves: of the library.
        columns: of its captures.
        ledger: its ledger, open.
    """
    things = {one for shelf in shelves for one in shelf.things}
    if not things:
        return tuple(Stood(one.name, np.zeros(0, np.int64), (), ()) for one in shelves)
    by_content = _by_content(things, ledger.of_sizes({one.size for one in things}))
    paths = {path for found in by_content.values() for path in found} | {one.path for one in things}
    rows = columns.rows_of(paths)
    made = []
    for shelf in shelves:
        found: dict[int, Thing] = {}
        missing = []
        for one in shelf.things:
            row = _row_of(one, by_content.get(one.key, ()), rows, columns)
            if row is None:
                missing.append(one)
            else:
                found.setdefault(row, one)
        made.append(Stood(shelf.name, np.array(list(found), np.int64), tuple(found.values()), tuple(missing)))
    return tuple(made)


def _by_content(things: Iterable[Thing], files: Iterable[HomeFile]) -> dict[tuple[int, bytes], list[str]]:
    """Where contents lie: the paths of each. A file of which the ledger knows no content is what lay there last."""
    wanted = {one.key for one in things}
    last = {(one.path, one.size): one.quick for one in things}
    found: dict[tuple[int, bytes], list[str]] = defaultdict(list)
    for file in files:
        content = file.quick if file.quick is not None else last.get((file.path, file.size))
        if content is not None and (file.size, content) in wanted:
            found[file.size, content].append(file.path)
    return found


def teach(shelves: Shelves, ledger: Ledger) -> None:
    """Let the ledger know the contents of what stands on shelves, where it knows only what lies where that was last.

    Before files are moved: else they would be lost to their shelves.
    """
    things = {one.path: one for shelf in shelves for one in shelf.things}
    known = ledger.of_paths(things)
    ledger.put_quick(
        (path, FileStamp(file.size, file.mtime_ns), things[path].quick)
        for path, file in known.items()
        if file.quick is None and file.size == things[path].size
    )


def _row_of(one: Thing, paths: Sequence[str], rows: Mapping[str, int], columns: Columns) -> int | None:
    """The row of what stands on a shelf; where its content lies several times, the one where it was last."""
    for path in sorted(paths, key=lambda path: path != one.path):
        if path in rows:
            return rows[path]
    row = rows.get(one.path)
    return row if row is not None and one.taken and taken_of(columns, row) == one.taken else None


def taken_of(columns: Columns, row: int) -> str:
    """When a capture was shot, by ISO 8601; empty without a date."""
    when = columns.when(row)
    return when.isoformat() if when is not None else ""


def things_of(
    columns: Columns,
    rows: Iterable[int],
    library: Library,
    ledger: Ledger,
    shelf: Stood | None = None,
    *,
    stop: threading.Event | None = None,
    report: Callable[[int, int], None] = lambda done, total: None,
) -> list[Thing]:
    """Captures as they are to stand on a shelf, in their order. What is not at home, or cannot be read, is left out.

    A fingerprint that the ledger lacks is made, and kept by it: so a move is followed.

    Args:
        columns: of the library.
        rows: of the captures.
        library: the library.
        ledger: its ledger, open.
        shelf: the shelf, where it is there: what stands on it is what it was, and not put there twice.
        stop: ends it when it is set.
        report: told how many were looked at, and of how many.

    Raises:
        Stopped: when it was stopped.
    """
    there = dict(zip(shelf.rows.tolist(), shelf.things, strict=True)) if shelf is not None else {}
    wanted = [row for row in rows if not columns.state[row] & _AWAY]
    paths = columns.paths(wanted)
    known = ledger.of_paths(paths)
    made: list[Thing] = []
    prints: list[tuple[str, FileStamp, bytes]] = []
    try:
        for done, (row, path) in enumerate(zip(wanted, paths, strict=True)):
            if not done % _TOLD_EVERY:
                report(done, len(wanted))
            if stop is not None and stop.is_set():
                raise Stopped
            home = known.get(path)
            if row in there:
                made.append(there[row]._replace(path=path))
            elif home is not None and home.quick is not None:
                made.append(Thing(home.size, home.quick, path, taken_of(columns, row)))
            elif home is not None and (own := _print_of(library, path)) is not None:
                prints.append((path, *own))
                made.append(Thing(own[0].size, own[1], path, taken_of(columns, row)))
    finally:
        ledger.put_quick(prints)
    return made


def _print_of(library: Library, path: str) -> tuple[FileStamp, bytes] | None:
    """The quick fingerprint of a file at home, and how the file is; None where it cannot be read."""
    try:
        print_of = quick(whole := library.tree.at(inside(path)))
        return FileStamp.seen(os.lstat(whole)), print_of
    except (OSError, Outside, SourceUnreadable):
        return None


def shelf_among(shelves: Iterable[Stood], name: str) -> Stood | None:
    """The shelf of a name, whatever its capital letters; None where there is none."""
    wanted = " ".join(name.split()).casefold()
    return next((one for one in shelves if one.name.casefold() == wanted), None)


def shelf_of(view: Condition) -> str:
    """The shelf whose captures a view shows, and so in its order; empty where it shows those of none, or several."""
    parts = view.parts if isinstance(view, All) else (view,)
    found = [one.text for one in parts if isinstance(one, Value) and one.sort is Sort.SHELF]
    return found[0] if len(found) == 1 else ""


def arranged(rows: NDArray[np.int64], view: Condition, shelves: Sequence[Stood]) -> NDArray[np.int64] | None:
    """A view's rows in the order of the shelf whose captures it shows; None where it shows those of none."""
    shelf = shelf_among(shelves, shelf_of(view))
    return None if shelf is None else shelf.rows[np.isin(shelf.rows, rows)]
