"""Reading journals: what a run was to do and what it did, and what was known of every file."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any, BinaryIO

from jutrek.library import Filed, Library
from jutrek.transfer.journal import FOLDER, MOVES

_TAIL = 4096


@dataclass(slots=True)
class Account:
    """What a journal tells of an intake or a re-filing.

    Attributes:
        intake: its id.
        at: when it began, UTC, ISO 8601.
        to_come: entries of files to be brought, by row.
        to_move: entries of files to be moved, by row.
        done: rows that came home, or moved.
        takes_back: the re-filing that it undoes; empty for none.
    """

    intake: str
    at: str = ""
    to_come: dict[int, dict[str, Any]] = field(default_factory=dict)
    to_move: dict[int, dict[str, Any]] = field(default_factory=dict)
    done: set[int] = field(default_factory=set)
    takes_back: str = ""

    @property
    def is_refiling(self) -> bool:
        """Whether it moves within the library."""
        return self.intake.endswith(MOVES)


def unfinished(library: Library) -> Iterator[Account]:
    """Read the journals of a library that have no end, oldest first. Torn and foreign lines are ignored.

    Of a journal that has an end only the last bytes are read: a library has very many of them in time.
    """
    for name in _names(library):
        with open(os.path.join(library.own, FOLDER, name), "rb") as file:
            if not _has_ended(file):
                yield _read(name, file)


def refilings(library: Library) -> Iterator[Account]:
    """Read the journals of all re-filings, newest first."""
    for name in reversed(_names(library)):
        if name.endswith(f"{MOVES}.jsonl"):
            with open(os.path.join(library.own, FOLDER, name), "rb") as file:
                yield _read(name, file)


def known_of_files(library: Library) -> dict[str, Filed]:
    """By what files were filed, by their paths now: from all journals, for a ledger that was lost or never was."""
    known: dict[str, Filed] = {}
    for name in _names(library):
        with open(os.path.join(library.own, FOLDER, name), "rb") as file:
            account = _read(name, file)
        for row in sorted(account.done):
            if (entry := account.to_come.get(row)) is not None:
                known[str(entry["to"])] = filed_by(entry)
            elif (entry := account.to_move.get(row)) is not None and str(entry["from"]) in known:
                known[str(entry["to"])] = known.pop(str(entry["from"]))
    return known


def filed_by(entry: dict[str, Any]) -> Filed:
    """By what the file of a `bring` line is filed."""
    values = {name: entry[name] for name in Filed._fields if name in entry}
    values["said"] = tuple((str(name), str(words)) for name, words in values.get("said", ()))
    return Filed(**values)


def _names(library: Library) -> list[str]:
    try:
        return sorted(name for name in os.listdir(os.path.join(library.own, FOLDER)) if name.endswith(".jsonl"))
    except FileNotFoundError:
        return []


def _read(name: str, file: BinaryIO) -> Account:
    account = Account(name.removesuffix(".jsonl"))
    for line in file:
        _enter(account, line)
    return account


def _has_ended(file: BinaryIO) -> bool:
    """Whether the last line is an end. Leaves the file at its start."""
    file.seek(max(0, file.seek(0, os.SEEK_END) - _TAIL))
    last = file.read().splitlines()[-1:]
    file.seek(0)
    try:
        return bool(last) and json.loads(last[0])["entry"] == "end"
    except (ValueError, KeyError, TypeError):
        return False


def _enter(account: Account, line: bytes) -> None:
    try:
        entry = json.loads(line)
        kind = entry["entry"]
        if kind in ("intake", "refile"):
            account.at, account.takes_back = str(entry["at"]), str(entry.get("takes_back", ""))
        elif kind == "bring":
            account.to_come[int(entry["row"])] = entry
        elif kind == "move":
            account.to_move[int(entry["row"])] = entry
        elif kind in ("home", "moved"):
            account.done.add(int(entry["row"]))
    except (ValueError, KeyError, TypeError):
        return
