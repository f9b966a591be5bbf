"""What goes on, as whoever cares hears it: from any thread, at most about 20 times a second of a kind.

What somebody asked for comes back as the answer to that (`answers`), and to nobody else.
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

from jutrek.desk.board import Board
from jutrek.errors import JutrekError

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.desk.outboxes import OutboxState
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


class Reading(NamedTuple):
    """A source is being read: files read so far, of all. Both 0 while it is being walked."""

    root: str
    files: int
    all_files: int


class Silent(NamedTuple):
    """A source has not answered for some seconds; of none it answers again, or nothing is asked of it any more."""

    root: str
    seconds: int


class Working(NamedTuple):
    """Something longer is going on: what, how far, how far it goes (0 where unknown). Empty words: nothing is.

    Attributes:
        sizes: whether the figures are bytes; else they count something.
        speed: bytes a second; 0 where that is not told.
        who: is at work.
        changes: whether files are copied or moved by it.
    """

    what: str
    done: int = 0
    total: int = 0
    sizes: bool = False
    speed: float = 0.0
    who: Who = Who.INTAKE
    changes: bool = False


class BoardChanged(NamedTuple):
    """There is a new board."""

    board: Board


class Running(NamedTuple):
    """An intake is being brought home.

    Attributes:
        proven: names of files just proven, newest first.
        ticks: of each file proven so far: seconds since the start, and the root of its source. It grows meanwhile.
    """

    progress: Progress
    proven: tuple[str, ...]
    ticks: Sequence[tuple[float, str]] = ()


class Found(NamedTuple):
    """The last run did not end: what it left to do."""

    leftovers: tuple[Leftover, ...]


class TakenUp(NamedTuple):
    """An intake that was in work is gone on with: what was decided then holds again."""


class RulesKnown(NamedTuple):
    """The house rules that hold, why the library's file does not (empty where it does), and the library's devices."""

    rules: HouseRules
    trouble: str = ""
    devices: tuple[Device, ...] = ()


class PapersLeft(NamedTuple):
    """The report of an intake is written, or why it is not."""

    report: str
    trouble: str = ""


class Released(NamedTuple):
    """A source was proven afresh; the certificate is kept at a path."""

    root: str
    certificate: Certificate
    path: str


class LetGo(NamedTuple):
    """A card was let go, or not, and what is to be said about that."""

    root: str
    words: str
    gone: bool


class PlaceState(NamedTuple):
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


class PlacesKnown(NamedTuple):
    """How all places are, the library first."""

    places: tuple[PlaceState, ...]


class RecordsKnown(NamedTuple):
    """The journal, the newest run first."""

    records: tuple[Record, ...]


class DrivesChanged(NamedTuple):
    """Cards and drives came or went: those that are there now, and whether each is a camera's card."""

    drives: tuple[tuple[Drive, bool], ...]


class Trouble(NamedTuple):
    """Something went wrong that nobody asked for: at a source (its root), or at the library (an empty string)."""

    root: str
    error: JutrekError


class Described(NamedTuple):
    """Files of the library were read for what they say of themselves; how many are left."""

    left: int


class ChangedOutside(NamedTuple):
    """Another program may have changed the library."""


class InboxTold(NamedTuple):
    """Something happened to an inbox that is brought home by itself: what, in words, and whether it is trouble."""

    root: str
    words: str
    is_trouble: bool


class JobsKnown(NamedTuple):
    """How many jobs the library has."""

    jobs: int


class OutboxesKnown(NamedTuple):
    """How the outboxes of the library stand."""

    outboxes: tuple[OutboxState, ...]


class Learning(NamedTuple):
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


class DoublesCounted(NamedTuple):
    """How many groups of doubles the library holds, as far as nobody decided about them: counted while it was idle."""

    groups: int


class Looking(NamedTuple):
    """How far the stills of the intake were compared by their looks; of none when it is done."""

    done: int
    total: int


class Hearing(NamedTuple):
    """How many of the intake's recordings were listened to; of none when it is done."""

    done: int
    total: int


Event = (
    Reading
    | Silent
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
    | Described
    | ChangedOutside
    | Learning
    | DoublesCounted
    | Looking
    | Hearing
    | InboxTold
    | OutboxesKnown
    | JobsKnown
    | Trouble
)
