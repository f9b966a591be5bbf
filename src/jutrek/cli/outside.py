"""`jutrek outside`: what somebody changed in a library with other programs."""

from __future__ import annotations

import os
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.completing import libraries
from jutrek.cli.library import named, used_last
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import out, say
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.library import Survey


def outside_command(
    library: Annotated[
        Path | None,
        typer.Argument(help="The library's root folder; else the one used last.", autocompletion=libraries),
    ] = None,
    look: Annotated[bool, typer.Option("--look", help="Only say it: the next time it is told again.")] = False,
    as_json: AsJson = False,
) -> None:
    """Say what changed in a library outside since last time, moved, changed, gone and new, and take it in."""
    from jutrek.cli.keeping import opened
    from jutrek.cli.listing import no_garbage
    from jutrek.cli.planning import house_of, working
    from jutrek.views.outside import outside

    root = named(library) if library is not None else used_last()
    with no_garbage(), opened(root) as (home, ledger), working() as report:
        found = outside(
            home, ledger, house_of(str(root)), take_in=not look, stop=stop_on_interrupt(),
            report=lambda seen: report("Looking through the library", seen, 0),
        )  # fmt: skip
    if as_json:
        tell_json({
            "moved": sorted(map(list, found.moves)), "changed": sorted(found.altered), "gone": sorted(found.lost),
            "new": sorted(found.came),
        })  # fmt: skip
    else:
        _tell(found)


def _tell(found: Survey) -> None:
    """Say it in lines: folders of which all went to one other folder in one line each."""
    whole = _whole_folders(found)
    for old, (new, count) in sorted(whole.items()):
        out("moved", f"{old or '.'}/", f"{new or '.'}/", counted(count, "file"))
    for old, new in sorted(found.moves):
        if os.path.dirname(old) not in whole or os.path.basename(old) != os.path.basename(new):
            out("moved", old, new)
    for word, paths in (("changed", found.altered), ("gone", found.lost), ("new", found.came)):
        for path in sorted(paths):
            out(word, path)
    for path in found.both:
        out("twice", path, "in the root, and on its archive drive")
    for path in found.arriving:
        out("arriving", path, "left until it rests")
    if not (found.moves or found.altered or found.lost or found.came):
        say(f"Nothing changed: {counted(found.files, 'file')}.")
        return
    say(f"{found.moved:,} moved, {found.changed:,} changed, {found.gone:,} gone, {found.new:,} new.")
    if found.gone:
        say("`jutrek gone` says where copies of what is gone are, and lets it be missed no more.")


def _whole_folders(found: Survey) -> dict[str, tuple[str, int]]:
    """Folders of which several files went to one other folder under their names: where to, and how many."""
    pairs = Counter(
        (os.path.dirname(old), os.path.dirname(new))
        for old, new in found.moves
        if os.path.basename(old) == os.path.basename(new)
    )
    targets = Counter(old for old, _ in pairs)
    return {old: (new, count) for (old, new), count in pairs.items() if count > 1 and targets[old] == 1}
