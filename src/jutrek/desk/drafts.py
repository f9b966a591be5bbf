"""An intake in work, kept until it is home: sources, decisions and changed rules, per library (XDG state folder).

One JSON file per library, replaced as a whole whenever something is decided. A file that is damaged, or of a newer
Jutrek, counts as none.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from jutrek.captures.decisions import ClockFix, Decisions, Described, GivenDate
from jutrek.disk import chosen, have_folder
from jutrek.filing import HouseRules
from jutrek.formats import Precision

VERSION = 2
DAY_RULES = ("day_starts", "gap", "zone", "journeys")
"""House rules that a person may change for one intake."""


@dataclass(frozen=True, slots=True)
class Draft:
    """What is kept of an intake in work.

    Attributes:
        changed: those of the `DAY_RULES` that differ from the house's in this intake.
        files: size and time of last change (nanoseconds) of the captures that something was decided about one by one:
            a card's names come again with other content.
        within: the folder of a job that captures of it land in, relative to the library; empty where it is for none.
    """

    sources: tuple[str, ...]
    decisions: Decisions
    changed: Mapping[str, Any] = field(default_factory=dict)
    files: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    within: str = ""


def _path(library: str) -> str:
    import platformdirs

    return os.path.join(platformdirs.user_state_dir("jutrek"), "intakes", f"{library}.json")


def load(library: str) -> Draft | None:
    """The draft of a library by its identity, or None."""
    try:
        with open(_path(library), encoding="utf-8", errors="surrogateescape") as file:
            page = json.load(file)
        if page["version"] not in (1, VERSION):
            return None
        changed = _earlier(page["rules"]) if page["version"] == 1 else _changed(page["rules"])
        files = {str(key): (int(size), int(mtime_ns)) for key, (size, mtime_ns) in page["files"].items()}
        sources = tuple(map(str, page["sources"]))
        return Draft(sources, _decisions(page["decisions"]), changed, files, str(page.get("within", "")))
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return None


def keep(library: str, draft: Draft) -> None:
    """Keep a draft. A folder that cannot be written is no trouble of the person's now."""
    page = {
        "version": VERSION,
        "sources": draft.sources,
        "decisions": _as_page(draft.decisions),
        "files": draft.files,
        "within": draft.within,
        "rules": {
            name: [[str(day), minutes] for day, minutes in value] if name == "journeys" else value
            for name, value in draft.changed.items()
        },
    }
    with contextlib.suppress(OSError):
        tree, name = chosen(_path(library))
        have_folder(tree.root).write_own(name, json.dumps(page, indent=1).encode())


def forget(library: str) -> None:
    """Forget a draft: the intake is home."""
    with contextlib.suppress(OSError):
        tree, name = chosen(_path(library))
        tree.remove(name, still=tree.lstat(name))


def _as_page(made: Decisions) -> dict[str, Any]:
    return {
        "fixes": [[fix.device, fix.seconds, sorted(fix.captures)] for fix in made.fixes],
        "placed": {key: [one.wall.isoformat(), int(one.precision)] for key, one in made.placed.items()},
        "right": sorted(made.right),
        "right_clocks": sorted(made.right_clocks),
        "unfiled": sorted(made.unfiled),
        "aside": sorted(made.aside),
        "both": sorted(made.both),
        "along": sorted(made.along),
        "splits": [at.isoformat() for at in sorted(made.splits)],
        "joins": [[end.isoformat(), start.isoformat()] for end, start in sorted(made.joins)],
        "moved": {key: at.isoformat() for key, at in made.moved.items()},
        "described": [[str(one.day), one.at.isoformat() if one.at else None, one.words] for one in made.described],
        "told": dict(made.told),
        "names": dict(made.names),
        "operators": dict(made.operators),
        "carried": dict(made.carried),
        "worded": {key: list(words) for key, words in made.worded.items()},
        "apart": sorted(made.apart),
        "said": dict(made.said),
    }


def _decisions(page: Mapping[str, Any]) -> Decisions:
    at = datetime.fromisoformat
    return Decisions(
        fixes=tuple(ClockFix(str(key), float(seconds), frozenset(ids)) for key, seconds, ids in page["fixes"]),
        placed={key: GivenDate(at(wall), Precision(precision)) for key, (wall, precision) in page["placed"].items()},
        right=frozenset(page["right"]),
        right_clocks=frozenset(page["right_clocks"]),
        unfiled=frozenset(page["unfiled"]),
        aside=frozenset(page["aside"]),
        both=frozenset(page.get("both", ())),
        along=frozenset(page.get("along", ())),
        splits=frozenset(map(at, page["splits"])),
        joins=frozenset((at(end), at(start)) for end, start in page["joins"]),
        moved={key: at(when) for key, when in page["moved"].items()},
        described=tuple(
            Described(date.fromisoformat(day), at(when) if when else None, str(words))
            for day, when, words in page["described"]
        ),
        told=dict(page["told"]),
        names=dict(page["names"]),
        operators=dict(page["operators"]),
        carried=dict(page["carried"]),
        worded={key: tuple(map(str, words)) for key, words in page.get("worded", {}).items()},
        apart=frozenset(page["apart"]),
        said=dict(page.get("said", {})),
    )


def _changed(page: Mapping[str, Any]) -> dict[str, Any]:
    """The rules of days and zones that were changed for the intake."""
    read: dict[str, Any] = {
        name: None if page[name] is None else int(page[name]) for name in ("day_starts", "gap", "zone") if name in page
    }
    if "journeys" in page:
        read["journeys"] = tuple((date.fromisoformat(day), int(minutes)) for day, minutes in page["journeys"])
    return read


def _earlier(page: Mapping[str, Any]) -> dict[str, Any]:
    """The same of a draft of the first version, which held all of them: what is not as usual was changed."""
    usual = HouseRules()
    return {name: value for name, value in _changed(page).items() if value != getattr(usual, name)}
