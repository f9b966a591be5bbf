"""Release: the proof that all on a source is home, made afresh, whenever the files came.

Every file on the source is read and hashed anew, and looked for by content in every place, whatever it is called there.
A copy counts when it was read back from its place with the same fingerprint, and is unchanged since by size and time;
on demand it is read back once more. The result is a certificate: text for people, JSON for programs.
"""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING

from jutrek.disk import make_folders, write_new
from jutrek.errors import SourceUnreadable, Stopped, reason, shown
from jutrek.formats import Kind as Media
from jutrek.formats import read
from jutrek.library import LIBRARY, Library, Place, ProofMark, apart, as_place
from jutrek.sources import Left, Source, SourceFile, scan
from jutrek.transfer.certificate import Certificate, OnSource
from jutrek.transfer.journal import Journal, Kind, now
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import aligned_buffer, read_back

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

CERTIFICATES = "certificates"


def release(
    source: Source,
    library: Library,
    ledger: Ledger,
    places: Sequence[Place],
    *,
    away: Sequence[Place] = (),
    again: bool = False,
    stop: threading.Event,
    report: Callable[[int, int], None] = lambda _done, _all: None,
) -> Certificate:
    """Prove a source. The ledger must have been surveyed.

    Args:
        places: where everything should be besides the library.
        away: places that should have it, and are not connected: what they have cannot be looked at.
        again: whether copies are read back once more, too.
        report: told the bytes of the source that were read, and all of them.

    Raises:
        SourceRefused: when the source is the library or a place, or lies in one: its files would prove themselves.
        Stopped: when `stop` was set.
    """
    prover = _Prover(library, ledger, (as_place(library), *places), again=again, stop=stop)
    leave_out = apart(source.root, library, (place.root for place in places))
    files, left = [], []
    for thing in scan(source.root, leave_out=leave_out):
        if isinstance(thing, Left):
            left.append((thing.path, thing.why))
        else:
            files.append(thing)
    total, done, proven = sum(file.size for file in files), 0, []
    for file in files:
        proven.append(prover.prove(file, partial(_further, report, done, total)))
        done += file.size
        report(done, total)
    named = tuple((place.id, place.name) for place in (as_place(library), *places))
    return Certificate(
        source.root, source.name, now(), library.name, library.id, named, tuple(place.name for place in away),
        tuple(proven), tuple(left), again,
    )  # fmt: skip


def _further(report: Callable[[int, int], None], before: int, total: int, count: int) -> None:
    report(before + count, total)


def keep_certificate(certificate: Certificate, library: Library) -> str:
    """Keep a certificate with the library, and write into the journal that it was made. Returns its path (the text).

    Raises:
        OSError: when it cannot be written.
        LibraryBusy: when another Jutrek is at work in the library.
    """
    with locked(library):
        folder = os.path.join(library.own, CERTIFICATES)
        make_folders(folder, within=library.root)
        stamp = "".join(sign for sign in certificate.at[:19] if sign.isdigit() or sign == "T")
        name = "".join(sign if sign.isalnum() or sign in " -_" else "_" for sign in certificate.name)[:60]
        path = os.path.join(folder, f"{stamp} {name}.txt")
        number = 1
        while os.path.exists(path):
            number += 1
            path = os.path.join(folder, f"{stamp} {name} {number}.txt")
        write_new(path, certificate.text().encode("utf-8", "backslashreplace"))
        write_new(f"{path.removesuffix('.txt')}.json", certificate.as_json().encode())
        about = {
            "source": certificate.root,
            "safe": certificate.safe,
            "certificate": os.path.relpath(path, library.root),
        }
        journal = Journal.begin(library, Kind.RELEASE, about)
        try:
            home = sum(one.is_home for one in certificate.files)
            journal.end("done", home, len(certificate.missing), bytes=certificate.size)
        finally:
            journal.close()
        return path


class _Prover:
    def __init__(
        self, library: Library, ledger: Ledger, places: Sequence[Place], *, again: bool, stop: threading.Event
    ) -> None:
        self._library, self._ledger, self._places = library, ledger, places
        self._again, self._stop = again, stop
        self._buffer = aligned_buffer()
        self._marks: dict[str, dict[bytes, list[ProofMark]]] = {}
        self._paths: dict[str, set[str]] = {}
        for place in places:
            by_print: dict[bytes, list[ProofMark]] = defaultdict(list)
            marks = ledger.proofs(place.id)
            for mark in marks.values():
                by_print[mark.full].append(mark)
            self._marks[place.id], self._paths[place.id] = by_print, set(marks)

    def prove(self, file: SourceFile, report: Callable[[int], None]) -> OnSource:
        """Read a file of the source, and look for it everywhere."""
        read_so_far = 0

        def count(size: int) -> None:
            nonlocal read_so_far
            read_so_far += size
            report(read_so_far)

        try:
            full, _ = read_back(file.path, self._buffer, look=self._look, report=count)
        except OSError as error:
            why = f"It could not be read: {reason(error)}."
            return OnSource(file.path, file.size, file.mtime_ns, why=why)
        where = {place.id: path for place in self._places if (path := self._find(place, file, full))}
        if not where and self._is_no_capture(file):
            why = "It is no picture, clip or sound, and was not brought home."
            return OnSource(file.path, file.size, file.mtime_ns, full, other=True, why=why)
        lacking = [shown(place.name) for place in self._places if place.id not in where]
        why = f"Not found in {', '.join(lacking)}." if lacking else ""
        return OnSource(file.path, file.size, file.mtime_ns, full, tuple(where.items()), why=why)

    def _find(self, place: Place, file: SourceFile, full: bytes) -> str:
        """Where a file lies in a place, by content; empty where it does not."""
        for mark in self._marks[place.id].get(full, ()):
            if self._stands(place, mark, file):
                return mark.path
        if place.id == LIBRARY:
            for home in self._ledger.of_sizes([file.size]):
                if home.path not in self._paths[LIBRARY]:
                    mark = self._first_proof(home.path)
                    if mark.full == full and self._stands(place, mark, file):
                        return home.path
        return ""

    def _stands(self, place: Place, mark: ProofMark, file: SourceFile) -> bool:
        """Whether a copy is as it was when it was proven, and another file than the one on the source.

        On demand it is read once more.
        """
        path = os.path.join(place.root, mark.path)
        try:
            status = os.lstat(path)
            same = (status.st_size, status.st_mtime_ns) == (mark.size, mark.mtime_ns)
            if os.path.samestat(status, os.lstat(file.path)):
                return False
            return same and (not self._again or read_back(path, self._buffer, look=self._look)[0] == mark.full)
        except OSError:
            return False

    def _first_proof(self, path: str) -> ProofMark:
        """Prove a file of the library that never was: one that Jutrek did not bring."""
        full_path = os.path.join(self._library.root, path)
        self._paths[LIBRARY].add(path)
        try:
            status = os.lstat(full_path)
            full, _ = read_back(full_path, self._buffer, look=self._look)
        except OSError:
            return ProofMark(LIBRARY, path, 0, 0, b"", "")
        mark = ProofMark(LIBRARY, path, status.st_size, status.st_mtime_ns, full, now())
        self._marks[LIBRARY].setdefault(full, []).append(mark)
        self._ledger.put_proofs([mark])
        return mark

    def _is_no_capture(self, file: SourceFile) -> bool:
        try:
            return not file.size or read(file.path).kind is Media.OTHER
        except SourceUnreadable:
            return False

    def _look(self) -> None:
        if self._stop.is_set():
            raise Stopped
