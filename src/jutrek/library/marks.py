"""The house's own marks: a letter, what it means, and a colour.

`LIBRARY/.jutrek/marks.toml`, one table for each, in the order in which they are offered. It may be edited by hand: an
entry that is damaged is told, and the others work. Which capture has which mark stands in sidecars beside them, where
other programs see it (`xmp:Label`), so that the list can change without a picture being touched.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from jutrek.disk import own
from jutrek.errors import NotPossible, PageBroken, reason
from jutrek.library.pagefiles import tables_text

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from jutrek.library.identity import Library

MARKS = own("marks.toml")
_NOTE = "Marks of this house: a letter, what it means, and its colour, one of those that Jutrek knows by name."
COLOURS = ("iris", "rose", "lime", "apricot", "sky", "lilac", "straw", "mist")
"""What the colours of marks are called. None of them is one that devices have."""
LONGEST_MEANING = 100
FOLDER_SIDECAR = ".folder.xmp"
"""The name of the sidecar in a folder that says how the folder is marked: it goes wherever the folder goes."""


class HouseMark(NamedTuple):
    """A mark of the house.

    Attributes:
        letter: a letter or a digit, as a capital; no two have the same.
        meaning: in a few words, such as `for the report`; may be empty. No two have the same.
        colour: one of `COLOURS`.
    """

    letter: str
    meaning: str = ""
    colour: str = COLOURS[0]

    def is_said_by(self, label: str) -> bool:
        """Whether a label means this mark: by its letter, or by what it means."""
        said = _plain(label)
        return said == _plain(self.letter) or bool(self.meaning and said == _plain(self.meaning))


def marks_of(library: Library) -> tuple[list[HouseMark], list[str]]:
    """The marks of a library in their order, and a sentence for every entry of the page that is damaged."""
    from jutrek.library import pages

    entries, bad = pages.listed(pages.LISTED_MARK, library.tree, MARKS, "mark")
    found: list[HouseMark] = []
    for one in entries:
        try:
            found.append(_checked(found, HouseMark(one["letter"], one.get("meaning", ""), one["colour"])))
        except ValueError as error:
            bad.append(str(PageBroken(library.tree.at(MARKS), f"{one['letter']}: {error}")))
    return found, bad


def mark_said(marks: Iterable[HouseMark], text: str) -> HouseMark | None:
    """The mark that is meant by a letter or by a meaning; None where no mark is."""
    return next((one for one in marks if one.is_said_by(text)), None)


def keep_mark(library: Library, mark: HouseMark) -> HouseMark | None:
    """Write down a mark, in place of the one of its letter.

    Returns:
        That one; None where there was none.

    Raises:
        NotPossible: when it can't be one, or cannot be written.
        PageBroken: when the page is damaged: what it says would be lost.
    """
    known = _known(library)
    letter = _letter(mark.letter)
    before = next((one for one in known if one.letter == letter), None)
    try:
        wanted = _checked([one for one in known if one is not before], mark)
    except ValueError as error:
        raise NotPossible(library.root, str(error)) from error
    if before is None:
        known.append(wanted)
    _write(library, [wanted if one is before else one for one in known])
    return before


def forget_mark(library: Library, letter: str) -> HouseMark:
    """Take a mark from the list. Captures that have it keep its letter. Returns it; same errors as `keep_mark`."""
    known = _known(library)
    found = next((one for one in known if one.letter == _letter(letter)), None)
    if found is None:
        raise NotPossible(library.root, f"the house has no mark “{letter}”")
    _write(library, [one for one in known if one is not found])
    return found


def free_colour(marks: Iterable[HouseMark]) -> str:
    """A colour that none of the marks has yet, or the one that fewest have."""
    used = [one.colour for one in marks]
    return min(COLOURS, key=used.count)


def _checked(others: Sequence[HouseMark], mark: HouseMark) -> HouseMark:
    """A mark as it is written down. Raises ValueError, which says what is wrong with it."""
    letter, meaning = _letter(mark.letter), " ".join(mark.meaning.split())
    if len(letter) != 1 or not letter.isalnum():
        raise ValueError("a mark is one letter or digit")
    if len(meaning) > LONGEST_MEANING or not meaning.isprintable():
        raise ValueError(f"what a mark means has up to {LONGEST_MEANING} signs that can be printed")
    if mark.colour not in COLOURS:
        raise ValueError(f"a mark's colour is one of {', '.join(COLOURS)}")
    for one in others:
        if one.is_said_by(letter) or (meaning and one.is_said_by(meaning)):
            raise ValueError(f"the mark {one.letter} is called so already")
    return HouseMark(letter, meaning, mark.colour)


def _letter(text: str) -> str:
    """A letter as a capital; one that has none, or becomes two, stays as it is."""
    text = text.strip()
    return text.upper() if len(text.upper()) == 1 else text


def _plain(text: str) -> str:
    return " ".join(text.split()).casefold()


def _known(library: Library) -> list[HouseMark]:
    known, bad = marks_of(library)
    if bad:
        what = "it has to be put right before it is written; `jutrek marks list` says what is wrong"
        raise PageBroken(library.tree.at(MARKS), what)
    return known


def _write(library: Library, marks: Sequence[HouseMark]) -> None:
    try:
        library.tree.write_own(MARKS, tables_text(_NOTE, "mark", (mark._asdict() for mark in marks)))
    except OSError as error:
        raise NotPossible(library.root, f"its marks can't be written: {reason(error)}") from error
