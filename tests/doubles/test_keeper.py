"""Which of doubles is proposed to stay, and why: what speaks for one, in its order."""

from __future__ import annotations

import itertools

import pytest

from jutrek.doubles.degrees import Degree
from jutrek.doubles.keeper import Known, propose
from jutrek.library import Filed
from jutrek.library.contents import Content

PLAIN = Content("x/one.jpg", 10, 1000, "still", "jpeg", 10, 10, taken="2026-05-14T10:26:13", device="Arlen")
NOTHING = Known({})
BETTER = {
    "it lies in a dated folder": {"path": "2026/05/one.jpg"},
    "a sidecar or keywords go with it": {"worded": 1},
    "more is said about it": {"worded": 1},
    "its name is the original one": {"path": "x/one.jpg"},
    "it is the older file": {"mtime_ns": 999},
    "its folder is nearer": {"path": "one.jpg"},
    "it has a date": {},
    "its date has an offset": {"taken": "2026-05-14T10:26:13+02:00"},
    "it is the raw": {"format": "dng"},
    "it says which device made it": {},
    "it has more pixels": {"width": 11},
    "it is the less compressed": {"size": 11},
    "it is the larger file": {"size": 11},
}
WORSE = {
    "its name is the original one": {"path": "x/one (1).jpg"},
    "it has a date": {"taken": ""},
    "it says which device made it": {"device": ""},
}
SPEAKS = {
    Degree.BYTES: (
        "it lies in a dated folder", "a sidecar or keywords go with it", "its name is the original one",
        "it is the older file", "its folder is nearer",
    ),
    Degree.PAYLOAD: (
        "it lies in a dated folder", "it has a date", "more is said about it", "its date has an offset",
        "its name is the original one", "it is the older file",
    ),
    Degree.PICTURE: (
        "it is the raw", "it says which device made it", "it has more pixels", "it has a date",
        "it lies in a dated folder", "more is said about it", "it is the less compressed",
        "its name is the original one", "it is the older file",
    ),
    Degree.ALIKE: (
        "it lies in a dated folder", "it has more pixels", "it is the larger file", "its name is the original one",
        "it is the older file",
    ),
}  # fmt: skip


def better(words: str) -> Content:
    return PLAIN._replace(path="x/z.jpg")._replace(**BETTER[words])  # type: ignore[arg-type]


def worse(words: str) -> Content:
    return PLAIN._replace(path="x/a.jpg")._replace(**WORSE.get(words, {}))  # type: ignore[arg-type]


@pytest.mark.parametrize(("degree", "words"), [(degree, words) for degree, all_ in SPEAKS.items() for words in all_])
def test_each_thing_speaks_for_a_file_alone(degree: Degree, words: str) -> None:
    """Where nothing else tells two apart; it is the reason that is given, and the order of asking changes nothing."""
    wins, loses = better(words), worse(words)
    for files in ((wins, loses), (loses, wins)):
        ranked, why = propose(files, degree, NOTHING)
        assert ranked == (wins, loses)
        assert why == f"{words[0].upper()}{words[1:]}."


@pytest.mark.parametrize("degree", SPEAKS)
def test_what_is_asked_first_weighs_more(degree: Degree) -> None:
    """Each thing outweighs the next one."""
    order = SPEAKS[degree]
    for first, second in itertools.pairwise(order):
        wins = worse(second)._replace(**BETTER[first])  # type: ignore[arg-type]
        loses = better(second)._replace(**WORSE.get(first, {}))  # type: ignore[arg-type]
        assert propose((loses, wins), degree, NOTHING)[0][0] == wins, (first, second)


def test_what_is_known_besides_counts() -> None:
    """What Jutrek filed stays before what lies in a dated folder, a sidecar as words do; what is damaged comes last."""
    dated, filed = PLAIN._replace(path="2026/05/one.jpg"), PLAIN._replace(path="y/one.jpg")
    for degree in Degree:
        assert propose((dated, filed), degree, Known({filed.path: Filed()}))[0][0] == filed
    one, other = PLAIN._replace(path="x/a.jpg"), PLAIN._replace(path="x/b.jpg")
    assert propose((one, other), Degree.BYTES, Known({}, frozenset({other.path})))[0][0] == other
    ranked, why = propose((dated, other, one), Degree.BYTES, Known({}, damaged=frozenset({dated.path})))
    assert (ranked[-1], why) == (dated, "Others were found damaged.")
    assert propose((dated, other), Degree.BYTES, Known({}, damaged=frozenset({dated.path})))[1] == (
        "The other was found to be damaged."
    )
    assert propose((one, other), Degree.BYTES, NOTHING) == (
        (one, other), "Nothing tells them apart; the first by name is proposed.",
    )  # fmt: skip
