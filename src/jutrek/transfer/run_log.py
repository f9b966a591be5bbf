"""Reading journals: what a run was to do and what it did, and what was known of every file."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple, TypeVar

from jutrek.errors import shown
from jutrek.library import LIBRARY, Filed, GivenNumber, Library, ProofMark, State
from jutrek.library.amended import Amended
from jutrek.transfer.amend_lines import amended_by, is_amended
from jutrek.transfer.chain import LONGEST, START, Break, breaks, lines_of
from jutrek.transfer.journal import Kind, journal_names, path_of

_K = TypeVar("_K")
_T = TypeVar("_T")
_TAIL = 16384
_HEADS = frozenset(kind.value for kind in Kind)
_FOUND_BAD = frozenset({State.ROTTED.value, State.UNREADABLE.value, State.CHANGED.value, State.GONE.value})
_MOVES = frozenset({Kind.REFILE, Kind.TIDY, Kind.TAKE_BACK, Kind.SET_ASIDE})


@dataclass(slots=True)
class RunLog:
    """What a journal tells of a run.

    Attributes:
        run: its id.
        kind: what it does.
        head: its first entry: `at` (UTC, ISO 8601), `who`, and what its kind tells.
        end: its last entry; empty for a run that has not ended.
        to_come: entries of files to be brought, by row.
        to_move: entries of files to be moved, by row.
        done: rows that came home, or moved, with the entry that says so.
        copied: rows by place.
        parts: how far large files were copied, with the fingerprints of their parts, by row.
        quick: the quick fingerprints of large files that were partly copied, by row; empty where it is not told.
        through: the names in between of files whose new names differ by case or form only, by place and row.
        turns: the names in between of files that go to one another's names, with their inodes, by place and row.
        parted: whether all of these bore them in the library.
        folders: entries of folders that are moved whole, by row.
        folders_moved: the rows of those that moved.
        to_say: entries of sidecars that are written for what they say, by row.
        sidecars: entries of sidecars that were written, by row.
        failed: why rows did not come home.
        others: entries that only this kind of run has.
        bad: numbers of lines that are not believed, with the reason. Nothing rests on them.
    """

    run: str
    kind: Kind = Kind.INTAKE
    head: dict[str, Any] = field(default_factory=dict)
    end: dict[str, Any] = field(default_factory=dict)
    to_come: dict[int, dict[str, Any]] = field(default_factory=dict)
    to_move: dict[int, dict[str, Any]] = field(default_factory=dict)
    done: dict[int, dict[str, Any]] = field(default_factory=dict)
    copied: dict[str, dict[int, dict[str, Any]]] = field(default_factory=dict)
    parts: dict[int, list[tuple[int, bytes]]] = field(default_factory=dict)
    quick: dict[int, bytes] = field(default_factory=dict)
    through: dict[tuple[str, int], str] = field(default_factory=dict)
    turns: dict[tuple[str, int], tuple[str, int]] = field(default_factory=dict)
    parted: bool = False
    folders: dict[int, dict[str, Any]] = field(default_factory=dict)
    folders_moved: set[int] = field(default_factory=set)
    to_say: dict[int, dict[str, Any]] = field(default_factory=dict)
    sidecars: dict[int, dict[str, Any]] = field(default_factory=dict)
    failed: dict[int, str] = field(default_factory=dict)
    others: list[dict[str, Any]] = field(default_factory=list)
    bad: list[tuple[int, str]] = field(default_factory=list)

    @property
    def troubles(self) -> list[str]:
        """A sentence for every line that is not believed."""
        return [f"{shown(self.run)}, line {number}: {why.rstrip('.')}." for number, why in self.bad]

    @property
    def at(self) -> str:
        """When it began, UTC, ISO 8601."""
        return str(self.head.get("at", ""))

    @property
    def takes_back(self) -> str:
        """The run that it undoes; empty for none."""
        return str(self.head.get("takes_back", ""))

    @property
    def originals_gone(self) -> set[int]:
        """The rows of files that went from where they were, once they were proven on the other side."""
        return {one["row"] for one in self.others if one["entry"] == "original gone"} & self.to_come.keys()

    @property
    def across(self) -> dict[int, bytes]:
        """The fingerprints of files whose copies on another file system were proven, by row."""
        told = (one for one in self.others if one["entry"] == "across" and one["row"] in self.to_move)
        return {one["row"]: bytes.fromhex(one["xxh3_128"]) for one in told}

    @property
    def moves(self) -> bool:
        """Whether it moves files within the library."""
        return self.kind in _MOVES

    def follow(self, paths: Mapping[str, _T]) -> dict[str, _T]:
        """What was known of paths of the library when it began, by the paths that they have since it moved them."""
        kept = dict(paths)
        _rename(kept, self.sidecars_put_away())
        if not self.moves or not (self.folders_moved or self.done):
            return kept
        _rename(kept, self.files_moved())
        for old, new in self._folder_paths():
            kept = {_below(path, old, new): known for path, known in kept.items()}
        return kept

    def files_moved(self) -> list[tuple[str, str]]:
        """Where files were that it moved by themselves, and where it put them."""
        return [(str(one["from"]), str(one["to"])) for row, one in self.to_move.items() if row in self.done]

    def sidecars_put_away(self) -> list[tuple[str, str]]:
        """Where sidecars were that new ones took the place of, and where it put them."""
        return [
            (str(one["from"]), str(one["to"]))
            for one in self.others
            if one["entry"] == "sidecar kept" and one["row"] in self.sidecars
        ]

    def _folder_paths(self) -> list[tuple[str, str]]:
        return [(str(self.folders[row]["from"]), str(self.folders[row]["to"])) for row in sorted(self.folders_moved)]

    @property
    def to_do(self) -> Mapping[int, dict[str, Any]]:
        """What it was to do, by row."""
        return self.to_move if self.moves else self.to_say if self.kind is Kind.DESCRIBE else self.to_come


def _rename(known: dict[_K, _T], moves: Iterable[tuple[_K, _K]]) -> None:
    """Let what is known follow moves that were made all at once, also to one another's names.

    What moved comes to lie where something else was known: that is no longer there.
    """
    known.update([(new, known.pop(old)) for old, new in list(moves) if old in known])


def _below(path: str, old: str, new: str) -> str:
    """A path after a folder moved that it may lie in."""
    return f"{new}{path[len(old) :]}" if path.startswith(f"{old}/") else path


def run_log_of(library: Library, run: str) -> RunLog:
    """Read the whole journal of a run. Lines that are not believed are told in `bad`.

    Raises:
        OSError: when it cannot be read.
    """
    run_log = RunLog(run)
    with library.tree.open_own(path_of(run)) as file:
        for number, entry in _entries(lines_of(file), run_log.bad):
            _enter(run_log, entry, number)
    _drop_what_hangs(run_log)
    return run_log


def _entries(lines: Iterable[bytes], bad: list[tuple[int, str]]) -> Iterator[tuple[int, dict[str, Any]]]:
    """The entries of a journal with the numbers of their lines; those that are not believed go into `bad`."""
    from jutrek.transfer.lines import BadLine, entry_of

    torn: dict[int, str] = {}
    heads = _HEADS
    for number, line in enumerate(lines, 1):
        try:
            entry = entry_of(line, heads)
        except BadLine as error:
            torn[number] = str(error)
            continue
        heads = frozenset()
        if entry["entry"] == "torn":
            torn.pop(entry["line"], None)
        yield number, entry
    bad += torn.items()


def _drop_what_hangs(run_log: RunLog) -> None:
    """What is said to be done of a row that was never announced is not believed."""
    run_log.folders_moved &= run_log.folders.keys()
    told: list[dict[int, Any]] = [run_log.done, run_log.sidecars, run_log.parts, *run_log.copied.values()]
    for rows in told:
        for row in rows.keys() - run_log.to_do.keys() - (run_log.to_say.keys() if rows is run_log.sidecars else set()):
            del rows[row]
            run_log.bad.append((0, f"row {row} was never announced"))
    for row in run_log.sidecars.keys() & run_log.to_say.keys():
        if run_log.sidecars[row]["to"] != run_log.to_say[row]["to"]:
            del run_log.sidecars[row]
            run_log.bad.append((0, f"row {row} was announced as another sidecar"))


def runs(library: Library) -> list[str]:
    """The ids of all runs, oldest first."""
    return [name.removesuffix(".jsonl") for name in journal_names(library)]


def later_runs(library: Library, run: str) -> list[str]:
    """The ids of the runs after one, oldest first."""
    known = runs(library)
    return known[known.index(run) + 1 :] if run in known else []


def unfinished(library: Library) -> Iterator[RunLog]:
    """Read the journals that have no end, oldest first.

    Of a journal that has an end only the last bytes are read: a library has very many of them in time.
    """
    for run in runs(library):
        if not end_of(library, run):
            run_log = run_log_of(library, run)
            # Without its head nobody knows what it was to do: then nothing of it is gone by.
            if run_log.head or not (run_log.to_come or run_log.to_move):
                yield run_log


def end_of(library: Library, run: str) -> dict[str, Any]:
    """The end of a run; empty where it has none."""
    with library.tree.open_own(path_of(run)) as file:
        file.seek(max(0, file.seek(0, os.SEEK_END) - _TAIL))
        last = file.read().splitlines()[-1:]
    entry = next((entry for _, entry in _entries(last, [])), {})
    return entry if entry.get("entry") == "end" else {}


def head_of(library: Library, run: str) -> dict[str, Any]:
    """The first entry of a run."""
    with library.tree.open_own(path_of(run)) as file:
        return next((entry for _, entry in _entries([file.readline(LONGEST)], [])), {})


def moving_runs(library: Library) -> Iterator[RunLog]:
    """Read the journals of all runs that moved files within the library, or put them away, newest first."""
    for run in reversed(runs(library)):
        if head_of(library, run).get("entry") in (*_MOVES, Kind.DESCRIBE):
            yield run_log_of(library, run)


class Known(NamedTuple):
    """What journals tell of a library's files.

    Attributes:
        filed: by what they were filed, by their paths now.
        proofs: what was proven of them, and of copies.
        numbers: which numbers names were given, by path.
        stored: the ids of the archive drives that files are stored on, by path.
        amended: what files were before they were amended, by their paths now.
    """

    filed: dict[str, Filed]
    proofs: list[ProofMark]
    numbers: dict[str, GivenNumber]
    stored: dict[str, str]
    amended: dict[str, Amended]


def known_of_files(library: Library) -> Known:
    """What was known of files: for a ledger that was lost."""
    filed: dict[str, Filed] = {}
    numbers: dict[str, GivenNumber] = {}
    proofs: dict[tuple[str, str], ProofMark] = {}
    stored: dict[str, str] = {}
    amended: dict[str, Amended] = {}
    for run in runs(library):
        run_log = run_log_of(library, run)
        for row, done in sorted(run_log.done.items()):
            if (number := given_number(run_log.to_do.get(row, {}))) is not None:
                numbers[str(run_log.to_do[row]["to"])] = number
            if (entry := run_log.to_come.get(row)) is not None:
                if run_log.kind is Kind.INTAKE:
                    filed[str(entry["to"])] = filed_by(entry)
                _learn(proofs, run_log, row, entry, done)
        if run_log.moves and run_log.folders_moved:
            # As a rule a run moves files or folders.
            filed, numbers = run_log.follow(filed), run_log.follow(numbers)
            _move_proofs(proofs, LIBRARY, run_log.follow)
        elif run_log.moves:
            _rename(filed, run_log.files_moved())
            _rename_proofs(proofs, LIBRARY, run_log.files_moved())
        if drive := str(run_log.head.get("drive", "")):
            _cross(run_log, drive, stored, proofs)
        for place, copies in _copies_moved(run_log).items():
            _rename_proofs(proofs, place, copies)
        _learn_sidecars(proofs, run_log)
        amended = _with_amended(run_log.follow(amended), run_log)
        for entry in run_log.others:
            _follow(proofs, entry, run_log.at)
            if entry["entry"] == "said" and (path := str(entry["path"])) in filed:
                filed[path] = with_said(filed[path], entry["now"])
    return Known(filed, list(proofs.values()), numbers, stored, amended)


def _with_amended(known: dict[str, Amended], run_log: RunLog) -> dict[str, Amended]:
    """What files were before they were amended, those of a run among them."""
    for row in run_log.sidecars.keys() & run_log.to_say.keys():
        if is_amended(entry := run_log.to_say[row]):
            told = amended_by(entry)
            now = told.after(known.pop(told.path, None))
            known |= {told.path: now} if now is not None else {}
    return known


def _cross(run_log: RunLog, drive: str, stored: dict[str, str], proofs: dict[tuple[str, str], ProofMark]) -> None:
    """Take what went to an archive drive, or came from there; what is on both sides lies in the root."""
    for row in run_log.originals_gone:
        path = str(run_log.to_come[row]["to"])
        if run_log.kind is Kind.STORE:
            stored[path] = drive
        proofs.pop((LIBRARY if run_log.kind is Kind.STORE else drive, path), None)
    if run_log.kind is Kind.FETCH:
        for row in run_log.done.keys() & run_log.to_come.keys():
            stored.pop(str(run_log.to_come[row]["to"]), None)


def _copies_moved(run_log: RunLog) -> dict[str, list[tuple[str, str]]]:
    """Which copies moved within places: by place where each was, and where it is."""
    found: dict[str, list[tuple[str, str]]] = defaultdict(list)
    for entry in run_log.others:
        if entry["entry"] == "copy moved":
            found[str(entry["place"])].append((str(entry["from"]), str(entry["to"])))
    return found


def _rename_proofs(proofs: dict[tuple[str, str], ProofMark], place: str, moves: Iterable[tuple[str, str]]) -> None:
    """Let what was proven of files of a place follow their moves."""
    keys = [((place, old), (place, new)) for old, new in moves]
    _rename(proofs, keys)
    proofs.update({key: proofs[key]._replace(path=key[1]) for _, key in keys if key in proofs})


def _move_proofs(
    proofs: dict[tuple[str, str], ProofMark], place: str, how: Callable[[dict[str, ProofMark]], dict[str, ProofMark]]
) -> None:
    """Let what was proven in a place follow moves."""
    own = {path: proofs.pop((id_, path)) for id_, path in list(proofs) if id_ == place}
    proofs.update({(place, path): mark._replace(path=path) for path, mark in how(own).items()})


def given_number(entry: Mapping[str, Any]) -> GivenNumber | None:
    """The number that an announced name was given; None where it has none."""
    return GivenNumber(str(entry["counter"]), int(entry["number"])) if entry.get("counter") else None


def _follow(proofs: dict[tuple[str, str], ProofMark], entry: Mapping[str, Any], at: str) -> None:
    """Take what else was found of files."""
    kind = entry["entry"]
    if kind == "proven":
        mark = _proven(entry, at)
        proofs[mark.place, mark.path] = mark
    elif kind == "copies moved":
        old, new = str(entry["from"]), str(entry["to"])
        _move_proofs(
            proofs, str(entry["place"]), lambda own: {_below(path, old, new): one for path, one in own.items()}
        )  # fmt: skip
    elif kind == "missed again":
        mark = _proven(entry, at)._replace(state=State(entry.get("state", State.GONE.value)))
        proofs[mark.place, mark.path] = mark
    elif kind in ("let go", "unsure"):
        proofs.pop((entry["place"], entry["path"]), None)
    elif kind == State.CHANGED.value and entry["place"] == LIBRARY:
        # In the library it is somebody's new version, and was proven as what it is.
        return
    elif kind in _FOUND_BAD and (known := proofs.get((entry["place"], entry["path"]))) is not None:
        proofs[known.place, known.path] = known._replace(state=State(kind), at=at)
    elif kind == "copied tree":
        for key, mark in proofs.items():
            if key[0] == entry["place"] and mark.stands:
                proofs[key] = mark._replace(state=State.COPIED)


def _learn_sidecars(proofs: dict[tuple[str, str], ProofMark], run_log: RunLog) -> None:
    """Take which sidecars were written anew, and where their old versions went."""
    _rename_proofs(proofs, LIBRARY, run_log.sidecars_put_away())
    for row, entry in run_log.to_say.items():
        if "mtime_ns" in (written := run_log.sidecars.get(row, {})):
            path, full = str(entry["to"]), bytes.fromhex(entry["xxh3_128"])
            proofs[LIBRARY, path] = ProofMark(
                LIBRARY, path, int(entry["size"]), int(written["mtime_ns"]), full, run_log.at
            )  # fmt: skip


def _learn(
    proofs: dict[tuple[str, str], ProofMark], run_log: RunLog, row: int, entry: dict[str, Any], done: dict[str, Any]
) -> None:
    """Take what an intake proved of a file, in the library and in other places."""
    try:
        path, size, full = str(entry["to"]), int(entry["size"]), bytes.fromhex(str(done["xxh3_128"]))
    except (KeyError, ValueError):
        return
    mtime_ns = int(done.get("mtime_ns", entry["mtime_ns"]))
    main = str(run_log.head.get("place", ""))
    proofs[main, path] = ProofMark(main, path, size, mtime_ns, full, run_log.at)
    for place, rows in run_log.copied.items():
        if row in rows:
            mtime_ns = int(rows[row].get("mtime_ns", entry["mtime_ns"]))
            proofs[place, path] = ProofMark(place, path, size, mtime_ns, full, run_log.at)


def _proven(entry: Mapping[str, Any], at: str) -> ProofMark:
    full = bytes.fromhex(str(entry["xxh3_128"]))
    return ProofMark(str(entry["place"]), str(entry["path"]), int(entry["size"]), int(entry["mtime_ns"]), full, at)


def filed_by(entry: Mapping[str, Any]) -> Filed:
    """By what the file of a `bring` line is filed."""
    values = {name: entry[name] for name in Filed._fields if name in entry}
    values["said"] = tuple((str(name), str(words)) for name, words in values.get("said", ()))
    return Filed(**values)


def with_said(filed: Filed, told: Mapping[str, Any]) -> Filed:
    """By what a file is filed, with what a `said` line tells of it."""
    said = tuple((str(name), str(words)) for name, words in told["said"])
    return filed._replace(shoot=str(told["shoot"]), operator=str(told["operator"]), said=said)


def broken_records(library: Library) -> dict[str, list[Break]]:
    """Where journals are not what was written, by run."""
    found: dict[str, list[Break]] = {}
    before: str | None = START
    for run in runs(library):
        with library.tree.open_own(path_of(run)) as file:
            lines = list(lines_of(file))
        broken, before = breaks(lines, before)
        told = {one.line for one in broken}
        bad: list[tuple[int, str]] = []
        for _ in _entries(lines, bad):
            pass
        broken += [Break(number, f"Line {number} is not believed: {why}.") for number, why in bad if number not in told]
        if broken:
            found[run] = broken
    return found


def _enter(run_log: RunLog, entry: dict[str, Any], number: int) -> None:
    """Take an entry. What was said before of the same row holds: lines are only ever appended."""
    kind = entry["entry"]
    match kind:
        case "bring" | "move" | "to say":
            rows = {"bring": run_log.to_come, "move": run_log.to_move}.get(kind, run_log.to_say)
            if entry["row"] in rows:
                run_log.bad.append((number, f"row {entry['row']} was announced before"))
            rows.setdefault(entry["row"], entry)
        case "turn" | "parted" | "move folder" | "folder moved" | "moved":
            _enter_move(run_log, entry)
        case "home" | "found":
            run_log.done[entry["row"]] = entry
        case "copied":
            run_log.copied.setdefault(entry["place"], {})[entry["row"]] = entry
        case "part":
            run_log.parts.setdefault(entry["row"], []).append((entry["upto"], bytes.fromhex(entry["xxh3_128"])))
            run_log.quick[entry["row"]] = bytes.fromhex(entry.get("quick", ""))
        case "sidecar" | "amended" | "turned":
            run_log.sidecars[entry["row"]] = entry
        case "through":
            run_log.through.setdefault((entry.get("place", ""), entry["row"]), entry["name"])
        case "failed":
            run_log.failed[entry["row"]] = entry["why"]
        case "end":
            run_log.end = entry
        case _ if not run_log.head and kind in _HEADS:
            run_log.kind, run_log.head = Kind(kind), entry
        case _:
            run_log.others.append(entry)


def _enter_move(run_log: RunLog, entry: dict[str, Any]) -> None:
    """Take an entry of files that moved, also to one another's names, or of a folder that is moved whole."""
    match entry["entry"]:
        case "moved" if "upto" in entry:
            run_log.done.update({row: entry for row in run_log.to_move if entry["row"] <= row <= entry["upto"]})
        case "moved":
            run_log.done[entry["row"]] = entry
        case "turn":
            key = entry.get("place", LIBRARY), entry["row"]
            run_log.turns.setdefault(key, (entry["name"], entry.get("inode", 0)))
        case "parted":
            run_log.parted = True
        case "move folder":
            run_log.folders.setdefault(entry["row"], entry)
        case _:
            run_log.folders_moved.add(entry["row"])
