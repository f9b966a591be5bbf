"""Taking back: an intake's files are put away, moves are undone, and a taking back can be taken back itself.

What an intake brought is never removed: it is moved to `LIBRARY/.jutrek/taken-back/<run>/`, under its own path, where
it stays until somebody puts it into the system's trash. Only what is unchanged since is moved.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterable, Mapping
from functools import cache
from typing import Any

from jutrek.disk import OWN_FOLDER, FileStamp, Outside, Realm, Tree, inside, own
from jutrek.errors import NotPossible, shown
from jutrek.filing import Action, HouseRules, Plan, Row
from jutrek.jobs.making import MARKER
from jutrek.library import Library, Place, drives_here, known_drives
from jutrek.transfer.amend_lines import is_amended
from jutrek.transfer.journal import Kind
from jutrek.transfer.run_log import RunLog, end_of, filed_by, head_of, later_runs, moving_runs, run_log_of, runs
from jutrek.transfer.trash import found, send

TAKEN_BACK = f"{OWN_FOLDER}/taken-back"
CAN_BE_TAKEN_BACK = frozenset({
    Kind.INTAKE, Kind.REFILE, Kind.TIDY, Kind.TAKE_BACK, Kind.SET_ASIDE, Kind.EMPTY_TRAY, Kind.LET_GO, Kind.SAY,
    Kind.DESCRIBE, Kind.STORE, Kind.FETCH, Kind.MAKE,
})  # fmt: skip


def taken_back_by(library: Library) -> dict[str, str]:
    """Which run took which one back, by the id of the one taken back. Of those that ended up undone, none is told."""
    by: dict[str, str] = {}
    for run in runs(library):
        if undone := head_of(library, run).get("takes_back"):
            by[str(undone)] = run

    def stands(run: str) -> bool:
        return run not in by or not stands(by[run])

    return {run: other for run, other in by.items() if stands(other)}


def last_refiling(library: Library) -> str:
    """The id of the newest re-filing that moved something and was not taken back; empty where there is none."""
    by = taken_back_by(library)
    for run_log in moving_runs(library):
        if run_log.kind is Kind.REFILE and run_log.done and run_log.run not in by:
            return run_log.run
    return ""


def plan_taking_back(library: Library, run: str) -> tuple[Plan, list[str]]:
    """The plan that takes a run back, and sentences about what has to stay as it is.

    Raises:
        NotPossible: when there is no such run, or it is of a kind that cannot be taken back.
    """
    try:
        run_log = run_log_of(library, run)
    except OSError as error:
        raise NotPossible(library.root, f"no run {run} is in its journal") from error
    if run_log.kind not in CAN_BE_TAKEN_BACK:
        raise NotPossible(library.root, f"a run of the kind “{run_log.kind}” changed nothing that could be taken back")
    wanted = _WANTED.get(run_log.kind, _moves)(library, run_log)
    since = cache(lambda: amended_since(library, run_log))
    rows, left = [], []
    for now, to, was in wanted:
        path = os.path.join(library.root, now)
        try:
            status = _looked_at(library.tree, now)
        except (OSError, Outside):
            left.append(f"{shown(now)} is gone.")
            continue
        # Only of what changed the journals are asked once more who it was.
        stamp = was if was.unchanged(status) else since().get(now, was)
        if not stamp.unchanged(status):
            left.append(f"{shown(now)} was changed since.")
        else:
            rows.append(Row(path, library.root, Action.MOVE, to, "Taken back.", stamp.size, stamp.mtime_ns))
    return Plan(library.root, library.id, HouseRules(), tuple(rows)), left


def _looked_at(tree: Tree, path: str) -> os.stat_result:
    """A file of the library, or one in a trash that `found` told of."""
    return os.lstat(path) if path.startswith("/") else tree.lstat(inside(path, Realm.PUT_AWAY))


def plan_finishing(library: Library, run: str, rules: HouseRules) -> Plan:
    """The plan of what an intake left undone.

    Args:
        rules: the house rules, for sidecars.

    Raises:
        NotPossible: when there is no such intake, or its numbers may have been given since.
    """
    try:
        kind, end = head_of(library, run).get("entry"), end_of(library, run)
        if kind != Kind.INTAKE:
            raise NotPossible(library.root, f"{run} is no intake")
        if end and not end.get("left", 1):
            return Plan(library.root, library.id, rules, ())
        run_log = run_log_of(library, run)
    except OSError as error:
        raise NotPossible(library.root, f"no run {run} is in its journal") from error
    left = [entry for row, entry in sorted(run_log.to_come.items()) if row not in run_log.done]
    later = [other for other in later_runs(library, run) if head_of(library, other).get("entry") == Kind.INTAKE]
    if later and any("number" in entry for entry in left):
        raise NotPossible(library.root, "another intake came since; read the sources again, and plan anew")
    return Plan(library.root, library.id, rules, tuple(map(row_of, left)))


def empty_taken_back(library: Library) -> int:
    """Put everything that was taken back into the system's trash. Returns how many runs it was of.

    Raises:
        OSError: when the trash of its drive cannot take it. What was there stays there.
    """
    folder = own("taken-back")
    with contextlib.suppress(FileNotFoundError):
        names = library.tree.names(folder)
        for name in names:
            send(library.tree, folder.below(name))
        return len(names)
    return 0


def row_of(entry: dict[str, Any]) -> Row:
    """The row of a plan that a `bring` line was written for."""
    source, original = str(entry["source"]), str(entry.get("original", ""))
    root = str(entry.get("root") or source.removesuffix(original).rstrip("/") or "/")
    by = filed_by(entry)
    return Row(
        source, root, Action.BRING, str(entry["to"]), "Left by a run that did not end.", int(entry["size"]),
        int(entry["mtime_ns"]), source if original else "", str(entry.get("sidecar", "")),
        str(entry.get("counter", "")), int(entry.get("number", 0)), by,
        tuple((str(name), str(words)) for name, words in entry.get("says", ())),
    )  # fmt: skip


_Wanted = tuple[str, str, FileStamp]
"""Where a file is now, where it goes, and how it was left."""


def _left(entry: Mapping[str, Any]) -> FileStamp:
    return FileStamp(int(entry["size"]), int(entry["mtime_ns"]))


def _intake(library: Library, run_log: RunLog) -> list[_Wanted]:
    """Where an intake's files and sidecars are now, where they are put away, and their size and time."""
    found = []
    for row, done in sorted(run_log.done.items()):
        entry = run_log.to_come[row]
        found.append((str(entry["to"]), int(entry["size"]), int(done.get("mtime_ns", entry["mtime_ns"]))))
        if (sidecar := run_log.sidecars.get(row)) is not None and "size" in sidecar:
            found.append((str(sidecar["to"]), int(sidecar["size"]), int(sidecar["mtime_ns"])))
    now = {path: path for path, _, _ in found}
    _follow(library, run_log.run, now)
    folder = f"{TAKEN_BACK}/{run_log.run}"
    return [(now[path], f"{folder}/{path}", FileStamp(size, mtime)) for path, size, mtime in found]


def where_now(library: Library, run_log: RunLog) -> dict[str, str]:
    """Where the files are now that a run brought or moved, by where it put them."""
    return followed(library, run_log.run, (str(run_log.to_do[row]["to"]) for row in run_log.done))


def followed(library: Library, run: str, paths: Iterable[str]) -> dict[str, str]:
    """Where files are now that lay at some paths when a run ended, by those paths."""
    now = {path: path for path in paths}
    _follow(library, run, now)
    return now


def _follow(library: Library, run: str, now: dict[str, str]) -> None:
    """Follow files through the moves that came after a run."""
    at = {path: path for path in now}
    for run_log in _moved_since(library, run):
        at = run_log.follow(at)
    now.update({first: path for path, first in at.items()})


def _moved_since(library: Library, run: str) -> list[RunLog]:
    """The runs after one that moved files or folders, oldest first."""
    later = set(later_runs(library, run))
    return [one for one in reversed(list(moving_runs(library))) if one.run in later] if later else []


def amended_since(library: Library, run_log: RunLog) -> dict[str, FileStamp]:
    """How files were left that an intake amended, or that were amended after a run, by their paths now.

    That is no change of somebody else's.
    """
    found: dict[str, FileStamp] = {}
    for later in (run_log, *_moved_since(library, run_log.run)):
        if later is not run_log:
            found = later.follow(found)
        for row, one in later.sidecars.items() if later.kind is Kind.INTAKE or later is not run_log else ():
            if is_amended(later.to_say.get(row, {})):
                found[str(one["to"])] = _left(one)
    return found


def folders_now(library: Library, run_log: RunLog) -> dict[str, str]:
    """Where the folders are now that a run moved, by where it put them."""
    probes = {f"{run_log.folders[row]['to']}/x": str(run_log.folders[row]["to"]) for row in run_log.folders_moved}
    for later in _moved_since(library, run_log.run):
        probes = later.follow(probes)
    return {to: probe.removesuffix("/x") for probe, to in probes.items()}


def _moves(library: Library, run_log: RunLog) -> list[_Wanted]:
    """Moves are undone, the last first. What came out of a trash stays: emptying the tray puts it there again.

    A file whose folder was moved since goes back from where it is; one that was moved itself stays.
    """
    now = {str(entry["to"]): str(entry["to"]) for entry in run_log.to_move.values()}
    for later in _moved_since(library, run_log.run):
        if later.folders_moved:
            now = later.follow(now)
    lies = {first: path for path, first in now.items()}
    return [
        (lies.get(str(entry["to"]), str(entry["to"])), str(entry["from"]), _left(entry))
        # A record may tell of a move that it never announced as one.
        for row in sorted(run_log.done.keys() & run_log.to_move.keys(), reverse=True)
        if not str((entry := run_log.to_move[row])["from"]).startswith("/")
    ]


def _set_aside(library: Library, run_log: RunLog) -> list[_Wanted]:
    """Sidecars that were written for keepers are put away, their old versions and everything else come back."""
    folder = f"{TAKEN_BACK}/{run_log.run}"
    written = [one for one in run_log.sidecars.values() if "size" in one]
    names = {str(one["to"]) for one in written}
    # One that no new one followed came back when its run was cleared up.
    kept = [one for one in run_log.others if one["entry"] == "sidecar kept" and one["from"] in names]
    return [
        *((str(one["to"]), f"{folder}/{one['to']}", _left(one)) for one in written),
        *((str(one["to"]), str(one["from"]), _left(one)) for one in kept),
        *_moves(library, run_log),
    ]


def _described(library: Library, run_log: RunLog) -> list[_Wanted]:
    """Sidecars that were written are put away, where they lie now, and their old versions have their names again."""
    kept = {one["row"]: one for one in run_log.others if one["entry"] == "sidecar kept"}
    now = followed(library, run_log.run, (str(one["to"]) for one in run_log.sidecars.values()))
    wanted: list[_Wanted] = []
    for row, one in run_log.sidecars.items():
        if is_amended(run_log.to_say.get(row, {})):
            continue
        path, stamp = now[str(one["to"])], _left(one)
        if path.startswith(f"{OWN_FOLDER}/"):
            # Another one took its place since, and that one stays.
            wanted.append((str(one["to"]), path, FileStamp(-1, -1)))
            continue
        wanted.append((path, f"{TAKEN_BACK}/{run_log.run}/{one['to']}", stamp))
        with contextlib.suppress(OSError, Outside):
            if row in kept and stamp.unchanged(_looked_at(library.tree, path)):
                wanted.append((str(kept[row]["to"]), path, _left(kept[row])))
    return wanted


def _emptied(library: Library, run_log: RunLog) -> list[_Wanted]:
    """What went to the trash, and is there still, comes back into the tray."""
    sent = [one for one in run_log.others if one["entry"] == "to trash"]
    trash = found(os.path.join(library.root, str(one["path"])) for one in sent)
    wanted = []
    for one in sent:
        path = str(one["path"])
        lies = trash.get(os.path.join(library.root, path))
        if lies is not None:
            wanted.append((lies.path, path, _left(one)))
        elif not os.path.lexists(os.path.join(library.root, path)):
            wanted.append((path, path, FileStamp(-1, -1)))
    return wanted


def _stored(library: Library, run_log: RunLog) -> list[_Wanted]:
    """What was stored comes back from its drive, as far as it is there still.

    Raises:
        NotPossible: when the drive is away.
    """
    drive = drive_of(library, run_log)
    rows = sorted(run_log.originals_gone & run_log.done.keys())
    entries = [(run_log.to_come[row], run_log.done[row]) for row in rows]
    return [
        (
            drive.tree.at(inside(one["to"])), str(one["to"]),
            FileStamp(int(one["size"]), int(done.get("mtime_ns", one["mtime_ns"]))),
        )
        for one, done in entries
    ]  # fmt: skip


def _fetched(library: Library, run_log: RunLog) -> list[_Wanted]:
    """What was fetched is stored again, under the path that it has by now.

    Raises:
        NotPossible: when the drive is away.
    """
    drive_of(library, run_log)
    now = followed(library, run_log.run, (str(run_log.to_come[row]["to"]) for row in run_log.done))
    return [
        (now[str(one["to"])], now[str(one["to"])], FileStamp(int(one["size"]), int(done.get("mtime_ns", 0))))
        for one, done in ((run_log.to_come[row], run_log.done[row]) for row in sorted(run_log.done))
    ]


def _made(library: Library, run_log: RunLog) -> list[_Wanted]:
    """What was made is put away: of a job as long as nothing else lies in its folder, and nothing in it was changed.

    Raises:
        NotPossible: when something does, or was.
    """
    stamps = {one["row"]: _left(one) for one in run_log.others if one["entry"] == "made"}
    announced = {str(one["to"]): int(one["row"]) for one in run_log.others if one["entry"] == "to make"}
    now = followed(library, run_log.run, [path for path, row in announced.items() if row in stamps])
    wanted = [(path, f"{TAKEN_BACK}/{run_log.run}/{first}", stamps[announced[first]]) for first, path in now.items()]
    folder = made_folder_now(library, run_log)
    if folder:
        own = set(now.values())
        for path, _, stamp in wanted:
            status = library.tree.found(inside(path, Realm.PUT_AWAY))
            if status is None or not stamp.unchanged(status):
                raise NotPossible(library.root, f"{shown(path)} was changed since, so the job is not taken back")
        other = next((one for one in library.tree.files_below(inside(folder)) if str(one) not in own), None)
        if other is not None:
            raise NotPossible(library.root, f"{shown(str(other))} lies in the job's folder by now, so it stays")
    return wanted


def made_folder_now(library: Library, run_log: RunLog) -> str:
    """Where the folder of a job is now that a run made; empty where it made none, or was taken back."""
    job = next((one for one in run_log.others if one["entry"] == "job"), None)
    if job is None:
        return ""
    marker = f"{job['folder']}/{MARKER}"
    path = followed(library, run_log.run, [marker])[marker]
    return "" if path.startswith(f"{OWN_FOLDER}/") else os.path.dirname(path)


def drive_of(library: Library, run_log: RunLog) -> Place:
    """The archive drive of a run that stored something there, or fetched it.

    Raises:
        NotPossible: when it is away, or known no more.
    """
    id_ = str(run_log.head.get("drive", ""))
    here = next((one for one in drives_here(library) if one.id == id_), None)
    if here is None:
        name = next((one.name for one in known_drives(library) if one.id == id_), run_log.head.get("name", id_))
        raise NotPossible(library.root, f"{shown(str(name))} is away; connect it first")
    return here


_WANTED = {
    Kind.INTAKE: _intake, Kind.SET_ASIDE: _set_aside, Kind.EMPTY_TRAY: _emptied, Kind.DESCRIBE: _described,
    Kind.STORE: _stored, Kind.FETCH: _fetched, Kind.MAKE: _made,
}  # fmt: skip
