"""What a pattern may not spell out: folders and names that would have to be bent to exist on every disk.

Values of pieces are made legal silently, since nobody typed them there. What somebody typed is theirs to put right.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import takewhile
from typing import NamedTuple

from jutrek.disk import OWN_FOLDER
from jutrek.filing.names import FORBIDDEN, is_reserved


class Sign(NamedTuple):
    """A sign of a pattern, or a piece in it.

    Attributes:
        at: where it stands in what was written.
        text: the sign that it stands for; empty for a piece.
    """

    at: int
    text: str


class Trouble(NamedTuple):
    """What is wrong with a pattern, and where it begins."""

    at: int
    words: str


def trouble_with_layout(signs: Sequence[Sign]) -> Trouble | None:
    """The first folder of a layout that could not be made as it is written.

    Args:
        signs: in their order, those of optional parts among them.
    """
    if not signs:
        return Trouble(
            0, "a layout needs a folder, such as “{year}”; without one all files would stand beside each other."
        )
    folders = list(_folders(signs))
    for number, (at, folder) in enumerate(folders):
        is_last = number == len(folders) - 1
        if not folder and not (is_last and number):
            begins = "a layout begins below the library, without “/”."
            return Trouble(at, "there is no folder between these." if number else begins)
        words = "".join(sign.text for sign in folder)
        if folder and len(words) == len(folder) and not words.strip(". "):
            return Trouble(folder[0].at, f"“{words}” leads out of its folder, or nowhere: it can't be in a layout.")
        if folder and number == 0 and words.lower() == OWN_FOLDER and len(words) == len(folder):
            return Trouble(folder[0].at, f"“{OWN_FOLDER}” is where the library keeps its own things.")
        if (trouble := _trouble_with(folder)) is not None:
            return trouble
    return None


def trouble_with_name(signs: Sequence[Sign]) -> Trouble | None:
    """What of a name could not be given as it is written."""
    if not signs:
        return Trouble(0, "a name can't be empty; “{original}” keeps the one that a file has.")
    return _trouble_with(signs)


def _folders(signs: Sequence[Sign]) -> Iterator[tuple[int, list[Sign]]]:
    """The folders of a layout, with where each begins."""
    folder: list[Sign] = []
    begin = 0
    for sign in signs:
        if sign.text == "/":
            yield begin if folder else sign.at, folder
            folder, begin = [], sign.at
        else:
            folder.append(sign)
    yield begin, folder


def _trouble_with(signs: Sequence[Sign]) -> Trouble | None:
    for sign in signs:
        if sign.text and (sign.text in FORBIDDEN or not (sign.text.isprintable() or sign.text == " ")):
            return Trouble(sign.at, f"{_shown(sign.text)} can't be in a name: not every disk takes it.")
    if signs and signs[0].text == ".":
        return Trouble(signs[0].at, "what begins with a dot is hidden.")
    head = list(takewhile(lambda sign: sign.text != ".", signs))
    words = "".join(sign.text for sign in head)
    if head and len(words) == len(head) and is_reserved(words):
        return Trouble(signs[0].at, f"“{words}” can't be a name: some systems keep it for themselves.")
    return None


def _shown(sign: str) -> str:
    return f"“{sign}”" if sign.isprintable() else f"the sign U+{ord(sign):04X}"
