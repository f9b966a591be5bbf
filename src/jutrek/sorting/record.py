"""The record of a sorting by hand, kept in the library: what it is about, and everything that was answered.

`LIBRARY/.jutrek/sortings/<id>.jsonl`, a line for each thing that happened; lines are only ever appended. The first one
says what is sorted. An answer is written before anything moves, and what did not move is written behind it. So whatever
was cut off in between, the record and the disk tell together how far it went (see `standing`).

Nothing is moved by what stands in a record: its paths are compared with those of captures that are at home, and looked
for below the library's root.
"""

from __future__ import annotations

import json
import os
import re
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from enum import StrEnum
from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.disk import Inside, append_line, own
from jutrek.errors import NotPossible, PageBroken, reason
from jutrek.sorting.piles import By

if TYPE_CHECKING:
    from jutrek.library import Library

_FOLDER = "sortings"
_ID = re.compile(r"[0-9a-f]{8}")
_FORMAT = 1
LONGEST_NAME = 200


class What(StrEnum):
    """What was answered: filed into a folder, set aside, or left where it lies."""

    FILED = "filed"
    ASIDE = "set aside"
    LEFT = "left"


class At(NamedTuple):
    """A capture in an answer: where it comes to lie, relative to the library, and its moment (microseconds)."""

    path: str
    moment: int


@dataclass(slots=True)
class Answer:
    """An answer that was given and stands.

    Attributes:
        id: tells it from others.
        at: when it was given, UTC.
        what: what it says.
        to: the folder as it was said, which may be a pattern; empty where none was.
        captures: those that it is about, by the paths that they had.
        runs: of the journal, that moved them.
    """

    id: str
    at: datetime
    what: What
    to: str
    captures: dict[str, At]
    runs: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Head:
    """What a sorting is about.

    Attributes:
        id: its name on the disk.
        name: what it is called.
        view: the sentence of what is sorted.
        began: when, UTC.
        captures: how many there were to go.
        piles: how many of them there were in each pile, by what piles are made by.
    """

    id: str
    name: str
    view: str
    began: datetime
    captures: int
    piles: Mapping[By, Mapping[str, int]]


@dataclass(slots=True)
class Record:
    """A sorting as it was written down.

    Attributes:
        head: what it is about.
        answers: those that stand, the first one first.
        folders: that are in use, as they were said, in the order of their numbers.
        by: what piles are made by.
        pile: the one that was looked at last; None where none was.
        ended: whether somebody is done with it.
        bad: sentences about lines that are damaged.
    """

    head: Head
    answers: dict[str, Answer] = field(default_factory=dict)
    folders: tuple[str, ...] = ()
    by: By = By.MONTH
    pile: str | None = None
    ended: bool = False
    bad: list[str] = field(default_factory=list)


def new_id() -> str:
    """An id that no answer and no sorting has."""
    return secrets.token_hex(4)


def begin(library: Library, name: str, view: str, captures: int, piles: Mapping[By, Mapping[str, int]]) -> Head:
    """Begin a sorting.

    Args:
        library: the library.
        name: what it is called.
        view: the sentence of what is sorted.
        captures: how many are to go.
        piles: how many in each pile.

    Raises:
        NotPossible: when the name is none, or it can't be written.
    """
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME or not name.isprintable():
        raise NotPossible(library.root, f"a sorting's name has 1 to {LONGEST_NAME} signs that can be printed")
    head = Head(new_id(), name, view, datetime.now(UTC), captures, piles)
    line = {
        "sorting": name, "format": _FORMAT, "view": view, "began": head.began.isoformat(timespec="seconds"),
        "captures": captures, "piles": {by.value: dict(own) for by, own in piles.items()},
    }  # fmt: skip
    _append(library, head.id, line)
    return head


def records(library: Library) -> tuple[list[Record], list[str]]:
    """The sortings of a library, the newest first, and sentences about records that can't be read."""
    try:
        names = library.tree.regular_names(own(_FOLDER))
    except OSError:
        return [], []
    found, bad = [], []
    for name in sorted(names):
        id_, suffix = os.path.splitext(name)
        if suffix != ".jsonl" or not _ID.fullmatch(id_):
            continue
        try:
            found.append(record_of(library, id_))
        except PageBroken as error:
            bad.append(str(error))
    return sorted(found, key=lambda one: one.head.began, reverse=True), bad


def record_of(library: Library, id_: str) -> Record:
    """The record of a sorting. A line that is damaged is told in `bad`, and costs only itself.

    Raises:
        PageBroken: when it can't be read, or does not say what is sorted.
    """
    from jutrek.library import pages
    from jutrek.sorting.lines import LINE

    path = _path(id_)
    good, bad = pages.lines(LINE, library.tree, path)
    if not good or "sorting" not in good[0]:
        raise PageBroken(library.tree.at(path), "its first line does not say what is sorted")
    record = Record(_head(id_, good[0]), bad=[why for _, why in bad])
    for line in good[1:]:
        _take(record, line)
    return record


def _head(id_: str, line: Mapping[str, Any]) -> Head:
    piles = {By(by): dict(own) for by, own in line["piles"].items()}
    return Head(id_, line["sorting"], line["view"], _when(line["began"]), line["captures"], piles)


def _take(record: Record, line: Mapping[str, Any]) -> None:
    if "answer" in line:
        captures = {old: At(new, moment) for old, new, moment in line["captures"]}
        one = Answer(line["answer"], _when(line["at"]), What(line["what"]), line.get("to", ""), captures)
        record.answers[one.id] = one
    elif "moved" in line:
        if (known := record.answers.get(line["moved"])) is not None:
            known.runs = tuple(line["runs"])
    elif "back" in line:
        _taken_back(record, line["back"], line["captures"])
    elif "folders" in line:
        record.folders = tuple(dict.fromkeys(line["folders"]))
    elif "counted" in line:
        piles = {By(by): dict(own) for by, own in line["piles"].items()}
        record.head = replace(record.head, captures=line["counted"], piles=piles)
    elif "by" in line:
        record.by, record.pile = By(line["by"]), line["pile"]
    elif "ended" in line:
        record.ended = line["ended"]


def _taken_back(record: Record, answer: str, captures: Sequence[str]) -> None:
    known = record.answers.get(answer)
    if known is None:
        return
    for path in captures:
        known.captures.pop(path, None)
    if not known.captures:
        del record.answers[answer]


def _when(text: str) -> datetime:
    moment = datetime.fromisoformat(text)
    return moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)


# ---- what is written


def answered(library: Library, sorting: str, one: Answer) -> None:
    """Write down an answer, before anything moves.

    Raises:
        NotPossible: when it can't be written; then nothing may move.
    """
    _append(library, sorting, {
        "answer": one.id, "at": one.at.isoformat(timespec="seconds"), "what": one.what.value,
        "captures": [[old, *new] for old, new in one.captures.items()], **({"to": one.to} if one.to else {}),
    })  # fmt: skip


def moved(library: Library, sorting: str, answer: str, runs: Sequence[str]) -> None:
    """Write down which runs moved the captures of an answer. Raises as `answered`."""
    _append(library, sorting, {"moved": answer, "runs": list(runs)})


def came_back(library: Library, sorting: str, answer: str, captures: Sequence[str]) -> None:
    """Write down that captures of an answer are to go again: they did not move, or were moved back.

    Args:
        library: the library.
        sorting, answer: their ids.
        captures: by the paths that they had.

    Raises:
        NotPossible: when it can't be written.
    """
    _append(library, sorting, {"back": answer, "captures": list(captures)})


def count(library: Library, sorting: str, captures: int, piles: Mapping[By, Mapping[str, int]]) -> None:
    """Write down how many captures there are to go before anything is answered, where that is not as it was when it
    was begun: more was read since, or came. Raises as `answered`."""
    _append(library, sorting, {"counted": captures, "piles": {by.value: dict(own) for by, own in piles.items()}})


def use(library: Library, sorting: str, folders: Sequence[str]) -> None:
    """Write down which folders are in use, in the order of their numbers. Raises as `answered`."""
    _append(library, sorting, {"folders": list(folders)})


def look_at(library: Library, sorting: str, by: By, pile: str) -> None:
    """Write down which pile is looked at. Raises as `answered`."""
    _append(library, sorting, {"by": by.value, "pile": pile})


def end(library: Library, sorting: str, *, ended: bool = True) -> None:
    """Write down that a sorting is done with, or goes on. Nothing that was filed changes. Raises as `answered`."""
    _append(library, sorting, {"ended": ended})


def _path(id_: str) -> Inside:
    return own(_FOLDER, f"{id_}.jsonl")


def _append(library: Library, id_: str, line: Mapping[str, Any]) -> None:
    """Append a line, durably. One that was cut off before it is closed: it costs only itself."""
    tree, path = library.tree, _path(id_)
    try:
        tree.make_folders(path.folder)
        fd = tree.open(path, os.O_RDWR | os.O_APPEND | os.O_CREAT | os.O_CLOEXEC | os.O_NONBLOCK)
        try:
            append_line(fd, json.dumps(line, separators=(",", ":")).encode())
        finally:
            os.close(fd)
    except OSError as error:
        raise NotPossible(library.root, f"the record of this sorting can't be written: {reason(error)}") from error
