"""Where what is chosen would go, in words, before anything moves."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from jutrek.errors import JutrekError
from jutrek.sorting.spelling import written_out
from jutrek.sorting.targets import checked_target, folders_of
from jutrek.ui import paint
from jutrek.ui.plainly import plain

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from jutrek.desk.sorting import Sorted

_LOOKED_AT = 200
"""Captures that are looked at to say where all of them go."""


class Going(NamedTuple):
    """Where something would go.

    Attributes:
        target: the folder, or a pattern of folders; None where there is none.
        where: it, in words.
        how: what that means for the files, or why it can't be.
        ready: whether Enter does something.
    """

    target: str | None
    where: str
    how: str
    ready: bool


def short_form_of(text: str) -> tuple[str, str] | None:
    """A short form that is told: `vlt = Velmora line trust`; None where none is."""
    short, sign, whole = text.partition("=")
    return (short.strip(), whole.strip()) if sign else None


def where_to(
    found: Sorted,
    rows: NDArray[np.int64],
    typed: str,
    chosen: str | None,
    *,
    exists: Callable[[str], bool],
    by_house: bool,
) -> Going:
    """Where captures would go.

    Args:
        found: the sorting.
        rows: of the captures.
        typed: a folder as it is typed; empty where none is.
        chosen: the folder that is chosen otherwise; None where none is.
        exists: whether a folder is there.
        by_house: whether they get the house's names.
    """
    if (told := short_form_of(typed)) is not None:
        short, whole = map(plain, told)
        means = f"“{short}” will stand for “{whole}”." if whole else f"“{short}” will stand for nothing."
        return Going(None, means, "Enter keeps that for this house.", True)
    target = chosen
    if typed:
        try:
            target = checked_target(written_out(typed, found.shorts), exists)
        except JutrekError as error:
            return Going(None, "", str(error), False)
    if target is None:
        return Going(None, "", "Choose a folder by its number, or type one.", False)
    if not len(rows):
        return Going(target, _path(target), "Nothing is chosen.", False)
    each = dict.fromkeys(folders_of(target, found.view.columns, rows[:_LOOKED_AT].tolist(), found.setting))
    first, *others = each
    where = _path(first) + (f", and {paint.counted(len(others), 'more folder')}" if others else "")
    names = "they get the house's names" if by_house else "names stay"
    how = f"{paint.counted(len(rows), 'capture moves', 'captures move')} on the disk; {names}."
    if not exists(first):
        near = found.spelling.near(written_out(typed, found.shorts)) if typed else ""
        how = f"{how} The folder will be new." if not near else (
            f"Is “{plain(near)}” meant? Tab takes that one, Enter makes a new one."
        )  # fmt: skip
    return Going(target, where, how, True)


def _path(folder: str) -> str:
    return plain(" / ".join(folder.split("/"))) or "the root"
