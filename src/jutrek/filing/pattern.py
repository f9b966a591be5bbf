"""Patterns of folders and names: literal text with pieces in braces, such as `{year}/{month}</{day} {shoot}>`.

A part in angle brackets disappears whole where a piece in it is empty. Angle brackets cannot stand in names that every
file system takes, so nothing is lost by that.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import datetime

from jutrek.formats import Precision

_Piece = Callable[[datetime], str]

PIECES: dict[str, tuple[Precision, _Piece]] = {
    "year": (Precision.YEAR, lambda local: f"{local:%Y}"),
    "month": (Precision.MONTH, lambda local: f"{local:%m}"),
    "day": (Precision.DAY, lambda local: f"{local:%d}"),
    "date": (Precision.YEAR, lambda local: f"{local:%Y%m%d}"),
    "time": (Precision.MINUTE, lambda local: f"{local:%H%M%S}"),
}
"""Pieces of a date by name: the precision a moment needs for them, and how they are written."""
SHOOT = "shoot"
_IN_BRACES = re.compile(r"\{([^{}]*)\}")
_OPTIONAL = re.compile(r"<([^<>]*)>")
_DATE_LENGTH = {Precision.YEAR: 4, Precision.MONTH: 6}


class PatternError(ValueError):
    """A pattern that cannot be used; the sentence names the piece and its place."""


def check(pattern: str) -> None:
    """Check a pattern.

    Raises:
        PatternError: at an unknown piece, or a brace or bracket without its partner.
    """
    for found in _IN_BRACES.finditer(pattern):
        if found[1] not in PIECES and found[1] != SHOOT:
            known = ", ".join((*PIECES, SHOOT))
            raise PatternError(f"At character {found.start() + 1}: there is no piece “{found[1]}”. There are: {known}.")
    if set("{}") & set(_IN_BRACES.sub("", pattern)):
        raise PatternError("A brace stands without its partner.")
    if set("<>") & set(_OPTIONAL.sub("", pattern)):
        raise PatternError("An angle bracket stands without its partner, or within another pair.")


def fill(pattern: str, local: datetime, precision: Precision, *, shoot: str = "") -> str:
    """Write a pattern for a moment. Pieces that its precision does not reach are left out, with what joined them.

    Args:
        pattern: a checked pattern.
        local: local wall time.
        precision: how far it is known.
        shoot: what it was, as a legal name; may be empty.
    """

    def write(found: re.Match[str]) -> str:
        if found[1] == SHOOT:
            return shoot
        need, piece = PIECES[found[1]]
        if found[1] == "date":
            return piece(local)[: _DATE_LENGTH.get(precision, 8)]
        return piece(local) if precision >= need else ""

    def write_part(found: re.Match[str]) -> str:
        pieces = [write(piece) for piece in _IN_BRACES.finditer(found[1])]
        return _IN_BRACES.sub(write, found[1]) if all(pieces) else ""

    filled = _IN_BRACES.sub(write, _OPTIONAL.sub(write_part, pattern))
    parts = (part.strip("_- ") for part in filled.split("/"))
    return "/".join(part for part in parts if part)
