"""The plan: every file's destination and the reason, before anything is touched.

A plan is a frozen value. It can be written as JSON, read again, and is the only thing that a transfer takes.
Planning the same captures against the same library twice gives the same plan.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from datetime import date
from enum import StrEnum
from typing import Any

from jutrek.errors import PlanUnusable
from jutrek.filing.rules import HouseRules, Structure, Undated

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
        moment: the local time that it is filed by, ISO 8601 as far as known; empty where it has none.
        shift: how far a clock fix moved that time, in seconds.
        device: the key of its device.
        operator: who carried it.
        shoot: what its shoot was.
        sidecar: where its corrected date is written, relative to the library; empty where it is not.
    """

    source: str
    root: str
    action: Action
    destination: str | None
    why: str
    size: int = 0
    mtime_ns: int = 0
    capture: str = ""
    moment: str = ""
    shift: float = 0.0
    device: str = ""
    operator: str = ""
    shoot: str = ""
    sidecar: str = ""


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

    def as_json(self, more: Mapping[str, Any] | None = None) -> str:
        """The plan as JSON text. Undecodable bytes of paths are kept as escaped surrogates.

        Args:
            more: what else is to be told, for readers of the plan; carrying it out does not need it.
        """
        about = {"format": FORMAT, "version": VERSION, "library": self.library, "library_id": self.library_id}
        rows = [asdict(row) for row in self.rows]
        page = {**about, "rules": asdict(self.rules), **(more or {}), "rows": rows}
        return json.dumps(page, indent=1, default=str)


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
        rows = tuple(_row(row, path) for row in page["rows"])
        return Plan(page["library"], page["library_id"], _rules(page["rules"]), rows)
    except (ValueError, KeyError, TypeError) as error:
        raise PlanUnusable(path, f"it is damaged ({type(error).__name__}: {error})") from error


def _rules(entries: Mapping[str, Any]) -> HouseRules:
    known = {field.name: entries[field.name] for field in fields(HouseRules) if field.name in entries}
    journeys = tuple((date.fromisoformat(day), int(offset)) for day, offset in known.get("journeys", ()))
    structure = Structure(known.get("structure", Structure.ALONE))
    return HouseRules(**known | {"undated": Undated(entries["undated"]), "journeys": journeys, "structure": structure})


_OLD = frozenset({"source", "root", "action", "destination", "why", "size", "mtime_ns", "capture"})


def _inside(path: str) -> bool:
    return not (path.startswith("/") or ".." in path.split("/") or "\0" in path)


def _row(entries: Mapping[str, Any], path: str) -> Row:
    names = [field.name for field in fields(Row) if field.name in _OLD or field.name in entries]
    row = Row(**{name: entries[name] for name in names} | {"action": Action(entries["action"])})
    inside = (row.destination is None or _inside(row.destination)) and _inside(row.sidecar)
    if not inside or (row.action is Action.BRING and not row.destination):
        raise PlanUnusable(path, f"the destination of {row.source!r} does not lie in the library")
    return row
