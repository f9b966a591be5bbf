"""What a library answers to whoever asked for it."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from jutrek.desk.library_captures import LibraryCaptures
    from jutrek.doubles.degrees import Group
    from jutrek.filing import Plan
    from jutrek.filing.facts import Facts
    from jutrek.transfer import Outcome
    from jutrek.transfer.checking import Checked
    from jutrek.transfer.tray import Trayed


class HomeRead(NamedTuple):
    """The captures of the library are read: what they tell, and the re-filing that can be taken back."""

    home: LibraryCaptures
    last_refiling: str


class RefilingPlanned(NamedTuple):
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


class Refiled(NamedTuple):
    """A re-filing has ended."""

    outcome: Outcome
    takes_back: str = ""


class AfterRun(NamedTuple):
    """What is to be done behind a run: prove each card afresh, and let those go that are safe."""

    prove: bool = True
    eject: bool = False


class CaughtUp(NamedTuple):
    """A place was caught up, or as far as it came."""

    name: str
    outcome: Outcome


class CheckEnded(NamedTuple):
    """A place was read again."""

    name: str
    checked: Checked


class Mended(NamedTuple):
    """Good bytes came back; for some files there are none."""

    name: str
    mended: int
    left: int


class TakenBack(NamedTuple):
    """A run was taken back; sentences about what stays, and what the others are now: `put away`, `home again`."""

    outcome: Outcome
    left: tuple[str, ...]
    became: str


class DoublesFound(NamedTuple):
    """The doubles of the library, the strongest degree first, and what lies in the tray."""

    groups: tuple[Group, ...]
    tray: tuple[Trayed, ...]
