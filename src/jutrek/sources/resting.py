"""An inbox: a folder that a phone or a sync program fills. A file counts once it rests.

It rests when its size and times have been the same for some seconds, nobody has it open for writing, as far as `/proc`
tells (proc(5)), and its name is none that programs give to what they have not finished.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import NamedTuple

from jutrek.sources.scan import Left, SourceFile, scan

RESTS = 5.0
"""Seconds without a change."""
_UNFINISHED = (".part", ".tmp", ".crdownload", ".filepart", ".partial", "~")
"""Endings of names of files that are being written."""
_WRITES = os.O_WRONLY | os.O_RDWR


class _State(NamedTuple):
    """How a file was seen, and since when it is so."""

    size: int
    mtime_ns: int
    since: float


@dataclass(frozen=True, slots=True)
class Seen:
    """What was found in an inbox.

    Attributes:
        files: that rest.
        waiting: those that do not, with the reason, by path.
        again: in how many seconds one of them may; None where none waits for that.
        trouble: why the folder itself could not be looked at; empty where it could.
    """

    files: tuple[SourceFile, ...]
    waiting: dict[str, str]
    again: float | None
    trouble: str = ""


class Inbox:
    """Looks at an inbox again and again, and knows what changed in between."""

    def __init__(
        self,
        root: str,
        *,
        leave_out: frozenset[str] = frozenset(),
        rests: float = RESTS,
        trusts: bool = False,
        now: Callable[[], float] = time.monotonic,
    ) -> None:
        """
        Args:
            root: of the folder.
            leave_out: real paths of folders that are not entered.
            rests: seconds after which a file rests.
            trusts: whether what was changed long ago by its own time rests at the first look: only where what is taken
                too early costs nothing.
            now: tells the time, in seconds.
        """
        self.root, self._leave_out, self._rests, self._now = root, leave_out, rests, now
        self._trusts = trusts
        self._known: dict[str, _State] = {}

    def look(self, settled: Collection[tuple[str, int, int]] = frozenset()) -> Seen:
        """Look at it.

        Args:
            settled: files, by path, size and time, that are known already: they rest, and are not told.
        """
        now, known = self._now(), self._known
        self._known, waiting = {}, {}
        maybe: list[SourceFile] = []
        again: float | None = None
        for thing in scan(self.root, leave_out=self._leave_out):
            if isinstance(thing, Left):
                if thing.path == self.root:
                    # It is away, or can't be read: what was known of it is not forgotten by that.
                    self._known = known
                    return Seen((), {}, None, thing.why)
                continue
            if (thing.path, thing.size, thing.mtime_ns) in settled:
                continue
            before = known.get(thing.path)
            same = before is not None and before[:2] == (thing.size, thing.mtime_ns)
            since = now - self._age(thing) if self._trusts and before is None else now
            state = self._known[thing.path] = before if same and before else _State(thing.size, thing.mtime_ns, since)
            if why := unfinished(thing.path, self.root):
                waiting[thing.path] = why
            elif (left := state.since + self._rests - now) > 0:
                waiting[thing.path] = "It changed just now."
                again = left if again is None else min(again, left)
            else:
                maybe.append(thing)
        written = written_to({one.path for one in maybe}) if maybe else frozenset[str]()
        waiting |= dict.fromkeys(written, "A program has it open for writing.")
        again = self._rests if written and again is None else again
        return Seen(tuple(one for one in maybe if one.path not in written), waiting, again)

    def _age(self, file: SourceFile) -> float:
        """For how many seconds a file was not changed, by its own time."""
        return max(0.0, time.time() - file.mtime_ns / 1e9)


def unfinished(path: str, root: str) -> str:
    """Why a file is one that is still being written, by its name; empty where it is not.

    Args:
        path: of the file.
        root: of the inbox: a hidden folder on the way is one of a program's own.
    """
    below = os.path.relpath(path, root)
    name = os.path.basename(path).lower()
    if any(part.startswith(".") for part in below.split(os.sep)):
        return "It is hidden, as files are that are not finished."
    if name.endswith(_UNFINISHED) or name.startswith("~"):
        return "Its name says that it is not finished."
    return ""


def written_to(paths: Collection[str], proc: str = "/proc") -> frozenset[str]:
    """Which files some program has open for writing, as far as it can be told: of other persons' programs it can't.

    Args:
        paths: absolute ones.
        proc: where the system tells of its programs.
    """
    wanted = {os.path.realpath(path): path for path in paths}
    found: set[str] = set()
    try:
        programs = [one for one in os.listdir(proc) if one.isdigit()]
    except OSError:
        return frozenset()
    for program in programs:
        folder = os.path.join(proc, program, "fd")
        try:
            numbers = os.listdir(folder)
        except OSError:
            continue
        for number in numbers:
            try:
                path = wanted.get(os.readlink(os.path.join(folder, number)))
            except OSError:
                continue
            if path is not None and path not in found and _is_written(os.path.join(proc, program, "fdinfo", number)):
                found.add(path)
    return frozenset(found)


def _is_written(info: str) -> bool:
    """Whether an open file may be written: its flags are told in octal digits."""
    try:
        with open(info, encoding="ascii") as file:
            flags = next((line.split()[1] for line in file if line.startswith("flags:")), "0")
        return bool(int(flags, 8) & _WRITES)
    except (OSError, ValueError, IndexError):
        return False
