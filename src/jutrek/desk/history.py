"""What was decided, step by step, so that it can be taken back and done again."""

from __future__ import annotations

from dataclasses import dataclass, field

from jutrek.captures import Decisions
from jutrek.filing import HouseRules


@dataclass(frozen=True, slots=True)
class Step:
    """Decisions and rules as they stood after a step, and what the step was."""

    decisions: Decisions
    rules: HouseRules
    words: str = ""


@dataclass(slots=True)
class History:
    """Steps up to now, and those that were taken back."""

    steps: list[Step] = field(default_factory=lambda: [Step(Decisions(), HouseRules())])
    undone: list[Step] = field(default_factory=list)

    @property
    def now(self) -> Step:
        """What holds."""
        return self.steps[-1]

    def take(self, step: Step) -> None:
        """Take a step; what was taken back before is gone."""
        self.steps.append(step)
        self.undone.clear()

    def undo(self) -> bool:
        """Go a step back. Returns whether there was one."""
        if len(self.steps) < 2:
            return False
        self.undone.append(self.steps.pop())
        return True

    def redo(self) -> bool:
        """Go a step forward again. Returns whether there was one."""
        if not self.undone:
            return False
        self.steps.append(self.undone.pop())
        return True

    @property
    def can_undo(self) -> str:
        """What would be taken back; empty where there is nothing."""
        return self.now.words if len(self.steps) > 1 else ""

    @property
    def can_redo(self) -> str:
        """What would be done again; empty where there is nothing."""
        return self.undone[-1].words if self.undone else ""
