"""The board: an immutable picture of an intake, ready to be drawn by a face."""

from __future__ import annotations

import os
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from enum import StrEnum
from typing import TYPE_CHECKING

from jutrek.captures import Capture, Device
from jutrek.filing import Action, Plan, Row
from jutrek.formats import Kind, Stretch
from jutrek.sources import Source

if TYPE_CHECKING:
    from jutrek.transfer import Done

MANY_DAYS = 60
MANY_MONTHS = 60


class State(StrEnum):
    """What is to become, or became, of a capture."""

    BRING = "bring"
    HOME = "home"
    LOOK = "look"
    BROUGHT = "brought"
    FAILED = "failed"


@dataclass(frozen=True, slots=True)
class CaptureView:
    """A capture as the board shows it.

    Attributes:
        id: the path of its primary file.
        source: the root of its source.
        name: the primary's own file name.
        state: what is to become, or became, of it.
        destination: where the primary goes or is, relative to the library; empty where it stays.
        companions: file names that travel with it.
        device: its device.
        kind: still, clip or sound.
        when: local wall time, or None.
        why: the reason for its date, or for what became of it.
        duration: in seconds; 0.0 for stills.
        size: bytes of all its files.
        notes: what is odd about its files.
        preview: an embedded JPEG in the primary file, or None.
    """

    id: str
    source: str
    name: str
    state: State
    destination: str
    companions: tuple[str, ...]
    device: Device
    kind: Kind
    when: datetime | None
    why: str
    duration: float
    size: int
    notes: tuple[str, ...]
    preview: Stretch | None = None

    @property
    def folder(self) -> str:
        """The folder it goes to or is in, relative to the library."""
        return os.path.dirname(self.destination)

    @property
    def new_name(self) -> str:
        """Its name in the library."""
        return os.path.basename(self.destination)


@dataclass(frozen=True, slots=True)
class DayView:
    """A row of the board: a day, or a month or year where there are very many.

    Attributes:
        key: `2026-05-14`, `2026-05` or `2026`; empty for the captures that need a look.
        start: its first day; None for the captures that need a look.
        captures: in the order of shooting.
        devices: those that took part, in the order of their letters.
    """

    key: str
    start: date | None
    captures: tuple[CaptureView, ...]
    devices: tuple[Device, ...]

    def count(self, *states: State) -> int:
        """How many captures are in one of these states."""
        return sum(capture.state in states for capture in self.captures)


@dataclass(frozen=True, slots=True)
class SourceView:
    """A source with its main device and what was found on it."""

    source: Source
    device: Device | None
    captures: int
    kinds: tuple[tuple[Kind, int], ...]
    size: int
    states: tuple[tuple[State, int], ...]
    left: tuple[tuple[str, str], ...]

    def count(self, *states: State) -> int:
        """How many of its captures are in one of these states."""
        return sum(number for state, number in self.states if state in states)


@dataclass(frozen=True, slots=True)
class FolderView:
    """A folder of the library that the plan fills: relative path, captures coming, and whether it exists."""

    path: str
    coming: int
    home: int
    exists: bool


@dataclass(frozen=True, slots=True)
class Place:
    """A place of copies: its name, its root, and its free and whole room in bytes."""

    name: str
    root: str
    free: int
    total: int


@dataclass(frozen=True, slots=True)
class Board:
    """The whole picture."""

    sources: tuple[SourceView, ...] = ()
    days: tuple[DayView, ...] = ()
    folders: tuple[FolderView, ...] = ()
    plan: Plan | None = None
    bring_files: int = 0
    bring_bytes: int = 0
    place: Place | None = None

    def count(self, *states: State) -> int:
        """How many captures are in one of these states."""
        return sum(day.count(*states) for day in self.days)

    @property
    def captures(self) -> int:
        """How many captures there are."""
        return sum(len(day.captures) for day in self.days)

    def find(self, capture: str) -> CaptureView | None:
        """A capture by its id."""
        return next((view for day in self.days for view in day.captures if view.id == capture), None)


def build(
    sources: Sequence[Source],
    captures: Sequence[Capture],
    devices: Mapping[str, Device],
    plan: Plan | None,
    results: Mapping[str, Done],
    existing: frozenset[str],
    place: Place | None = None,
) -> Board:
    """Draw up the board.

    Args:
        captures: of all sources, in the order of shooting.
        devices: by key.
        plan: the plan, or None while there is no library.
        results: what became of files so far, by source path.
        existing: folders of the plan that exist in the library, relative.
        place: where the library is, and its room.
    """
    rows: dict[str, list[Row]] = defaultdict(list)
    for row in plan.rows if plan else ():
        rows[row.capture].append(row)
    views = [_view(capture, devices[capture.device], rows.get(capture.id, ()), results) for capture in captures]
    to_bring = (
        [row for row in plan.to_bring() if row.source not in results or not results[row.source].home] if plan else []
    )
    return Board(
        tuple(_source(source, captures, views, devices, rows[""]) for source in sources),
        _days(views),
        _folders(views, existing),
        plan,
        len(to_bring),
        sum(row.size for row in to_bring),
        place,
    )


def _view(capture: Capture, device: Device, rows: Sequence[Row], results: Mapping[str, Done]) -> CaptureView:
    primary, moment = capture.primary, capture.moment
    state, row, why = _state(capture, rows, results)
    return CaptureView(
        id=capture.id,
        source=primary.file.root,
        name=os.path.basename(primary.file.path),
        state=state,
        destination=(row.destination or "") if row else "",
        companions=tuple(os.path.basename(read.file.path) for read in capture.files[1:]),
        device=device,
        kind=capture.kind,
        when=moment.local if moment else None,
        why=why or (moment.why if moment else "No date was found."),
        duration=primary.reading.duration,
        size=capture.size,
        notes=tuple(note for read in capture.files for note in read.reading.notes),
        preview=primary.reading.preview,
    )


def _state(capture: Capture, rows: Sequence[Row], results: Mapping[str, Done]) -> tuple[State, Row | None, str]:
    """What is to become of a capture, the row that stands for it, and the sentence if it failed."""
    if not rows:
        return (State.BRING if capture.trusted else State.LOOK), None, ""
    ended = [results[row.source] for row in rows if row.source in results]
    failed = next((done for done in ended if not done.home), None)
    first = next((row for row in rows if row.source == capture.id), rows[0])
    if failed is not None:
        return State.FAILED, first, failed.why
    if any(row.action is Action.BRING and row.source not in results for row in rows):
        return State.BRING, first, ""
    if all(row.action is Action.STAY for row in rows):
        return State.LOOK, None, ""
    return (State.BROUGHT if ended else State.HOME), first, ""


def _source(
    source: Source,
    captures: Sequence[Capture],
    views: Sequence[CaptureView],
    devices: Mapping[str, Device],
    loose: Sequence[Row],
) -> SourceView:
    own = [view for view in views if view.source == source.root]
    counts = Counter(view.device.key for view in own)
    main = devices[counts.most_common(1)[0][0]] if counts else None
    return SourceView(
        source,
        main,
        len(own),
        tuple(Counter(view.kind for view in own).items()),
        sum(view.size for view in own),
        tuple(Counter(view.state for view in own).items()),
        tuple((row.source, row.why) for row in loose if row.root == source.root),
    )


def _days(views: Sequence[CaptureView]) -> tuple[DayView, ...]:
    """Rows per day; per month beyond 60 days, per year beyond 60 months; captures that need a look come last."""
    dated = [view for view in views if view.when is not None and view.state is not State.LOOK]
    length = 10
    if len({f"{view.when:%Y-%m-%d}" for view in dated}) > MANY_DAYS:
        length = 7 if len({f"{view.when:%Y-%m}" for view in dated}) <= MANY_MONTHS else 4
    piles: dict[str, list[CaptureView]] = defaultdict(list)
    for view in dated:
        piles[f"{view.when:%Y-%m-%d}"[:length]].append(view)
    days = [DayView(key, _first_day(key), tuple(pile), _devices(pile)) for key, pile in sorted(piles.items())]
    look = [view for view in views if view.when is None or view.state is State.LOOK]
    if look:
        days.append(DayView("", None, tuple(look), _devices(look)))
    return tuple(days)


def _first_day(key: str) -> date:
    return date.fromisoformat((key + "-01-01")[:10])


def _devices(views: Sequence[CaptureView]) -> tuple[Device, ...]:
    return tuple(sorted({view.device for view in views}, key=lambda device: (len(device.letter), device.letter)))


def _folders(views: Sequence[CaptureView], existing: frozenset[str]) -> tuple[FolderView, ...]:
    coming: Counter[str] = Counter()
    home: Counter[str] = Counter()
    for view in views:
        if view.state in (State.BRING, State.FAILED, State.BROUGHT) and view.destination:
            coming[view.folder] += 1
        elif view.state is State.HOME:
            home[view.folder] += 1
    paths = sorted(coming.keys() | home.keys())
    return tuple(FolderView(path, coming[path], home[path], path in existing) for path in paths)
