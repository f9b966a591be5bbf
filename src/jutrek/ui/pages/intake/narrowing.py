"""What of a board is shown: all of it, or only some outcome, some folder, some standing."""

from __future__ import annotations

from dataclasses import dataclass

from jutrek.desk.board import Board
from jutrek.desk.board_captures import CaptureView, State
from jutrek.desk.board_days import DayView, day_view

_STATES = {
    State.BRING: "to bring home",
    State.LOOK: "need a look",
    State.FAILED: "not home",
    State.TWIN: "here twice",
    State.ASIDE: "set aside",
}
STANDINGS = {
    "new": "new",
    "home": "home: exactly the same",
    "twin": "here twice",
    "retagged": "same picture, other notes",
    "re-encoded": "same picture, saved another way",
    "look-alike": "look alike",
}
"""Standings in words, as they are offered to narrow the board to."""


@dataclass(slots=True)
class Narrowing:
    """What is wanted of a board; nothing given wants all.

    Attributes:
        states: outcomes.
        folder: a folder of the library, with what is below it.
        standing: a standing.
    """

    states: tuple[State, ...] = ()
    folder: str = ""
    standing: str = ""

    def __bool__(self) -> bool:
        return bool(self.states or self.folder or self.standing)

    def clear(self) -> None:
        """Want everything again."""
        self.states, self.folder, self.standing = (), "", ""

    @property
    def words(self) -> str:
        """What is wanted, in words."""
        words = [_STATES.get(self.states[0], "at home")] if self.states else []
        words += [self.folder] if self.folder else []
        return " · ".join([*words, *([STANDINGS.get(self.standing, self.standing)] if self.standing else [])])

    def days(self, board: Board) -> tuple[DayView, ...]:
        """The rows of a board as far as they are wanted."""
        return tuple(filter(None, map(self._day, board.days))) if self else board.days

    def _day(self, day: DayView) -> DayView | None:
        """What of a shoot is wanted; most are so as a whole, or not at all."""
        if self.states and not self.folder and not self.standing and day.count(*self.states) in (0, len(day.captures)):
            return day if day.count(*self.states) else None
        views = list(filter(self._wants, day.captures))
        return day_view(day.key, day.start, views, day.words) if views else None

    def _wants(self, view: CaptureView) -> bool:
        fits = not self.states or view.state in self.states
        inside = bool(view.destination) and f"{view.folder}/".startswith(f"{self.folder}/")
        stands = not self.standing or (view.standing or "new") == self.standing
        return fits and stands and (not self.folder or inside)


def standings_of(board: Board) -> dict[str, int]:
    """How many captures of a board stand how, in the order of `STANDINGS`."""
    found = {standing or "new": count for standing, count in board.standings.items()}
    return {standing: found[standing] for standing in STANDINGS if standing in found}
