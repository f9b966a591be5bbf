"""Composing a pattern by its parts: a row of tokens between which a caret stands, as a person sees and moves them.

Signs of text are tokens one by one, so that the caret can stand between any two of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import groupby

from jutrek.filing.pattern import Optional, Part, Pattern, Piece, joined

SLASH = "/"


@dataclass(frozen=True, slots=True)
class Token:
    """A piece, or one sign of text.

    Attributes:
        part: the piece or the sign.
        optional: the number of the optional part that it stands in, from 1; 0 outside of all.
    """

    part: Piece | str
    optional: int = 0

    @property
    def piece(self) -> Piece | None:
        """The piece, or None for a sign."""
        return self.part if isinstance(self.part, Piece) else None


def tokens_of(pattern: Pattern) -> list[Token]:
    """The tokens of a pattern, in their order."""
    tokens: list[Token] = []
    number = 0
    for part in pattern.parts:
        if isinstance(part, Optional):
            number += 1
            for one in part.parts:
                tokens += _tokens(one, number)
        else:
            tokens += _tokens(part, 0)
    return tokens


def _tokens(part: Piece | str, optional: int) -> list[Token]:
    return [Token(one, optional) for one in ([part] if isinstance(part, Piece) else part)]


def pattern_of(tokens: Sequence[Token]) -> Pattern:
    """The pattern that tokens make. An optional part that has lost its pieces is one no more."""
    parts: list[Part] = []
    for optional, together in groupby(tokens, key=lambda token: token.optional):
        inner = joined([token.part for token in together])
        if optional and any(isinstance(one, Piece) for one in inner):
            parts.append(Optional(tuple(one for one in inner if not isinstance(one, Optional))))
        else:
            parts += inner
    return Pattern(joined(parts))


def inserted(tokens: Sequence[Token], at: int, part: Piece | str) -> list[Token]:
    """Tokens with one more before number `at`; within an optional part it belongs to that."""
    inside = 0 < at < len(tokens) and tokens[at - 1].optional == tokens[at].optional
    optional = tokens[at].optional if inside else 0
    return [*tokens[:at], Token(part, optional), *tokens[at:]]


def removed(tokens: Sequence[Token], at: int) -> list[Token]:
    """Tokens without number `at`."""
    return [*tokens[:at], *tokens[at + 1 :]]


def moved(tokens: Sequence[Token], at: int, to: int) -> list[Token]:
    """Tokens with number `at` put before what is number `to` now."""
    rest = removed(tokens, at)
    return inserted(rest, to - (to > at), tokens[at].part)


def with_form(tokens: Sequence[Token], at: int, form: str) -> list[Token]:
    """Tokens with another format of the piece at `at`."""
    piece = tokens[at].piece
    if piece is None:
        return list(tokens)
    return [*tokens[:at], replace(tokens[at], part=Piece(piece.name, form)), *tokens[at + 1 :]]


def with_optional(tokens: Sequence[Token], at: int) -> list[Token]:
    """Tokens with the piece at `at` made optional together with the text that leads to it; or no longer so.

    An optional piece loses its brackets with everything that stands in them.
    """
    number = tokens[at].optional
    if number:
        return [replace(token, optional=0) if token.optional == number else token for token in tokens]
    new = max((token.optional for token in tokens), default=0) + 1
    start = at
    while start and _leads(tokens[start - 1]):
        start -= 1
    return [
        replace(token, optional=new) if start <= place <= at else token for place, token in enumerate(tokens)
    ]  # fmt: skip


def _leads(token: Token) -> bool:
    return token.piece is None and token.part != SLASH and not token.optional
