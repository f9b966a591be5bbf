"""Carrying files home, to every place at once: the states on disk of each, and their order.

    1. the source is opened read-only and compared with the plan (size and time);
    2. in every place a hidden temporary `.jutrek-<run>-<row>.part` is made beside the target, never replacing anything;
    3. the source is read once: each block is hashed and written everywhere; where house rules ask for it, it is read a
       second time, and must give the same bytes;
    4. the time of last change is put on, and the temporaries are synced;
    5. each is read back from its medium and its fingerprint compared; one that differs is copied once more;
    6. each is given its final name, the library's first, in a way that cannot replace an existing file; its folder must
       still be the one of its own name;
    7. the folders are synced, those of several files at once, by the run: only then a file counts as home.

Before step 6 a target's name does not exist; from step 6 on it names proven bytes. Whatever goes wrong before removes
the temporary, or keeps what is durable of a large one as a partial; a kill leaves it for the next start, which knows it
by its name. Trouble in a place besides the library is that place's alone: the file comes home without it.

Several small files go through the steps side by side (see `bundles`).
"""

from __future__ import annotations

import contextlib
import errno
import os
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any

from jutrek.disk import Inside, Outside, Realm, Tree, inside
from jutrek.errors import (
    CopyDiffers,
    JutrekError,
    NameTaken,
    NotInside,
    PlaceFull,
    RunTrouble,
    SourceChanged,
    SourceGone,
    SourceLies,
    SourceRotted,
    SourceUnreadable,
    of_place,
)
from jutrek.filing import Row
from jutrek.library.fingerprint import ENDS, quick_of
from jutrek.transfer.bundles import SMALL
from jutrek.transfer.copies import Copied, Copy, Target, temporary_name
from jutrek.transfer.flight import Flight, Proof, Sums, Watch
from jutrek.transfer.folders import HeldFolders
from jutrek.transfer.medium import BLOCK, Hash, aligned_buffer, new_hash, new_second, open_regular, read_back
from jutrek.transfer.resumable import PART, Content, Partial, find_partial, forget_page, keep_partial

STEPS = ("begin", "opened", "folder made", "half copied", "copied", "synced", "read back", "named", "folder synced")
"""The named steps of carrying one file, in order. Tests break each of them."""
_AWAY = frozenset({errno.ENODEV, errno.ENXIO, errno.ENOTCONN, errno.ESTALE, errno.ENOMEDIUM})


class Carrier:
    """Carries files into a library and its other places, a few at a time. Each thread has its own."""

    def __init__(
        self,
        targets: Sequence[Target],
        run: str,
        lanes: threading.Semaphore,
        watch: Watch,
        *,
        twice: bool = False,
        second: bool = False,
        expected: Mapping[str, bytes] | None = None,
        aside: Mapping[str, Inside] | None = None,
    ) -> None:
        """
        Args:
            targets: the library first.
            run: the run's id: a part of the temporaries' names.
            lanes: bounds how many large files are being read at once from the same device; proving goes on beside it.
            twice: whether every file is read a second time from its source.
            second: whether a cryptographic sum is made, too.
            expected: fingerprints that sources must have, by path, as far as they are known.
            aside: where what bears a destination's name goes once the new file is proven, by destination.
        """
        self._targets, self._run, self._lanes, self._watch = targets, run, lanes, watch
        self._twice, self._second = twice, second
        self._expected, self._aside = expected or {}, aside or {}
        self._buffer, self._folders = aligned_buffer(), HeldFolders()

    def carry(self, files: Iterable[tuple[int, Row]]) -> Iterator[tuple[int, Proof | Exception]]:
        """Bring files home and prove them, step by step side by side: a disk that syncs many at once does it sooner.

        Args:
            files: their numbers in the run, which tell their temporaries apart, and their rows.

        Yields:
            Of every file, as soon as it has ended, its number and its proof; or why it did not come home, and then
            nothing of it is left at the targets: a `FileTrouble` of its own, a `RunTrouble` where the library is full
            or lost or the run was stopped, any other error where Jutrek is at fault.
        """
        flights = [Flight(row, number, Sums(new_hash(), self._new_second())) for number, row in files]
        several = len(flights) > 1
        try:
            for act in (self._bring_in, self._make_durable, self._prove, self._ensure):
                for flight in tuple(flights):
                    result = self._ended(act, flight)
                    if result is not None:
                        flights.remove(flight)
                        yield flight.number, result
                    elif several and act == self._bring_in:
                        self._start_syncing(flight)
        finally:
            for flight in flights:
                self._put_away(flight)
            self._folders.close()

    def _ended(self, act: Callable[[Flight], Proof | None], flight: Flight) -> Proof | Exception | None:
        """Take a file on. Returns how it ended; None where it goes on."""
        try:
            proof = act(flight)
        except OSError as error:
            self._put_away(flight)
            return of_place(self._targets[0].root, flight.row.destination or "", error)
        # Every file must end: what is our own fault is raised by the run.
        except Exception as error:  # noqa: BLE001
            self._put_away(flight)
            return error
        if proof is not None:
            flight.let_go()
        return proof

    def _bring_in(self, flight: Flight) -> None:
        """Steps 1 to 3, and what follows from them for the source."""
        row, step = flight.row, self._watch.step
        self._watch.begin(row)
        step("begin", row)
        flight.source = self._open(row)
        flight.copies = self._copies(row, temporary_name(self._run, flight.number))
        for copy in flight.copies:
            self._at(copy, copy.look, flight.source)
        step("opened", row)
        with self._lanes if row.size > SMALL else contextlib.nullcontext():
            self._copy(flight)
        step("copied", row)
        status = self._check_source(row, flight.source, flight.sums)
        flight.times = status.st_atime_ns, status.st_mtime_ns

    def _start_syncing(self, flight: Flight) -> None:
        for copy in _standing(flight.copies):
            copy.start_syncing()

    def _make_durable(self, flight: Flight) -> None:
        """Step 4."""
        for copy in _standing(flight.copies):
            self._at(copy, copy.finish, flight.times)
        self._watch.step("synced", flight.row)

    def _prove(self, flight: Flight) -> None:
        """Steps 5 and 6."""
        row = flight.row
        self._prove_all(row, flight.source, flight.copies, flight.sums.full.digest())
        self._watch.step("read back", row)
        for copy in _standing(flight.copies):
            self._at(copy, copy.name)
        self._watch.step("named", row)

    def _ensure(self, flight: Flight) -> Proof:
        """Look once more whether the names lead to what was proven, and put together what is known of it."""
        for copy in _standing(flight.copies):
            self._at(copy, copy.check_folder)
        row, sums = flight.row, flight.sums
        home, *others = flight.copies
        second = sums.second.digest() if sums.second is not None else b""
        away = [target for target in self._targets[1:] if all(copy.target is not target for copy in others)]
        told = [copy.told for copy in others] + [Copied(one.place.id, why=str(one.lost)) for one in away]
        mtime_ns, inode, ctime_ns = home.stamp
        return Proof(row, sums.full.digest(), home.direct, mtime_ns, second, tuple(told), inode, ctime_ns, sums.content)

    def _new_second(self) -> Hash | None:
        return new_second() if self._second else None

    def _copies(self, row: Row, name: str) -> list[Copy]:
        """The file at each place."""
        try:
            destination = inside(row.destination)
        except Outside as error:
            raise NotInside(row.destination or "", error) from error
        aside = self._aside.get(row.destination or "")
        folders = self._folders
        return [Copy(target, row, destination, name, folders, aside) for target in self._targets if target.lost is None]

    def _source_of(self, row: Row) -> tuple[Tree, Inside]:
        """Where the source lies: in the folder that it was found in, and nowhere else."""
        tree = Tree(row.root)
        try:
            return tree, tree.within(row.source, Realm.OWN)
        except Outside as error:
            raise NotInside(row.source, error) from error

    def _open(self, row: Row) -> int:
        try:
            tree, path = self._source_of(row)
            fd, status = open_regular(self._folders.hold(tree, path.folder), path)
        except OSError as error:
            raise _source_trouble(row, error) from error
        if not row.stamp.unchanged(status):
            os.close(fd)
            raise SourceChanged(row.source, "another size" if status.st_size != row.size else "another time")
        return fd

    def _at(self, copy: Copy, act: Callable[..., None], *args: Any) -> None:
        """Do something at a place. Trouble of the main one is raised; a full place is asked about, and waited for."""
        while True:
            try:
                return act(*args)
            except FileExistsError:
                trouble: JutrekError = NameTaken(copy.row.destination or "")
            except OSError as error:
                trouble = of_place(copy.target.root, copy.row.destination or "", error)
                if isinstance(trouble, PlaceFull) and self._watch.full(copy.target):
                    continue
            return self._fail(copy, trouble)

    def _fail(self, copy: Copy, trouble: JutrekError) -> None:
        if copy.target.main:
            raise trouble
        copy.why = trouble
        copy.drop()
        if isinstance(trouble, RunTrouble):
            copy.target.lost = copy.target.lost or trouble
            self._watch.lost(copy.target)

    def _copy(self, flight: Flight) -> None:
        """Steps 2 and 3."""
        row, number, sums = flight.row, flight.number, flight.sums
        source, copies = flight.source, flight.copies
        best: tuple[Copy, Partial] | None = None
        if row.size > PART:
            sums.content = Content(row.size, self._quick(row, source))
            new = [copy for copy in _standing(copies) if not copy.there]
            found = [(copy, find_partial(copy.target.tree, sums.content)) for copy in new]
            best = max(((copy, one) for copy, one in found if one), key=lambda pair: pair[1].upto, default=None)
        for copy in _standing(copies):
            own = best[1] if best and best[0] is copy else None
            self._at(copy, copy.open, own.path if own else None, own.upto if own else 0)
        self._watch.step("folder made", row)
        at = self._take_up(number, source, copies, best[1], sums) if best else 0
        self._stream(row, number, source, at, copies, sums)

    def _quick(self, row: Row, source: int) -> bytes:
        try:
            return quick_of(source)
        except OSError as error:
            raise _source_trouble(row, error) from error

    def _take_up(self, number: int, source: int, copies: list[Copy], partial: Partial, sums: Sums) -> int:
        """Read back what a partial has, as far as it agrees with its fingerprints, and give it to the other places.

        It was of a file of the same size, head and tail: stretches of every part are compared with the source, too.

        Returns how far it goes.
        """
        holder = next((copy for copy in _standing(copies) if copy.written), None)
        if holder is None:
            return 0
        forget_page(holder.target.tree, partial)
        at = begin = 0

        def take(block: memoryview) -> None:
            nonlocal at
            sums.update(block)
            for copy in _standing(copies):
                if copy is not holder:
                    self._at(copy, copy.write, block, at)
            at += len(block)

        for upto, wanted in partial.parts:
            before = sums.kept()
            span = begin, upto
            found, _ = read_back(
                holder.target.tree, holder.temporary, self._buffer, look=self._watch.look, span=span, block=take
            )
            if found != wanted or not holder.agrees(source, span, ENDS):
                sums.full, sums.second = before
                holder.written = begin
                break
            begin = upto
            sums.parts.append((upto, wanted))
            self._watch.part(number, upto, wanted, partial.content.quick)
        return begin

    def _stream(self, row: Row, number: int, source: int, at: int, copies: Sequence[Copy], sums: Sums) -> None:
        # A file of one part needs no fingerprint of it.
        part = new_hash() if row.size > PART else None
        mark, view = at + PART, memoryview(self._buffer)
        try:
            while at < row.size:
                self._watch.look()
                count = self._read(row, source, view[: min(BLOCK, mark - at, row.size - at)], at)
                if not count:
                    break
                block = view[:count]
                sums.update(block)
                if part is not None:
                    part.update(block)
                for copy in _standing(copies):
                    self._at(copy, copy.write, block, at)
                at += count
                self._watch.read(row, count)
                if part is not None and at == mark and at < row.size:
                    self._end_part(number, at, part.digest(), copies, sums)
                    part, mark = new_hash(), at + PART
                if at < row.size:
                    self._watch.step("half copied", row)
        finally:
            view.release()
        if at != row.size:
            raise SourceChanged(row.source, "while it was being read")

    def _end_part(self, number: int, at: int, part: bytes, copies: Sequence[Copy], sums: Sums) -> None:
        for copy in _standing(copies):
            self._at(copy, copy.settle)
        sums.parts.append((at, part))
        self._watch.part(number, at, part, sums.content.quick if sums.content else b"")

    def _read(self, row: Row, source: int, view: memoryview, at: int) -> int:
        """Read from the source; where that fails, once more."""
        try:
            return os.preadv(source, [view], at)
        except OSError:
            try:
                return os.preadv(source, [view], at)
            except OSError as error:
                raise _source_trouble(row, error, at) from error

    def _check_source(self, row: Row, source: int, sums: Sums) -> os.stat_result:
        """The source must be what it was; where rules ask for it, a second reading must give the same bytes."""
        try:
            status = os.fstat(source)
            if not row.stamp.unchanged(status):
                raise SourceChanged(row.source, "while it was being read")
            if self._expected.get(row.source) not in (None, sums.full.digest()):
                raise SourceRotted(row.source)
            if self._twice:
                again, _ = read_back(*self._source_of(row), self._buffer, look=self._watch.look)
                if again != sums.full.digest():
                    raise SourceLies(row.source)
        except OSError as error:
            raise _source_trouble(row, error) from error
        return status

    def _prove_all(self, row: Row, source: int, copies: Sequence[Copy], full: bytes) -> None:
        """Step 5. What reads back differently is copied and read back once more."""
        for copy in _standing(copies):
            for last in (False, True):
                if self._proven(copy, full) or not copy.stands:
                    break
                if copy.there:
                    self._fail(copy, NameTaken(row.destination or ""))
                    break
                if last:
                    where = copy.differences(source)
                    self._fail(copy, CopyDiffers(row.destination or "", copy.target.place.name, where))
                    break
                self._at(copy, copy.again)
                sums = Sums(new_hash(), None)
                self._stream_again(row, source, copy, sums)
                if sums.full.digest() != full:
                    raise SourceLies(row.source)

    def _stream_again(self, row: Row, source: int, copy: Copy, sums: Sums) -> None:
        view = memoryview(self._buffer)
        try:
            for at in range(0, row.size, BLOCK):
                self._watch.look()
                count = self._read(row, source, view, at)
                sums.update(view[:count])
                self._at(copy, copy.write, view[:count], at)
        finally:
            view.release()
        status = os.fstat(source)
        self._at(copy, copy.finish, (status.st_atime_ns, status.st_mtime_ns))

    def _proven(self, copy: Copy, full: bytes) -> bool:
        """Whether a copy reads back as what was read. Trouble with reading it back is the place's."""
        equal = False

        def read() -> None:
            nonlocal equal
            place = copy.target.place.id
            found = copy.prove(self._buffer, self._watch.look, lambda n: self._watch.proven(copy.row, place, n))
            equal = found == full

        self._at(copy, read)
        return equal

    def _put_away(self, flight: Flight) -> None:
        """Leave nothing half behind; what is durable of a large file is kept for another time."""
        sums = flight.sums
        for copy in flight.copies:
            keeps = False
            if copy.stands and not copy.there and sums.parts and sums.content is not None:
                try:
                    copy.close()
                except OSError:
                    continue
                keeps = keep_partial(copy.target.tree, copy.temporary, sums.content, sums.parts)
            if not keeps:
                copy.drop()
        flight.let_go()


def _source_trouble(row: Row, error: OSError, at: int | None = None) -> SourceGone | SourceUnreadable:
    """Whether a file cannot be read, or its whole source is away."""
    if error.errno in _AWAY or not os.path.isdir(row.root):
        return SourceGone(row.root)
    return SourceUnreadable(row.source, error, at=at)


def _standing(copies: Sequence[Copy]) -> list[Copy]:
    return [copy for copy in copies if copy.stands]
