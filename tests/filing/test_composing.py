"""Composing a pattern by its tokens."""

from __future__ import annotations

import pytest

from jutrek.filing.composing import inserted, moved, pattern_of, removed, tokens_of, with_form, with_optional
from jutrek.filing.pattern import LAYOUT, NAME, Piece, parse
from jutrek.filing.starting import STARTS


def edited(text: str, how: str, *numbers: object) -> str:
    """A pattern after one edit of its tokens."""
    ways = {"insert": inserted, "remove": removed, "move": moved, "form": with_form, "optional": with_optional}
    return str(pattern_of(ways[how](tokens_of(parse(text)), *numbers)))  # type: ignore[operator]


@pytest.mark.parametrize(
    ("text", "how", "numbers", "after"),
    [
        ("{year}/{month}", "insert", (3, Piece("kind")), "{year}/{month}{kind}"),
        ("{year}/{month}", "insert", (1, "x"), "{year}x/{month}"),
        ("{day}< {shoot}>", "insert", (2, "-"), "{day}< -{shoot}>"),
        ("{day}< {shoot}>", "insert", (1, "-"), "{day}-< {shoot}>"),
        ("{day}< {shoot}>", "insert", (3, Piece("kind")), "{day}< {shoot}>{kind}"),
        ("{year}/{month}", "remove", (1,), "{year}{month}"),
        ("{day}< {shoot}>", "remove", (2,), "{day} "),
        ("{year}/{month}/{kind}", "move", (4, 0), "{kind}{year}/{month}/"),
        ("{year}/{month}/{kind}", "move", (0, 5), "/{month}/{kind}{year}"),
        ("{month}", "form", (0, "name"), "{month:name}"),
        ("a{month}", "form", (0, "name"), "a{month}"),
        ("{day} {shoot}", "optional", (2,), "{day}< {shoot}>"),
        ("{year}/by {operator}", "optional", (5,), "{year}/<by {operator}>"),
        ("{day}< {shoot}>", "optional", (2,), "{day} {shoot}"),
        ("<{a}>".replace("a", "job") + "-{client}", "optional", (2,), "<{job}><-{client}>"),
        ("{{<<", "insert", (1, ">"), "{{>><<"),
    ],
)  # fmt: skip
def test_tokens_are_edited(text: str, how: str, numbers: tuple[object, ...], after: str) -> None:
    """Pieces and signs come, go, move, change their format, and become optional with what leads to them."""
    assert edited(text, how, *numbers) == after


@pytest.mark.parametrize("start", STARTS, ids=lambda start: start.words)
def test_starting_points_are_patterns(start: object) -> None:
    """Each can be used, and stays the same through its tokens."""
    for text, use in ((start.layout, LAYOUT), (start.name, NAME)):  # type: ignore[attr-defined]
        pattern = parse(text, use)
        assert pattern_of(tokens_of(pattern)) == pattern
