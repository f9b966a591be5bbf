"""Laying house rules over captures: where each file goes, and what it is called there."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from itertools import count

from jutrek.captures import Capture, Device, Moment, ReadFile, Shoot, developed_beside_raw
from jutrek.doubles import NEW, Comparison, Standing
from jutrek.errors import shown
from jutrek.filing.arrival import Arrival
from jutrek.filing.collecting import uncollected
from jutrek.filing.counting import Numbers
from jutrek.filing.facts import Facts, facts_of
from jutrek.filing.folders import Ends, Folders, ends_of
from jutrek.filing.names import legal, stem_of, suffix_of
from jutrek.filing.naming import Named, Namer, Piles, Wish, was_cut
from jutrek.filing.placing import placed, position_of
from jutrek.filing.plan import Action, Plan, Row
from jutrek.filing.rules import HouseRules, Places, Structure, Undated, names_device
from jutrek.filing.structures import structure_of
from jutrek.formats import MEDIA, Kind, Precision, Timestamp
from jutrek.library import Filed, Library, numbers_given
from jutrek.library.spots import spots_of
from jutrek.sources import Left, SourceFile
from jutrek.whereabouts import NOWHERE, Location, Whereabouts
from jutrek.wording.listed import words_of
from jutrek.wording.tree import WordTree

BROUGHT_ALONG = "Brought along"
"""The folder of what is no capture and came along as it is."""
_Part = tuple[Sequence[ReadFile], list[str]]
"""Files, and what their names carry behind the stem."""
_BY_NAME = frozenset({"xmp", "clipdata"})
"""Formats whose extensions depend on more of the name than what stands behind its last dot."""


@dataclass(frozen=True, slots=True)
class Wishes:
    """What a person decided about captures, by their ids, and what is known around them.

    Attributes:
        shoots: the shoots that they are filed with.
        waits: captures that stay for now, with the reason.
        unfiled: captures that go to Unfiled, whatever their date.
        operators: who carried them.
        worded: their keywords, beside those that the house says.
        devices: by their keys.
        said: what is said of the whole intake, by name: job, client, title, place.
        along: roots of sources of which everything comes along, also what is no capture.
        whereabouts: names positions, where a pattern asks for places; None where none does.
    """

    shoots: Sequence[Shoot] = ()
    waits: Mapping[str, str] = field(default_factory=dict)
    unfiled: frozenset[str] = frozenset()
    operators: Mapping[str, str] = field(default_factory=dict)
    worded: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    devices: Mapping[str, Device] = field(default_factory=dict)
    said: Mapping[str, str] = field(default_factory=dict)
    along: frozenset[str] = frozenset()
    whereabouts: Whereabouts | None = None


def all_facts(captures: Iterable[Capture], wishes: Wishes) -> list[Facts]:
    """The facts of captures, in their order."""
    shoots = {capture.id: shoot for shoot in wishes.shoots for capture in shoot.captures}
    devices, operators, said = wishes.devices, wishes.operators, wishes.said
    captures = list(captures)
    by_position: dict[str, str] = {}
    if wishes.whereabouts is not None:
        numbers = {id(shoot): number for number, shoot in enumerate(wishes.shoots)}
        groups = ((numbers[id(shoots[one.id])] if one.id in shoots else one.id, one) for one in captures)
        by_position = placed(groups, wishes.whereabouts)
    return [
        facts_of(
            one, shoots.get(one.id), devices.get(one.device), operators.get(one.id, ""), said,
            by_position.get(one.id, ""),
        )
        for one in captures
    ]  # fmt: skip


def make_plan(
    library: Library,
    rules: HouseRules,
    captures: Sequence[Capture],
    standings: Mapping[str, Comparison],
    left: Iterable[Left | tuple[SourceFile, str]] = (),
    wishes: Wishes | None = None,
    stored: Iterable[str] = (),
) -> Plan:
    """Make the plan of an intake. Lists folders of the library, and changes nothing.

    Args:
        captures: in the order of shooting.
        standings: by source path.
        left: what is no capture: things that are no files, and files with the reason why they stay.
        wishes: what was decided about single captures and shoots.
        stored: paths of files that lie on archive drives, whose names are taken.
    """
    wishes = wishes or Wishes()
    facts = all_facts(captures, wishes)
    planner = _Planner(library, rules, standings, wishes, captures, stored)
    rows: list[Row] = []
    with uncollected():
        for one, wish in zip(facts, Piles(facts, rules).wishes(rules), strict=True):
            rows += planner.rows_of(one, wish)
    placed = {row.source: row.destination for row in rows}
    rows = [_with_twin(row, standings, placed) for row in rows]
    rows.extend(planner.row_of_left(thing) for thing in left)
    return Plan(library.root, library.id, rules, tuple(rows))


class _Planner:
    """One plan in the making."""

    def __init__(
        self,
        library: Library,
        rules: HouseRules,
        standings: Mapping[str, Comparison],
        wishes: Wishes,
        captures: Sequence[Capture],
        stored: Iterable[str],
    ) -> None:
        self._rules, self._standings, self._wishes = rules, standings, wishes
        self._folders = Folders(library.root, stored)
        counts = rules.uses("counter")
        numbers = Numbers(rules.counter_per, rules.counter_start, numbers_given(library) if counts else {})
        self._namer = Namer(self._folders, numbers, captures, rules)
        self._shoots = {capture.id: shoot.words for shoot in wishes.shoots for capture in shoot.captures}
        self._said = tuple(sorted(wishes.said.items()))
        self._structures: dict[str, str] = {}
        self._suffixes: dict[tuple[str, str], str] = {}
        self._days: dict[date | None, str] = {None: ""}
        self._keeps_structure = rules.structure is Structure.BESIDE
        self._may_want = rules.sidecars or rules.writes_sidecars or bool(wishes.worded)
        self._locations = _located(library, captures) if rules.places is not Places.NONE else {}
        tree = words_of(library) if rules.says or wishes.worded or self._locations else WordTree()
        self._said_last: tuple[str, tuple[tuple[str, str], ...]] = ("", ())
        """The capture of which it was asked last what is said of it, and that."""
        self._arrival = Arrival(rules.says, tree, rules.setting(filed=False), names_device)

    def rows_of(self, facts: Facts, wish: Wish) -> list[Row]:
        """A row for every file of a capture."""
        capture = facts.capture
        by = self._filed(facts)
        rows: list[Row] = []
        new: list[ReadFile] = []
        home_at = ""
        for read in capture.files:
            stands = self._standings.get(read.file.path, NEW)
            if stands.standing is Standing.HOME:
                home_at = home_at or stands.equal
                why = f"Exactly the same file is home as {shown(stands.equal)}."
                rows.append(_row(read, facts, by, Action.HOME, stands.equal, why))
            elif stands.standing is Standing.TWIN:
                why = f"Exactly the same file as {shown(stands.equal)}."
                rows.append(_row(read, facts, by, Action.TWIN, stands.equal, why))
            elif read.file.size:
                new.append(read)
            else:
                why = "The file is empty: there is nothing to bring home."
                rows.append(_row(read, facts, by, Action.STAY, None, why))
        if new:
            rows += self._rows_of_new(facts, by, new, wish, home_at)
        return rows

    def _rows_of_new(self, facts: Facts, by: Filed, new: list[ReadFile], wish: Wish, home_at: str) -> list[Row]:
        capture = facts.capture
        why = capture.moment.why if capture.moment else "No date was found."
        waits = self._wishes.waits.get(capture.id)
        if waits is not None:
            return [_row(read, facts, by, Action.STAY, None, waits) for read in new]
        if home_at and not self._rules.beside:
            why = f"Its capture is home as {shown(home_at)}; by the house rules what belongs to it stays."
            return [_row(read, facts, by, Action.STAY, None, why) for read in new]
        rows = self._alone(facts, by, new, wish) if capture.kind is Kind.SIDECAR else []
        if home_at:
            rows += self._beside(facts, by, new, home_at, wish)
        if not new:
            return rows
        if capture.id in self._wishes.unfiled or (not capture.trusted and self._rules.undated is Undated.UNFILED):
            return rows + self._together(facts, by, new, self._namer.unfiled(capture), why)
        if capture.trusted:
            return rows + self._together(facts, by, new, wish, why)
        return rows + [_row(read, facts, by, Action.STAY, None, why) for read in new]

    def _filed(self, facts: Facts) -> Filed:
        """By what a capture is filed, the original name left out: it is the file's, not the capture's."""
        capture, day = facts.capture, facts.day
        moment = capture.moment
        return Filed(
            _iso(moment) if moment else "", moment.shift if moment else 0.0, capture.device, facts.operator,
            self._shoots.get(capture.id, ""), self._days.get(day) or self._days.setdefault(day, str(day or "")),
            self._said_of(facts),
        )  # fmt: skip

    def _said_of(self, facts: Facts) -> tuple[tuple[str, str], ...]:
        """What was said of the intake; a place that was told by position is kept with it, so that it stays."""
        if not facts.by_position:
            return self._said
        return tuple(
            sorted([*((name, words) for name, words in self._said if name != "place"), ("place", facts.place)])
        )

    def _alone(self, facts: Facts, by: Filed, new: list[ReadFile], wish: Wish) -> list[Row]:
        """Sidecars that come without their pictures go to them, where they are home. Takes them out of `new`."""
        rows = []
        for read in list(new):
            stands = self._standings.get(read.file.path, NEW)
            if stands.standing is not Standing.BESIDE:
                continue
            mine = [read]
            new.remove(read)
            if self._rules.beside:
                rows += self._beside(facts, by, mine, stands.equal, wish)
                why = f"It belongs to {shown(stands.equal)}, beside which there is another one already."
            else:
                why = f"It belongs to {shown(stands.equal)}; by the house rules what belongs to it stays."
            rows += [_row(one, facts, by, Action.STAY, None, why) for one in mine]
        return rows

    def _beside(self, facts: Facts, by: Filed, new: list[ReadFile], home_at: str, wish: Wish) -> list[Row]:
        """Companions of a file that is home go beside it, under its stem. Takes what it places out of `new`."""
        home_folder, name = os.path.split(home_at)
        why = f"Beside its capture, which is home as {shown(home_at)}."
        apart = developed_beside_raw(facts.capture) if wish.developed else frozenset[str]()
        if any(self._standings.get(path, NEW).equal == home_at for path in apart):
            home_folder = self._folders.spelt(wish.folder)
        rows = []
        for read in list(new):
            suffix = self._suffix(read)
            folder = self._folders.spelt(wish.developed) if read.file.path in apart else home_folder
            if self._folders.take_beside(folder, stem_of(name), suffix):
                new.remove(read)
                path = os.path.join(folder, stem_of(name) + suffix)
                rows.append(_row(read, facts, by, Action.BRING, path, why))
        return rows

    def _together(self, facts: Facts, by: Filed, files: Sequence[ReadFile], wish: Wish, why: str) -> list[Row]:
        """Name files with one free stem; files whose ending would be the same twice get a further stem."""
        rows: list[Row] = []
        endings = self._endings(facts.capture)
        if len(files) < len(endings):
            endings = [ending for read, ending in zip(facts.capture.files, endings, strict=True) if read in files]
        while files:
            ends, again = ends_of(tuple(endings)), None
            if ends.alike:
                again = self._again(files, endings, ends)
                files, endings = again[0]
                ends = ends_of(tuple(endings))
            apart = developed_beside_raw(facts.capture) if wish.developed else frozenset[str]()
            if apart:
                named = self._namer.name_apart(facts, wish, zip(files, endings, strict=True))
            else:
                named = self._namer.name(facts, wish, ends)
            told = f"{why} Its name is shortened to fit." if was_cut(wish, named) else why
            start = f"{named.folder}/{named.stem}" if named.folder else named.stem
            for read, ending in zip(files, endings, strict=True):
                is_apart = read.file.path in apart
                path = os.path.join(named.developed, named.stem) + ending if is_apart else start + ending
                row = _row(read, facts, by, Action.BRING, path, told)
                if named.key or (self._may_want and self._wants(read, facts)):
                    own = named._replace(folder=named.developed) if is_apart else named
                    sidecar = self._sidecar(own, ending, read, facts) if self._wants(read, facts) else ""
                    says = self._says(facts) if sidecar else ()
                    row = row._replace(sidecar=sidecar, counter=named.key, number=named.number, says=says)
                rows.append(row)
            if self._keeps_structure:
                self._keep_structure(facts.capture.primary.file, named.folder)
            files, endings = again[1] if again else ((), [])
        return rows

    def _again(self, files: Sequence[ReadFile], endings: Sequence[str], ends: Ends) -> tuple[_Part, _Part]:
        """Files with different endings, the first of each, and those that are left."""
        first: set[int] = set({key: at for at, key in reversed(list(enumerate(ends.keys)))}.values())

        def part(wanted: bool) -> _Part:
            own = [at for at in range(len(files)) if (at in first) is wanted]
            return [files[at] for at in own], [endings[at] for at in own]

        return part(True), part(False)

    def _endings(self, capture: Capture) -> list[str]:
        """What the name of each of its files carries behind the stem."""
        suffixes = [self._suffix(read) for read in capture.files]
        if not capture.tails:
            return suffixes
        return [tail + suffix for tail, suffix in zip(capture.tails, suffixes, strict=True)]

    def _suffix(self, read: ReadFile) -> str:
        path, form = read.file.path, read.reading.format
        dot = path.rfind(".")
        key = (path[dot:], form)
        known = self._suffixes.get(key) if dot > 0 and path[dot - 1] not in "/." else None
        if known is None:
            known = suffix_of(path[path.rfind("/") + 1 :], form, self._rules.extensions)
            by_name = form in _BY_NAME or read.reading.kind is Kind.OTHER
            if dot > 0 and path[dot - 1] not in "/." and "/" not in key[0] and not by_name:
                self._suffixes[key] = known
        return known

    def _wants(self, read: ReadFile, facts: Facts) -> bool:
        """Whether the rules want a sidecar for a file: for one of a name, companions share that of their primary."""
        capture = facts.capture
        if read is capture.primary and self._rules.sidecars and capture.moment is not None and capture.moment.shift:
            return True
        if read.reading.kind not in MEDIA or not (self._rules.originals or self._says(facts)):
            return False
        own, first = (stem_of(os.path.basename(one.file.path)) for one in (read, capture.primary))
        return read is capture.primary or own != first

    def _says(self, facts: Facts) -> tuple[tuple[str, str], ...]:
        """What is said of a capture in its sidecar."""
        id_ = facts.capture.id
        if self._said_last[0] != id_:
            says = self._arrival.of(
                facts, self._wishes.worded.get(id_, ()), self._locations.get(id_, NOWHERE),
                as_words=self._rules.places is Places.KEYWORDS,
            )  # fmt: skip
            self._said_last = id_, says
        return self._said_last[1]

    def _sidecar(self, named: Named, ending: str, read: ReadFile, facts: Facts) -> str:
        """Where a sidecar can be written beside a file: as `name.xmp`, else as `name.ext.xmp`, else nowhere."""
        tail = ending[: len(ending) - len(self._suffix(read))] if read is not facts.capture.primary else ""
        for suffix in (f"{tail}.xmp", f"{ending}.xmp"):
            if self._folders.take_beside(named.folder, named.stem, suffix):
                return os.path.join(named.folder, named.stem + suffix)
        return ""

    def _keep_structure(self, file: SourceFile, folder: str) -> None:
        if structure := structure_of(file.path, file.root):
            self._structures.setdefault(structure, folder)

    def _along(self, file: SourceFile) -> str:
        """A free path for a file that comes along as it is."""
        above, name = _along_folder(file, self._rules)
        above, (stem, dot, ending) = self._folders.spelt(above), name.rpartition(".")
        names = (name if n == 1 else f"{stem}_{n}.{ending}" if dot and stem else f"{name}_{n}" for n in count(1))
        return os.path.join(above, next(one for one in names if self._folders.take_beside(above, one, "")))

    def row_of_left(self, thing: Left | tuple[SourceFile, str]) -> Row:
        """The row of what is no capture: it stays, unless everything of its source comes along, or it belongs to a
        card's structure that is to be kept."""
        if isinstance(thing, Left) and thing.file is None:
            return Row(thing.path, thing.root, Action.STAY, None, thing.why)
        file, why = (thing.file, thing.why) if isinstance(thing, Left) else thing
        assert file is not None
        stands = self._standings.get(file.path, NEW)
        if stands.standing is Standing.HOME:
            why = f"Exactly the same file is home as {shown(stands.equal)}."
            return Row(file.path, file.root, Action.HOME, stands.equal, why, file.size, file.mtime_ns)
        if path := self._beside_home(file, stands):
            why = f"Beside its capture, which is home as {shown(stands.equal)}."
        elif file.root in self._wishes.along:
            path, why = self._along(file), "It comes along as it is."
        elif path := self._in_structure(file):
            why = "Kept beside the clips as a part of the card's structure."
        action = Action.BRING if path else Action.STAY
        return Row(file.path, file.root, action, path or None, why, file.size, file.mtime_ns)

    def _beside_home(self, file: SourceFile, stands: Comparison) -> str:
        """Where a sidecar goes whose picture is home; empty for anything else, or where the name is taken."""
        if stands.standing is not Standing.BESIDE or not self._rules.beside:
            return ""
        folder, name = os.path.split(stands.equal)
        suffix = suffix_of(os.path.basename(file.path), "", self._rules.extensions)
        free = self._folders.take_beside(folder, stem_of(name), suffix)
        return os.path.join(folder, stem_of(name) + suffix) if free else ""

    def _in_structure(self, file: SourceFile) -> str:
        """Where a part of a card's structure goes that is kept; empty for anything else, or where the name is taken."""
        folder = self._structures.get(structure_of(file.path, file.root)) if self._structures else None
        if folder is None or not file.size:
            return ""
        card = os.path.basename(file.root.rstrip("/")) or "card"
        inner = "/".join(legal(part) for part in os.path.relpath(file.path, file.root).split("/"))
        above, name = os.path.split(os.path.join(folder, legal(f"{card} structure"), inner))
        above = self._folders.spelt(above)
        return os.path.join(above, name) if self._folders.take_beside(above, name, "") else ""


def _located(library: Library, captures: Iterable[Capture]) -> dict[str, Location]:
    """Where captures were that tell their positions, by their ids."""
    told = {one.id: position for one in captures if (position := position_of(one)) is not None}
    where = Whereabouts(spots_of(library)[0])
    found = where.locations([north for north, _ in told.values()], [east for _, east in told.values()])
    return dict(zip(told, found, strict=True))


def _along_folder(file: SourceFile, rules: HouseRules) -> tuple[str, str]:
    """Where a file goes that comes along as it is, and its name: its own path, below a folder of its source."""
    card = os.path.basename(file.root.rstrip("/")) or "card"
    inner = "/".join(legal(part) for part in os.path.relpath(file.path, file.root).split("/"))
    return os.path.split(os.path.join(rules.below_job(BROUGHT_ALONG), legal(card), inner))


def _iso(moment: Moment) -> str:
    """A moment as text; most are known to the second."""
    if moment.precision is Precision.SECOND:
        local = moment.local
        return local.isoformat() if not local.microsecond else local.isoformat(timespec="seconds")
    return Timestamp(moment.local, moment.precision).iso()


def _row(read: ReadFile, facts: Facts, by: Filed, action: Action, destination: str | None, why: str) -> Row:
    file = read.file
    return Row(
        file.path, file.root, action, destination, why, file.size, file.mtime_ns, facts.capture.id, "", "", 0, by
    )  # fmt: skip


def _with_twin(row: Row, standings: Mapping[str, Comparison], placed: Mapping[str, str | None]) -> Row:
    """A twin's destination is its original's. Where the original stays, so does the twin."""
    if row.action is not Action.TWIN:
        return row
    destination = placed.get(standings[row.source].equal)
    if destination is not None:
        return row._replace(destination=destination)
    why = f"{row.why} That one stays, so this one stays too."
    return row._replace(action=Action.STAY, destination=None, why=why)
