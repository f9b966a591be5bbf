"""Naming captures anew by the house's pattern, or by another one, as a part of tidying."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from jutrek.desk.library_captures import LibraryCaptures, read_library
from jutrek.errors import NotPossible
from jutrek.filing import HouseRules
from jutrek.filing.facts import Facts, below
from jutrek.filing.naming import Piles
from jutrek.filing.pattern import NAME, PatternError, trouble_with
from jutrek.filing.refiling import Scope, plan_refiling
from jutrek.filing.tidying import Whole, Wish, endings_of
from jutrek.library import Library

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


def named_by(
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    wholes: Sequence[Whole],
    pattern: str,
    *,
    stop: threading.Event,
    report: Callable[[int, int], None] = lambda done, total: None,
) -> list[Wish]:
    """What captures would be called by a pattern, each in the folder that it lies in. Those that fit are left out.

    Args:
        library: the library.
        ledger: its ledger, open.
        rules: the house's.
        wholes: the captures.
        pattern: of names; the house's where it is empty.
        stop: ends it when it is set.
        report: told how many files of the library were read, and of how many.

    Raises:
        NotPossible: when the pattern can't be used.
        Stopped: when `stop` was set.
    """
    if pattern:
        try:
            trouble = trouble_with(pattern, NAME)
        except PatternError as error:
            trouble = error
        if trouble is not None:
            raise NotPossible(pattern, str(trouble).rstrip("."))
        rules = replace(rules, name=pattern, schemes=tuple(replace(one, name="") for one in rules.schemes))
    home = read_library(library, ledger, rules, stop=stop, report=report)
    chosen = {facts.capture.id: whole for facts, whole in _chosen(home, wholes)}
    if not chosen:
        return []
    scope = Scope(captures=frozenset(chosen), folders=False, strangers=True, by_hand=True)
    plan = plan_refiling(library, rules, home.facts, home.known, scope, home.given)
    wishes: dict[str, Wish] = {}
    for row in plan.rows:
        whole = chosen[row.capture]
        if below(row.source, row.root) == whole.path and row.destination:
            wishes[whole.path] = Wish(whole, os.path.dirname(whole.path), _stem(whole, row.destination))
    return list(wishes.values())


def placed_by(
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    wholes: Sequence[Whole],
    *,
    stop: threading.Event,
    report: Callable[[int, int], None] = lambda done, total: None,
) -> list[Wish]:
    """Where captures would go by the folders of rules, under the names that they have: those of a job, above all.

    Arguments and errors are those of `named_by`.
    """
    home = read_library(library, ledger, rules, stop=stop, report=report)
    found = _chosen(home, wholes)
    folders = Piles([facts for facts, _ in found], rules).wishes(rules)
    wishes = {whole.path: Wish(whole, wish.folder) for (_, whole), wish in zip(found, folders, strict=True)}
    return [wish for path, wish in wishes.items() if os.path.dirname(path) != wish.folder]


def _chosen(home: LibraryCaptures, wholes: Sequence[Whole]) -> list[tuple[Facts, Whole]]:
    """The facts of captures that were chosen."""
    of_path = {one.path: whole for whole in wholes for one in whole.files}
    found: dict[str, tuple[Facts, Whole]] = {}
    for facts in home.facts:
        for read in facts.capture.files:
            if (whole := of_path.get(below(read.file.path, facts.capture.root))) is not None:
                found[facts.capture.id] = facts, whole
    return list(found.values())


def _stem(whole: Whole, destination: str) -> str:
    """The stem of a name that was made for a capture's primary, without what its name has behind that."""
    name, suffix = os.path.splitext(os.path.basename(destination))
    end = endings_of([os.path.basename(one.path) for one in whole.files])[1][0]
    tail = end.removesuffix(os.path.splitext(end)[1]) if suffix else end
    return name.removesuffix(tail) if tail else name
