"""Reading journals: what a run was to do and what it did, and what was known of every file."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from jutrek.library import Filed, Library, ProofMark
from jutrek.transfer.chain import START, Break, breaks, entries
from jutrek.transfer.journal import FOLDER, Kind, journal_names

_TAIL = 4096
_MOVES = frozenset({Kind.REFILE, Kind.TAKE_BACK, Kind.SET_ASIDE})


@dataclass(slots=True)
class Account:
    """What a journal tells of a run.

    Attributes:
        run: its id.
        kind: what it does.
        head: its first entry: `at` (UTC, ISO 8601), `who`, and what its kind tells.
        end: its last entry; empty for a run that has not ended.
        to_come: entries of files to be brought, by row.
        to_move: entries of files to be moved, by row.
        done: rows that came home, or moved, with the entry that says so.
        copied: rows by place.
        parts: how far large files were copied, with the fingerprints of their parts, by row.
        sidecars: entries of sidecars that were written, by row.
        failed: why rows did not come home.
        others: entries that only this kind of run has.
    """

    run: str
    kind: Kind = Kind.INTAKE
    head: dict[str, Any] = field(default_factory=dict)
    end: dict[str, Any] = field(default_factory=dict)
    to_come: dict[int, dict[str, Any]] = field(default_factory=dict)
    to_move: dict[int, dict[str, Any]] = field(default_factory=dict)
    done: dict[int, dict[str, Any]] = field(default_factory=dict)
    copied: dict[str, dict[int, dict[str, Any]]] = field(default_factory=dict)
    parts: dict[int, list[tuple[int, bytes]]] = field(default_factory=dict)
    sidecars: dict[int, dict[str, Any]] = field(default_factory=dict)
    failed: dict[int, str] = field(default_factory=dict)
    others: list[dict[str, Any]] = field(default_factory=list)

    @property
    def at(self) -> str:
        """When it began, UTC, ISO 8601."""
        return str(self.head.get("at", ""))

    @property
    def takes_back(self) -> str:
        """The run that it undoes; empty for none."""
        return str(self.head.get("takes_back", ""))

    @property
    def moves(self) -> bool:
        """Whether it moves files within the library."""
        return self.kind in _MOVES

    @property
    def to_do(self) -> Mapping[int, dict[str, Any]]:
        """What it was to do, by row."""
        return self.to_move if self.moves else self.to_come


def path_of(library: Library, run: str) -> str:
    """Where the journal of a run lies."""
    return os.path.join(library.own, FOLDER, f"{run}.jsonl")


def account_of(library: Library, run: str) -> Account:
    """Read the whole journal of a run.

    Raises:
        OSError: when it cannot be read.
    """
    account = Account(run)
    with open(path_of(library, run), "rb") as file:
        for entry in entries(file):
            _enter(account, entry)
    return account


def runs(library: Library) -> list[str]:
    """The ids of all runs, oldest first."""
    return [name.removesuffix(".jsonl") for name in journal_names(library)]


def later_runs(library: Library, run: str) -> list[str]:
    """The ids of the runs after one, oldest first."""
    known = runs(library)
    return known[known.index(run) + 1 :] if run in known else []


def unfinished(library: Library) -> Iterator[Account]:
    """Read the journals that have no end, oldest first.

    Of a journal that has an end only the last bytes are read: a library has very many of them in time.
    """
    for run in runs(library):
        if not end_of(library, run):
            yield account_of(library, run)


def end_of(library: Library, run: str) -> dict[str, Any]:
    """The end of a run; empty where it has none."""
    with open(path_of(library, run), "rb") as file:
        file.seek(max(0, file.seek(0, os.SEEK_END) - _TAIL))
        last = file.read().splitlines()[-1:]
    try:
        entry = json.loads(last[0]) if last else {}
    except ValueError:
        return {}
    return entry if isinstance(entry, dict) and entry.get("entry") == "end" else {}


def head_of(library: Library, run: str) -> dict[str, Any]:
    """The first entry of a run."""
    with open(path_of(library, run), "rb") as file:
        return next(entries(iter([file.readline()])), {})


def moving_runs(library: Library) -> Iterator[Account]:
    """Read the journals of all runs that moved files within the library, newest first."""
    for run in reversed(runs(library)):
        if head_of(library, run).get("entry") in _MOVES:
            yield account_of(library, run)


def known_of_files(library: Library) -> tuple[dict[str, Filed], list[ProofMark]]:
    """By what files were filed, by their paths now, and what was proven of them: for a ledger that was lost."""
    filed: dict[str, Filed] = {}
    proofs: dict[tuple[str, str], ProofMark] = {}
    for run in runs(library):
        account = account_of(library, run)
        for row, done in sorted(account.done.items()):
            if (entry := account.to_come.get(row)) is not None:
                if account.kind is Kind.INTAKE:
                    filed[str(entry["to"])] = filed_by(entry)
                _learn(proofs, account, row, entry, done)
            elif (entry := account.to_move.get(row)) is not None:
                old, new = str(entry["from"]), str(entry["to"])
                if old in filed:
                    filed[new] = filed.pop(old)
                if ("", old) in proofs:
                    proofs["", new] = proofs.pop(("", old))._replace(path=new)
        for entry in account.others:
            if entry["entry"] == "proven":
                mark = _proven(entry, account.at)
                proofs[mark.place, mark.path] = mark
            elif entry["entry"] == "copy moved":
                place, old, new = (str(entry[name]) for name in ("place", "from", "to"))
                if (place, old) in proofs:
                    proofs[place, new] = proofs.pop((place, old))._replace(path=new)
    return filed, list(proofs.values())


def _learn(
    proofs: dict[tuple[str, str], ProofMark], account: Account, row: int, entry: dict[str, Any], done: dict[str, Any]
) -> None:
    """Take what an intake proved of a file, in the library and in other places."""
    try:
        path, size, full = str(entry["to"]), int(entry["size"]), bytes.fromhex(str(done["xxh3_128"]))
    except (KeyError, ValueError):
        return
    mtime_ns = int(done.get("mtime_ns", entry["mtime_ns"]))
    main = str(account.head.get("place", ""))
    proofs[main, path] = ProofMark(main, path, size, mtime_ns, full, account.at)
    for place, rows in account.copied.items():
        if row in rows:
            mtime_ns = int(rows[row].get("mtime_ns", entry["mtime_ns"]))
            proofs[place, path] = ProofMark(place, path, size, mtime_ns, full, account.at)


def _proven(entry: Mapping[str, Any], at: str) -> ProofMark:
    full = bytes.fromhex(str(entry["xxh3_128"]))
    return ProofMark(str(entry["place"]), str(entry["path"]), int(entry["size"]), int(entry["mtime_ns"]), full, at)


def filed_by(entry: Mapping[str, Any]) -> Filed:
    """By what the file of a `bring` line is filed."""
    values = {name: entry[name] for name in Filed._fields if name in entry}
    values["said"] = tuple((str(name), str(words)) for name, words in values.get("said", ()))
    return Filed(**values)


def broken_records(library: Library) -> dict[str, list[Break]]:
    """Where journals are not what was written, by run."""
    found: dict[str, list[Break]] = {}
    before: str | None = START
    for run in runs(library):
        broken, before = breaks(path_of(library, run), before)
        if broken:
            found[run] = broken
    return found


def _enter(account: Account, entry: dict[str, Any]) -> None:
    kind = entry["entry"]
    try:
        match kind:
            case "bring":
                account.to_come[int(entry["row"])] = entry
            case "move":
                account.to_move[int(entry["row"])] = entry
            case "home" | "moved" | "found":
                account.done[int(entry["row"])] = entry
            case "copied":
                account.copied.setdefault(str(entry["place"]), {})[int(entry["row"])] = entry
            case "part":
                part = int(entry["upto"]), bytes.fromhex(str(entry["xxh3_128"]))
                account.parts.setdefault(int(entry["row"]), []).append(part)
            case "sidecar":
                account.sidecars[int(entry["row"])] = entry
            case "failed":
                account.failed[int(entry["row"])] = str(entry["why"])
            case "end":
                account.end = entry
            case _ if not account.head and kind in set(Kind):
                account.kind, account.head = Kind(kind), entry
            case _:
                account.others.append(entry)
    except (ValueError, KeyError, TypeError):
        return
