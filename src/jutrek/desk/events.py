"""What a session tells its face. Events come from the session's own thread, at most about 20 a second of a kind."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.desk.board import Board
from jutrek.errors import JutrekError

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.desk.athome import AtHome
    from jutrek.desk.doubles import FileFacts
    from jutrek.desk.questions import Effect
    from jutrek.desk.records import FileRecord, Record
    from jutrek.doubles.degrees import Group
    from jutrek.filing import HouseRules, Plan
    from jutrek.filing.facts import Facts
    from jutrek.library import Place as Copies
    from jutrek.sources import Drive
    from jutrek.transfer import Leftover, Outcome, Progress
    from jutrek.transfer.certificate import Certificate
    from jutrek.transfer.checking import Checked
    from jutrek.transfer.clearing import Cleared as ClearedFiles
    from jutrek.transfer.tray import Emptied, Trayed


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
    """

    what: str
    done: int = 0
    total: int = 0
    sizes: bool = False


@dataclass(frozen=True, slots=True)
class BoardChanged:
    """There is a new board."""

    board: Board


@dataclass(frozen=True, slots=True)
class Running:
    """A run is at work; names of files just proven come with it, newest first."""

    progress: Progress
    proven: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Ended:
    """A run has ended."""

    outcome: Outcome


@dataclass(frozen=True, slots=True)
class Found:
    """The last run did not end: what it left to do."""

    leftovers: tuple[Leftover, ...]


@dataclass(frozen=True, slots=True)
class TakenUp:
    """An intake that was in work is gone on with: what was decided then holds again."""


@dataclass(frozen=True, slots=True)
class Previewed:
    """What an answer would change."""

    effect: Effect


@dataclass(frozen=True, slots=True)
class RulesKnown:
    """The house rules that hold, why the library's file does not (empty where it does), and the library's devices."""

    rules: HouseRules
    trouble: str = ""
    devices: tuple[Device, ...] = ()


@dataclass(frozen=True, slots=True)
class RulesRead:
    """Rules were read from another library or file, to be looked at before they are kept."""

    rules: HouseRules
    path: str


@dataclass(frozen=True, slots=True)
class HomeRead:
    """The captures of the library are read: what they tell, and the re-filing that can be taken back."""

    home: AtHome
    last_refiling: str


@dataclass(frozen=True, slots=True)
class RefilingPlanned:
    """The plan of a re-filing is made.

    Attributes:
        captures: how many are in its scope's library, filed by Jutrek.
        takes_back: the re-filing that the plan would take back; empty for a new one.
        left: sentences about what can't be moved back.
        kept: paths of files that keep a name that somebody gave by hand.
        home: the captures in its scope that Jutrek filed: what can be said anew.
    """

    plan: Plan
    captures: int
    takes_back: str = ""
    left: tuple[str, ...] = ()
    kept: tuple[str, ...] = ()
    home: tuple[Facts, ...] = ()


@dataclass(frozen=True, slots=True)
class WordsSaid:
    """What captures at home are was said anew: of how many files it is new."""

    files: int


@dataclass(frozen=True, slots=True)
class Refiled:
    """A re-filing has ended."""

    outcome: Outcome
    takes_back: str = ""


@dataclass(frozen=True, slots=True)
class AfterRun:
    """What is to be done behind a run: prove each card afresh, and let those go that are safe."""

    prove: bool = True
    eject: bool = False


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
class Cleared:
    """A card was cleared."""

    root: str
    cleared: ClearedFiles


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

    place: Copies
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
class CaughtUp:
    """A place was caught up, or as far as it came."""

    name: str
    outcome: Outcome


@dataclass(frozen=True, slots=True)
class CheckEnded:
    """A place was read again."""

    name: str
    checked: Checked


@dataclass(frozen=True, slots=True)
class Mended:
    """Good bytes came back; for some files there are none."""

    name: str
    mended: int
    left: int


@dataclass(frozen=True, slots=True)
class RecordsKnown:
    """The journal, the newest run first."""

    records: tuple[Record, ...]


@dataclass(frozen=True, slots=True)
class RunOpened:
    """The files of a run."""

    run: str
    files: tuple[FileRecord, ...]


@dataclass(frozen=True, slots=True)
class TakenBack:
    """A run was taken back; sentences about what stays, and what the others are now: `put away`, `home again`."""

    outcome: Outcome
    left: tuple[str, ...]
    became: str


@dataclass(frozen=True, slots=True)
class TakenBackEmptied:
    """What was taken back of some runs is in the trash."""

    runs: int


@dataclass(frozen=True, slots=True)
class DrivesChanged:
    """Cards and drives came or went: those that are there now, and whether each is a camera's card."""

    drives: tuple[tuple[Drive, bool], ...]


@dataclass(frozen=True, slots=True)
class Saved:
    """The plan was written to a file."""

    path: str


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something went wrong: at a source (its root), or at the library (an empty string)."""

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


@dataclass(frozen=True, slots=True)
class DoublesFound:
    """The doubles of the library, the strongest degree first, and what lies in the tray."""

    groups: tuple[Group, ...]
    tray: tuple[Trayed, ...]


@dataclass(frozen=True, slots=True)
class GroupOpened:
    """What tells the files of a group apart, by the group's key."""

    key: str
    files: tuple[FileFacts, ...]


@dataclass(frozen=True, slots=True)
class SetAside:
    """Doubles were set aside."""

    outcome: Outcome


@dataclass(frozen=True, slots=True)
class TrayEmptied:
    """What was set aside went to the system's trash."""

    emptied: Emptied


Event = (
    Reading
    | Working
    | BoardChanged
    | Running
    | Ended
    | Found
    | TakenUp
    | Previewed
    | RulesKnown
    | RulesRead
    | HomeRead
    | RefilingPlanned
    | WordsSaid
    | Refiled
    | PapersLeft
    | Released
    | LetGo
    | Cleared
    | PlacesKnown
    | CaughtUp
    | CheckEnded
    | Mended
    | RecordsKnown
    | RunOpened
    | TakenBack
    | TakenBackEmptied
    | DrivesChanged
    | Learning
    | Looking
    | Hearing
    | DoublesFound
    | GroupOpened
    | SetAside
    | TrayEmptied
    | Saved
    | Trouble
)
