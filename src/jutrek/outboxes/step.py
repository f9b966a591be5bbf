"""Keeping an outbox in step: what left the view leaves the folder, what came is copied, and all else stays as it is.

Nothing is removed or replaced in the folder but a file that is, byte by byte, the one that was made there; and nothing
is decoded of which there is a copy already. Whenever it is ended, the next time goes on.
"""

from __future__ import annotations

import contextlib
import errno
import os
import stat
import threading
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from enum import Enum, auto
from typing import TYPE_CHECKING, NamedTuple

from jutrek.disk import Tree, folded, inside
from jutrek.errors import SourceUnreadable, Stopped, TooLargeToShow, reason, shown
from jutrek.outboxes.making import OutboxLost, digest_of, make, make_anew, name_made, remove_leftover
from jutrek.outboxes.record import COARSE, Copy, Of, Record, Stamp

if TYPE_CHECKING:
    from jutrek.outboxes.asked import Asked
    from jutrek.outboxes.wanted import Wanted

Report = Callable[[int, int], None]
_OF_THE_DISK = frozenset({
    errno.EIO, errno.ENOENT, errno.ENODEV, errno.ENXIO, errno.ESTALE, errno.EACCES, errno.EPERM, errno.ETIMEDOUT,
    errno.ENOTCONN, errno.EMFILE, errno.ENFILE, errno.ENOMEM, errno.EREMOTEIO,
})  # fmt: skip
"""Errors of the disk that an original lies on: decoders have others for what is damaged."""


@dataclass(slots=True)
class Synced:
    """What came of keeping an outbox in step.

    Attributes:
        made, said_anew, renamed, removed: how many copies.
        holds: how many copies are in it now.
        waits: originals that can't be copied now, by their paths, and why.
        cannot: originals of which no copy can be made, likewise.
        stays: copies that others changed, by their names: they are nobody's to touch.
        trouble: why it was ended early, in a sentence; empty where it was not.
        stopped: whether somebody ended it.
    """

    made: int = 0
    said_anew: int = 0
    renamed: int = 0
    removed: int = 0
    holds: int = 0
    waits: list[tuple[str, str]] = field(default_factory=list)
    cannot: list[tuple[str, str]] = field(default_factory=list)
    stays: list[str] = field(default_factory=list)
    trouble: str = ""
    stopped: bool = False

    @property
    def changed(self) -> int:
        """How many copies came, went, or are others than before."""
        return self.made + self.said_anew + self.renamed + self.removed


def in_step(
    root: str,
    wanted: Sequence[Wanted],
    asked: Asked,
    record: Record,
    *,
    stop: threading.Event,
    report: Report = lambda done, total: None,
) -> Synced:
    """Bring an outbox in step with what it is to hold.

    Args:
        root: the absolute path of the folder.
        wanted: the copies that it is to hold.
        asked: what they are to be like.
        record: of the outbox, held.
        stop: ends it when it is set; `Synced` tells how far it came.
        report: told how many copies were looked after, and of how many.

    Raises:
        NotPossible: when the record can't be written.
    """
    return _Step(Tree(root), asked, record, stop, report).run(wanted)


class _State(Enum):
    """What a copy is now: as it was made last, as it was made before that, gone, or another file."""

    CURRENT = auto()
    BEFORE = auto()
    MISSING = auto()
    THEIRS = auto()


class _Pair(NamedTuple):
    """A copy that is wanted, and the one that there is, if there is one."""

    wanted: Wanted
    copy: Copy | None


class _Step:
    def __init__(self, folder: Tree, asked: Asked, record: Record, stop: threading.Event, report: Report) -> None:
        self._folder, self._asked, self._record = folder, asked, record
        self._stop, self._report = stop, report
        self._done = Synced()
        self._taken: set[str] = set()
        self._next: dict[str, int] = defaultdict(int)

    def run(self, wanted: Sequence[Wanted]) -> Synced:
        try:
            remove_leftover(self._folder)
            self._folder.names()
        except OSError as error:
            self._done.trouble = f"{shown(self._folder.root)} can't be written: {reason(error)}."
            return self._done
        pairs, left = _paired(wanted, self._record.copies)
        try:
            for copy in left:
                self._leave(copy)
            self._taken = {folded(name) for name in self._folder.names()} | {
                folded(pair.copy.name) for pair in pairs if pair.copy is not None
            }
            for number, pair in enumerate(pairs):
                self._report(number, len(pairs))
                if self._stop.is_set():
                    raise Stopped
                self._keep(pair)
        except Stopped:
            self._done.stopped = True
        except OutboxLost as error:
            self._done.trouble = f"{shown(self._folder.root)} takes no more: {reason(error.args[0])}."
        except OSError as error:
            self._done.trouble = f"{shown(self._folder.root)}: {reason(error)}."
        with contextlib.suppress(OSError):
            remove_leftover(self._folder)
        self._done.holds = self._held()
        return self._done

    def _held(self) -> int:
        """How many copies are there."""
        try:
            names = set(self._folder.names())
        except OSError:
            return 0
        return sum(name in names for name in self._record.copies) - len(self._done.stays)

    # ---- what is there

    def _state(self, copy: Copy) -> _State:
        """What a copy is now, as far as its size and time tell; read where these tell too little."""
        status = self._folder.found(inside(copy.name))
        if status is None:
            return _State.MISSING
        if not stat.S_ISREG(status.st_mode):
            return _State.THEIRS
        like = [one for one in copy.stamps if one.size == status.st_size]
        if like and len(copy.stamps) == 1 and abs(like[0].mtime_ns - status.st_mtime_ns) <= COARSE:
            return _State.CURRENT
        return self._told_by_content(copy, like)

    def _told_by_content(self, copy: Copy, like: Sequence[Stamp]) -> _State:
        if not like:
            return _State.THEIRS
        with self._folder.open_own(inside(copy.name)) as file:
            digest = digest_of(file)
        found = next((one for one in like if one.digest == digest), None)
        if found is None:
            return _State.THEIRS
        return _State.CURRENT if found == copy.stamps[0] else _State.BEFORE

    def _ours(self, copy: Copy) -> os.stat_result | None:
        """How a copy's file is now, if that is one that was made here, byte by byte."""
        path = inside(copy.name)
        status = self._folder.found(path)
        if status is None or not stat.S_ISREG(status.st_mode):
            return None
        with self._folder.open_own(path) as file:
            if not os.path.samestat(os.fstat(file.fileno()), status):
                return None
            digest = digest_of(file)
        return status if any(one.digest == digest for one in copy.stamps) else None

    # ---- what is done

    def _leave(self, copy: Copy) -> None:
        """Remove a copy that is not wanted any more. One that others changed stays, and is theirs."""
        if self._stop.is_set():
            raise Stopped
        status = self._ours(copy)
        if status is not None:
            self._folder.remove(inside(copy.name), still=status)
            self._done.removed += 1
        self._record.gone(copy.name)

    def _keep(self, pair: _Pair) -> None:
        wanted, copy = pair
        state = _State.MISSING if copy is None else self._state(copy)
        if copy is not None and state is _State.THEIRS:
            self._done.stays.append(copy.name)
            self._follow(wanted, copy)
            return
        if copy is not None and state is _State.CURRENT and self._is_good(wanted, copy):
            copy = self._follow(wanted, copy)
            if not _fits(copy.name, wanted):
                self._rename(wanted, copy)
            return
        if wanted.of is None or not wanted.at:
            self._done.waits.append((wanted.path, wanted.why))
            return
        if (why := self._record.cannot.get((wanted.of, wanted.how))) is not None:
            self._done.cannot.append((wanted.path, why))
            return
        self._make(wanted, copy, state)

    def _follow(self, wanted: Wanted, copy: Copy) -> Copy:
        """Write down where the original of a copy lies by now, so that it is found also when it changes."""
        if wanted.of is None or wanted.of == copy.of:
            return copy
        followed = copy._replace(of=wanted.of)
        self._record.made(followed)
        return followed

    def _is_good(self, wanted: Wanted, copy: Copy) -> bool:
        """Whether a copy is what is wanted. Of what can't be looked at now, the last one is."""
        if wanted.of is None or not wanted.at:
            return True
        return copy.of.same(wanted.of) and (copy.how, copy.words) == (wanted.how, wanted.said)

    def _make(self, wanted: Wanted, copy: Copy | None, state: _State) -> None:
        """Make a copy, in place of the one that there is."""
        assert wanted.of is not None
        only_words = copy is not None and state is _State.CURRENT and copy.of.same(wanted.of) and copy.how == wanted.how
        try:
            if only_words and copy is not None:
                stamp = make_anew(self._folder, wanted, self._asked, copy)
            else:
                stamp = make(self._folder, wanted, self._asked, self._stop)
        except (Stopped, OutboxLost):
            raise
        except Exception as error:  # noqa: BLE001
            # Decoders raise whatever they like on damaged content.
            self._not_made(wanted, wanted.of, error)
            return
        self._put(wanted, wanted.of, copy, stamp, state)
        if only_words:
            self._done.said_anew += 1
        else:
            self._done.made += 1

    def _not_made(self, wanted: Wanted, of: Of, error: Exception) -> None:
        """Tell why there is no copy; what will be so the next time, too, is written down, and not tried again."""
        of_the_disk = isinstance(error, OSError) and error.errno in _OF_THE_DISK
        if of_the_disk or isinstance(error, (MemoryError, SourceUnreadable)):
            self._done.waits.append((wanted.path, "it can't be read now"))
            return
        why = "it is too large" if isinstance(error, TooLargeToShow) else "its picture can't be decoded"
        self._record.cannot_make(of, wanted.how, why)
        self._done.cannot.append((wanted.path, why))

    def _put(self, wanted: Wanted, of: Of, copy: Copy | None, stamp: Stamp, state: _State) -> None:
        """Give what was made its name: that of the copy that there was, where it fits."""
        name = copy.name if copy is not None and _fits(copy.name, wanted) else self._free(wanted)
        before: tuple[Stamp, ...] = ()
        if copy is not None and copy.name == name:
            # What is there now is known as Jutrek's own until it is removed, whenever somebody ends it.
            before = {_State.CURRENT: copy.stamps[:1], _State.BEFORE: copy.stamps[1:]}.get(state, ())
        self._record.made(Copy(name, (stamp, *before), of, wanted.how, wanted.said))
        if copy is not None:
            self._take_away(copy, name)
        try:
            name_made(self._folder, name)
        except FileExistsError:
            # Somebody else took it in between: the next time has another one.
            self._record.gone(name)
            self._done.waits.append((wanted.path, f"{shown(name)} is another file by now"))

    def _take_away(self, copy: Copy, name: str) -> None:
        """Remove the copy that a new one takes the place of."""
        status = self._ours(copy)
        if status is not None:
            self._folder.remove(inside(copy.name), still=status)
        if copy.name != name:
            self._record.gone(copy.name)

    def _rename(self, wanted: Wanted, copy: Copy) -> None:
        status = self._ours(copy)
        if status is None:
            return
        name = self._free(wanted)
        self._record.made(copy._replace(name=name))
        try:
            self._folder.give_name(inside(copy.name), inside(name))
        except FileExistsError:
            # Somebody else took it in between: it keeps its own until the next time.
            self._record.gone(name)
            return
        self._record.gone(copy.name)
        self._done.renamed += 1

    def _free(self, wanted: Wanted) -> str:
        """A name that nothing bears."""
        stem = folded(wanted.stem + wanted.suffix)
        while True:
            number = self._next[stem] = self._next[stem] + 1
            name = f"{wanted.stem}{f' {number}' if number > 1 else ''}{wanted.suffix}"
            if folded(name) not in self._taken:
                self._taken.add(folded(name))
                return name


def _fits(name: str, wanted: Wanted) -> bool:
    """Whether a name is that of a copy, or has but a number more as another file bore it."""
    least = len(wanted.stem) + len(wanted.suffix)
    if len(name) < least or not name.startswith(wanted.stem) or not name.endswith(wanted.suffix):
        return False
    more = name[len(wanted.stem) : len(name) - len(wanted.suffix)]
    return not more or (more.startswith(" ") and more[1:].isascii() and more[1:].isdigit())


def _paired(wanted: Sequence[Wanted], copies: dict[str, Copy]) -> tuple[list[_Pair], list[Copy]]:
    """Which copy there is of each that is wanted: by what it was made of, else by where that lay; and the others."""
    by_content: dict[tuple[int, str], list[Copy]] = defaultdict(list)
    by_path: dict[str, list[Copy]] = defaultdict(list)
    for copy in copies.values():
        by_content[copy.of.size, copy.of.quick].append(copy)
        by_path[copy.of.path].append(copy)
    free = dict(copies)
    found: dict[int, Copy] = {}

    def take(number: int, candidates: Sequence[Copy]) -> None:
        likely = [one for one in candidates if one.name in free]
        if number not in found and likely:
            best = min(likely, key=lambda one: not _fits(one.name, wanted[number]))
            found[number] = free.pop(best.name)

    def like(of: Of | None) -> list[Copy]:
        return [] if of is None else [copy for copy in by_content[of.size, of.quick] if copy.of.same(of)]

    for number, one in enumerate(wanted):
        take(number, [copy for copy in like(one.of) if copy.of.path == one.path])
    for number, one in enumerate(wanted):
        take(number, like(one.of))
    for number, one in enumerate(wanted):
        take(number, by_path[one.path])
    return [_Pair(one, found.get(number)) for number, one in enumerate(wanted)], list(free.values())
