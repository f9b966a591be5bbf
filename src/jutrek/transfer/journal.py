"""The journal: an append-only record of what Jutrek did on disk, one file of JSON lines per intake.

Under `LIBRARY/.jutrek/journal/<intake>.jsonl`:

    {"entry": "intake", "intake", "at", "version", "sources"}
    {"entry": "bring", "row", "source", "to", "size", "mtime_ns", …}   every file to come, synced before the first copy
    {"entry": "sidecar", "row", "to"}                                  a corrected date was written beside it
    {"entry": "home", "row", "to", "xxh3_128", "direct"}               proven and named; `direct` as in `Proof`
    {"entry": "failed", "row", "source", "why"}
    {"entry": "end", "at", "how": "done" | "stopped" | "found again", "home", "left"}

and of a re-filing, under `<intake>-moves.jsonl`, with paths relative to the library:

    {"entry": "refile", "intake", "at", "version", "takes_back"}       `takes_back`: the re-filing that it undoes, or ""
    {"entry": "move", "row", "from", "to", "size", "mtime_ns", …}      every move to come, synced before the first one
    {"entry": "moved", "row"}                                          renamed, both folders synced
    {"entry": "folder removed", "folder"}                              it was emptied
    {"entry": "failed", …}, {"entry": "end", …}                        as above; `home` counts what moved

`at` is UTC. A `bring` line also tells by what the file is filed, where there is anything: `moment`, `shift` (seconds of
a clock fix), `device`, `operator`, `shoot`, `day`, `said` (pairs of name and words), `original` (its path below its
source); and the `number` in its name with what its `counter` counts within. A line that was torn by a power loss is
ignored by readers. What a kill keeps from being written is told from the disk by `recover`: a final name exists only
for proven bytes.
"""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from jutrek.disk import make_folders, sync_folder
from jutrek.filing import Row
from jutrek.filing.facts import below
from jutrek.library import Filed, Library
from jutrek.transfer.carry import Proof

FOLDER = "journal"
MOVES = "-moves"
"""Ends the id of a re-filing."""
VERSION = 1
_FILED_BY = Filed._fields


def _filed_by(row: Row) -> dict[str, Any]:
    filed = row.filed
    return {name: value for name in _FILED_BY if (value := getattr(filed, name))}


def _counted(row: Row) -> dict[str, Any]:
    return {"counter": row.counter, "number": row.number} if row.counter else {}


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
            self._write({
                "entry": "bring", "row": number, "source": row.source, "to": row.destination, "size": row.size,
                "mtime_ns": row.mtime_ns, **_filed_by(row), **_counted(row),
            })  # fmt: skip
        self.sync()

    def begin_moves(self, rows: Sequence[Row], takes_back: str) -> None:
        """Write down every move of a re-filing, and make it durable."""
        self._write({
            "entry": "refile", "intake": self.intake, "at": _now(), "version": VERSION, "takes_back": takes_back,
        })  # fmt: skip
        for number, row in enumerate(rows):
            self._write({
                "entry": "move", "row": number, "from": below(row.source, row.root), "to": row.destination,
                "size": row.size, "mtime_ns": row.mtime_ns, **_counted(row),
            })  # fmt: skip
        self.sync()

    def moved(self, number: int) -> None:
        """Write down a move that is done. Durable after the next `sync`."""
        self._write({"entry": "moved", "row": number})

    def removed_folder(self, folder: str) -> None:
        """Write down that an emptied folder was removed."""
        self._write({"entry": "folder removed", "folder": folder})

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


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")
