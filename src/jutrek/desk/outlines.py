"""Outlines for whichever face asks: made of folders, copied, tried while they are written, their starter files."""

from __future__ import annotations

import os
from datetime import date
from typing import TYPE_CHECKING, NamedTuple

from jutrek.desk.jobs import Said, looked_ahead
from jutrek.errors import CantStart, NotPossible, reason
from jutrek.filing.names import same_name
from jutrek.jobs.shelf import Kept, folder_of_outline, keep_outline, outline_names, outline_of

if TYPE_CHECKING:
    from jutrek.filing import HouseRules
    from jutrek.jobs.drawing import Drawn
    from jutrek.jobs.making import Whole
    from jutrek.library import Library


def outline_from(library: Library, folder: str, name: str) -> tuple[Kept, Drawn]:
    """Make an outline from a folder as it is, without its captures, and keep it.

    Args:
        library: that keeps it.
        folder: any folder, by its path.
        name: of the outline.

    Raises:
        NotPossible: when there is an outline of this name, or it can't be written.
        SourceUnreadable: when the folder can't be read.
    """
    from jutrek.jobs.drawing import drawn_from
    from jutrek.jobs.job import read_job

    whole = os.path.abspath(folder)
    _refuse_known(library, name)
    below = os.path.relpath(whole, library.root)
    is_inside = not below.startswith("..") and below != "."
    job = read_job(library.tree, below) if is_inside else None
    above = (
        os.path.dirname(below).split("/") if is_inside and os.path.dirname(below) else ["jobs", str(date.today().year)]
    )
    drawn = drawn_from(whole, above, job)
    keep_outline(library, name, drawn.text)
    for starter, path in drawn.starters.items():
        _bring_starter(library, name, starter, path)
    return outline_of(library, name), drawn


def copy_outline(library: Library, other: Library, name: str, new: str = "") -> Kept:
    """Copy an outline with its starters from another library.

    Raises:
        NotPossible: when the other has none of this name, or there is one already.
    """
    kept = outline_of(other, name)
    wanted = new or kept.name
    _refuse_known(library, wanted)
    keep_outline(library, wanted, kept.text)
    for starter in kept.starters:
        path = other.tree.at(folder_of_outline(other, kept.name).below(starter))
        _bring_starter(library, wanted, starter, path)
    return outline_of(library, wanted)


class Tried(NamedTuple):
    """An outline as it is written by now.

    Attributes:
        kept: as it reads.
        whole: what it would make with examples in its blanks; None for nothing.
        why: why nothing.
    """

    kept: Kept
    whole: Whole | None
    why: str = ""


_EXAMPLES = {"title": "Boiler test", "operator": "RK"}


def tried(library: Library, kept: Kept, rules: HouseRules) -> Tried:
    """What an outline would make with examples in its blanks, and all optional parts."""
    if kept.outline is None:
        return Tried(kept, None)
    values = {}
    for name, blank in kept.outline.blanks.items():
        first = next(iter(blank.choices), "") or blank.usual or _EXAMPLES.get(name, name)
        values[name] = first if not blank.trouble_with(first) else ("1" if blank.only == "digits" else "x") * blank.most
    wished = frozenset(node.name for node in kept.outline.optional if node.wished)
    try:
        return Tried(kept, looked_ahead(library, Said(kept.name, values, wished), rules, kept)[0])
    except (CantStart, NotPossible) as error:
        return Tried(kept, None, str(error))


def add_starter(library: Library, outline: str, path: str) -> str:
    """Put a file beside an outline. Returns the name that it has there.

    Raises:
        NotPossible: when it can't be copied, or one of its name is there.
    """
    name = os.path.basename(path)
    _bring_starter(library, outline, name, path)
    return name


def remove_outline(library: Library, name: str) -> None:
    """Put an outline with its starters into the system's trash. Jobs that were started by it stay as they are.

    Raises:
        NotPossible: when there is none of this name, or no trash takes it.
    """
    from jutrek.transfer.trash import send

    kept = outline_of(library, name)
    try:
        send(library.tree, folder_of_outline(library, kept.name))
    except OSError as error:
        raise NotPossible(library.root, f"the outline “{kept.name}” can't be removed: {reason(error)}") from error


def _refuse_known(library: Library, name: str) -> None:
    if same_name(" ".join(name.split())) in map(same_name, outline_names(library)):
        raise NotPossible(library.root, f"there is an outline “{name}” already")


def _bring_starter(library: Library, outline: str, name: str, path: str) -> None:
    from jutrek.transfer.starter_files import bring_starter

    bring_starter(library, folder_of_outline(library, outline), name, path)
