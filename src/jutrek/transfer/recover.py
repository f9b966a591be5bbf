"""What a start finds after a kill or a power loss: own temporaries are cleared, unfinished runs are told.

A final name is only ever given to proven bytes; but who bears a planned name may be somebody else's. So a file that the
journal does not call proven is read back, and compared with its source as far as that is there: else it counts as not
home, and the next intake tells. An empty target is a reservation (see `jutrek.disk`), and is removed, when its whole
temporary still lies beside it; any other empty file is somebody else's. What is durable of a large file is kept as a
partial. Of a run of moves each file lies at its old path or at its new one; where a name was being given in two steps,
the first is taken back or the second made; no name is removed unless another entry of the same file is seen to remain.
The ledger follows the disk. Whatever stands in a journal is checked before it is gone by, and nothing outside the
library and its places is ever changed.
"""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING

from jutrek.disk import TEMPORARY, Inside, Outside, Realm, Tree, inside
from jutrek.errors import LibraryMissing, PageBroken, reason
from jutrek.library import (
    LIBRARY,
    HomeFile,
    Library,
    Place,
    ProofMark,
    as_place,
    connected,
    keep_numbers,
    known_drives,
    known_places,
    notice_roots,
)
from jutrek.sources import mounts
from jutrek.transfer.across import settle_across
from jutrek.transfer.amending import settle_amended
from jutrek.transfer.arrival_words import say_what_is_left
from jutrek.transfer.at_work import at_work_in, end_in
from jutrek.transfer.copies import temporary_name
from jutrek.transfer.folder_moves import settle_folders
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.journal import Journal, Kind, now
from jutrek.transfer.learning_stored import CROSSES, learn_stored
from jutrek.transfer.ledger_follows import follow, restore
from jutrek.transfer.leftover import Leftover
from jutrek.transfer.lock import locked
from jutrek.transfer.making import settle_making
from jutrek.transfer.medium import aligned_buffer, read_back
from jutrek.transfer.moved_copies import unsure_of
from jutrek.transfer.renaming import named_somehow
from jutrek.transfer.resumable import KEPT_FOR, Content, clear_partials, keep_partial
from jutrek.transfer.run_log import RunLog, filed_by, given_number, known_of_files, run_log_of, runs, unfinished
from jutrek.transfer.saying import heed
from jutrek.transfer.settling_stored import settle_late, settle_stored
from jutrek.transfer.sidecar_runs import settle_sidecars

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


def recover(library: Library, ledger: Ledger) -> list[Leftover]:
    """Clear what unfinished runs left on disk, close their journals, and let the ledger learn what it missed.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryMissing: when the library cannot be written.
    """
    with locked(library):
        try:
            places = [as_place(library), *_connected(library)]
            backups = [place for place in places[1:] if not place.archive]
            leftovers = [_settle(library, ledger, run_log, places) for run_log in list(unfinished(library))]
            for place in places[1:]:
                _clear_place(library, ledger, place, places, {leftover.run for leftover in leftovers})
            if ledger.is_new:
                _teach(library, ledger)
            learn_stored(library, ledger)
            notice_roots(ledger, places)
            for place in places:
                clear_partials(place.tree, older_than=KEPT_FOR)
            if leftovers:
                # What cannot be written now is written by the next run that moves something.
                lists_follow(library, ledger, backups)
            return leftovers
        except OSError as error:
            raise LibraryMissing(library.root, f"its last run can't be cleared up: {reason(error)}") from error


def _connected(library: Library) -> list[Place]:
    tops = [mount.point for mount in mounts()]
    known = (*known_places(library), *known_drives(library))
    return [place for one in known if (place := connected(one, tops))]


def _teach(library: Library, ledger: Ledger) -> None:
    """A ledger that was lost, or never was, learns from the journals."""
    filed, proofs, numbers, everything_stored, amended = known_of_files(library)
    # What lay on a drive that somebody forgot is the library's no more.
    drives = {drive.id for drive in known_drives(library)}
    stored = {path: drive for path, drive in everything_stored.items() if drive in drives}
    ledger.put_filed(filed.items())
    ledger.put_numbers(numbers.items())
    ledger.put_proofs(proofs)
    at_home = (one for one in proofs if one.stands and one.place == stored.get(one.path, LIBRARY))
    ledger.put([HomeFile(one.path, one.size, one.mtime_ns, None, one.full) for one in at_home])
    ledger.stored.put(stored)
    ledger.amended.put(one._replace(path=path) for path, one in amended.items())
    ledger.stored.keep_run(next(iter(reversed(runs(library))), ""))
    ledger.is_new = False


def _settle(library: Library, ledger: Ledger, run_log: RunLog, places: Sequence[Place]) -> Leftover:
    journal = Journal(library, run_log.run)
    try:
        if (said := sum(one["entry"] == "said" for one in run_log.others)) or run_log.kind is Kind.SAY:
            heed(ledger, run_log)
            journal.end("found again", said, 0)
            return Leftover(run_log.run, run_log.at, said, 0, run_log.kind, tuple(run_log.troubles))
        if run_log.kind is Kind.DESCRIBE:
            settle_amended(library, ledger, run_log, journal)
            written, left = settle_sidecars(library, ledger, run_log, journal)
            _clear_scraps(library.tree, run_log)
            journal.end("found again", written, left)
            return Leftover(run_log.run, run_log.at, written, left, run_log.kind, tuple(run_log.troubles))
        if run_log.kind is Kind.MAKE:
            made, left = settle_making(library, ledger, run_log, journal)
            journal.end("found again", made, left)
            return Leftover(run_log.run, run_log.at, made, left, run_log.kind, tuple(run_log.troubles))
        if run_log.moves:
            done = _settle_moves(library, ledger, run_log, journal, places)
        else:
            done = _settle_bringing(library, ledger, run_log, journal, places)
        if run_log.kind in CROSSES:
            settle_stored(library, ledger, run_log, journal, places, done)
        _settle_names_between(run_log, places)
        _clear_reserved(run_log, places)
        _clear_scraps(library.tree, run_log)
        numbers: dict[str, int] = {}
        for row in done:
            entry = run_log.to_do[row]
            if "counter" in entry:
                key, number = str(entry["counter"]), int(entry["number"])
                numbers[key] = max(number, numbers.get(key, 0))
        with contextlib.suppress(PageBroken):
            # A page of counters that is damaged is told by whatever needs a number next.
            keep_numbers(library, numbers)
        left = len(run_log.to_do) - len(done)
        size = sum(int(run_log.to_do[row]["size"]) for row in done)
        copies = {place: len(rows) for place, rows in run_log.copied.items()}
        folders = {"folders": len(run_log.folders_moved)} if run_log.folders else {}
        journal.end("found again", len(done), left, bytes=size, copies=copies, **folders)
    finally:
        journal.close()
    return Leftover(run_log.run, run_log.at, len(done), left, run_log.kind, tuple(run_log.troubles))


def _clear_place(
    library: Library, ledger: Ledger, place: Place, places: Sequence[Place], settled: Collection[str]
) -> None:
    """Clear up in a place after runs that could not come to their end there, as it was away.

    Args:
        places: all that are connected, the library first.
        settled: runs that were cleared up already.
    """
    for run in at_work_in(place.tree):
        with contextlib.suppress(OSError):
            if run not in settled:
                run_log = run_log_of(library, run)
                _clear_files(place, run_log)
                _settle_names_between(run_log, [place])
                _settle_amended(run_log, [place])
                _clear_reserved(run_log, [place])
                if run_log.kind in CROSSES:
                    settle_late(library, ledger, run_log, place, places)
            end_in([place], run)


def _clear_files(place: Place, run_log: RunLog) -> None:
    """Clear up in one place after files that were brought there."""
    for row in _with_temporaries(place.tree, run_log):
        _clear_file(place.tree, run_log, row, run_log.to_come[row])
    if place.id == str(run_log.head.get("place", LIBRARY)):
        _put_back(place.tree, run_log)


_SCRAP = re.compile(rf"{re.escape(TEMPORARY)}[0-9a-f]{{8}}\.part")
"""The temporary of a small file, such as a sidecar."""
_PATHS = ("to", "sidecar", "keeper", "from")


def _clear_scraps(tree: Tree, run_log: RunLog) -> None:
    """Remove temporaries of sidecars that a kill left, in the folders that the run was at work in."""
    entries = (*run_log.to_do.values(), *run_log.others)
    paths = (path for entry in entries for name in _PATHS if isinstance(path := entry.get(name), str))
    folders: set[Inside | None] = set()
    for path in {path.rpartition("/")[0]: path for path in paths}.values():
        with contextlib.suppress(Outside):
            folders.add(inside(path, Realm.CAPTURES).folder)
    for folder in folders:
        with contextlib.suppress(OSError):
            for name in tree.names(folder):
                if _SCRAP.fullmatch(name):
                    tree.remove_own(folder.below(name) if folder is not None else Inside((name,)))


def _settle_bringing(
    library: Library, ledger: Ledger, run_log: RunLog, journal: Journal, places: Sequence[Place]
) -> list[int]:
    """Clear up after an intake, or after catching a place up. Returns the rows that are home."""
    main = str(run_log.head.get("place", LIBRARY))
    for place in places:
        _clear_files(place, run_log)
    found = _found(next((place for place in places if place.id == main), None), run_log)
    journal.note(*(
        {"entry": "found", "row": row, "xxh3_128": mark.full.hex(), "mtime_ns": mark.mtime_ns}
        for row, mark in found.items()
    ))  # fmt: skip
    ledger.put_proofs(found.values())
    home = sorted({*run_log.done, *found})
    if run_log.kind is Kind.INTAKE:
        ledger.put([HomeFile(one.path, one.size, one.mtime_ns, None, one.full) for one in found.values()])
        settle_amended(library, ledger, run_log, journal)
        say_what_is_left(library, run_log, home, journal)
        entries = [run_log.to_come[row] for row in home]
        ledger.put_filed((str(entry["to"]), filed_by(entry)) for entry in entries)
        ledger.put_numbers((str(entry["to"]), number) for entry in entries if (number := given_number(entry)))
    return home


def _found(place: Place | None, run_log: RunLog) -> dict[int, ProofMark]:
    """Files that lie under their planned names though no proof was written down: proven now, against their sources."""
    found: dict[int, ProofMark] = {}
    if place is None:
        return found
    buffer = aligned_buffer()
    for row, entry in run_log.to_come.items():
        if row in run_log.done:
            continue
        path, source = inside(entry["to"]), Tree(str(entry.get("root") or os.path.dirname(entry["source"])))
        with contextlib.suppress(OSError, Outside):
            status = place.tree.found(path)
            theirs = source.lstat(source.within(entry["source"], Realm.OWN))
            if status is None or os.path.samestat(status, theirs):
                continue
            if {status.st_size, theirs.st_size} != {entry["size"]}:
                continue
            full, _ = read_back(place.tree, path, buffer)
            wanted, _ = read_back(source, source.within(entry["source"], Realm.OWN), buffer)
            if full == wanted:
                mark = ProofMark(place.id, entry["to"], status.st_size, status.st_mtime_ns, full, now())
                found[row] = mark.seen(status)
    return found


def _put_back(tree: Tree, run_log: RunLog) -> None:
    """What was put aside for a file that did not come then gets its name back."""
    for entry in run_log.others:
        if entry["entry"] == "to put aside":
            old, aside = inside(entry["from"]), inside(entry["to"], Realm.PUT_AWAY)
            if tree.found(old) is None and tree.found(aside) is not None:
                tree.make_folders(old.folder)
                tree.give_name(aside, old)


def _with_temporaries(tree: Tree, run_log: RunLog) -> list[int]:
    """The rows whose temporaries lie in a place."""
    by_folder: dict[Inside | None, list[int]] = {}
    for row, entry in run_log.to_come.items():
        by_folder.setdefault(inside(entry["to"]).folder, []).append(row)
    found: list[int] = []
    for folder, rows in by_folder.items():
        with contextlib.suppress(FileNotFoundError, NotADirectoryError):
            names = set(tree.names(folder))
            found += [row for row in rows if temporary_name(run_log.run, row) in names]
    return sorted(found)


def _clear_file(tree: Tree, run_log: RunLog, row: int, entry: dict[str, object]) -> None:
    """Clear up after one file in one place: its temporary, and the reservation of its name."""
    path = inside(entry["to"])
    temporary = path.beside(temporary_name(run_log.run, row))
    waits, there, whole = tree.found(temporary), tree.found(path), int(str(entry["size"]))
    if waits is None:
        return
    if there is not None and there.st_size == 0 and whole and waits.st_size == whole:
        tree.remove(path, still=there)
        there = None
    content = Content(whole, run_log.quick.get(row, b""))
    if there is None and content.quick and keep_partial(tree, temporary, content, run_log.parts.get(row, ())):
        return
    tree.remove_own(temporary)


def _clear_reserved(run_log: RunLog, places: Sequence[Place]) -> None:
    """Remove names that were only reserved for copies which were to follow their files within a place."""
    for place in places:
        moves = [one for one in run_log.others if one["entry"] == "copy to move" and one["place"] == place.id]
        if place.id != LIBRARY:
            moves += run_log.to_move.values()
        for entry in moves:
            with contextlib.suppress(Outside):
                old, new = inside(entry["from"], Realm.PUT_AWAY), inside(entry["to"], Realm.PUT_AWAY)
                there = place.tree.found(new)
                if there is not None and there.st_size == 0 and entry["size"] and not place.tree.one_entry(old, new):
                    place.tree.remove(new, still=there)


def _settle_names_between(run_log: RunLog, places: Sequence[Place]) -> None:
    """A file that a kill left under the name in between gets its new name, or its old one where that is taken."""
    trees = {place.id: place.tree for place in places}
    for (place, row), through in run_log.through.items():
        entry, tree = run_log.to_move.get(row), trees.get(place)
        if entry is None or tree is None or str(entry["from"]).startswith("/"):
            continue
        between = inside(through, Realm.OWN)
        old, new = inside(entry["from"], Realm.PUT_AWAY), inside(entry["to"], Realm.PUT_AWAY)
        if between == old.beside(f"{TEMPORARY}{run_log.run}-{row}.name"):
            _settle_name_between(tree, old, between, new, int(entry["size"]))


def _settle_name_between(tree: Tree, old: Inside, between: Inside, new: Inside, size: int) -> None:
    status = tree.found(between)
    if status is None:
        return
    if status.st_size == 0 and size:
        # The name was only reserved: the file still bears its old one.
        tree.remove(between, still=status)
        return
    for name in (new, old):
        reserved = tree.found(name)
        if reserved is not None and reserved.st_size == 0 and size:
            # A kernel may remember the other spelling of a name that was removed just now.
            with contextlib.suppress(FileNotFoundError):
                tree.remove(name, still=reserved)
    named_somehow(tree, between, new, old)


def _settle_amended(run_log: RunLog, places: Sequence[Place]) -> None:
    """Files that were on their way to one another's names get them, or have their own again.

    Until all bore names in between none had a new one: then each goes back. From then on each goes forward. In a place
    what moved there and was not written down is known by nobody: each file goes forward where that can be.
    """
    trees = {place.id: place.tree for place in places}
    for (place, row), (name, _) in run_log.turns.items():
        entry, tree = run_log.to_move.get(row), trees.get(place)
        if entry is None or tree is None or str(entry["from"]).startswith("/"):
            continue
        between = inside(name, Realm.OWN)
        old, new = inside(entry["from"], Realm.PUT_AWAY), inside(entry["to"], Realm.PUT_AWAY)
        if between != old.beside(f"{TEMPORARY}{run_log.run}-{row}.name"):
            continue
        if place == LIBRARY and not run_log.parted:
            new, old = old, new
        try:
            with contextlib.suppress(FileExistsError, NotADirectoryError):
                tree.make_folders(new.folder)
            _settle_name_between(tree, old, between, new, int(entry["size"]))
        except (FileNotFoundError, NotADirectoryError):
            # Where its folder can't be any more, it stays in the one that it was in.
            _settle_name_between(tree, old, between, old, int(entry["size"]))
        except OSError:
            if place == LIBRARY:
                raise


def _settle_across(tree: Tree, run_log: RunLog) -> None:
    """Finish what was on its way to another file system."""
    for row, entry in run_log.to_move.items():
        with contextlib.suppress(OSError, Outside):
            left = inside(entry["to"], Realm.PUT_AWAY).beside(temporary_name(run_log.run, row))
            if tree.found(left) is not None:
                tree.remove_own(left)
    for row, full in run_log.across.items():
        old, new = (str(run_log.to_move[row][name]) for name in ("from", "to"))
        if row not in run_log.done and not old.startswith("/"):
            with contextlib.suppress(OSError):
                settle_across(tree, inside(old, Realm.PUT_AWAY), inside(new, Realm.PUT_AWAY), full)


def _settle_moves(
    library: Library, ledger: Ledger, run_log: RunLog, journal: Journal, places: Sequence[Place]
) -> list[int]:
    """Finish the account of a run of moves. Returns the rows that moved."""
    _put_sidecars_back(library, run_log, journal)
    _settle_names_between(run_log, [as_place(library)])
    _settle_amended(run_log, places)
    settle_folders(library, ledger, run_log, journal, places)
    _settle_across(library.tree, run_log)
    moved = [row for row, entry in run_log.to_move.items() if _moved(library.tree, run_log, row, entry)]
    journal.moved([row for row in moved if row not in run_log.done])
    _settle_copies(ledger, run_log, journal, places, moved)
    journal.sync()
    turned = {row for row in moved if (LIBRARY, row) in run_log.turns}
    pairs = [(str(run_log.to_move[row]["from"]), str(run_log.to_move[row]["to"])) for row in moved]
    by_hand = run_log.kind is Kind.TIDY
    for own, run in ((set(moved) - turned, ""), (turned, run_log.run)):
        some = [pair for row, pair in zip(moved, pairs, strict=True) if row in own]
        follow(ledger, some, by_hand=by_hand, turned=run)
    restore(library, ledger, pairs)
    return moved


def _settle_copies(
    ledger: Ledger, run_log: RunLog, journal: Journal, places: Sequence[Place], moved: Sequence[int]
) -> None:
    """Marks of copies follow their files' moves; of copies that went to one another's names nothing is sure."""
    turned = {(place, str(run_log.to_move[row]["from"])) for place, row in run_log.turns if row in run_log.to_move}
    for place in {place for place, _ in run_log.turns} - {LIBRARY}:
        rows = [row for id_, row in run_log.turns if id_ == place and row in run_log.to_move]
        unsure_of(place, [str(run_log.to_move[row][end]) for row in rows for end in ("from", "to")], journal, ledger)
    for other in (one for one in places if one.id != LIBRARY):
        pairs = [
            (str(run_log.to_move[row]["from"]), str(run_log.to_move[row]["to"]))
            for row in moved
            if (other.id, str(run_log.to_move[row]["from"])) not in turned
        ]
        with contextlib.suppress(OSError):
            _settle_copies_in(ledger, journal, other, pairs)


def _settle_copies_in(ledger: Ledger, journal: Journal, place: Place, pairs: Sequence[tuple[str, str]]) -> None:
    """Marks of copies that lie where their files went, and not any more where they were, follow."""
    marks = ledger.marks(place.id) if pairs else {}
    for old, new in pairs:
        mark = marks.get(old)
        if mark is None or old.startswith("/") or place.tree.found(inside(old, Realm.PUT_AWAY)) is not None:
            continue
        status = place.tree.found(inside(new, Realm.PUT_AWAY))
        if status is not None and mark.fits(status):
            journal.note({"entry": "copy moved", "place": place.id, "from": old, "to": new})
            ledger.drop_proofs(place.id, [old])
            ledger.put_proofs([mark._replace(path=new, inode=0, ctime_ns=0)])


def _moved(tree: Tree, run_log: RunLog, row: int, entry: dict[str, object]) -> bool:
    """Whether a file of the library moved: by the record, else by the disk."""
    if row in run_log.done:
        return True
    if (LIBRARY, row) in run_log.turns:
        # Its old name may be another file's by now, and its new one, too, where somebody else took that.
        there = tree.found(inside(entry["to"], Realm.PUT_AWAY)) if run_log.parted else None
        return there is not None and there.st_ino == run_log.turns[LIBRARY, row][1]
    return _has_moved(tree, entry)


def _has_moved(tree: Tree, entry: dict[str, object]) -> bool:
    """Whether a file lies at its new path; what a name given in two steps left behind is cleared."""
    new = inside(entry["to"], Realm.PUT_AWAY)
    there = tree.found(new)
    if str(entry["from"]).startswith("/"):
        return there is not None and there.st_size == entry["size"]
    old = inside(entry["from"], Realm.PUT_AWAY)
    here = tree.found(old)
    if there is not None and here is None and there.st_size == 0 and entry["size"]:
        # The name was only reserved, and somebody took the file away since.
        tree.remove(new, still=there)
        return False
    if there is None or here is None:
        return here is None and there is not None and there.st_size == entry["size"]
    if tree.one_entry(old, new):
        # One file, whatever its names: it has moved if it is spelt as it was to be.
        return old != new and new.name in tree.names(new.folder)
    if os.path.samestat(here, there) and there.st_nlink > 1:
        tree.remove(old, still=here)
        return True
    if there.st_size == 0 and entry["size"] and here.st_size == entry["size"]:
        tree.remove(new, still=there)
    return False


def _put_sidecars_back(library: Library, run_log: RunLog, journal: Journal) -> None:
    """Old versions of sidecars that a kill kept from being followed by new ones come back from the tray."""
    tree = library.tree
    written = {str(entry["to"]) for entry in run_log.sidecars.values()}
    for entry in run_log.others:
        if entry["entry"] == "sidecar kept" and entry["from"] not in written:
            old, new = inside(entry["from"]), inside(entry["to"], Realm.PUT_AWAY)
            status, kept = tree.found(old), tree.found(new)
            if status is None and kept is not None:
                tree.give_name(new, old)
            elif kept is not None and status is not None:
                journal.note({
                    "entry": "sidecar", "row": entry["row"], "to": entry["from"], "size": status.st_size,
                    "mtime_ns": status.st_mtime_ns,
                })  # fmt: skip
