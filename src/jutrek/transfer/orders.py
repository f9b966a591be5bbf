"""What is special about a run of moves."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from jutrek.errors import JutrekError
from jutrek.filing import Row
from jutrek.transfer.journal import Journal, Kind


@dataclass(frozen=True, slots=True)
class Orders:
    """What is special about a run of moves.

    Attributes:
        kind: what the journal calls it.
        objection: asked right before a file moves; what it returns keeps the file where it is.
        about: what the journal tells of a row besides.
        outside: files outside the library that are moved into it: out of a trash.
        behind: called with the rows that moved, before the run ends; returns sentences about what did not work.
        head: what the first line of the journal tells besides.
        by_hand: whether names and folders are a person's choice, so that the names are kept when rules file anew.
    """

    kind: Kind
    objection: Callable[[Row], JutrekError | None] = lambda row: None
    about: Callable[[Row], dict[str, Any]] = lambda row: {}
    outside: frozenset[str] = frozenset()
    behind: Callable[[Journal, Sequence[tuple[int, Row]]], Sequence[str]] = lambda journal, moved: ()
    head: Mapping[str, Any] = field(default_factory=dict)
    by_hand: bool = False
