"""The journal as people look at it: a record per run, the newest first, and what can be done about each."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import TYPE_CHECKING, Any

from jutrek.disk import OWN_FOLDER, FileStamp, Outside, Realm, inside
from jutrek.errors import NotPossible, shown
from jutrek.library import LIBRARY, Library, ProofMark, known_drives, known_places
from jutrek.transfer.journal import Kind, number_of
from jutrek.transfer.run_log import RunLog, broken_records, end_of, head_of, run_log_of, runs
from jutrek.transfer.taking_back import CAN_BE_TAKEN_BACK, TAKEN_BACK, amended_since, taken_back_by, where_now
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

WORDS = {
    Kind.INTAKE: "Intake",
    Kind.REFILE: "Re-filing",
    Kind.TIDY: "Tidied",
    Kind.TAKE_BACK: "Taken back",
    Kind.CATCH_UP: "Caught up",
    Kind.CHECK: "Check",
    Kind.MEND: "Mended",
    Kind.RELEASE: "Proved",
    Kind.CLEAR: "Cleared",
    Kind.SET_ASIDE: "Set aside",
    Kind.EMPTY_TRAY: "Set aside, into the trash",
    Kind.LET_GO: "No longer missed",
    Kind.SAY: "Said",
    Kind.DESCRIBE: "Captures",
    Kind.STORE: "Stored",
    Kind.FETCH: "Fetched",
    Kind.MAKE: "Made",
}
"""What runs are called."""
_CROSSED = {Kind.STORE: "stored, ", Kind.FETCH: "fetched, "}


@dataclass(frozen=True, slots=True)
class Record:
    """A run.

    Attributes:
        run: its id.
        kind: what it did.
        at, ended: when it began and ended, UTC, ISO 8601; `ended` is empty for one that is at work or was cut off.
        who: user and machine.
        about: its sources, or the place that it was about, in words.
        how: how it ended: done, stopped, found again.
        files: how many files it brought, moved, read or removed.
        folders: how many folders it moved whole.
        left: how many it did not.
        size: bytes; 0 where that is not told.
        places: in how many places its files are, by name.
        taken_back: whether it was taken back, and still is.
        can_take_back, can_finish: what can be done about it.
        broken: what is the matter with its record; empty for nothing.
        certificate: the path of a release's certificate, relative to the library.
        safe: whether a release found everything home.
    """

    run: str
    kind: Kind
    at: str
    ended: str
    who: str
    about: str
    how: str
    files: int
    left: int
    size: int
    places: tuple[tuple[str, int], ...] = ()
    taken_back: bool = False
    can_take_back: bool = False
    can_finish: bool = False
    broken: str = ""
    certificate: str = ""
    safe: bool = False
    folders: int = 0

    @property
    def counted(self) -> str:
        """How many files, or folders, in words."""
        return counted(self.folders, "folder") if self.folders else counted(self.files, "file")

    @property
    def title(self) -> str:
        """What it was, in a word or two."""
        return WORDS[self.kind]


@dataclass(frozen=True, slots=True)
class FileRecord:
    """A file of a run: where it came from, where it went, and what became of it."""

    path: str
    source: str
    size: int
    what: str
    full: str = ""


def records_of(library: Library, *, verify: bool = True) -> list[Record]:
    """The runs of a library, the newest first.

    Args:
        verify: whether to look for records that were changed after they were written; that reads all of them.
    """
    undone = taken_back_by(library)
    broken = broken_records(library) if verify else {}
    names = {place.id: place.name for place in (*known_places(library), *known_drives(library))}
    heads = {run: head_of(library, run) for run in runs(library)}
    continued = {str(head["continues"]) for head in heads.values() if head.get("continues")}
    found = []
    for run, head in reversed(heads.items()):
        if head.get("entry") not in set(Kind):
            continue
        kind, end = Kind(head["entry"]), end_of(library, run)
        files, left = int(end.get("home", 0)), int(end.get("left", 0))
        known = names | {str(one["id"]): str(one["name"]) for one in head.get("places", ())}
        copies = [(library.name, files)] if kind is Kind.INTAKE else []
        copies += [(known.get(place, place), int(count)) for place, count in end.get("copies", {}).items()]
        can = bool((files or end.get("folders")) and kind in CAN_BE_TAKEN_BACK and run not in undone and end)
        record = Record(
            run, kind, str(head.get("at", "")), str(end.get("at", "")), str(head.get("who", "")), _about(head, heads),
            str(end.get("how", "")), files, left, int(end.get("bytes", 0)), tuple(copies), run in undone, can,
            bool(kind is Kind.INTAKE and left and end.get("how") != "done" and run not in continued | undone.keys()),
            " ".join(one.what for one in broken.get(run, ())), str(head.get("certificate", "")),
            bool(head.get("safe", False)), int(end.get("folders", 0)),
        )  # fmt: skip
        found.append(record)
    return found


Marks = Mapping[tuple[str, str], ProofMark]
"""What is known of files now, by place and path."""


def every_mark(library: Library, ledger: Ledger) -> Marks:
    """What is known of all files of a library and its places."""
    ids = (LIBRARY, *(place.id for place in (*known_places(library), *known_drives(library))))
    return {(id_, path): mark for id_ in ids for path, mark in ledger.marks(id_).items()}


def files_of(library: Library, run: str, marks: Marks | None = None) -> list[FileRecord]:
    """The files of a run.

    Args:
        marks: what is known of them now: what was found bad since is no proof any more, and says so.

    Raises:
        OSError: when its journal cannot be read.
    """
    run_log = run_log_of(library, run)
    now, amended = where_now(library, run_log), cache(lambda: amended_since(library, run_log))
    found = []
    says = run_log.kind is Kind.DESCRIBE
    for row, entry in sorted(run_log.to_do.items()):
        if says:
            found.append(_sidecar(run_log, row, entry))
            continue
        told = _file(run_log, row, entry, marks or {})
        since = _since(library, run_log, row, entry, now, amended) if row in run_log.done else ""
        found.append(replace(told, what=f"{told.what}, {since}") if since and since not in told.what else told)
    made = {one["row"] for one in run_log.others if one["entry"] == "made"}
    found += [
        FileRecord(str(one["to"]), "", int(one["size"]), "made" if one["row"] in made else "not made")
        for one in run_log.others
        if one["entry"] == "to make"
    ]
    found += [_folder(run_log, row, entry) for row, entry in sorted(run_log.folders.items())]
    found += [
        FileRecord(_inside(library, one), "", int(one.get("size", 0)), _said(one))
        for one in run_log.others
        if "path" in one
    ]
    found += [
        FileRecord("", str(one["source"]), int(one.get("size", 0)), f"left: {one['why']}")
        for one in run_log.others
        if one["entry"] == "left"
    ]
    return found


def _proven_words(homes: Sequence[str]) -> str:
    """Where a file is proven, by the ids of the library and of backups: `proven, with 1 backup`."""
    backups = sum(id_ != LIBRARY for id_ in homes)
    words = f"{backups} backup{'s' * (backups != 1)}" if backups else ""
    if LIBRARY not in homes:
        return f"proven in {words}"
    return f"proven, with {words}" if words else "proven"


def _file(run_log: RunLog, row: int, entry: Mapping[str, Any], marks: Marks) -> FileRecord:
    done = run_log.done.get(row)
    if run_log.moves:
        what = "moved" if done else run_log.failed.get(row, "not moved")
        return FileRecord(str(entry["to"]), str(entry["from"]), int(entry["size"]), what)
    path = str(entry["to"])
    homes = [str(run_log.head.get("place", LIBRARY)), *(id_ for id_, rows in run_log.copied.items() if row in rows)]
    bad = {id_: mark.state for id_ in homes if (mark := marks.get((id_, path))) is not None and not mark.stands}
    stand = [id_ for id_ in homes if id_ not in bad]
    proven = "proven" if len(homes) == 1 else _proven_words(stand)
    if bad:
        proven = f"{'' if not stand else f'{proven}, '}{' and '.join(sorted(set(bad.values())))} since"
    waits = "not home" if run_log.end else "to come"
    what = f"{_CROSSED.get(run_log.kind, '')}{proven}" if done else run_log.failed.get(row, waits)
    source, original = str(entry["source"]), str(entry.get("original", ""))
    if original:
        source = os.path.join(os.path.basename(str(entry.get("root", "")).rstrip("/")), original)
    return FileRecord(str(entry["to"]), source, int(entry["size"]), what, str((done or {}).get("xxh3_128", "")))


def _sidecar(run_log: RunLog, row: int, entry: Mapping[str, Any]) -> FileRecord:
    """A sidecar that says something of a capture since."""
    did = "written into" if "name" in entry else ("turned" if "at" in entry else "written")
    what = did if row in run_log.sidecars else run_log.failed.get(row, f"not {did}")
    return FileRecord(str(entry["to"]), "", int(entry["size"]), what)


def _folder(run_log: RunLog, row: int, entry: Mapping[str, Any]) -> FileRecord:
    """A folder that was to move whole."""
    what = "moved, with all in it" if row in run_log.folders_moved else run_log.failed.get(row, "not moved")
    return FileRecord(str(entry["to"]), str(entry["from"]), 0, what)


def _since(
    library: Library, run_log: RunLog, row: int, entry: Mapping[str, Any], now: Mapping[str, str],
    amended: Callable[[], Mapping[str, FileStamp]],
) -> str:  # fmt: skip
    """What became of a file that came home, or moved, since: empty where it lies as it was left."""
    path = now.get(str(entry["to"]), str(entry["to"]))
    mtime_ns = int(run_log.done[row].get("mtime_ns", entry["mtime_ns"]))
    if run_log.head.get("place") or path.startswith("/"):
        return ""
    try:
        status = library.tree.found(inside(path, Realm.PUT_AWAY))
    except Outside:
        return ""
    moved = "" if path == str(entry["to"]) else f"now {path}"
    if moved and path.startswith(f"{OWN_FOLDER}/"):
        return "taken back since" if path.startswith(f"{TAKEN_BACK}/") else "set aside since"
    if status is None:
        return ", ".join(filter(None, (moved, "gone since")))
    left = FileStamp(int(entry["size"]), mtime_ns)
    same = left.unchanged(status) or amended().get(path, left).unchanged(status)
    return ", ".join(filter(None, (moved, "" if same else "changed since")))


def _inside(library: Library, entry: Mapping[str, Any]) -> str:
    path = str(entry["path"])
    return os.path.relpath(path, library.root) if path.startswith(library.root + os.sep) else path


def _said(entry: Mapping[str, Any]) -> str:
    if entry["entry"] == "said":
        now = entry["now"]
        return f"said: {', '.join(filter(None, (now['shoot'], now['operator'], *(text for _, text in now['said']))))}"
    return f"{entry['entry']}: {entry['why']}" if entry.get("why") else str(entry["entry"])


def _about(head: Mapping[str, Any], heads: Mapping[str, Mapping[str, Any]]) -> str:
    if undone := heads.get(str(head.get("takes_back", ""))):
        kind = WORDS.get(Kind(undone["entry"]), "") if undone.get("entry") in set(Kind) else ""
        return f"{kind.lower()} {_about(undone, heads)}".strip()
    if head.get("act"):
        return f"{head['act']} {head.get('name', '')}".strip()
    if sources := head.get("sources"):
        return ", ".join(os.path.basename(str(one).rstrip("/")) or str(one) for one in sources)
    if source := head.get("source"):
        return os.path.basename(str(source).rstrip("/")) or str(source)
    return str(head.get("name", ""))


def run_named(library: Library, text: str) -> str:
    """A run by its name in the journal, by its number, or by how its name begins.

    Raises:
        NotPossible: when no run, or more than one, is meant.
    """
    known = runs(library)
    number = text.removeprefix("#")
    found = [run for run in known if run == text]
    found = found or [run for run in known if number.isdecimal() and number_of(run) == int(number)]
    found = found or [run for run in known if text and run.startswith(text)]
    if len(found) == 1:
        return found[0]
    several = f"{shown(text)} may be {', '.join(found)}" if found else f"no run {shown(text)} is in its journal"
    raise NotPossible(library.root, several)


def newest(library: Library, wanted: Callable[[Record], bool], what: str) -> Record:
    """The newest record of a kind.

    Raises:
        NotPossible: when there is none.
    """
    found = next((record for record in records_of(library, verify=False) if wanted(record)), None)
    if found is None:
        raise NotPossible(library.root, f"there is no run in its journal that {what}")
    return found
