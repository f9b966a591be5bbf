"""Tidying beside the bare calls: a folder of many files renamed, many files moved, what changed outside found."""

from __future__ import annotations

import io
import os
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger

_MANY, _MOVED, _REAL, _FOLDERS, _ROUNDS = 50_000, 10_000, 100_000, 10, 3
_MARKED = 5_000
_LOADS = ((60, 20_000_000), (4_000, 20_000))


def run() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_DATA_HOME"] = os.path.join(folder, "xdg")
        _folders(os.path.join(folder, "many"))
        _files(os.path.join(folder, "moved"))
        _outside(os.path.join(folder, "outside"))
        _marks(os.path.join(folder, "marks"))
        _stored(os.path.join(folder, "stored"))


def _library(root: str, count: int) -> Library:
    from jutrek.library import new_library

    for number in range(_FOLDERS):
        os.makedirs(f"{root}/2026/{number:02}")
    for number in range(count):
        with open(f"{root}/2026/{number % _FOLDERS:02}/f{number:06}.jpg", "wb") as file:
            file.write(b"%d" % number)
    return new_library(root)


def _known(ledger: Ledger) -> None:
    """Have the ledger know of every file what it knows of one that was brought home."""
    with ledger._transaction() as connection:
        connection.execute(
            "INSERT INTO proofs SELECT '', path, size, mtime_ns, zeroblob(16), '', 'proven', 1, 1 FROM files"
        )
        connection.execute("INSERT INTO moments SELECT path, '2026-05-05T10:00:00', 0, 'd', '', '' FROM files")
        connection.execute("INSERT INTO origins SELECT path, path, '', '' FROM files")


def _timed(job: Callable[[], object]) -> float:
    began = time.perf_counter()
    job()
    return time.perf_counter() - began


def _folders(root: str) -> None:
    from jutrek.library import survey
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.folder_moves import FolderMove, move_folders

    library = _library(root, _MANY)
    with Ledger(library.ledger_path) as ledger:
        survey(library, ledger)
        _known(ledger)
        ours, bare = [], []
        for _ in range(_ROUNDS):
            bare.append(_timed(lambda: subprocess.run(["mv", f"{root}/2026", f"{root}/2027"], check=True)))
            os.rename(f"{root}/2027", f"{root}/2026")
            for old, new in (("2026", "2025"), ("2025", "2026")):
                move = [FolderMove(old, new)]
                ours.append(_timed(lambda move=move: move_folders(move, library, ledger, stop=threading.Event())))  # type: ignore[misc]
        follows = _timed(ledger.all_files)
    print(f"a folder of {_MANY:,} files renamed")
    print(f"  ours {min(ours) * 1000:.0f} ms, mv {min(bare) * 1000:.0f} ms; wanted 1.5 × mv and 100 ms")
    print(f"  the ledger follows when it is asked: {follows:.2f} s for {len(ours)} of them")


def _files(root: str) -> None:
    from jutrek.filing import Action, HouseRules, Plan, Row
    from jutrek.library import survey
    from jutrek.library.ledger import Ledger
    from jutrek.transfer import refile
    from jutrek.transfer.journal import Kind
    from jutrek.transfer.moving import Orders

    library = _library(root, _MOVED)
    names = [(f"2026/{number % _FOLDERS:02}/f{number:06}.jpg", f"all/f{number:06}.jpg") for number in range(_MOVED)]
    with Ledger(library.ledger_path) as ledger:
        survey(library, ledger)
        _known(ledger)

        def ours(back: bool) -> None:
            rows = []
            for pair in names:
                old, new = pair[::-1] if back else pair
                status = os.lstat(os.path.join(root, old))
                rows.append(
                    Row(os.path.join(root, old), root, Action.MOVE, new, "", status.st_size, status.st_mtime_ns)
                )  # fmt: skip
            plan = Plan(root, library.id, HouseRules(), tuple(rows))
            outcome = refile(plan, library, ledger, stop=threading.Event(), orders=Orders(Kind.TIDY, by_hand=True))
            assert outcome.home == _MOVED

        def bare(back: bool) -> None:
            for number in range(_FOLDERS if back else 0):
                os.makedirs(f"{root}/2026/{number:02}", exist_ok=True)
            os.makedirs(f"{root}/all", exist_ok=True)
            for pair in names:
                old, new = pair[::-1] if back else pair
                os.rename(os.path.join(root, old), os.path.join(root, new))
            for folder in ("all", *(f"2026/{number:02}" for number in range(_FOLDERS))):
                fd = os.open(os.path.join(root, folder), os.O_RDONLY)
                os.fsync(fd)
                os.close(fd)

        times = [(_timed(lambda: ours(False)), _timed(lambda: ours(True)), _timed(lambda: bare(False)),
                  _timed(lambda: bare(True))) for _ in range(_ROUNDS)]  # fmt: skip
    there, back, bare_there, bare_back = (min(values) for values in zip(*times, strict=True))
    print(f"{_MOVED:,} files moved out of {_FOLDERS} folders into one, and back")
    print(f"  ours {there:.2f} and {back:.2f} s, bare renames {bare_there:.2f} and {bare_back:.2f} s")
    print(f"  {there / bare_there:.1f} and {back / bare_back:.1f} times; wanted 3")


def _marks(root: str) -> None:
    """Captures marked: a sidecar beside each, against as many small files written, synced and named."""
    import numpy as np
    from PIL import Image

    from jutrek.desk.marking import mark_captures
    from jutrek.filing import HouseRules
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.sidecars import with_label
    from jutrek.views.looking import current

    library, text = _library(root, _MARKED), with_label(b"", "R")
    made = io.BytesIO()
    Image.new("RGB", (8, 8)).save(made, "JPEG")
    for number in range(_MARKED):
        with open(f"{root}/2026/{number % _FOLDERS:02}/f{number:06}.jpg", "ab") as file:
            file.truncate(0)
            file.write(made.getvalue())
    with Ledger(library.ledger_path) as ledger:
        columns = current(library, ledger, HouseRules, stop=threading.Event())
        rows = np.arange(columns.count).tolist()

        def bare() -> None:
            for row in rows:
                path = os.path.join(root, columns.path(row))
                with open(f"{path}.part", "wb") as file:
                    file.write(text)
                    file.flush()
                    os.fsync(file.fileno())
                os.rename(f"{path}.part", f"{path}.bare")
                fd = os.open(os.path.dirname(path), os.O_RDONLY)
                os.fsync(fd)
                os.close(fd)

        theirs = _timed(bare)
        ours = [_timed(lambda: mark_captures(columns, rows, "R", library, ledger, stop=threading.Event()))]
        ours += [_timed(lambda: mark_captures(columns, rows[:1], "P", library, ledger, stop=threading.Event()))]
    print(f"{_MARKED:,} captures marked; one alone in {ours[1] * 1000:.0f} ms")
    print(f"  ours {ours[0]:.2f} s, small files written and synced {theirs:.2f} s: {ours[0] / theirs:.1f} times")


def _stored(top: str) -> None:
    """Files brought home, stored away and fetched again, against bringing them home and removing them elsewhere."""
    for count, size in _LOADS:
        brought, removed, stored, fetched = _stored_load(os.path.join(top, str(size)), count, size)
        print(f"{count:,} files of {size:,} bytes stored on a drive, and fetched")
        print(f"  brought home in {brought:.2f} s, as many removed in {removed:.2f} s", end="; ")
        print(f"stored in {stored:.2f} s, fetched in {fetched:.2f} s")
        bare = brought + removed
        print(f"  {stored / bare:.2f} and {fetched / bare:.2f} times of both; wanted 1")


def _stored_load(root: str, count: int, size: int) -> tuple[float, float, float, float]:
    """Seconds for bringing home, for removing as many files as bare, for storing and for fetching."""
    from jutrek.filing import Action, HouseRules, Plan, Row
    from jutrek.library import add_drive, new_library, survey
    from jutrek.library.ledger import Ledger
    from jutrek.transfer import Control, bring
    from jutrek.transfer.storing import Copies, fetch, store

    for folder in (root, f"{root} card", f"{root} drive"):
        os.makedirs(folder)
    rows = []
    for number in range(count):
        path = f"{root} card/f{number:06}.jpg"
        with open(path, "wb") as file:
            file.write(os.urandom(size))
        status = os.stat(path)
        to = f"2026/{number % _FOLDERS:02}/f{number:06}.jpg"
        rows.append(Row(path, f"{root} card", Action.BRING, to, "", status.st_size, status.st_mtime_ns))
    library = new_library(root)
    drive = add_drive(library, f"{root} drive")
    plan = Plan(root, library.id, HouseRules(), tuple(rows))

    def cold(job: Callable[[], object]) -> float:
        _forget()
        return _timed(job)

    with Ledger(library.ledger_path) as ledger:
        brought = cold(lambda: bring(plan, library, ledger, stop=threading.Event()))
        survey(library, ledger)
        paths, copies = [row.destination or "" for row in rows], Copies(ledger, [], [], 1)
        stored = cold(lambda: store(paths, library, ledger, drive, copies, control=Control()))
        fetched = cold(lambda: fetch(paths, library, ledger, drive, control=Control()))
    # What was written just now goes more slowly on some disks: so did the originals.
    for row in rows:
        with open(f"{row.source}.bare", "wb") as file:
            file.write(os.urandom(size))
    removed = cold(lambda: [os.unlink(f"{row.source}.bare") for row in rows])
    return brought, removed, stored, fetched


def _outside(root: str) -> None:
    from jutrek.filing import HouseRules
    from jutrek.library import survey
    from jutrek.library.ledger import Ledger
    from jutrek.views.outside import outside

    library = _library(root, _REAL)
    with Ledger(library.ledger_path) as ledger:
        survey(library, ledger)
        times = []
        for _ in range(_ROUNDS):
            _forget()
            found = _timed(
                lambda: subprocess.run(["find", root, "-printf", "%p %s %T@\n"], stdout=subprocess.DEVNULL, check=True)
            )
            _forget()
            times.append((_timed(lambda: outside(library, ledger, HouseRules())), found))
        ours, bare = (min(values) for values in zip(*times, strict=True))
        os.rename(f"{root}/2026/00", f"{root}/elsewhere")
        moved = _timed(lambda: outside(library, ledger, HouseRules()))
    print(f"{_REAL:,} files that did not change looked through, cold")
    print(f"  ours {ours:.2f} s, find with sizes and times {bare:.2f} s: {ours / bare:.1f} times; wanted 1.5")
    print(f"  and with a folder of {_REAL // _FOLDERS:,} that moved {moved:.2f} s; wanted 2 s beyond the scan")


def _forget() -> None:
    """Have the system forget what it knows of folders and files."""
    os.sync()
    with open("/proc/sys/vm/drop_caches", "w", encoding="ascii") as file:
        file.write("3")
