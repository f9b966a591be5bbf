"""Laying house rules over captures: where each file goes, and what it is called there."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence

from jutrek.captures import Capture, ReadFile
from jutrek.doubles import NEW, Standing, Stands
from jutrek.errors import shown
from jutrek.filing.names import Folders, legal, shortened, stem_of, suffix_of
from jutrek.filing.pattern import fill
from jutrek.filing.plan import Action, Plan, Row
from jutrek.filing.rules import UNFILED_FOLDER, HouseRules, Undated
from jutrek.library import Library
from jutrek.sources import Left, SourceFile


def make_plan(
    library: Library,
    rules: HouseRules,
    captures: Sequence[Capture],
    standings: Mapping[str, Stands],
    left: Iterable[Left | tuple[SourceFile, str]] = (),
) -> Plan:
    """Make the plan of an intake. Lists folders of the library, and changes nothing.

    Args:
        captures: in the order of shooting.
        standings: by source path.
        left: what is no capture: things that are no files, and files with the reason why they stay.
    """
    folders = Folders(library.root)
    rows: list[Row] = []
    placed: dict[str, str | None] = {}
    for capture in captures:
        for row in _capture_rows(capture, standings, rules, folders):
            rows.append(row)
            placed[row.source] = row.destination
    rows = [_with_twin(row, standings, placed) for row in rows]
    rows.extend(_stays(thing) for thing in left)
    return Plan(library.root, library.id, rules, tuple(rows))


def _capture_rows(
    capture: Capture, standings: Mapping[str, Stands], rules: HouseRules, folders: Folders
) -> Iterable[Row]:
    new: list[ReadFile] = []
    home_at = ""
    for read in capture.files:
        stands = standings.get(read.file.path, NEW)
        if stands.standing is Standing.NEW:
            new.append(read)
            continue
        if stands.standing is Standing.HOME:
            home_at = home_at or stands.equal
            why = f"The same bytes are home as {shown(stands.equal)}."
            yield _row(read, capture, Action.HOME, stands.equal, why)
        else:
            yield _row(read, capture, Action.TWIN, stands.equal, f"The same bytes as {shown(stands.equal)}.")
    for read in [read for read in new if not read.file.size]:
        new.remove(read)
        yield _row(read, capture, Action.STAY, None, "The file is empty: there is nothing to bring home.")
    if home_at:
        yield from _beside(capture, new, home_at, folders)
    if capture.trusted:
        yield from _filed(capture, new, rules, folders)
    elif rules.undated is Undated.UNFILED:
        yield from _unfiled(capture, new, folders)
    else:
        for read in new:
            why = capture.moment.why if capture.moment else "No date was found."
            yield _row(read, capture, Action.STAY, None, why)


def _beside(capture: Capture, new: list[ReadFile], home_at: str, folders: Folders) -> Iterable[Row]:
    """Companions of a file that is home go beside it, under its stem. Takes what it places out of `new`."""
    folder, name = os.path.split(home_at)
    for read in list(new):
        suffix = _suffix(read)
        if folders.take_beside(folder, stem_of(name), suffix):
            new.remove(read)
            path = os.path.join(folder, stem_of(name) + suffix)
            yield _row(read, capture, Action.BRING, path, f"Beside its capture, which is home as {shown(home_at)}.")


def _filed(capture: Capture, new: list[ReadFile], rules: HouseRules, folders: Folders) -> Iterable[Row]:
    moment = capture.moment
    if moment is None:
        return
    folder = fill(rules.layout, moment.local, moment.precision)
    name = fill(rules.name, moment.local, moment.precision)
    yield from _together(capture, new, folder, name, moment.why, folders)


def _unfiled(capture: Capture, new: list[ReadFile], folders: Folders) -> Iterable[Row]:
    why = capture.moment.why if capture.moment else "No date was found."
    own = legal(stem_of(os.path.basename(capture.primary.file.path)))
    yield from _together(capture, new, UNFILED_FOLDER, own, why, folders)


def _together(
    capture: Capture, files: Sequence[ReadFile], folder: str, wish: str, why: str, folders: Folders
) -> Iterable[Row]:
    """Name files with one free stem; files whose extension would be the same twice get a further stem."""
    waiting = list(files)
    while waiting:
        first: dict[str, ReadFile] = {}
        again: list[ReadFile] = []
        for read in waiting:
            if first.setdefault(_suffix(read), read) is not read:
                again.append(read)
        stem = folders.free_stem(folder, wish, list(first))
        for suffix, read in first.items():
            yield _row(read, capture, Action.BRING, os.path.join(folder, stem + suffix), why)
        waiting = again


def _suffix(read: ReadFile) -> str:
    name = os.path.basename(read.file.path)
    suffix = suffix_of(name, read.reading.format)
    return suffix if len(suffix.encode("utf-8", "replace")) <= 32 else shortened(suffix, "", spare=223)


def _row(read: ReadFile, capture: Capture, action: Action, destination: str | None, why: str) -> Row:
    file = read.file
    return Row(file.path, file.root, action, destination, why, file.size, file.mtime_ns, capture.id)


def _with_twin(row: Row, standings: Mapping[str, Stands], placed: Mapping[str, str | None]) -> Row:
    """A twin's destination is its original's. Where the original stays, so does the twin."""
    if row.action is not Action.TWIN:
        return row
    original = standings[row.source].equal
    destination = placed.get(original)
    action = Action.TWIN if destination is not None else Action.STAY
    why = row.why if destination is not None else f"{row.why} That one stays, so this one stays too."
    return Row(row.source, row.root, action, destination, why, row.size, row.mtime_ns, row.capture)


def _stays(thing: Left | tuple[SourceFile, str]) -> Row:
    if isinstance(thing, Left):
        return Row(thing.path, thing.root, Action.STAY, None, thing.why)
    file, why = thing
    return Row(file.path, file.root, Action.STAY, None, why, file.size, file.mtime_ns)
