"""Which of doubles is proposed to stay, and why."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from jutrek.doubles.degrees import Degree
from jutrek.formats import format_of
from jutrek.library import Filed
from jutrek.library.contents import Content

_DATED = re.compile(r"(?:^|/)(?:19|20)\d\d(?:[/_. -]?(?:0[1-9]|1[0-2])(?!\d))")
"""A folder path that has a year and a month in it."""
_COPY = re.compile(r"(?i)(?:\(\d+\)|[ _-](?:copy|copie|kopie|copia|duplicate|edited|export|small|web)(?:[ _-]?\d+)?)$")
"""What programs and people put behind the name of a copy."""


@dataclass(frozen=True, slots=True)
class Known:
    """What else is known of files than what they hold.

    Attributes:
        filed: by what Jutrek filed them, by path.
        sidecars: paths of files that have a sidecar beside them.
        damaged: paths of files that are known to be damaged: they are proposed last, whatever speaks for them.
    """

    filed: Mapping[str, Filed]
    sidecars: frozenset[str] = frozenset()
    damaged: frozenset[str] = frozenset()


_Value = Callable[[Content, Known], float]


def is_dated(one: Content, known: Known) -> bool:
    """Whether a file was filed by Jutrek, or lies in a folder that has year and month in it."""
    return _dated(one, known) > 0


def _dated(one: Content, known: Known) -> float:
    return 2.0 if one.path in known.filed else float(bool(_DATED.search(os.path.dirname(one.path) + "/")))


def _raw(one: Content, _: Known) -> float:
    return float(format_of(one.format).raw)


def _made_by(one: Content, _: Known) -> float:
    return float(bool(one.device))


def _pixels(one: Content, _: Known) -> float:
    return float(one.width * one.height)


def _worded(one: Content, known: Known) -> float:
    return one.worded + float(one.path in known.sidecars)


def _offset(one: Content, _: Known) -> float:
    return float("+" in one.taken[10:] or "-" in one.taken[10:] or one.taken.endswith("Z"))


def _with_date(one: Content, _: Known) -> float:
    return float(bool(one.taken))


def _original(one: Content, _: Known) -> float:
    return float(not _COPY.search(os.path.splitext(os.path.basename(one.path))[0]))


def _bytes(one: Content, _: Known) -> float:
    return float(one.size)


def _age(one: Content, _: Known) -> float:
    return -float(one.mtime_ns)


def _short(one: Content, _: Known) -> float:
    return -float(one.path.count("/"))


_DATED_FOLDER = (_dated, "it lies in a dated folder")
_WORDS = (_worded, "more is said about it")
_NAME = (_original, "its name is the original one")
_OLDER = (_age, "it is the older file")
_ORDER: Mapping[Degree, tuple[tuple[_Value, str], ...]] = {
    Degree.BYTES: (
        _DATED_FOLDER, (_worded, "a sidecar or keywords go with it"), _NAME, _OLDER, (_short, "its folder is nearer"),
    ),
    Degree.PAYLOAD: (
        _DATED_FOLDER, (_with_date, "it has a date"), _WORDS, (_offset, "its date has an offset"), _NAME, _OLDER,
    ),
    Degree.PICTURE: (
        (_raw, "it is the raw"), (_made_by, "it says which device made it"), (_pixels, "it has more pixels"),
        (_with_date, "it has a date"), _DATED_FOLDER,
        _WORDS, (_bytes, "it is the less compressed"), _NAME, _OLDER,
    ),
    Degree.ALIKE: (_DATED_FOLDER, (_pixels, "it has more pixels"), (_bytes, "it is the larger file"), _NAME, _OLDER),
}  # fmt: skip


def propose(files: Sequence[Content], degree: Degree, known: Known) -> tuple[tuple[Content, ...], str]:
    """Order doubles, the proposed keeper first, and say why that one.

    Args:
        files: two or more.

    Returns:
        The files, and a sentence with the reasons that speak for the first of them.
    """
    order = _ORDER[degree]
    ranked = sorted(
        files, key=lambda one: (one.path in known.damaged, [-value(one, known) for value, _ in order], one.path)
    )
    first, rest = ranked[0], ranked[1:]
    if any(one.path in known.damaged for one in rest) and first.path not in known.damaged:
        return tuple(ranked), "The other was found to be damaged." if len(rest) == 1 else "Others were found damaged."
    reasons = [words for value, words in order if all(value(first, known) > value(other, known) for other in rest)]
    shared = [
        words
        for value, words in order
        if words not in reasons and value(first, known) > min(value(other, known) for other in rest)
    ]
    said = (reasons or shared)[:3]
    if not said:
        return tuple(ranked), "Nothing tells them apart; the first by name is proposed."
    sentence = said[0] if len(said) == 1 else f"{', '.join(said[:-1])} and {said[-1]}"
    return tuple(ranked), f"{sentence[:1].upper()}{sentence[1:]}."
