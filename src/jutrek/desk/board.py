"""The board: an immutable picture of an intake, ready to be drawn by a face.

This module only knows what a board is, so that a window can be shown before the rooms below are imported.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

from jutrek.desk.board_captures import CaptureView, State
from jutrek.desk.board_days import DayView, gathered

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.filing import Plan
    from jutrek.formats import Kind
    from jutrek.sources import Source


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


@dataclass(frozen=True)
class Board:
    """The whole picture. What is asked of it again and again is counted once, by whoever makes it: see `ready`.

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
        into: what the job is called that it is for; empty for none.
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
    into: str = ""

    def count(self, *states: State) -> int:
        """How many captures are in one of these states."""
        return sum(self._states[state] for state in states)

    @cached_property
    def _states(self) -> Counter[State]:
        states: Counter[State] = Counter()
        for day in self.days:
            states.update(day.states)
        return states

    @cached_property
    def captures(self) -> int:
        """How many captures there are."""
        return sum(len(day.captures) for day in self.days)

    @cached_property
    def kinds(self) -> Counter[Kind]:
        """How many captures are stills, clips, sound, and data whose picture is not there."""
        return Counter(view.kind for day in self.days for view in day.captures)

    @cached_property
    def to_settle(self) -> int:
        """How many captures wait for an answer to a question."""
        return len({capture for question in self.questions for capture in question.captures})

    @cached_property
    def _by_id(self) -> dict[str, CaptureView]:
        return {view.id: view for day in self.days for view in day.captures}

    def find(self, capture: str) -> CaptureView | None:
        """A capture by its id."""
        return self._by_id.get(capture)

    @cached_property
    def rows(self) -> tuple[DayView, ...]:
        """Its shoots, put together where there are very many: see `gathered`."""
        return gathered(self.days)

    @cached_property
    def standings(self) -> dict[str, int]:
        """How many captures stand how; of `new` ones nothing is told."""
        return Counter(view.standing for day in self.days for view in day.captures)

    def ready(self) -> Board:
        """The same one, with everything counted that would else be counted where it is shown."""
        for row in self.rows:
            _ = row.marks
        _ = self._states, self.captures, self.kinds, self.to_settle, self._by_id, self.standings
        return self


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
