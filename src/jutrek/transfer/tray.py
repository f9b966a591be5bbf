"""The tray of a library: what was set aside and waits for a last look. Emptying it goes to the system's trash.

What lies in it is told by the journal: where each file was, for which other one it was set aside, and how far the two
were the same. Emptying is a run of its own, which is announced before the first file goes, and which can be taken back
as long as the trash keeps its files.
"""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

from jutrek.disk import OWN_FOLDER, FileStamp, Inside, Outside, Realm, inside, own
from jutrek.errors import JutrekError, NotMoved, Stopped, of_place, reason
from jutrek.library import Library, Place
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.run_log import head_of, run_log_of, runs
from jutrek.transfer.setting_aside import TRAY
from jutrek.transfer.trash import send, settle

_SIDECAR = ".xmp"


@dataclass(frozen=True, slots=True)
class Trayed:
    """A file in the tray.

    Attributes:
        path: where it lies, relative to the library.
        was: where it was.
        keeper: the file that it was set aside for.
        degree: how far the two are the same: bytes, payload, picture, alike.
        size: in bytes.
        mtime_ns: time of last change.
        run: the run that set it aside.
        at: when, UTC, ISO 8601.
        sidecars: what lies there beside it and goes where it goes, relative to the library.
    """

    path: str
    was: str
    keeper: str
    degree: str
    size: int
    mtime_ns: int
    run: str
    at: str
    sidecars: tuple[str, ...] = ()

    @property
    def stamp(self) -> FileStamp:
        """How it was when it was looked at."""
        return FileStamp(self.size, self.mtime_ns)

    @property
    def paths(self) -> tuple[str, ...]:
        """All that goes with it, itself first."""
        return self.path, *self.sidecars


@dataclass(slots=True)
class Emptied:
    """How emptying the tray ended.

    Attributes:
        files, size: how many files went to the trash, and their bytes.
        left: files that did not, with the reason, by path.
        trouble: what ended it early.
        run: its id in the journal.
    """

    files: int = 0
    size: int = 0
    left: dict[str, str] = field(default_factory=dict)
    trouble: JutrekError | None = None
    run: str = ""


def tray_of(library: Library) -> list[Trayed]:
    """What lies in the tray, what was set aside last first."""
    found: list[Trayed] = []
    for run in reversed(runs(library)):
        if head_of(library, run).get("entry") != Kind.SET_ASIDE:
            continue
        run_log = run_log_of(library, run)
        own = []
        for row in sorted(run_log.done):
            entry = run_log.to_move[row]
            try:
                status = library.tree.lstat(_in_tray(entry["to"]))
            except (OSError, Outside):
                continue
            own.append(Trayed(
                str(entry["to"]), str(entry["from"]), str(entry.get("keeper", "")), str(entry.get("degree", "")),
                status.st_size, status.st_mtime_ns, run, run_log.at,
            ))  # fmt: skip
        found += _with_sidecars(own)
    return found


def _in_tray(text: str) -> Inside:
    """A path in the tray.

    Raises:
        Outside: when it is another one.
    """
    path = inside(text, Realm.PUT_AWAY)
    if not text.startswith(f"{TRAY}/"):
        raise Outside("a path that was not set aside")
    return path


def _with_sidecars(items: Sequence[Trayed]) -> list[Trayed]:
    """Sidecars with the files that they lie beside; one whose file is not there stands for itself."""
    mains = [one for one in items if not one.path.casefold().endswith(_SIDECAR)]
    names = {name: one.path for one in mains for name in (one.path, os.path.splitext(one.path)[0])}
    beside: dict[str, list[str]] = defaultdict(list)
    alone = []
    for one in items:
        if one.path.casefold().endswith(_SIDECAR):
            main = names.get(one.path[: -len(_SIDECAR)])
            beside[main].append(one.path) if main else alone.append(one)
    return [replace(one, sidecars=tuple(beside[one.path])) for one in mains] + alone


def empty_tray(
    trayed: Sequence[Trayed],
    library: Library,
    *,
    places: Sequence[Place] = (),
    stop: threading.Event,
    report: Callable[[int, int], None] = lambda done, total: None,
) -> Emptied:
    """Put files of the tray into the system's trash, each on the volume where it lies; in connected places, too.

    Args:
        trayed: what of the tray is meant.
        library: the library.
        places: that are connected.
        stop: ends the work when it is set.
        report: is told how much is done, and of how much.

    Returns:
        How it ended: what the trash cannot take stays in the tray.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
    """
    emptied = Emptied()
    if not trayed:
        return emptied
    with locked(library):
        try:
            journal = Journal.begin(library, Kind.EMPTY_TRAY)
            emptied.run = journal.run
            try:
                _announce(journal, library, trayed)
                _empty(trayed, library, places, journal, stop, report, emptied)
                how = "stopped" if emptied.trouble else "done"
                journal.end(how, emptied.files, len(trayed) - emptied.files, bytes=emptied.size)
            finally:
                journal.close()
        except OSError as error:
            emptied.trouble = of_place(library.root, library.own, error)
    return emptied


def _announce(journal: Journal, library: Library, trayed: Sequence[Trayed]) -> None:
    for one in trayed:
        for path in one.paths:
            size, mtime_ns = one.size, one.mtime_ns
            if path != one.path:
                status = library.tree.lstat(_in_tray(path))
                size, mtime_ns = status.st_size, status.st_mtime_ns
            journal.note({"entry": "to trash", "path": path, "size": size, "mtime_ns": mtime_ns})
    journal.sync()


def _empty(
    trayed: Sequence[Trayed],
    library: Library,
    places: Sequence[Place],
    journal: Journal,
    stop: threading.Event,
    report: Callable[[int, int], None],
    emptied: Emptied,
) -> None:
    for number, one in enumerate(trayed):
        report(number, len(trayed))
        if stop.is_set():
            emptied.trouble = Stopped()
            break
        try:
            status = library.tree.lstat(_in_tray(one.path))
            if not one.stamp.unchanged(status):
                raise OSError("it changed since it was looked at")
            sizes = {part: library.tree.lstat(_in_tray(part)).st_size for part in one.paths}
            for part in sizes:
                send(library.tree, _in_tray(part))
        except (OSError, Outside) as error:
            why = str(NotMoved(one.path, reason(error) if isinstance(error, OSError) else f"it is {error}"))
            emptied.left[one.path] = why
            journal.note({"entry": "stays", "path": one.path, "why": why})
            continue
        journal.note(*({"entry": "trashed", "path": part, "size": size} for part, size in sizes.items()))
        emptied.files += 1
        emptied.size += one.size
        for place in places:
            for part, size in sizes.items():
                _empty_copy(place, part, size, journal)
    settle(library.root)
    library.tree.remove_empty_folders(own("tray"))
    library.tree.sync_folder(Inside((OWN_FOLDER,)))


def _empty_copy(place: Place, part: str, size: int, journal: Journal) -> None:
    """The copy that followed into a place's tray goes to the trash there, if it is unchanged. What can't go stays."""
    try:
        path = _in_tray(part)
        if place.tree.lstat(path).st_size != size:
            return
        send(place.tree, path)
    except (OSError, Outside):
        return
    journal.note({"entry": "copy trashed", "path": part, "place": place.id})
