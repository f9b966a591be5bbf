"""Finding by what somebody types: what fits, in which order, and what use does to that."""

from __future__ import annotations

from typing import NamedTuple

import pytest

from jutrek.desk import settings
from jutrek.desk.finding import fit, folded, ranked, used, uses_of, uses_text


class Thing(NamedTuple):
    """Something to be found."""

    words: str
    about: str = ""
    key: str = ""


THINGS = (
    Thing("Save the plan", "Ctrl+S", "do:save"),
    Thing("Prove that it is home: A · Arlen M2", "Card A", "do:prove a"),
    Thing("Prove that it is home: B · Hovar 4K", "Card B", "do:prove b"),
    Thing("2026-05-14 Bridge survey", "69 captures"),
    Thing("DSC04411.DNG", "20260514_091723.dng"),
    Thing("Élan test"),
)


@pytest.mark.parametrize(
    ("typed", "found"),
    [
        ("prove", [1, 2]),
        ("card b", [2]),
        ("b prove", [2]),
        ("PLAN", [0]),
        ("elan", [5]),
        ("20260514", [4]),
        ("survey bri", [3]),
        ("zzz", []),
        ("prove zzz", []),
    ],
)
def test_every_word_that_is_typed_has_to_be_there(typed: str, found: list[int]) -> None:
    """In the words or beside them, whatever its case and accents."""
    assert ranked(typed, THINGS, {}, 10) == [THINGS[number] for number in found]


def test_what_begins_with_it_comes_before_what_only_holds_it() -> None:
    """All of it, at the beginning, at that of a word in a row and apart, within a word, beside: in this order."""
    texts = ("card in", "card in it", "a card in", "a card, put in", "discard, in", "put in")
    scores = [fit("card in", text, "card") for text in texts]
    assert scores == sorted(scores, reverse=True)
    assert len(set(scores)) == len(scores)
    assert fit("card in", "in a box") == 0.0


def test_the_more_it_was_used_the_sooner_it_comes() -> None:
    """Use fades when other things are used; without anything typed, what was used comes first."""
    uses: dict[str, float] = {}
    for key in ("do:prove b", "do:prove b", "do:save"):
        uses = used(uses, key)
    assert uses == pytest.approx({"do:prove b": 1.71, "do:save": 1.0})
    assert [one.key for one in ranked("prove", THINGS, uses, 2)] == ["do:prove b", "do:prove a"]
    assert [one.key for one in ranked(" ", THINGS, uses, 3)] == ["do:prove b", "do:save", "do:prove a"]


def test_uses_are_remembered_and_what_else_stands_there_is_none() -> None:
    """The settings are a file that anybody can write into."""
    settings.remember_library("/home/velmora")
    settings.remember_uses({"do:save": 1.5, "page:Journal": 2.0})
    assert settings.last_uses() == {"do:save": 1.5, "page:Journal": 2.0}
    assert settings.last_library() == "/home/velmora"
    for text in ("[]", "{", '{"a": "b", "c": true, "d": -1, "e": 1e400, "f": null}', "[" * 100_000):
        assert uses_of(text) == {}
    assert uses_of('{"a": 2, "b": []}') == {"a": 2.0}
    assert len(uses_of(uses_text({str(number): 1.0 for number in range(99)}))) == 60


def test_accents_and_case_do_not_count() -> None:
    assert folded("ÉLAN Straße ﬁn") == "elan strasse fin"
