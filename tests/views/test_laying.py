"""Views laid out: each share bar counts what the others leave, against plain counting; what a click makes of a view."""

from __future__ import annotations

import json
from collections import Counter
from datetime import date, timedelta

import numpy as np
import pytest

from jutrek.filing import HouseRules
from jutrek.library.knowledge import Knowledge, KnownFile
from jutrek.views.building import built
from jutrek.views.completing import completions
from jutrek.views.conditions import Sort, State
from jutrek.views.laying import Layer, Part, keeping, leaving_out, timed, without
from jutrek.views.narrowing import held
from jutrek.views.saying import parts_of, sentence
from jutrek.views.sentence import parse
from tests.views.test_narrowing import DEVICES, shots


@pytest.fixture(scope="module")
def layer() -> Layer:
    known = Knowledge(shots(), [KnownFile("2026/05 May/lost.jpg", 5)], [(".jutrek/tray/x.jpg", 6)])
    return Layer(built(known, HouseRules(), DEVICES))


def told(parts: tuple[Part, ...]) -> dict[str, int]:
    return {part.words: part.captures for part in parts}


def test_bars_count_what_the_others_leave(layer: Layer) -> None:
    laid = layer.lay(parse("stills by A or B with keyword steam in December 2020"))
    paths = {one.path: one for one in shots()}

    def kept(text: str) -> list[KnownFile]:
        rows = np.flatnonzero(held(layer.columns, parse(text)))
        return [paths[path] for path in layer.columns.paths(rows)]

    kinds = Counter(f"{one.kind}s" for one in kept("by A or B with keyword steam in December 2020"))
    assert told(laid.bars[Sort.KIND]) == kinds
    assert [part.chosen for part in laid.bars[Sort.KIND]] == [part.words == "stills" for part in laid.bars[Sort.KIND]]
    words = Counter(
        word
        for one in kept("stills by A or B in December 2020")
        for word in json.loads(one.keywords or "[]") or ["none"]
    )
    assert told(laid.bars[Sort.KEYWORD]) == words
    every = shots()
    days = [one.proved[:10] for one in every if one.found == "proven"]
    safety = laid.safety
    assert (safety.bare, safety.unproven) == (sum(not one.copies for one in every), len(every) - len(days))
    assert date(1970, 1, 1) + timedelta(days=safety.oldest or 0) == date.fromisoformat(min(days))
    copies = Counter(one.copies for one in kept("stills by A or B with keyword steam in December 2020"))
    assert [part.captures for part in laid.bars[Sort.COPIES]] == [copies[number] for number in sorted(copies)]
    assert [part.words for part in laid.bars[Sort.COPIES]] == ["in no backup", "in 1 backup", "in 2 backups"]
    whole = kept("stills by A or B with keyword steam")
    assert laid.months == Counter(
        (int(one[:4]), int(one[5:7])) for one in ((file.moment or file.taken) for file in whole) if len(one) >= 7
    )
    assert laid.by_day == Counter(
        date.fromisoformat(one[:10]).toordinal()
        for one in ((file.moment or file.taken) for file in whole) if len(one) >= 10
    )  # fmt: skip
    assert laid.size == sum(one.size for one in kept("stills by A or B with keyword steam in December 2020"))
    assert [part.captures for part in laid.bars[Sort.DEVICE]] == sorted(told(laid.bars[Sort.DEVICE]).values())[::-1]


def test_folders_count_with_what_is_deeper(layer: Layer) -> None:
    laid, tree = layer.lay(parse("clips")), layer.tree
    for number, path in enumerate(tree.paths):
        inside = [one for one in shots() if f"{one.path}".startswith(f"{path}/" if path else "")]
        assert laid.all_folders[number] == len(inside)
        assert laid.folders[number] == sum(one.kind == "clip" for one in inside)
    assert [tree.paths[one] for one in tree.children(0)] == ["2026", "Unfiled", "old", "Ä-2026"]
    deep = tree.number("old/2026/05 May")
    assert deep is not None
    assert [tree.paths[one] for one in tree.parents(deep)] == ["", "old", "old/2026", "old/2026/05 May"]
    assert not any(path.startswith(".jutrek") for path in tree.paths)
    assert (laid.attention[State.GONE], laid.attention[State.ASIDE]) == (1, 1)
    assert laid.attention[State.MOVED] == sum(one.moved for one in shots())
    assert layer.lay(parse("gone")).rows.size == 1


@pytest.mark.parametrize(("view", "change", "after"), [
    ("stills in 2024", lambda view: keeping(view, parse("clips")), "clips in 2024"),
    ("stills in 2024", lambda view: keeping(view, parse("clips"), more=True), "stills or clips in 2024"),
    ("stills or clips in 2024", lambda view: keeping(view, parse("clips"), more=True), "stills in 2024"),
    ("stills in 2024", lambda view: keeping(view, parse("stills")), "in 2024"),
    ("in 2024", lambda view: keeping(view, parse("by A")), "in 2024 by A"),
    ("in 2024", lambda view: leaving_out(view, parse("by A")), "in 2024 not by A"),
    ("in 2024 not by A", lambda view: leaving_out(view, parse("by A")), "in 2024"),
    ("stills in 2024 by A", lambda view: timed(view, parse("May 2025")), "stills in May 2025 by A"),
    ("stills in 2024 by A", lambda view: timed(view, None), "stills by A"),
    ("stills in 2024", lambda view: without(view, parse("stills")), "in 2024"),
    ("stills", lambda view: without(view, parse("stills")), "everything"),
])  # fmt: skip
def test_a_click_changes_one_thing(view: str, change: object, after: str) -> None:
    assert sentence(change(parse(view))) == after  # type: ignore[operator]


@pytest.mark.parametrize("text", [
    "in May 2026", "in 2024–2026", "from May to July 2026", "from May 2026 to June 2027", "from 12 to 18 May 2026",
    "from 28 April to 3 May 2026", "from 28 December 2020 to 3 January 2021", "in week 53 of 2020",
    "in weeks 10 to 12 of 2026", "from week 53 of 2020 to week 2 of 2021", "on 14 May 2026", "since 2024",
    "until 14 May 2026", "filed under 14 May 2026", "filed since May 2026", "on Mondays or on Fridays",
    "longer than 2.5 minutes", "larger than 1 GB", "in 1 backup", "in no backup", "in at least 2 backups",
    "with at least 12.5 megapixels", "within 300 m of 47.25, -11.4", 'by "A or B" "x"', "not (stills or in 2026)",
    "(stills in 2026) or unfiled", "rated at least 3 or without a rating",
])  # fmt: skip
def test_a_sentence_is_written_as_people_say_it(text: str) -> None:
    assert sentence(parse(text)) == text


def test_the_parts_of_a_view_are_told_one_by_one() -> None:
    assert [words for words, _ in parts_of(parse("stills or clips in 2024 not by A"))] == [
        "stills or clips", "in 2024", "not by A",
    ]  # fmt: skip


@pytest.mark.parametrize(("text", "found"), [
    ("st", [(0, "stills"), (0, "stored away")]), ("stills by Ar", [(10, "Arlen M2"), (10, '"Arlen or two"')]),
    ("stills by Arlen M", [(10, "Arlen M2"), (16, "marked"), (16, "moved outside")]),
    ('by "Arlen o', [(3, '"Arlen or two"')]),
    ("longer ", [(7, "than")]), ("in folder 20", [(10, "2026/05")]), ("with keyword b", [(13, "bridge")]),
    ("stills boil", []),
])  # fmt: skip
def test_the_next_word_is_completed(text: str, found: list[tuple[int, str]]) -> None:
    names = {
        Sort.DEVICE: ["Arlen M2", "Hovar", "Arlen or two"], Sort.FOLDER: ["2026/05"], Sort.KEYWORD: ["bridge"],
    }  # fmt: skip
    assert [(one.start, one.text) for one in completions(text, names)] == found
