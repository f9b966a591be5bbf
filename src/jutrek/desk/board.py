"""The board: an immutable picture of an intake, ready to be drawn by a face.

This module only knows what a board is, so that a window can be shown before the rooms below are imported.
"""

from __future__ import annotations

import os
from collections import Counter
from dataclasses import dataclass
from datetime import date, datetime
from enum import StrEnum
from typing import TYPE_CHECKING

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
        format: the primary's container.
        orientation: the Exif value 1..8 of the primary.
        previews: embedded JPEGs in the primary file.
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

    Made by `day_view`, which counts once what is drawn again and again.

    Attributes:
        key: `2026-05-14`, `2026-05` or `2026`; empty for the captures that need a look.
        start: its first day; None for the captures that need a look.
        captures: in the order of shooting.
        devices: those that took part, in the order of their letters.
        states: captures per state.
        sources: captures per source root.
        folders: captures per folder of the library that they go to or are in.
        hours: the first and the last hour of the day, as fractions; None where there is no time.
    """

    key: str
    start: date | None
    captures: tuple[CaptureView, ...]
    devices: tuple[Device, ...]
    states: dict[State, int]
    sources: dict[str, int]
    folders: dict[str, int]
    hours: tuple[float, float] | None

    def count(self, *states: State) -> int:
        """How many captures are in one of these states."""
        return sum(self.states.get(state, 0) for state in states)


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


def day_view(key: str, start: date | None, captures: Sequence[CaptureView]) -> DayView:
    """A row of the board from its captures, in the order of shooting."""
    devices = sorted({view.device for view in captures}, key=lambda device: (len(device.letter), device.letter))
    hours = [hour_of(view.when) for view in captures if view.when is not None]
    return DayView(
        key,
        start,
        tuple(captures),
        tuple(devices),
        Counter(view.state for view in captures),
        Counter(view.source for view in captures),
        Counter(view.folder for view in captures if view.destination),
        (min(hours), max(hours)) if hours else None,
    )


def hour_of(when: datetime) -> float:
    """The hour of the day as a fraction: 10.5 is half past ten."""
    return when.hour + when.minute / 60 + when.second / 3600
