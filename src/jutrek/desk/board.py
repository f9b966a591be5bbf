"""The board: an immutable picture of an intake, ready to be drawn by a face.

This module only knows what a board is, so that a window can be shown before the rooms below are imported.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jutrek.captures import Device
    from jutrek.filing import Plan
    from jutrek.formats import Kind, Stretch
    from jutrek.sources import Source


STILL, CLIP, SOUND, SIDECAR = "still", "clip", "sound", "sidecar"
"""The values of `jutrek.formats.Kind`, for faces that must not import the readers before their first paint."""


class State(StrEnum):
    """What is to become, or became, of a capture."""

    BRING = "bring"
    HOME = "home"
    TWIN = "twin"
    LOOK = "look"
    ASIDE = "aside"
    BROUGHT = "brought"
    FAILED = "failed"


class CaptureView(NamedTuple):
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
        format: the primary's container.
        orientation: the Exif value 1..8 of the primary.
        previews: embedded JPEGs in the primary file.
        stack: the id of the first frame of its burst; empty outside bursts.
        operator: who carried the device.
        dated: whether its date may place it on a day, also while a question is open.
        timed: whether a time of day is known.
        standing: where it stands: new, home, twin, retagged, re-encoded or look-alike; empty while that is not known.
        equal: what it is the same as, or like: a path in the library, or an absolute one on a source; may be empty.
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
    format: str = ""
    orientation: int = 1
    previews: tuple[Stretch, ...] = ()
    stack: str = ""
    operator: str = ""
    dated: bool = True
    timed: bool = True
    standing: str = ""
    equal: str = ""

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
    """A row of the board: a shoot, or a month or year of shoots, which opens into them.

    Made by `day_view`, which counts once what is drawn again and again.

    Attributes:
        key: a shoot's `2026-05-14` or `2026-05-14/2`; `2026-05` or `2026`; empty for captures without a date to trust.
        start: its first day; None for captures without a date to trust.
        captures: in the order of shooting.
        devices: those that took part, in the order of their letters.
        states: captures per state.
        sources: captures per source root.
        folders: captures per folder of the library that they go to or are in.
        hours: the first and the last hour, counted from the start of its first day, as fractions; past midnight they
            are more than 24. None where there is no time.
        words: what it was.
        begins, ends: local time of its first capture, and the end of its last one; None where there is no time.
        parts: the rows that it opens into; empty for a shoot.
    """

    key: str
    start: date | None
    captures: tuple[CaptureView, ...]
    devices: tuple[Device, ...]
    states: dict[State, int]
    sources: dict[str, int]
    folders: dict[str, int]
    hours: tuple[float, float] | None
    words: str = ""
    begins: datetime | None = None
    ends: datetime | None = None
    parts: tuple[DayView, ...] = ()

    def count(self, *states: State) -> int:
        """How many captures are in one of these states."""
        return sum(self.states.get(state, 0) for state in states)

    @property
    def is_shoot(self) -> bool:
        """Whether it is one shoot, which opens into its captures."""
        return self.start is not None and not self.parts


class Released(NamedTuple):
    """What the release of a source found: whether it is safe to clear, a sentence, how many files are proven, and how
    many things that are no captures keep it from being safe."""

    safe: bool
    words: str
    files: int
    open: int = 0


class SourceView(NamedTuple):
    """A source with its main device and what was found on it.

    Attributes:
        shift: the clock fix of that device, in seconds.
        questions: open ones about captures that lie on it.
        released: what its release found, or None before there was one.
        unsorted: how many files were read on it that are not on the board yet, as others are read first.
    """

    source: Source
    device: Device | None
    captures: int
    kinds: tuple[tuple[Kind, int], ...]
    size: int
    states: tuple[tuple[State, int], ...]
    left: tuple[tuple[str, str], ...]
    shift: float = 0.0
    questions: int = 0
    released: Released | None = None
    unsorted: int = 0

    def count(self, *states: State) -> int:
        """How many of its captures are in one of these states."""
        return sum(number for state, number in self.states if state in states)


class FolderView(NamedTuple):
    """A folder of the library that the plan fills: relative path, captures coming, and whether it exists."""

    path: str
    coming: int
    home: int
    exists: bool


class Storage(NamedTuple):
    """Where files are kept: the library (its id is empty) or a place of copies, with free and whole room in bytes."""

    name: str
    root: str
    free: int
    total: int
    id: str = ""
    here: bool = True


class Strip(NamedTuple):
    """What one device did on a day, as a lane: name, sign, colour, and starts with lengths in seconds of the day."""

    name: str
    sign: str
    colour: int
    ticks: tuple[tuple[float, float], ...]


class Wave(NamedTuple):
    """How loud a recording was: its name, its device's sign and colour, and values between 0 and 1."""

    name: str
    sign: str
    colour: int
    loud: tuple[float, ...]


class OverlaidWaves(NamedTuple):
    """A clip and the take in which it was heard, laid over one another.

    Attributes:
        clip, take: both, in values of the same length.
        step: seconds of a value.
        begin: seconds from the first value of the take to that of the clip.
    """

    clip: Wave
    take: Wave
    step: float
    begin: float


@dataclass(frozen=True, slots=True)
class Question:
    """An open question, about dates or about doubles, as it is shown.

    Attributes:
        key: the same as long as it is open.
        headline, evidence: one sentence each.
        certainty: `certain`, `likely`, `only a day` or `open`.
        answers: what the buttons say, the proposed one first.
        device: whose captures it is about.
        captures: ids of those that wait.
        shift: the clock fix that is proposed, in seconds; 0.0 where none is.
        strips: the day on which it shows best, a lane per device, where a clock is in question; the last one is that of
            the device in question, as stored.
        day: that day.
        pictures: captures by their counters: the neighbour before, some of those that wait, the one behind; of doubles
            some of those that wait, each with what it is the same as behind it.
        waves: what two devices heard together, where that tells the shift.
    """

    key: str
    headline: str
    evidence: str
    certainty: str
    answers: tuple[str, ...]
    device: Device
    captures: tuple[str, ...]
    shift: float = 0.0
    strips: tuple[Strip, ...] = ()
    day: date | None = None
    pictures: tuple[CaptureView, ...] = ()
    neighbours: tuple[str, str] = ("", "")
    waves: OverlaidWaves | None = None

    @property
    def about_doubles(self) -> bool:
        """Whether it is about what is there already, rather than about dates."""
        return self.key.startswith("double:")

    @property
    def scope(self) -> frozenset[str]:
        """Whom a clock fix concerns: none named where it is all of the device, else the captures that wait."""
        return frozenset() if self.strips else frozenset(self.captures)


@dataclass(frozen=True, slots=True)
class Board:
    """The whole picture.

    Attributes:
        days: a row per shoot in the order of time; captures without a date to trust come last.
        devices: in the order of their letters.
        questions: open ones, the surest first.
        can_undo, can_redo: what would be taken back, or done again; empty where there is nothing.
        day_starts, gap: house rules, in minutes.
        zone, journeys: offsets from UTC in minutes, the journeys' with the day from which they hold.
        earlier: what shoots of the library were, the latest first.
        places: where else copies go, besides the library.
        not_compared: captures that would come home, and were not yet compared as far as the house rules ask for.
        asks: what the house rules want said of an intake, such as `job`.
        said: what is said of this one.
    """

    sources: tuple[SourceView, ...] = ()
    days: tuple[DayView, ...] = ()
    folders: tuple[FolderView, ...] = ()
    plan: Plan | None = None
    bring_bytes: int = 0
    not_compared: int = 0
    place: Storage | None = None
    devices: tuple[Device, ...] = ()
    questions: tuple[Question, ...] = ()
    can_undo: str = ""
    can_redo: str = ""
    day_starts: int = 240
    gap: int = 360
    zone: int | None = None
    journeys: tuple[tuple[date, int], ...] = ()
    earlier: tuple[str, ...] = ()
    places: tuple[Storage, ...] = ()
    asks: tuple[str, ...] = ()
    said: Mapping[str, str] = field(default_factory=dict)

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


def home_view(view: CaptureView, board: Board) -> CaptureView | None:
    """What a capture is the same as, or like: as a view to be shown beside it. None where it stands alone."""
    if not view.equal or view.standing not in DOUBLES:
        return None
    if os.path.isabs(view.equal):
        return board.find(view.equal)
    if board.place is None:
        return None
    return as_home(view, board.place.root)


DOUBLES = frozenset({"home", "twin", "retagged", "re-encoded", "look-alike"})
"""Standings of what is there already, in one way or another."""


def as_home(view: CaptureView, root: str) -> CaptureView:
    """What a capture is the same as, or like, in the library at `root`. Its file is not read for this."""
    return view._replace(
        id=os.path.join(root, view.equal), name=os.path.basename(view.equal), state=State.HOME,
        destination=view.equal, companions=(), when=None, why="", duration=0.0, notes=(), format="", orientation=1,
        previews=(), stack="", standing="", equal="",
    )  # fmt: skip


def day_view(key: str, start: date | None, captures: Sequence[CaptureView], words: str = "") -> DayView:
    """A shoot's row from its captures, in the order of shooting.

    Args:
        key: the shoot's.
        start: its day; None for what has no date.
        captures: in the order of shooting.
        words: its description.
    """
    by_key = {view.device.key: view.device for view in captures}
    devices = sorted(by_key.values(), key=lambda device: (len(device.letter), device.letter))
    times = [view.when for view in captures if view.when is not None]
    hours = [hour_of(view.when, start) for view in captures if view.when is not None and view.timed]
    ends = [view.when + timedelta(seconds=view.duration) for view in captures if view.when is not None]
    return DayView(
        key,
        start,
        tuple(captures),
        tuple(devices),
        Counter(view.state for view in captures),
        Counter(view.source for view in captures),
        Counter(view.folder for view in captures if view.destination),
        (min(hours), max(hours)) if hours else None,
        words,
        min(times) if times else None,
        max(ends) if ends else None,
    )


def hour_of(when: datetime, day: date | None = None) -> float:
    """The hour as a fraction: 10.5 is half past ten; of a day before, 25.5 is half past one in the night after it."""
    hours = when.hour + when.minute / 60 + when.second / 3600
    return hours + 24 * (when.date() - day).days if day is not None else hours


MANY_DAYS, MANY_MONTHS = 60, 60


def gathered(days: Sequence[DayView]) -> tuple[DayView, ...]:
    """The rows of a board: shoots; months where there are very many days, years with their months beyond that.

    Captures without a date to trust stay as they are, at the end.
    """
    keys = [day.key for day in days if day.start is not None]
    if len({key[:10] for key in keys}) <= MANY_DAYS:
        return tuple(days)
    months = _together(days, 7)
    return months if len({key[:7] for key in keys}) <= MANY_MONTHS else _together(months, 4)


def _together(days: Sequence[DayView], length: int) -> tuple[DayView, ...]:
    piles: dict[str, list[DayView]] = {}
    rest = []
    for day in days:
        if day.start is None:
            rest.append(day)
        else:
            piles.setdefault(day.key[:length], []).append(day)
    rows = []
    for key, pile in piles.items():
        rows.append(_sum(key, date.fromisoformat((key + "-01-01")[:10]), pile))
    return (*rows, *rest)


def _sum(key: str, start: date, parts: Sequence[DayView]) -> DayView:
    """A row that opens into others: what they count, added up."""
    states: Counter[State] = Counter()
    sources: Counter[str] = Counter()
    folders: Counter[str] = Counter()
    devices: dict[str, Device] = {}
    for part in parts:
        states.update(part.states)
        sources.update(part.sources)
        folders.update(part.folders)
        devices.update({device.key: device for device in part.devices})
    hours = [hour for part in parts if part.hours for hour in part.hours]
    return DayView(
        key,
        start,
        tuple(view for part in parts for view in part.captures),
        tuple(sorted(devices.values(), key=lambda device: (len(device.letter), device.letter))),
        states,
        sources,
        folders,
        (min(hours), max(hours)) if hours else None,
        "",
        min((part.begins for part in parts if part.begins), default=None),
        max((part.ends for part in parts if part.ends), default=None),
        tuple(parts),
    )
