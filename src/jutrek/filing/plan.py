"""The plan: every file's destination and the reason, before anything is touched.

A plan is a frozen value. It can be written as JSON, read again, and is the only thing that a transfer takes.
Planning the same captures against the same library twice gives the same plan.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass
from enum import StrEnum
from typing import Any, NamedTuple

from jutrek.disk import FileStamp
from jutrek.errors import PlanUnusable
from jutrek.filing.facts import below
from jutrek.filing.rules import HouseRules
from jutrek.library import NOT_FILED, Filed, GivenNumber

FORMAT = "jutrek-plan"
VERSION = 1


class Action(StrEnum):
    """What a plan does with a file. Moving is done within the library, all else from sources."""

    BRING = "bring"
    MOVE = "move"
    HOME = "home"
    TWIN = "twin"
    STAY = "stay"


class Row(NamedTuple):
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
        sidecar: where a sidecar is written for it, relative to the library; empty where none is.
        counter: what the number in its name counts within; empty where there is none.
        number: that number.
        by: by what it is filed, but for the original path, which `filed` adds.
        says: what the house says of it, for its sidecar: names of fields (`wording.properties.Field`) with what they
            say, and keywords with what they stand under.
    """

    source: str
    root: str
    action: Action
    destination: str | None
    why: str
    size: int = 0
    mtime_ns: int = 0
    capture: str = ""
    sidecar: str = ""
    counter: str = ""
    number: int = 0
    by: Filed = NOT_FILED
    says: tuple[tuple[str, str], ...] = ()

    @property
    def stamp(self) -> FileStamp:
        """How it was when it was planned for."""
        return FileStamp(self.size, self.mtime_ns)

    @property
    def filed(self) -> Filed:
        """By what it is filed; of what belongs to no capture, nothing."""
        return self.by._replace(original=below(self.source, self.root)) if self.capture else NOT_FILED


def numbers_in(rows: Iterable[Row]) -> Iterator[tuple[str, GivenNumber]]:
    """Which numbers the names of rows are given, by path relative to the library."""
    for row in rows:
        if row.counter and row.destination:
            yield row.destination, GivenNumber(row.counter, row.number)


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

    def to_move(self) -> tuple[Row, ...]:
        """The rows that move a file within the library."""
        return tuple(row for row in self.rows if row.action is Action.MOVE)

    def as_json(self, more: Mapping[str, Any] | None = None) -> str:
        """The plan as JSON text. Undecodable bytes of paths are kept as escaped surrogates.

        Args:
            more: what else is to be told, for readers of the plan; carrying it out does not need it.
        """
        about = {"format": FORMAT, "version": VERSION, "library": self.library, "library_id": self.library_id}
        rows = [_entries(row) for row in self.rows]
        rules = asdict(self.rules)
        # The folder of a job stands in every row; what is told is a page of rules.
        if rules.pop("within") and not self.rules.layout:
            del rules["layout"]
        page = {**about, "rules": rules, **(more or {}), "rows": rows}
        return json.dumps(page, indent=1, default=str)


def from_json(text: str, path: str) -> Plan:
    """Read a plan that `as_json` wrote; `path` names it in errors.

    Raises:
        PlanUnusable: when it is no plan, of a newer version, or damaged.
    """
    from jutrek.filing.planpage import checked_page, checked_rules

    try:
        page = checked_page(text)
        if page["version"] > VERSION:
            raise PlanUnusable(path, "a newer Jutrek made it")
        rows = tuple(map(_row, page["rows"]))
        return Plan(page["library"], page["library_id"], checked_rules(page["rules"]), rows)
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise PlanUnusable(path, str(error)) from error


def _entries(row: Row) -> dict[str, Any]:
    entries = row._asdict()
    by = entries.pop("by")
    if not row.says:
        del entries["says"]
    return {**entries, **by._asdict()}


def _row(entries: Mapping[str, Any]) -> Row:
    names = [name for name in Row._fields if name in entries]
    by = Filed(**{name: entries[name] for name in Filed._fields if name in entries})
    by = by._replace(said=_pairs(by.said))
    told = {"action": Action(entries["action"]), "by": by, "says": _pairs(entries.get("says", ()))}
    return Row(**{name: entries[name] for name in names} | told)


def _pairs(entries: Iterable[tuple[object, object]]) -> tuple[tuple[str, str], ...]:
    return tuple((str(name), str(words)) for name, words in entries)
