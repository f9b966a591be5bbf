"""Laying house rules over captures: where each file goes, and what it is called there."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime

from jutrek.captures import Capture, Moment, ReadFile, Shoot
from jutrek.doubles import NEW, Standing, Stands
from jutrek.errors import shown
from jutrek.filing.names import Folders, legal, shortened, stem_of, suffix_of
from jutrek.filing.pattern import fill
from jutrek.filing.plan import Action, Plan, Row
from jutrek.filing.rules import UNFILED_FOLDER, HouseRules, Structure, Undated
from jutrek.filing.structures import structure_of
from jutrek.formats import Precision, Stamp
from jutrek.library import Library
from jutrek.sources import Left, SourceFile

_SHOOT_ROOM = 160
"""Bytes that the description of a shoot may take in a name."""


@dataclass(frozen=True, slots=True)
class Wishes:
    """What a person decided about captures, by their ids.

    Attributes:
        shoots: the shoots that they are filed with.
        waits: captures that stay for now, with the reason.
        unfiled: captures that go to Unfiled, whatever their date.
        operators: who carried them.
    """

    shoots: Sequence[Shoot] = ()
    waits: Mapping[str, str] = field(default_factory=dict)
    unfiled: frozenset[str] = frozenset()
    operators: Mapping[str, str] = field(default_factory=dict)


def make_plan(
    library: Library,
    rules: HouseRules,
    captures: Sequence[Capture],
    standings: Mapping[str, Stands],
    left: Iterable[Left | tuple[SourceFile, str]] = (),
    wishes: Wishes | None = None,
) -> Plan:
    """Make the plan of an intake. Lists folders of the library, and changes nothing.

    Args:
        captures: in the order of shooting.
        standings: by source path.
        left: what is no capture: things that are no files, and files with the reason why they stay.
        wishes: what was decided about single captures and shoots.
    """
    planner = _Planner(library, rules, standings, wishes or Wishes())
    rows = [row for capture in captures for row in planner.rows_of(capture)]
    placed = {row.source: row.destination for row in rows}
    rows = [_with_twin(row, standings, placed) for row in rows]
    rows.extend(planner.row_of_left(thing) for thing in left)
    return Plan(library.root, library.id, rules, tuple(rows))


class _Planner:
    """One plan in the making."""

    def __init__(self, library: Library, rules: HouseRules, standings: Mapping[str, Stands], wishes: Wishes) -> None:
        self._rules, self._standings, self._wishes = rules, standings, wishes
        self._folders = Folders(library.root)
        self._shoots = {capture.id: shoot for shoot in wishes.shoots for capture in shoot.captures}
        self._structures: dict[str, str] = {}
        self._words: dict[str, str] = {}
        self._filled: dict[tuple[date, str, Precision], str] = {}

    def rows_of(self, capture: Capture) -> Iterable[Row]:
        """A row for every file of a capture."""
        shoot = self._shoots.get(capture.id)
        about = _about(capture, shoot, self._wishes.operators.get(capture.id, ""))
        new: list[ReadFile] = []
        home_at = ""
        for read in capture.files:
            stands = self._standings.get(read.file.path, NEW)
            if stands.standing is Standing.NEW:
                new.append(read)
            elif stands.standing is Standing.HOME:
                home_at = home_at or stands.equal
                why = f"The same bytes are home as {shown(stands.equal)}."
                yield _row(read, about, Action.HOME, stands.equal, why)
            else:
                yield _row(read, about, Action.TWIN, stands.equal, f"The same bytes as {shown(stands.equal)}.")
        for read in [read for read in new if not read.file.size]:
            new.remove(read)
            yield _row(read, about, Action.STAY, None, "The file is empty: there is nothing to bring home.")
        why = capture.moment.why if capture.moment else "No date was found."
        waits = self._wishes.waits.get(capture.id)
        unfiled = capture.id in self._wishes.unfiled
        if waits is None and home_at:
            yield from self._beside(about, new, home_at)
        if waits is None and (unfiled or (not capture.trusted and self._rules.undated is Undated.UNFILED)):
            own = legal(stem_of(os.path.basename(capture.primary.file.path)))
            yield from self._together(capture, about, new, UNFILED_FOLDER, own, why)
        elif waits is None and capture.trusted and capture.moment is not None:
            folder, name = self._filed(capture.moment, shoot)
            yield from self._together(capture, about, new, folder, name, why)
        else:
            for read in new:
                yield _row(read, about, Action.STAY, None, waits or why)

    def _filed(self, moment: Moment, shoot: Shoot | None) -> tuple[str, str]:
        """Folder and name. The folder goes by the day that the shoot is filed under, the name by the true time."""
        rules, words = self._rules, self._legal_words(shoot.words) if shoot else ""
        local, precision = moment.local, moment.precision
        # Of a date that is known to the month or year only, no day is told, and so no shoot.
        is_day = precision >= Precision.DAY
        words = words if is_day else ""
        day = (shoot.day if shoot and is_day else local.date(), words, precision)
        if day not in self._filled:
            begin = datetime(day[0].year, day[0].month, day[0].day)
            self._filled[day] = fill(rules.layout, begin, precision, shoot=words)
        return self._filled[day], fill(rules.name, local, precision, shoot=words)

    def _legal_words(self, words: str) -> str:
        if words and words not in self._words:
            self._words[words] = shortened(legal(words), "", spare=255 - _SHOOT_ROOM)
        return self._words.get(words, "")

    def _beside(self, about: Row, new: list[ReadFile], home_at: str) -> Iterable[Row]:
        """Companions of a file that is home go beside it, under its stem. Takes what it places out of `new`."""
        folder, name = os.path.split(home_at)
        for read in list(new):
            suffix = _suffix(read)
            if self._folders.take_beside(folder, stem_of(name), suffix):
                new.remove(read)
                path = os.path.join(folder, stem_of(name) + suffix)
                yield _row(read, about, Action.BRING, path, f"Beside its capture, which is home as {shown(home_at)}.")

    def _together(
        self, capture: Capture, about: Row, files: Sequence[ReadFile], folder: str, wish: str, why: str
    ) -> Iterable[Row]:
        """Name files with one free stem; files whose ending would be the same twice get a further stem."""
        tails = dict(zip((read.file.path for read in capture.files), capture.tails, strict=False))
        waiting = list(files)
        while waiting:
            first: dict[str, ReadFile] = {}
            again: list[ReadFile] = []
            for read in waiting:
                ending = tails.get(read.file.path, "") + _suffix(read)
                if first.setdefault(ending, read) is not read:
                    again.append(read)
            stem = self._folders.free_stem(folder, wish, list(first))
            for ending, read in first.items():
                row = _row(read, about, Action.BRING, os.path.join(folder, stem + ending), why)
                is_fixed = self._rules.sidecars and read is capture.primary and about.shift
                yield replace(row, sidecar=self._sidecar(folder, stem, ending)) if is_fixed else row
            self._keep_structure(capture.primary.file, folder)
            waiting = again

    def _sidecar(self, folder: str, stem: str, ending: str) -> str:
        """Where a corrected date can be written beside a file: as `name.xmp`, else as `name.ext.xmp`, else nowhere."""
        for suffix in (".xmp", f"{ending}.xmp"):
            if self._folders.take_beside(folder, stem, suffix):
                return os.path.join(folder, stem + suffix)
        return ""

    def _keep_structure(self, file: SourceFile, folder: str) -> None:
        if self._rules.structure is Structure.BESIDE and (structure := structure_of(file.path, file.root)):
            self._structures.setdefault(structure, folder)

    def row_of_left(self, thing: Left | tuple[SourceFile, str]) -> Row:
        """The row of what is no capture: it stays, unless it belongs to a card's structure that is to be kept."""
        if isinstance(thing, Left):
            return Row(thing.path, thing.root, Action.STAY, None, thing.why)
        file, why = thing
        folder = self._structures.get(structure_of(file.path, file.root)) if self._structures else None
        if folder is not None and file.size:
            card = os.path.basename(file.root.rstrip("/")) or "card"
            inner = "/".join(legal(part) for part in os.path.relpath(file.path, file.root).split("/"))
            above, name = os.path.split(os.path.join(folder, legal(f"{card} structure"), inner))
            if self._folders.take_beside(above, name, ""):
                why = "Kept beside the clips as a part of the card's structure."
                path = os.path.join(above, name)
                return Row(file.path, file.root, Action.BRING, path, why, file.size, file.mtime_ns)
        return Row(file.path, file.root, Action.STAY, None, why, file.size, file.mtime_ns)


def _about(capture: Capture, shoot: Shoot | None, operator: str) -> Row:
    """What all rows of a capture have in common."""
    moment = capture.moment
    return Row(
        "", capture.root, Action.STAY, None, "", capture=capture.id, device=capture.device, operator=operator,
        moment=Stamp(moment.local, moment.precision).iso() if moment else "", shift=moment.shift if moment else 0.0,
        shoot=shoot.words if shoot else "",
    )  # fmt: skip


def _row(read: ReadFile, about: Row, action: Action, destination: str | None, why: str) -> Row:
    file = read.file
    return Row(
        file.path, file.root, action, destination, why, file.size, file.mtime_ns, about.capture, about.moment,
        about.shift, about.device, about.operator, about.shoot,
    )  # fmt: skip


def _suffix(read: ReadFile) -> str:
    name = os.path.basename(read.file.path)
    suffix = suffix_of(name, read.reading.format)
    return suffix if len(suffix.encode("utf-8", "replace")) <= 32 else shortened(suffix, "", spare=223)


def _with_twin(row: Row, standings: Mapping[str, Stands], placed: Mapping[str, str | None]) -> Row:
    """A twin's destination is its original's. Where the original stays, so does the twin."""
    if row.action is not Action.TWIN:
        return row
    destination = placed.get(standings[row.source].equal)
    if destination is not None:
        return replace(row, destination=destination)
    return replace(row, action=Action.STAY, destination=None, why=f"{row.why} That one stays, so this one stays too.")
