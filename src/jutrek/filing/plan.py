"""The plan: every file's destination and the reason, before anything is touched.

A plan is a frozen value. It can be written as JSON, read again, and is the only thing that a transfer takes.
Planning the same captures against the same library twice gives the same plan.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from enum import StrEnum
from typing import Any

from jutrek.errors import PlanUnusable
from jutrek.filing.rules import HouseRules, Undated

FORMAT = "jutrek-plan"
VERSION = 1


class Action(StrEnum):
    """What a plan does with a file."""

    BRING = "bring"
    HOME = "home"
    TWIN = "twin"
    STAY = "stay"


@dataclass(frozen=True, slots=True)
class Row:
    """One file of a plan.

    Attributes:
        source: its absolute path.
        root: the source it lies on.
        action: bring it; it is home already; its twin is brought or home; it stays.
        destination: relative to the library: where it will be, where it is, where its twin will be; None if it stays.
        why: one sentence.
        size: in bytes, as planned for.
        mtime_ns: time of last change as planned for, nanoseconds since 1970, UTC.
        capture: the path of the primary file of its capture; empty for what belongs to none.
    """

    source: str
    root: str
    action: Action
    destination: str | None
    why: str
    size: int = 0
    mtime_ns: int = 0
    capture: str = ""


@dataclass(frozen=True, slots=True)
class Plan:
    """What an intake will do.

    Attributes:
        library: the library's absolute path.
        library_id: its identity: a plan fits no other library.
        rules: the house rules it was made by.
        rows: one per file, in the order of shooting; what belongs to no capture comes last.
    """

    library: str
    library_id: str
    rules: HouseRules
    rows: tuple[Row, ...]

    def to_bring(self) -> tuple[Row, ...]:
        """The rows that bring a file home."""
        return tuple(row for row in self.rows if row.action is Action.BRING)

    def as_json(self) -> str:
        """The plan as JSON text. Undecodable bytes of paths are kept as escaped surrogates."""
        about = {"format": FORMAT, "version": VERSION, "library": self.library, "library_id": self.library_id}
        rows = [asdict(row) for row in self.rows]
        return json.dumps({**about, "rules": asdict(self.rules), "rows": rows}, indent=1)


def from_json(text: str, path: str) -> Plan:
    """Read a plan that `as_json` wrote; `path` names it in errors.

    Raises:
        PlanUnusable: when it is no plan, of a newer version, or damaged.
    """
    try:
        page: Mapping[str, Any] = json.loads(text)
        if page["format"] != FORMAT:
            raise PlanUnusable(path, "it is not a plan of Jutrek")
        if page["version"] > VERSION:
            raise PlanUnusable(path, "a newer Jutrek made it")
        rules = page["rules"]
        house = HouseRules(rules["layout"], rules["name"], Undated(rules["undated"]))
        return Plan(page["library"], page["library_id"], house, tuple(_row(row, path) for row in page["rows"]))
    except (ValueError, KeyError, TypeError) as error:
        raise PlanUnusable(path, f"it is damaged ({type(error).__name__}: {error})") from error


def _row(entries: Mapping[str, Any], path: str) -> Row:
    row = Row(**{field.name: entries[field.name] for field in fields(Row)} | {"action": Action(entries["action"])})
    inside = row.destination is None or not (
        row.destination.startswith("/") or ".." in row.destination.split("/") or "\0" in row.destination
    )
    if not inside or (row.action is Action.BRING and not row.destination):
        raise PlanUnusable(path, f"the destination of {row.source!r} does not lie in the library")
    return row
