"""Release: the proof that all on a source is home, made afresh, whenever the files came.

Every file on the source is read and hashed anew, and looked for by content in every place, whatever it is called there.
A copy counts when it was read back from its medium with the same fingerprint since it was last written, on this very
day; what was read before is read again now. So what rotted meanwhile is found, told, and no proof. A house rule may let
older readings count; the certificate says so first. Two copies that are one file count once, and a link is none.

Everything else on the source is accounted for, too: what is of no known kind, empty, unreadable, in a trash or no file
at all keeps it from being safe, until it is brought along or declared unwanted.
"""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Callable, Container, Iterator, Sequence
from dataclasses import replace
from datetime import date, datetime
from itertools import count
from typing import TYPE_CHECKING

from jutrek.disk import FileStamp, Outside, Realm, Tree, inside, own
from jutrek.errors import SourceUnreadable, Stopped, reason, shown
from jutrek.formats import Kind as Media
from jutrek.formats import read
from jutrek.formats.splices import Spliced, undone
from jutrek.library import LIBRARY, HomeFile, Library, Place, ProofMark, State, apart, as_place, drives_here
from jutrek.library.amended import Amended
from jutrek.library.unwanted import Unwanted, by_rule, declared
from jutrek.sources import Left, Medium, Source, SourceFile, disk_of, scan
from jutrek.transfer.certificate import Certificate, NotLookedAt, OnSource, Where
from jutrek.transfer.checking import Finding, Found, found_bad
from jutrek.transfer.journal import Journal, Kind, now
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import aligned_buffer, new_hash, read_back

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

CERTIFICATES = own("certificates")


def release(
    source: Source,
    library: Library,
    ledger: Ledger,
    places: Sequence[Place],
    *,
    away: Sequence[Place] = (),
    again: bool = False,
    days: int = 0,
    unwanted: Sequence[str] = (),
    only: Container[str] | None = None,
    stop: threading.Event,
    begin: Callable[[int, int], None] = lambda _source, _copies: None,
    report: Callable[[int, int], None] = lambda _done, _all: None,
) -> Certificate:
    """Prove a source. The ledger must have been surveyed.

    Args:
        places: where everything should be besides the library.
        away: places that should have it, and are not connected: what they have cannot be looked at.
        again: whether copies are read back once more even if they were read today.
        days: for how many days beyond its own a reading back counts.
        unwanted: what nobody misses, by house rule.
        only: paths of the files that are proven; None for all that is on the source. Of some a certificate tells of
            these alone, and says nothing of the source.
        begin: told before the first byte is read how many bytes of the source there are, and how many bytes of copies
            will be read again at most.
        report: told the bytes that were read, and all of them.

    Raises:
        SourceRefused: when the source is the library or a place, or lies in one: its files would prove themselves.
        LibraryBusy: when another Jutrek is at work in the library, and something bad has to be written down.
        Stopped: when `stop` was set.
    """
    everywhere = (as_place(library), *places)
    prover = _Prover(library, ledger, everywhere, again=again, days=days, stop=stop)
    files, left = _contents(source, library, places)
    if only is not None:
        files, left = [one for one in files if one.path in only], []
    prover.expect(files)
    begin(sum(file.size for file in files), prover.to_read)
    prover.report = report
    declarations = declared(library)
    proven = [_accounted(prover.prove(file), source, declarations, unwanted) for file in files]
    if prover.found:
        _write_down(library, prover.found)
    named = tuple((place.id, place.name) for place in everywhere)
    return Certificate(
        source.root, source.name, now(), library.name, library.id, named, tuple(place.name for place in away),
        tuple(proven), tuple(_not_looked_at(one, source, declarations) for one in left), days,
        tuple(place.name for place in places if _on_one_disk(place.root, library.root)),
    )  # fmt: skip


def _contents(source: Source, library: Library, places: Sequence[Place]) -> tuple[list[SourceFile], list[Left]]:
    """Everything on a source."""
    leave_out = apart(source.root, library, (place.root for place in places))
    files: list[SourceFile] = []
    left: list[Left] = []
    for thing in scan(source.root, leave_out=leave_out, housekeeping=True):
        (left if isinstance(thing, Left) else files).append(thing)  # type: ignore[arg-type]
    return files, left


def _accounted(one: OnSource, source: Source, declarations: Sequence[Unwanted], patterns: Sequence[str]) -> OnSource:
    """A file with who declared it unwanted, if it is not home. A house rule holds for no capture."""
    if one.is_home:
        return one
    path = os.path.relpath(one.path, source.root)
    for said in declarations:
        if said.is_of(path, source.name, one.size, one.full):
            return replace(one, unwanted=f"Declared unwanted by {shown(said.who)} on {shown(said.at[:10])}.")
    if one.other and (pattern := by_rule(path, patterns)):
        return replace(one, unwanted=f"Unwanted by house rule ({shown(pattern)}).")
    return one


def declared_anew(certificate: Certificate, library: Library, patterns: Sequence[str]) -> Certificate:
    """A certificate with what is declared unwanted by now. Nothing is read again."""
    source = Source(certificate.root, certificate.name, Medium.FOLDER)
    declarations = declared(library)
    files = (_accounted(replace(one, unwanted=""), source, declarations, patterns) for one in certificate.files)
    left = (
        _not_looked_at(Left(one.path, certificate.root, one.why, apart=one.apart), source, declarations)
        for one in certificate.left
    )
    return replace(certificate, files=tuple(files), left=tuple(left))


def _not_looked_at(one: Left, source: Source, declarations: Sequence[Unwanted]) -> NotLookedAt:
    path = os.path.relpath(one.path, source.root)
    said = next((said for said in declarations if said.is_of(path, source.name, 0, b"")), None)
    unwanted = f"Declared unwanted by {shown(said.who)} on {shown(said.at[:10])}." if said else ""
    return NotLookedAt(one.path, one.why, unwanted, one.apart)


def _on_one_disk(one: str, other: str) -> bool:
    try:
        return disk_of(one) == disk_of(other)
    except OSError:
        return False


def _write_down(library: Library, found: Sequence[Found]) -> None:
    """Write into the journal what was found bad. The ledger knows it already."""
    with locked(library):
        journal = Journal.begin(library, Kind.CHECK, {"place": LIBRARY, "name": library.name, "root": library.root})
        try:
            journal.note(*found_bad(found))
            journal.end("done", 0, len(found))
        finally:
            journal.close()


def keep_certificate(certificate: Certificate, library: Library) -> str:
    """Keep a certificate with the library, and write into the journal that it was made. Returns its path (the text).

    Raises:
        OSError: when it cannot be written.
        LibraryBusy: when another Jutrek is at work in the library.
    """
    with locked(library):
        tree = library.tree
        tree.make_folders(CERTIFICATES)
        stamp = "".join(sign for sign in certificate.at[:19] if sign.isdigit() or sign == "T")
        name = "".join(sign if sign.isalnum() or sign in " -_" else "_" for sign in certificate.name)[:40]
        taken = set(tree.names(CERTIFICATES))
        stem = next(one for one in _numbered(f"{stamp} {name}") if f"{one}.txt" not in taken)
        path = CERTIFICATES.below(f"{stem}.txt")
        tree.write_new(path, certificate.text().encode("utf-8", "backslashreplace"))
        tree.write_new(CERTIFICATES.below(f"{stem}.json"), certificate.as_json().encode())
        about = {"source": certificate.root, "safe": certificate.safe, "certificate": str(path)}
        journal = Journal.begin(library, Kind.RELEASE, about)
        try:
            home = sum(one.is_home for one in certificate.files)
            journal.end("done", home, certificate.open, bytes=certificate.size)
        finally:
            journal.close()
        return tree.at(path)


def _numbered(stem: str) -> Iterator[str]:
    yield stem
    yield from (f"{stem} {number}" for number in count(2))


class _Prover:
    """Proves one file of a source after the other.

    Attributes:
        to_read: bytes of copies that will be read again at most.
        found: what was found bad.
    """

    def __init__(
        self,
        library: Library,
        ledger: Ledger,
        places: Sequence[Place],
        *,
        again: bool,
        days: int,
        stop: threading.Event,
    ) -> None:
        self._library, self._ledger, self._places = library, ledger, places
        self._again, self._days, self._stop = again, days, stop
        self._buffer = aligned_buffer()
        self._marks: dict[str, dict[bytes, list[ProofMark]]] = {}
        self._known: dict[str, set[str]] = {}
        self._trees: dict[str, Tree] = {}
        self._direct: dict[tuple[str, str], bool] = {}
        self.found: list[Found] = []
        self.report: Callable[[int, int], None] = lambda _done, _all: None
        self.to_read = self._all = self._done = 0
        for place in places:
            by_print: dict[bytes, list[ProofMark]] = defaultdict(list)
            marks = ledger.marks(place.id)
            for mark in marks.values():
                if mark.stands or mark.state is State.COPIED:
                    by_print[mark.full].append(mark)
            self._marks[place.id], self._known[place.id] = by_print, set(marks)
            self._trees[place.id] = place.tree
        self._amended: dict[bytes, list[Amended]] = defaultdict(list)
        for one in ledger.amended.standing():
            self._amended[one.was].append(one)
        self._add_stored()

    def _add_stored(self) -> None:
        """What is stored on archive drives that are here is the library's, too."""
        stored, self._away = self._ledger.stored.all(), dict[int, list[HomeFile]]()
        drives = {drive.id: drive for drive in drives_here(self._library)} if stored else {}
        for drive in drives.values():
            self._trees[drive.id] = drive.tree
            for mark in self._ledger.marks(drive.id).values():
                if stored.get(mark.path) == drive.id and (mark.stands or mark.state is State.COPIED):
                    self._marks[LIBRARY].setdefault(mark.full, []).append(mark)
        self._known[LIBRARY] |= stored.keys()
        away = [path for path, drive in stored.items() if drive not in drives]
        for home in self._ledger.of_paths(away).values():
            self._away.setdefault(home.size, []).append(home)

    def expect(self, files: Sequence[SourceFile]) -> None:
        """Tell beforehand how much there is to be read."""
        fresh = {
            place: {mark.size for marks in by_print.values() for mark in marks if self._is_of_today(mark)}
            for place, by_print in self._marks.items()
        }
        some = {
            place: {mark.size for marks in by_print.values() for mark in marks}
            for place, by_print in self._marks.items()
        }
        unproven = {size for path, (size, _) in self._ledger.all_files().items() if path not in self._known[LIBRARY]}
        amended = {one.size for ones in self._amended.values() for one in ones}
        self.to_read = sum(
            file.size
            for file in files
            for place in self._marks
            if file.size in amended
            or (file.size not in fresh[place] and (file.size in some[place] or (not place and file.size in unproven)))
        )
        self._all = sum(file.size for file in files) + self.to_read

    def _is_of_today(self, mark: ProofMark) -> bool:
        """Whether a copy was read back so lately that it counts, and is known as the very file that was read."""
        if self._again or not mark.stands or not mark.inode:
            return False
        try:
            age = date.today() - datetime.fromisoformat(mark.at).astimezone().date()
        except ValueError:
            return False
        # A proof of tomorrow is one of a clock that was wrong.
        return 0 <= age.days <= self._days

    def prove(self, file: SourceFile) -> OnSource:
        """Read a file of the source, and look for it everywhere."""
        tree = Tree(file.root)
        try:
            path = tree.within(file.path, Realm.OWN)
            full, _ = read_back(tree, path, self._buffer, look=self._look, report=self._count)
            status = tree.lstat(path)
        except Outside as error:
            return OnSource(file.path, file.size, file.mtime_ns, why=f"It is {error}.")
        except OSError as error:
            return OnSource(file.path, file.size, file.mtime_ns, why=f"It could not be read: {reason(error)}.")
        told = OnSource(
            file.path, status.st_size, status.st_mtime_ns, full, inode=status.st_ino, ctime_ns=status.st_ctime_ns
        )  # fmt: skip
        if not file.stamp.unchanged(status):
            return replace(told, why="It changed while it was read.")
        where = tuple(self._everywhere(status, full))
        if not where and (why := self._is_no_capture(file)):
            return replace(told, other=True, why=why)
        homes = {one.place for one in where}
        lacking = [shown(place.name) for place in self._places if place.id not in homes]
        why = f"Not found in {', '.join(lacking)}." if lacking else ""
        if LIBRARY not in homes and any(home.full == full for home in self._away.get(status.st_size, ())):
            why = "It is stored on an archive drive that is away: connect it, and prove once more."
        return replace(told, where=where, why=why)

    def _everywhere(self, source: os.stat_result, full: bytes) -> Iterator[Where]:
        """Where a file lies in each place. What is one file with the source, or with another copy, is no copy."""
        seen = [source]
        for place in self._places:
            found = self._find(place, seen, full)
            if found is not None:
                mark, status = found
                seen.append(status)
                yield Where(
                    place.id, mark.path, mark.at, mark.mtime_ns, status.st_ino, status.st_ctime_ns,
                    self._direct.get((mark.place, mark.path)), mark.place if mark.place != place.id else "",
                )  # fmt: skip

    def _find(
        self, place: Place, seen: Sequence[os.stat_result], full: bytes
    ) -> tuple[ProofMark, os.stat_result] | None:
        """A copy of a file in a place, by content."""
        for mark in list(self._marks[place.id].get(full, ())):
            if (found := self._standing(place, mark, seen)) is not None:
                return found
        for one in self._amended.get(full, ()):
            for mark in list(self._marks[place.id].get(one.now, ())):
                if (found := self._standing(place, mark, seen)) is not None and self._was(mark, one):
                    return found
        if place.id == LIBRARY:
            for home in self._ledger.of_sizes([seen[0].st_size]):
                if home.path not in self._known[LIBRARY]:
                    self._known[LIBRARY].add(home.path)
                    mark = ProofMark(LIBRARY, home.path, home.size, home.mtime_ns, b"", "")
                    proven = self._read(place, mark, self._looked_at(place, mark))
                    if proven is not None and proven[0].full == full and not _is_one_of(proven[1], seen):
                        return proven
        return None

    def _was(self, mark: ProofMark, amended: Amended) -> bool:
        """Whether a copy is what it was before it was amended, but for the bytes that were replaced: it is read so."""
        state, before = new_hash(), Spliced(undone(amended.splices))

        def take(block: memoryview) -> None:
            for part in before.take(bytes(block)):
                state.update(memoryview(part))

        try:
            read_back(self._trees[mark.place], inside(mark.path), self._buffer, look=self._look, block=take)
        except OSError:
            return False
        for part in before.rest():
            state.update(memoryview(part))
        return state.digest() == amended.was

    def _standing(
        self, place: Place, mark: ProofMark, seen: Sequence[os.stat_result]
    ) -> tuple[ProofMark, os.stat_result] | None:
        """A copy, if it is another file than those that were seen; it is read again unless it was read lately.

        One whose time is another one may have been touched only: what it holds now decides.
        """
        status = self._looked_at(place, mark)
        if status is None or status.st_size != mark.size or _is_one_of(status, seen):
            return None
        if mark.is_same(status) and self._is_of_today(mark):
            return mark, status
        return self._read(place, mark, status)

    def _looked_at(self, place: Place, mark: ProofMark) -> os.stat_result | None:
        try:
            return self._trees[mark.place].found(inside(mark.path))
        except (OSError, Outside):
            return None

    def _read(
        self, place: Place, mark: ProofMark, status: os.stat_result | None
    ) -> tuple[ProofMark, os.stat_result] | None:
        """Read a copy from its medium. One that reads differently is known as bad from now on, and no proof."""
        if status is None:
            return None
        tree, path = self._trees[mark.place], inside(mark.path)
        try:
            full, direct = read_back(tree, path, self._buffer, look=self._look, report=self._count)
            after = tree.lstat(path)
        except OSError as error:
            if mark.full:
                self._bad(mark, Finding.UNREADABLE, f"It could not be read: {reason(error)}.")
            return None
        if not FileStamp(status.st_size, status.st_mtime_ns, status.st_ino).unchanged(after):
            return None
        if mark.full and full != mark.full and not mark.fits(status):
            return None
        if mark.full and full != mark.full:
            why = f"It reads differently than on {mark.at[:10]}, although its time is the same."
            self._bad(mark, Finding.ROTTED, why)
            return None
        proven = mark._replace(full=full, at=now(), state=State.PROVEN).seen(after)
        self._ledger.put_proofs([proven])
        self._direct[mark.place, mark.path] = direct
        marks = self._marks[place.id]
        marks[full] = [proven, *(one for one in marks.get(full, ()) if one.path != mark.path)]
        return proven, after

    def _bad(self, mark: ProofMark, finding: Finding, why: str) -> None:
        self.found.append(Found(mark, finding, why))
        self._ledger.put_proofs([mark._replace(state=State(finding.value), at=now())])
        for marks in self._marks.values():
            if mark in marks.get(mark.full, ()):
                marks[mark.full] = [one for one in marks[mark.full] if one != mark]

    def _is_no_capture(self, file: SourceFile) -> str:
        """Why a file was not brought by itself; empty where it is a capture, or that cannot be told."""
        if not file.size:
            return "It is empty."
        try:
            reading = read(file.path)
        except SourceUnreadable:
            return ""
        return "It is no picture, clip or sound that Jutrek knows, or damaged." if reading.kind is Media.OTHER else ""

    def _count(self, size: int) -> None:
        self._done += size
        self.report(self._done, max(self._all, self._done))

    def _look(self) -> None:
        if self._stop.is_set():
            raise Stopped


def _is_one_of(status: os.stat_result, others: Sequence[os.stat_result]) -> bool:
    return any(os.path.samestat(status, other) for other in others)
