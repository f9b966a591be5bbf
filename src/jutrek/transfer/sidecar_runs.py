"""Writing what is said of captures into sidecars beside them: one run of the journal, which can be taken back.

    1. what every sidecar is to hold is made, and its fingerprint written into the journal, and synced;
    2. old versions go to `.jutrek/replaced/`, where they stay until the run is taken back;
    3. the new ones are written, whole and durable, under names that are free; then read back, and the journal tells.

A sidecar that another program changed meanwhile stays as that left it. A kill leaves the old version or the new one:
the next start tells which by its fingerprint, and puts an old one back that no new one followed.
"""

from __future__ import annotations

import contextlib
import os
import secrets
import threading
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from jutrek.disk import OWN_FOLDER, FileStamp, Held, Inside, Outside, Realm, inside, put_away
from jutrek.errors import CopyRefused, FileTrouble, of_place, reason, shown
from jutrek.filing import Action, Row
from jutrek.library import LIBRARY, HomeFile, Library, ProofMark
from jutrek.transfer.amending import Amending, Step, ToAmend, steps_of
from jutrek.transfer.journal import Journal, now
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import aligned_buffer, new_hash, read_back, small_buffer
from jutrek.transfer.one_run import Written, in_one_run
from jutrek.transfer.outcome import Listener, Progress
from jutrek.transfer.word_lists import ListChange, change_list

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.run_log import RunLog


_WAITING = 16
"""So many files are synced at once."""


class ToSay(NamedTuple):
    """What is to be said beside a capture.

    Attributes:
        sidecar: where it lies or is to lie, relative to the library.
        how: gives what it is to hold of what it holds, which is empty where it is not there; the same where nothing is
            to be changed. Raises ValueError, which says why that can't be.
    """

    sidecar: str
    how: Callable[[bytes], bytes]


class _Step(NamedTuple):
    """A sidecar to be written: where, what, and the version that is there, with where that one goes."""

    number: int
    at: Inside
    text: bytes
    full: bytes
    was: FileStamp | None
    aside: Inside | None


def write_sidecars(
    wanted: Iterable[ToSay],
    act: str,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    words: ListChange | None = None,
    files: Sequence[ToAmend] = (),
) -> Written:
    """Write what is to be said beside captures, and in files. Hash lists, and places, follow by `lists_follow`.

    Args:
        wanted: what, each sidecar once; it is asked for when all `files` were looked at.
        act: tells the journal what is done, in a few words.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set; what was begun is finished.
        listener: hears how it goes on.
        words: what becomes of the house's list of keywords, once all sidecars are written.
        files: files in which something is to be said, in the same run.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal can't be written.
        Stopped: when it was stopped before anything was written.
    """
    listener = listener or Listener()
    with locked(library):
        written = Written()
        amended = list(steps_of(files, library.tree, stop, written.left))
        sidecars = list(_steps(library, wanted, written.left, len(amended)))
        count = len(amended) + len(sidecars)
        amending = Amending(count, library, ledger, stop, listener, written)
        writing = _Writing(count, library, ledger, stop, listener, written)

        def some(journal: Journal, steps: Sequence[Step | _Step]) -> None:
            if own := [one for one in steps if isinstance(one, Step)]:
                amending.some(journal, own)
            if beside := [one for one in steps if isinstance(one, _Step)]:
                writing.some(journal, beside)

        def behind(journal: Journal) -> None:
            if words is not None and (why := change_list(library, words, journal)):
                written.left.append(why)

        if count or words is not None:
            steps: list[Step | _Step] = [*amended, *sidecars]
            in_one_run(library, {"act": act}, steps, some, written, stop, behind=behind)
        return written


def _steps(library: Library, wanted: Iterable[ToSay], left: list[str], number: int) -> Iterator[_Step]:
    """What there is to do; sentences about what can't be done go to `left`."""
    tree, token = library.tree, f"{datetime.now():%Y%m%d-%H%M%S}-{secrets.token_hex(3)}"
    for one in wanted:
        try:
            at = inside(one.sidecar)
            status = tree.found(at)
            old = tree.read_own(at) if status is not None else b""
            text = one.how(old)
            aside = put_away("replaced", token, at) if status is not None else None
        except OSError as error:
            left.append(f"{shown(one.sidecar)} can't be read: {reason(error)}.")
            continue
        except Outside as error:
            left.append(f"{shown(one.sidecar)} has {error}.")
            continue
        except (ValueError, FileTrouble) as error:
            left.append(f"{shown(one.sidecar)} can't be written: {error}")
            continue
        if text != old:
            was = FileStamp(status.st_size, status.st_mtime_ns, status.st_ino) if status is not None else None
            state = new_hash()
            state.update(memoryview(text))
            yield _Step(number, at, text, state.digest(), was, aside)
            number += 1


class _Writing:
    """One run. Whoever makes it holds the library's lock."""

    def __init__(
        self,
        count: int,
        library: Library,
        ledger: Ledger,
        stop: threading.Event,
        listener: Listener,
        written: Written,
    ) -> None:
        self._count, self._library, self._ledger = count, library, ledger
        self._tree, self._stop, self._listener, self._written = library.tree, stop, listener, written

    def some(self, journal: Journal, steps: Sequence[_Step]) -> None:
        """Write sidecars that share their syncs."""
        journal.note(*(line for step in steps for line in _announced(step)))
        journal.sync()
        ready = [step for step in steps if self._put_away(step)]
        for folder in {step.aside.folder for step in ready if step.aside is not None}:
            self._tree.sync_folder(folder)
        done = self._write_all(ready)
        for step, status in done:
            journal.note(_written(step.number, step.at, status))
        journal.sync()
        at = now()
        _learn(self._ledger, [_mark(str(step.at), step.full, at).seen(status) for step, status in done])
        self._written.sidecars += [str(step.at) for step, _ in done]
        self._listener.progress(Progress(self._written.count, 0, self._count, 0, 0, "", 0.0))

    def _put_away(self, step: _Step) -> bool:
        """Put the version away that is there. Returns whether the name is free for the new one."""
        if step.was is None or step.aside is None:
            return True
        self._step("begin", step)
        try:
            self._tree.make_folders(step.aside.folder)
            if not step.was.unchanged(self._tree.lstat(step.at)):
                return self._leave(step, "it was changed meanwhile")
            self._tree.give_name(step.at, step.aside)
            self._step("put away", step)
            if not step.was.unchanged(self._tree.lstat(step.aside)):
                self._give_back(step)
                return self._leave(step, "it was changed meanwhile")
        except FileNotFoundError:
            return self._leave(step, "it is gone")
        except OSError as error:
            return self._fail(step, error)
        return True

    def _write_all(self, steps: Sequence[_Step]) -> list[tuple[_Step, os.stat_result]]:
        """Write new versions, folder by folder, each of which is synced once; several wait for the disk at a time."""
        by_folder: dict[Inside | None, list[_Step]] = defaultdict(list)
        for step in steps:
            by_folder[step.at.folder].append(step)
        done: list[tuple[_Step, os.stat_result]] = []
        with ThreadPoolExecutor(_WAITING) as pool:
            for at, own in by_folder.items():
                try:
                    folder = self._tree.hold(at)
                except OSError as error:
                    for step in own:
                        self._give_back(step)
                        self._fail(step, error)
                    continue
                with folder:
                    is_there = pool.map(partial(self._write, folder), own)
                    named = [step for step, there in zip(own, is_there, strict=True) if there]
                    folder.sync()
                    seen = pool.map(partial(self._read_back, folder), named)
                    done += [(step, status) for step, status in zip(named, seen, strict=True) if status is not None]
        return done

    def _write(self, folder: Held, step: _Step) -> bool:
        """Write a new version. Returns whether it is there."""
        try:
            if self._written.trouble is not None:
                self._give_back(step)
                return False
            folder.write_new(step.at, step.text)
            self._step("written", step)
        except FileExistsError:
            return self._leave(step, "another program wrote it meanwhile")
        except OSError as error:
            self._give_back(step)
            return self._fail(step, error)
        return True

    def _read_back(self, folder: Held, step: _Step) -> os.stat_result | None:
        """Read a new version back. Returns what the system tells of it; None where it is not what was written."""
        try:
            status = folder.lstat(step.at)
        except OSError as error:
            self._fail(step, error)
            return None
        try:
            full, _ = read_back(folder, step.at, small_buffer(len(step.text)))
            if full == step.full:
                return status
            self._leave(step, "it did not read back as it was written")
        except OSError as error:
            self._fail(step, error)
        # What could not be read back is no version: the old one has its name again.
        with contextlib.suppress(OSError):
            folder.remove(step.at, still=status)
            self._give_back(step)
        return None

    def _give_back(self, step: _Step) -> None:
        """Let an old version have its name again. Where that fails the next start does it."""
        if step.aside is not None:
            with contextlib.suppress(OSError):
                self._tree.give_name(step.aside, step.at)

    def _leave(self, step: _Step, why: str) -> bool:
        self._written.left.append(f"{shown(str(step.at))} was not written: {why}.")
        return False

    def _fail(self, step: _Step, error: OSError) -> bool:
        trouble = of_place(self._library.root, str(step.at), error)
        if not isinstance(trouble, CopyRefused):
            self._written.trouble = self._written.trouble or trouble
            return False
        return self._leave(step, reason(error))

    def _step(self, what: str, step: _Step) -> None:
        path = self._tree.at(step.at)
        self._listener.step(what, Row(path, self._library.root, Action.MOVE, str(step.at), "", len(step.text), 0))


def _announced(step: _Step) -> Iterator[dict[str, object]]:
    yield {
        "entry": "to say", "row": step.number, "to": str(step.at), "size": len(step.text), "xxh3_128": step.full.hex()
    }  # fmt: skip
    if step.was is not None:
        yield {
            "entry": "sidecar kept", "row": step.number, "from": str(step.at), "to": str(step.aside),
            "size": step.was.size, "mtime_ns": step.was.mtime_ns,
        }  # fmt: skip


def _written(number: int, at: Inside, status: os.stat_result) -> dict[str, object]:
    return {
        "entry": "sidecar", "row": number, "to": str(at), "size": status.st_size, "mtime_ns": status.st_mtime_ns
    }  # fmt: skip


def _mark(path: str, full: bytes, at: str) -> ProofMark:
    return ProofMark(LIBRARY, path, 0, 0, full, at)


def _learn(ledger: Ledger, marks: Sequence[ProofMark]) -> None:
    """Let the ledger know sidecars that were written, and read back."""
    ledger.put([HomeFile(mark.path, mark.size, mark.mtime_ns, None, mark.full) for mark in marks])
    ledger.put_proofs(marks)


def settle_sidecars(library: Library, ledger: Ledger, run_log: RunLog, journal: Journal) -> tuple[int, int]:
    """Finish the account of a run that a kill ended. Returns how many sidecars it wrote, and how many it did not."""
    tree, buffer = library.tree, aligned_buffer()
    kept = {one["row"]: one for one in run_log.others if one["entry"] == "sidecar kept"}
    found: list[ProofMark] = []
    for row, one in run_log.to_say.items():
        if "at" in one:
            # A file that is amended is no sidecar: it is settled by itself.
            continue
        at, full = inside(one["to"]), bytes.fromhex(one["xxh3_128"])
        status = tree.found(at)
        if status is None:
            aside = inside(kept[row]["to"], Realm.PUT_AWAY) if row in kept else None
            if aside is not None and _is_aside(aside, at) and tree.found(aside) is not None:
                tree.give_name(aside, at)
        elif status.st_size == one["size"] and read_back(tree, at, buffer)[0] == full:
            found.append(_mark(str(at), full, now()).seen(status))
            if row not in run_log.sidecars:
                run_log.sidecars[row] = line = _written(row, at, status)
                journal.note(line)
    journal.sync()
    _learn(ledger, found)
    return len(run_log.sidecars), len(run_log.to_say) - len(run_log.sidecars)


def _is_aside(aside: Inside, at: Inside) -> bool:
    """Whether a file lies where an old version of a sidecar goes."""
    return aside.parts[:2] == (OWN_FOLDER, "replaced") and aside.parts[3:] == at.parts
