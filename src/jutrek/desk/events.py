"""What goes on, as whoever cares hears it: from any thread, at most about 20 times a second of a kind.

What somebody asked for comes back as the answer to that (`answers`), and to nobody else.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from jutrek.desk.board import Board
from jutrek.errors import JutrekError

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.desk.records import Record
    from jutrek.filing import HouseRules
    from jutrek.library import Place
    from jutrek.sources import Drive
    from jutrek.transfer import Leftover, Progress
    from jutrek.transfer.certificate import Certificate


class Who(StrEnum):
    """Who is at work: each has a thread of its own."""

    INTAKE = "intake"
    LIBRARY = "library"
    LOOKUP = "lookup"


@dataclass(frozen=True, slots=True)
class Reading:
    """A source is being read: files read so far, of all. Both 0 while it is being walked."""

    root: str
    files: int
    all_files: int


@dataclass(frozen=True, slots=True)
class Working:
    """Something longer is going on: what, how far, how far it goes (0 where unknown). Empty words: nothing is.

    Attributes:
        sizes: whether the figures are bytes; else they count something.
        speed: bytes a second; 0 where that is not told.
        who: is at work.
    """

    what: str
    done: int = 0
    total: int = 0
    sizes: bool = False
    speed: float = 0.0
    who: Who = Who.INTAKE


@dataclass(frozen=True, slots=True)
class BoardChanged:
    """There is a new board."""

    board: Board


@dataclass(frozen=True, slots=True)
class Running:
    """An intake is being brought home; names of files just proven come with it, newest first."""

    progress: Progress
    proven: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Found:
    """The last run did not end: what it left to do."""

    leftovers: tuple[Leftover, ...]


@dataclass(frozen=True, slots=True)
class TakenUp:
    """An intake that was in work is gone on with: what was decided then holds again."""


@dataclass(frozen=True, slots=True)
class RulesKnown:
    """The house rules that hold, why the library's file does not (empty where it does), and the library's devices."""

    rules: HouseRules
    trouble: str = ""
    devices: tuple[Device, ...] = ()


@dataclass(frozen=True, slots=True)
class PapersLeft:
    """The report of an intake is written, or why it is not."""

    report: str
    trouble: str = ""


@dataclass(frozen=True, slots=True)
class Released:
    """A source was proven afresh; the certificate is kept at a path."""

    root: str
    certificate: Certificate
    path: str


@dataclass(frozen=True, slots=True)
class LetGo:
    """A card was let go, or not, and what is to be said about that."""

    root: str
    words: str
    gone: bool


@dataclass(frozen=True, slots=True)
class PlaceState:
    """How a place is.

    Attributes:
        here: whether it is connected.
        proven: files that were proven there.
        oldest: the day of its oldest proof, UTC, ISO 8601; empty for none.
        lacks, lacks_bytes: what the library has and it has not.
        unproven: of the library: files that were never read back.
        bad: what was found rotted, unreadable or gone, and was neither mended nor let go.
        partly: bytes of files that were partly copied, kept to go on from.
        changed: paths of files that somebody changed there, and of which nobody said yet which version is right.
    """

    place: Place
    here: bool
    proven: int
    oldest: str
    lacks: int = 0
    lacks_bytes: int = 0
    unproven: int = 0
    bad: int = 0
    partly: int = 0
    changed: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PlacesKnown:
    """How all places are, the library first."""

    places: tuple[PlaceState, ...]


@dataclass(frozen=True, slots=True)
class RecordsKnown:
    """The journal, the newest run first."""

    records: tuple[Record, ...]


@dataclass(frozen=True, slots=True)
class DrivesChanged:
    """Cards and drives came or went: those that are there now, and whether each is a camera's card."""

    drives: tuple[tuple[Drive, bool], ...]


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something went wrong that nobody asked for: at a source (its root), or at the library (an empty string)."""

    root: str
    error: JutrekError


@dataclass(frozen=True, slots=True)
class Learning:
    """How far the library was looked at for doubles: files read and decoded, and of how many, and whether it is paused.

    Attributes:
        content: whether all files were read, so that what is the same by content is known.
        complete: whether all were decoded, too.
        round: counts how often there was something new to learn.
    """

    done: int
    total: int
    paused: bool
    content: bool
    complete: bool
    round: int


@dataclass(frozen=True, slots=True)
class Looking:
    """How far the stills of the intake were compared by their looks; of none when it is done."""

    done: int
    total: int


@dataclass(frozen=True, slots=True)
class Hearing:
    """How many of the intake's recordings were listened to; of none when it is done."""

    done: int
    total: int


Event = (
    Reading
    | Working
    | BoardChanged
    | Running
    | Found
    | TakenUp
    | RulesKnown
    | PapersLeft
    | Released
    | LetGo
    | PlacesKnown
    | RecordsKnown
    | DrivesChanged
    | Learning
    | Looking
    | Hearing
    | Trouble
)
