"""Patterns of folders and names: literal text with pieces in braces, such as `{year}/{month}</{day} {shoot}>`.

The language is Jutrek's own; `docs/patterns.md` tells all of it:

    pattern   = { text | piece | optional }
    optional  = "<" { text | piece } ">"        disappears whole where a piece in it is empty; holds at least one
    piece     = "{" name [ ":" format ] "}"
    text      = any signs; `{{` `}}` `<<` `>>`, or `{<}` `{>}`, write the signs themselves

Angle brackets cannot stand in names that every file system takes, so nothing is lost by their meaning.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

from jutrek.filing.pieces import BLANK, PIECES, nearest_form, nearest_piece
from jutrek.filing.spelling import Sign, trouble_with_layout, trouble_with_name

LAYOUT, NAME = "layout", "name"
_SIGNS = "{}<>"


class PatternError(ValueError):
    """A pattern that cannot be used.

    Attributes:
        at: the index of the character that the sentence points at, from 0.
        trouble: the sentence without the place.
    """

    def __init__(self, at: int, trouble: str) -> None:
        super().__init__(f"At character {at + 1}: {trouble}")
        self.at, self.trouble = at, trouble


@dataclass(frozen=True, slots=True)
class Piece:
    """A field of a pattern: the piece's name and its format; empty for the usual one."""

    name: str
    form: str = ""

    def __str__(self) -> str:
        return f"{{{self.name}:{self.form}}}" if self.form else f"{{{self.name}}}"


@dataclass(frozen=True, slots=True)
class Optional:
    """Text and pieces that are there only when all its pieces are."""

    parts: tuple[str | Piece, ...]


Part = str | Piece | Optional


@dataclass(frozen=True, slots=True)
class Pattern:
    """A parsed pattern. No two texts stand side by side, and none is empty; `str` writes it as text again."""

    parts: tuple[Part, ...] = ()

    def __str__(self) -> str:
        written, behind_optional = [], False
        for part in self.parts:
            if isinstance(part, Optional):
                inner = "".join(_text(one) if isinstance(one, str) else str(one) for one in part.parts)
                # A bracket that came first would be read together with the one that opens the part.
                written.append(f"<{{<}}{inner[2:]}>" if inner.startswith("<<") else f"<{inner}>")
            elif isinstance(part, Piece):
                written.append(str(part))
            else:
                text = _text(part)
                written.append(f"{{>}}{text[2:]}" if behind_optional and text.startswith(">>") else text)
            behind_optional = isinstance(part, Optional)
        return "".join(written)

    def pieces(self) -> Iterator[Piece]:
        """All pieces, in their order."""
        for part in self.parts:
            if isinstance(part, Piece):
                yield part
            elif isinstance(part, Optional):
                yield from (one for one in part.parts if isinstance(one, Piece))

    def uses(self, name: str) -> bool:
        """Whether a piece of this name is in it."""
        return any(piece.name == name for piece in self.pieces())


def joined(parts: Sequence[Part]) -> tuple[Part, ...]:
    """Parts with texts that stand side by side made one, and empty ones left out."""
    made: list[Part] = []
    for part in parts:
        if isinstance(part, str) and made and isinstance(made[-1], str):
            made[-1] += part
        elif part != "":
            made.append(part)
    return tuple(made)


def _text(text: str) -> str:
    return "".join(sign * 2 if sign in _SIGNS else sign for sign in text)


@lru_cache(maxsize=256)
def parse(text: str, use: str = "", blanks: frozenset[str] = frozenset()) -> Pattern:
    """Read a pattern. Those that were read last are known: every row of a trial asks for its own.

    Args:
        text: as written.
        use: `LAYOUT` or `NAME`, to check also what only these may hold; empty for neither.
        blanks: names of pieces besides those that captures have; of these the formats of words are known.

    Raises:
        PatternError: at an unknown piece or format, or a brace or bracket without its partner.
    """
    return _Parser(text, use, blanks).parse()


def trouble_with(text: str, use: str, blanks: frozenset[str] = frozenset()) -> PatternError | None:
    """What of a pattern could not be made on every disk as it is written, though it can be read; None for nothing.

    Args:
        use: `LAYOUT` or `NAME`.
        blanks: as of `parse`.

    Raises:
        PatternError: where it can't be read.
    """
    parser = _Parser(text, use, blanks)
    parser.parse()
    found = (trouble_with_layout if use == LAYOUT else trouble_with_name)(parser.signs)
    return PatternError(found.at, found.words) if found else None


class _Parser:
    def __init__(self, text: str, use: str, blanks: frozenset[str]) -> None:
        self._text, self._use, self._at, self._blanks = text, use, 0, blanks
        self.signs: list[Sign] = []

    def parse(self) -> Pattern:
        parts: list[Part] = []
        while self._at < len(self._text):
            if self._sign() == "<" and not self._is_doubled():
                parts.append(self._optional())
            else:
                parts.append(self._text_or_piece(inside=False))
        return Pattern(joined(parts))

    def _sign(self) -> str:
        return self._text[self._at]

    def _is_doubled(self) -> bool:
        return self._text[self._at : self._at + 2] == self._sign() * 2

    def _optional(self) -> Optional:
        start = self._at
        self._at += 1
        parts: list[Part] = []
        while self._at < len(self._text):
            if self._sign() == ">" and not self._is_doubled():
                self._at += 1
                inner = tuple(part for part in joined(parts) if not isinstance(part, Optional))
                if not any(isinstance(part, Piece) for part in inner):
                    raise PatternError(start, "this part can never be empty: there is no piece in its angle brackets.")
                return Optional(inner)
            parts.append(self._text_or_piece(inside=True))
        raise PatternError(start, "this angle bracket has no partner.")

    def _text_or_piece(self, *, inside: bool) -> str | Piece:
        at = self._at
        part = self._next(inside=inside)
        self.signs.append(Sign(at, part if isinstance(part, str) else ""))
        return part

    def _next(self, *, inside: bool) -> str | Piece:
        sign = self._sign()
        if sign in _SIGNS:
            if self._is_doubled():
                self._at += 2
                return sign
            if sign == "{":
                return self._piece()
            if sign == "<" and inside:
                raise PatternError(self._at, "a part in angle brackets can't stand within another one.")
            what = "brace" if sign == "}" else "angle bracket"
            raise PatternError(self._at, f"this {what} has no partner; written twice it stands for itself.")
        if sign == "/" and self._use == NAME:
            raise PatternError(self._at, "a name can't hold “/”: folders belong to the layout.")
        self._at += 1
        return sign

    def _piece(self) -> str | Piece:
        start = self._at
        end = self._text.find("}", start)
        if end < 0:
            raise PatternError(start, "this brace has no partner; written twice it stands for itself.")
        inner = self._text[start + 1 : end]
        self._at = end + 1
        if inner in ("<", ">"):
            return inner
        name, _, form = inner.partition(":")
        if name not in PIECES and name not in self._blanks:
            nearest = nearest_piece(name, self._blanks)
            raise PatternError(start + 1, f"there is no piece “{name}”.{_did_you_mean(nearest)}")
        if form and (trouble := PIECES.get(name, BLANK).trouble_with(form)):
            at = start + 2 + len(name)
            raise PatternError(at, f"{trouble}{_did_you_mean(nearest_form(name, form))}")
        if inner.endswith(":"):
            raise PatternError(end, f"a format is missing behind the colon of “{name}”.")
        if name == "counter" and self._use == LAYOUT:
            raise PatternError(start + 1, "“counter” numbers files: it can't stand in a layout.")
        return Piece(name, form)


def _did_you_mean(nearest: str) -> str:
    return f" Did you mean “{nearest}”?" if nearest else ""
