"""The journal: an append-only record of what Jutrek did on disk, one file of JSON lines per intake.

Under `LIBRARY/.jutrek/journal/<intake>.jsonl`:

    {"entry": "intake", "intake", "at", "version", "sources"}
    {"entry": "bring", "row", "source", "to", "size", "mtime_ns", …}   every file to come, synced before the first copy
    {"entry": "sidecar", "row", "to"}                                  a corrected date was written beside it
    {"entry": "home", "row", "to", "xxh3_128", "direct"}               proven and named; `direct` as in `Proof`
    {"entry": "failed", "row", "source", "why"}
    {"entry": "end", "at", "how": "done" | "stopped" | "found again", "home", "left"}

`at` is UTC. A `bring` line also tells by what the file is filed, where there is anything: `moment`, `shift` (seconds of
a clock fix), `device`, `operator`, `shoot`, `day`, `said` (pairs of name and words), `original` (its path below its
source); and the `number` in its name with what its `counter` counts within. A line that was torn by a power loss is
ignored by readers. What a kill keeps from being written is told from the disk by `recover`: a final name exists only
for proven bytes.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, fields
from datetime import UTC, datetime
from typing import Any, BinaryIO

from jutrek.disk import make_folders, sync_folder
from jutrek.filing import Row
from jutrek.library import Filed, Library
from jutrek.transfer.carry import Proof

FOLDER = "journal"
_TAIL = 4096
VERSION = 1
_FILED_BY = tuple(field.name for field in fields(Filed))


def _filed_by(row: Row) -> dict[str, Any]:
    return {name: value for name in _FILED_BY if (value := getattr(row.by, name))}


class Journal:
    """The journal of one intake, open for appending."""

    def __init__(self, library: Library, intake: str) -> None:
        """Open it, making it if need be.

        Raises:
            OSError: when it cannot be written.
        """
        folder = os.path.join(library.own, FOLDER)
        make_folders(folder, within=library.root)
        self.intake = intake
        flags = os.O_CREAT | os.O_APPEND | os.O_WRONLY | os.O_CLOEXEC
        self._fd = os.open(os.path.join(folder, f"{intake}.jsonl"), flags, 0o666)
        sync_folder(folder)
        self._waiting = False

    def begin(self, rows: Sequence[Row]) -> None:
        """Write down everything that will be brought, and make it durable."""
        sources = sorted({row.root for row in rows})
        self._write({"entry": "intake", "intake": self.intake, "at": _now(), "version": VERSION, "sources": sources})
        for number, row in enumerate(rows):
            counted = {"counter": row.counter, "number": row.number} if row.counter else {}
            self._write({
                "entry": "bring", "row": number, "source": row.source, "to": row.destination, "size": row.size,
                "mtime_ns": row.mtime_ns, **_filed_by(row), **counted,
            })  # fmt: skip
        self.sync()

    def home(self, number: int, proof: Proof) -> None:
        """Write down a proven file. Durable after the next `sync`."""
        to = proof.row.destination
        line = {"entry": "home", "row": number, "to": to, "xxh3_128": proof.full.hex(), "direct": proof.direct}
        self._write(line)

    def sidecar(self, number: int, row: Row) -> None:
        """Write down that a sidecar was made beside a file."""
        self._write({"entry": "sidecar", "row": number, "to": row.sidecar})

    def failed(self, number: int, row: Row, why: str) -> None:
        """Write down a file that did not come home."""
        self._write({"entry": "failed", "row": number, "source": row.source, "why": why})

    def end(self, how: str, home: int, left: int) -> None:
        """Write down the end of the intake, durably."""
        self._write({"entry": "end", "at": _now(), "how": how, "home": home, "left": left})
        self.sync()

    def sync(self) -> None:
        """Make what was written durable."""
        if self._waiting:
            os.fsync(self._fd)
            self._waiting = False

    def close(self) -> None:
        """Close the journal's file."""
        os.close(self._fd)

    def _write(self, entry: dict[str, Any]) -> None:
        line = json.dumps(entry).encode() + b"\n"
        while line:
            line = line[os.write(self._fd, line) :]
        self._waiting = True


@dataclass(slots=True)
class Account:
    """What a journal tells of an intake that did not end: when it began, and what was to come."""

    intake: str
    at: str = ""
    to_come: dict[int, dict[str, Any]] = field(default_factory=dict)


def unfinished(library: Library) -> Iterator[Account]:
    """Read the journals of a library that have no end, oldest first. Torn and foreign lines are ignored.

    Of a journal that has an end only the last bytes are read: a library has very many of them in time.
    """
    folder = os.path.join(library.own, FOLDER)
    try:
        names = sorted(name for name in os.listdir(folder) if name.endswith(".jsonl"))
    except FileNotFoundError:
        return
    for name in names:
        account = Account(name.removesuffix(".jsonl"))
        with open(os.path.join(folder, name), "rb") as file:
            if _has_ended(file):
                continue
            for line in file:
                _enter(account, line)
        yield account


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
        if kind == "intake":
            account.at = str(entry["at"])
        elif kind == "bring":
            account.to_come[int(entry["row"])] = entry
    except (ValueError, KeyError, TypeError):
        return


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")
