"""What a session tells its face. Events come from the session's own thread, at most about 20 a second of a kind."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.desk.board import Board
from jutrek.errors import JutrekError

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.desk.athome import AtHome
    from jutrek.desk.questions import Effect
    from jutrek.filing import HouseRules, Plan
    from jutrek.transfer import Leftover, Outcome, Progress


@dataclass(frozen=True, slots=True)
class Reading:
    """A source is being read: files read so far, of all. Both 0 while it is being walked."""

    root: str
    files: int
    all_files: int


@dataclass(frozen=True, slots=True)
class Working:
    """Something longer is going on: what, how far, how far it goes (0 where unknown). Empty words: nothing is."""

    what: str
    done: int = 0
    total: int = 0


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
    """

    plan: Plan
    captures: int
    takes_back: str = ""
    left: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Refiled:
    """A re-filing has ended."""

    outcome: Outcome
    takes_back: str = ""


@dataclass(frozen=True, slots=True)
class Saved:
    """The plan was written to a file."""

    path: str


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something went wrong: at a source (its root), or at the library (an empty string)."""

    root: str
    error: JutrekError


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
    | Refiled
    | Saved
    | Trouble
)
