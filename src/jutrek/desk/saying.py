"""What is to be said of captures, and where: in their files, by house rule, or in sidecars beside them; in one run."""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import TYPE_CHECKING

from jutrek.desk.amended import amended_seen
from jutrek.desk.sidecars import AWAY, Described, Sidecars, see
from jutrek.disk import inside
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.filing.rulebook import load_rules
from jutrek.formats import read
from jutrek.transfer import Listener
from jutrek.transfer.amending import ToAmend
from jutrek.transfer.into_files import InFile
from jutrek.transfer.one_run import Written
from jutrek.transfer.outcome import Progress
from jutrek.transfer.sidecar_runs import ToSay, write_sidecars
from jutrek.transfer.word_lists import ListChange
from jutrek.wording.own import Own, own_of

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.views.columns import Columns

_How = Callable[[bytes, Own, int], bytes]
"""Gives what a packet holds then of what it holds, of what files say besides it, and of the row. Raises ValueError."""


class ToBeSaid:
    """What is to be said of captures."""

    def __init__(
        self, columns: Columns, rows: Iterable[int], library: Library, ledger: Ledger, stop: threading.Event,
        listener: Listener,
    ) -> None:  # fmt: skip
        self._columns, self._library, self._ledger = columns, library, ledger
        self._stop, self._listener = stop, listener
        self._rows = list(dict.fromkeys(rows))
        self._at_home = [row for row in self._rows if not columns.state[row] & AWAY]
        self._sidecars = Sidecars(library, columns)
        self._read = 0
        self._of: dict[str, list[int]] = defaultdict(list)
        """The captures that each sidecar is beside, or that a file is of."""

    def say(
        self, how: _How, act: str, words: ListChange | None = None,
    ) -> Described:  # fmt: skip
        """Say it.

        Args:
            how: gives it.
            act: tells the journal what is done, in a few words.
            words: what becomes of the house's list of keywords besides.

        Raises:
            LibraryBusy: when another Jutrek is at work in the library.
            LibraryTrouble: when its journal can't be written.
            Stopped: when it was stopped before anything was written.
        """
        beside: list[str] = []
        files = list(self._in_files(how, beside))
        paths = {one.path for one in files}
        rows = [row for row in self._at_home if self._columns.path(row) not in paths]

        def sidecars() -> Iterator[ToSay]:
            yield from self._beside(rows, how)
            yield from self._beside([row for path in beside for row in self._of.pop(path)], how)

        written = self._write(sidecars(), act, files, words)
        if written.unproven and written.trouble is None:
            # What could not be proven is said beside its file: in a run of its own, as it is known only now.
            more = self._write(self._beside([row for path in written.unproven for row in self._of[path]], how), act)
            written.sidecars += more.sidecars
            written.left += more.left
            written.run, written.trouble = written.run or more.run, more.trouble
        return self._described(written)

    def _described(self, written: Written) -> Described:
        changed = (*written.sidecars, *written.files)
        captures = len({row for one in changed for row in self._of[one]})
        away = len(self._rows) - len(self._at_home)
        why = written.why or ("Of what is gone, set aside or stored away nothing can be said." if away else "")
        same = max(0, len(self._at_home) - captures - len(written.left)) if written.trouble is None else 0
        return Described(written.run, changed, captures, same, why)

    def _write(
        self, sidecars: Iterable[ToSay], act: str, files: Sequence[ToAmend] = (), words: ListChange | None = None,
    ) -> Written:  # fmt: skip
        written = write_sidecars(
            sidecars, act, self._library, self._ledger, stop=self._stop, listener=self._listener, words=words,
            files=files,
        )  # fmt: skip
        see(written, self._library, self._ledger)
        amended_seen(written.files, self._library, self._ledger)
        return written

    def _in_files(self, how: _How, beside: list[str]) -> Iterator[ToAmend]:
        """What is said in files: of captures that are one file with no sidecar, where the house wants that."""
        if not load_rules(self._library).rules.inside:
            return
        for row in self._at_home:
            if not self._columns.companions(row):
                path = self._columns.path(row)
                self._of[path].append(row)
                yield InFile(path, self._in_file(how, row), beside).wanted

    def _in_file(self, how: _How, row: int) -> Callable[[bytes, Own], bytes]:
        def of(old: bytes, own: Own) -> bytes:
            self._tick()
            return how(old, own, row)

        return of

    def _beside(self, rows: Iterable[int], how: _How) -> Iterator[ToSay]:
        own: dict[str, list[int]] = defaultdict(list)
        for row in rows:
            for sidecar in self._sidecars.all_of(row):
                own[sidecar].append(row)
                self._of[sidecar].append(row)

        def of(rows: Sequence[int]) -> Callable[[bytes], bytes]:
            return lambda old: how(old, self._own(rows), rows[0])

        yield from (ToSay(sidecar, of(rows)) for sidecar, rows in own.items())

    def _own(self, rows: Sequence[int]) -> Own:
        """What the files of captures say themselves.

        Raises:
            Stopped: when that is wanted; nothing was written yet.
        """
        self._tick()
        return own_words(self._columns, rows, self._library)

    def _tick(self) -> None:
        if self._stop.is_set():
            raise Stopped
        self._read += 1
        if self._read % 50 == 0:
            self._listener.progress(Progress(0, 0, len(self._rows), 0, 0, "", 0.0))


def own_words(columns: Columns, rows: Sequence[int], library: Library) -> Own:
    """What the files of captures say themselves; what can't be read says nothing."""
    found = []
    for row in rows:
        for path in (columns.path(row), *columns.companions(row)):
            if os.path.splitext(path)[1].lower() == ".xmp":
                continue
            try:
                wording = read(library.tree.at(inside(path))).wording
            except SourceUnreadable:
                continue
            if wording is not None:
                found.append(wording)
    return own_of(found)
