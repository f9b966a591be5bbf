"""What is meant by what somebody types: of many things first what fits best, and what is used most."""

from __future__ import annotations

import json
import math
import unicodedata
from collections.abc import Iterable, Mapping
from typing import Protocol, TypeVar

_BEGINS, _A_WORD, _WITHIN, _BESIDE = 4.0, 3.0, 1.0, 0.5
"""What a word that was typed counts: at the beginning, at that of a word, within one, in what stands beside."""
_IN_A_ROW, _ALL = 2.0, 3.0
"""What it counts that what was typed stands there as it was typed, and that nothing else does."""
_LONGER = 24
"""Letters by which something is longer that comes later for it."""
_FADES = 0.9
"""What is left of each use when something else is used."""
_KEPT = 60
_MOST = 1e6


class Findable(Protocol):
    """Something that can be found by its words, or by what stands beside them; it is remembered by its key."""

    @property
    def key(self) -> str: ...
    @property
    def words(self) -> str: ...
    @property
    def about(self) -> str: ...


_F = TypeVar("_F", bound=Findable)


def folded(text: str) -> str:
    """Text without case and accents, so that `elan` finds `Élan`."""
    if text.isascii():
        return text.lower()
    apart = unicodedata.normalize("NFKD", text.casefold())
    return "".join(sign for sign in apart if not unicodedata.combining(sign))


def fit(typed: str, words: str, about: str = "") -> float:
    """How well something fits what was typed, all of it folded; 0 where a word of that is nowhere in it."""
    total = 0.0
    for word in typed.split():
        at = words.find(word)
        if at == 0:
            total += _BEGINS
        elif at > 0:
            total += _A_WORD if any(_begins_word(words, one) for one in _places(words, word)) else _WITHIN
        elif word in about:
            total += _BESIDE
        else:
            return 0.0
    whole = " ".join(typed.split())
    return total + (_IN_A_ROW if whole in words else 0.0) + (_ALL if whole == words else 0.0)


def _places(text: str, word: str) -> Iterable[int]:
    at = text.find(word)
    while at >= 0:
        yield at
        at = text.find(word, at + 1)


def _begins_word(text: str, at: int) -> bool:
    return at == 0 or not text[at - 1].isalnum()


def ranked(typed: str, things: Iterable[_F], uses: Mapping[str, float], most: int) -> list[_F]:
    """The things that fit what was typed, the best first; of nothing typed, what was used before, then all in order.

    Args:
        uses: how much each was used, by its key.
        most: how many are wanted.
    """
    wanted = folded(typed)
    found = []
    for number, one in enumerate(things):
        score = fit(wanted, folded(one.words), folded(one.about)) if wanted.strip() else 1.0
        if score > 0:
            used = math.log1p(uses.get(one.key, 0.0)) if one.key else 0.0
            found.append((-(score + used), len(one.words) // _LONGER if wanted.strip() else 0, number, one))
    found.sort(key=lambda row: row[:3])
    return [one for *_, one in found[:most]]


def used(uses: Mapping[str, float], key: str) -> dict[str, float]:
    """How much things were used, once one more was: what was used long ago fades."""
    faded = {one: count * _FADES for one, count in uses.items()}
    faded[key] = faded.get(key, 0.0) + 1.0
    return dict(sorted(faded.items(), key=lambda row: -row[1])[:_KEPT])


def uses_text(uses: Mapping[str, float]) -> str:
    """Uses as they are written into the settings."""
    return json.dumps({key: round(count, 3) for key, count in uses.items()})


def uses_of(text: str) -> dict[str, float]:
    """Uses as they were written. What somebody else wrote there counts as none."""
    try:
        found = json.loads(text) if text else {}
    except (ValueError, RecursionError):
        return {}
    if not isinstance(found, dict):
        return {}
    fine = {key: count for key, count in found.items() if type(count) in (int, float) and 0 < count < _MOST}
    return {key: float(count) for key, count in list(fine.items())[:_KEPT]}
