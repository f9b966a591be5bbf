"""Bringing a plan home: to the library, and to every other place."""

from __future__ import annotations

import contextlib
import threading
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from jutrek.disk import Outside, inside
from jutrek.errors import LibraryMissing, PlaceFull, PlaceLost, PlanUnusable, reason
from jutrek.filing import Action, HouseRules, Order, Plan, Row
from jutrek.library import Library, Place, as_place, numbers_given
from jutrek.transfer.capacity import hindrances
from jutrek.transfer.control import Control
from jutrek.transfer.copies import Target
from jutrek.transfer.journal import Kind, places_named
from jutrek.transfer.lock import locked
from jutrek.transfer.outcome import Listener, Outcome
from jutrek.transfer.running import Run, Task

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


def bring(
    plan: Plan,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    places: Sequence[Place] = (),
    control: Control | None = None,
    continues: str = "",
    settled: Sequence[str] = (),
    about: Mapping[str, Any] | None = None,
) -> Outcome:
    """Carry out a plan.

    Args:
        stop: when set, the run ends after the blocks at hand; what is home stays home.
        listener: hears of it.
        places: where else every file goes. One that fails or cannot take them drops out alone.
        control: lets the run pause, and answers for places that are full; it is made where none is given.
        settled: what was decided about its dates, in words; the journal keeps it for the report.
        continues: the run that this one finishes; empty for none.
        about: what else the journal's first line tells.

    Returns:
        The outcome. A full or lost library, or a stop, is its `trouble`; what came home before is home.

    Raises:
        PlanUnusable: when the plan is one of another library, or its numbers were given since.
        LibraryBusy: when another Jutrek is at work in the library.
        PlaceFull: when there is not enough room in the library to begin.
        LibraryMissing: when the library cannot be written at all.
    """
    if plan.library_id != library.id:
        raise PlanUnusable(plan.library, f"it was made for another library than {library.root}")
    rows = _in_order(plan.to_bring(), plan.rules)
    _room(library, rows)
    with locked(library):
        if not continues:
            _numbers_are_free(plan, library)
        if not rows:
            return Outcome()
        targets = _targets(library, places, rows)
        head = {
            "sources": sorted({row.root for row in rows}), "places": places_named(one.place for one in targets[1:]),
            "continues": continues, **(about or {}),
        }  # fmt: skip
        notes: list[dict[str, Any]] = [{"entry": "settled", "words": words} for words in settled]
        notes += [
            {"entry": "left", "source": row.source, "root": row.root, "size": row.size, "why": row.why}
            for row in plan.rows
            if row.action is Action.STAY
        ]
        notes += [{"entry": "known", **_sums(plan.rows)}]
        task = Task(rows, plan.rules, targets, Kind.INTAKE, head, notes)
        return Run(task, library, ledger, control or Control(stop), listener or Listener()).go()


def _in_order(rows: Sequence[Row], rules: HouseRules) -> list[Row]:
    return sorted(rows, key=lambda row: row.size) if rules.order is Order.SMALL else list(rows)


def _numbers_are_free(plan: Plan, library: Library) -> None:
    """Check that no number of a plan was given to another capture since it was made. What came home by it may stay."""
    counted = [row for row in plan.to_bring() if row.number]
    given = numbers_given(library) if counted else {}
    for row in counted:
        if row.number <= given.get(row.counter, 0):
            taken = None
            with contextlib.suppress(Outside):
                taken = library.tree.found(inside(row.destination))
            if taken is None:
                raise PlanUnusable(plan.library, f"number {row.number} of it was given to something else since")


def _room(library: Library, rows: Sequence[Row]) -> None:
    try:
        found = hindrances(as_place(library), rows)
    except OSError as error:
        raise LibraryMissing(library.root, reason(error)) from error
    for hindrance in found:
        if hindrance.lacking:
            raise PlaceFull(library.root)
        if hindrance.whole:
            raise LibraryMissing(library.root, hindrance.what.rstrip("."))


def _sums(rows: Sequence[Row]) -> dict[str, int]:
    """How many files were home already, or twins of others."""
    counts = Counter(row.action for row in rows)
    return {"home": counts[Action.HOME], "twins": counts[Action.TWIN]}


def _targets(library: Library, places: Sequence[Place], rows: Sequence[Row]) -> list[Target]:
    """The library and the other places; those that are not there, or cannot take anything, are lost from the start."""
    targets = [Target(as_place(library), main=True)]
    for place in places:
        lost: PlaceFull | PlaceLost | None = None
        try:
            found = [one for one in hindrances(place, rows) if one.whole]
        except OSError as error:
            found, lost = [], PlaceLost(place.root, error)
        if found:
            no_room = any(one.lacking for one in found)
            lost = PlaceFull(place.root) if no_room else PlaceLost(place.root, OSError(found[0].what))
        targets.append(Target(place, lost=lost))
    return targets
