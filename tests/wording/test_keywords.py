"""Keywords: of a capture, whose words come and go with what they stand under; and the house's tree of them."""

from __future__ import annotations

import random

import pytest

from jutrek.wording.caption import Caption, with_caption
from jutrek.wording.completing import Completer, Completion
from jutrek.wording.keywords import Change, Keywords
from jutrek.wording.packet import Packet
from jutrek.wording.tree import WordTree, WordTrouble, branch_of

_ENGINE = ("line", "engines", "No. 7")


def having(*branches: tuple[str, ...], own: tuple[str, ...] = ()) -> Keywords:
    keywords = Keywords(Packet(), own)
    keywords.change(Change(add=branches))
    return read_again(keywords, own)


def read_again(keywords: Keywords, own: tuple[str, ...] = ()) -> Keywords:
    packet = Packet()
    keywords.write(packet)
    return Keywords(Packet(bytes(packet)), own)


def test_what_a_keyword_stands_under_comes_and_goes_with_it() -> None:
    keywords = having(("line",), _ENGINE, ("line", "engines", "No. 9"))
    assert keywords.all == ["line", "engines", "No. 7", "No. 9"]
    assert not keywords.remove("Engines")
    assert keywords.remove("no. 7")
    assert keywords.all == ["line", "engines", "No. 9"]
    keywords = read_again(keywords)
    keywords.remove("No. 9")
    # It was there by itself before the others came.
    assert keywords.all == ["line"]
    own = having(_ENGINE, own=("engines",))
    own.remove("No. 7")
    assert own.all == ["engines"]


def test_words_that_are_there_already_learn_what_they_stand_under() -> None:
    flat = with_caption(b"", Caption(Change(add=(("snow",), ("weather",)))))
    told = with_caption(flat, Caption(Change(add=(("weather", "snow"),))))
    assert ("weather", "snow") in Packet(told).branches()
    assert with_caption(told, Caption(Change(add=(("Weather", "Snow"),)))) is told


def test_in_place_of_all_others() -> None:
    keywords = having(_ENGINE, own=("snow", "rail"))
    keywords.change(Change(add=(("Rail",),), instead=True))
    assert read_again(keywords, ("snow", "rail")).all == ["Rail"]


def test_moving_renaming_and_letting_go() -> None:
    keywords = having(_ENGINE, ("snow",))
    assert keywords.move(("line", "engines"), ("stock", "locomotives"))
    assert sorted(keywords.all) == ["No. 7", "locomotives", "snow", "stock"]
    assert keywords.move(("stock", "locomotives"), ())
    assert sorted(read_again(keywords).all) == ["No. 7", "snow", "stock"]
    assert keywords.move(("snow",), ("weather", "Snow"))
    assert sorted(keywords.all) == ["No. 7", "Snow", "stock", "weather"]
    assert not keywords.move(("ice",), ("snow",))
    in_file = having(own=("depot",))
    assert not in_file.move(("yard", "depot"), ("depot", "x"), alone=False)
    assert in_file.move(("depot",), ("shed",))
    assert read_again(in_file, ("depot",)).all == ["shed"]


@pytest.mark.parametrize("seed", range(40))
def test_random_changes_that_are_taken_back_leave_the_same(seed: int) -> None:
    chance = random.Random(seed)
    names = [f"w{number}" for number in range(6)]
    own = tuple(chance.sample(names, 2))
    keywords = having(*(tuple(chance.sample(names, chance.randint(1, 3))) for _ in range(4)), own=own)
    before = set(keywords.all)
    depth = chance.randint(1, 3)
    new = (*chance.sample(names, depth - 1), "new")
    keywords.add(new)
    assert set(keywords.all) == before | set(new)
    keywords = read_again(keywords, own)
    other = (*chance.sample(names, chance.randint(0, 2)), "newer")
    assert keywords.move(new, other)
    assert set(keywords.all) == before | set(other)
    assert read_again(keywords, own).remove("newer")
    keywords.remove("newer")
    assert set(keywords.all) == before


PAGE = """# What belongs to the line.
line
\tengines = locomotives = motive power
\t\tNo. 7 = the seven

\tviaducts
\u00a0
stations
    depot
    yard
        depot
"""


def test_a_page_is_read_and_kept_as_it_is() -> None:
    tree = WordTree(PAGE)
    assert tree.text == PAGE
    assert [(one.word, one.depth) for one in tree.entries] == [
        ("line", 0), ("engines", 1), ("No. 7", 2), ("viaducts", 1), ("stations", 0), ("depot", 1), ("yard", 1),
        ("depot", 2),
    ]  # fmt: skip
    assert tree.meant("The  Seven") == ("line", "engines", "No. 7")
    assert tree.meant("yard > depot") == ("stations", "yard", "depot")
    assert tree.meant("snow") == ("snow",)
    with pytest.raises(WordTrouble, match="more than once"):
        tree.meant("depot")
    odd = WordTree("= x\nfine\n" + "\n".join(" " * deep + f"w{deep}" for deep in range(14)))
    assert len(odd.troubles) == 3
    assert [one[:7] for one in odd.troubles] == ["Line 1:", "Line 15", "Line 16"]


@pytest.mark.parametrize("word", ["", "a = b", "a > b", "x" * 201, "a\x00", "#", "# note"])
def test_what_the_list_cannot_hold_is_refused(word: str) -> None:
    with pytest.raises(WordTrouble):
        WordTree("a\n").renamed(0, word)


def test_changes_touch_only_their_lines() -> None:
    tree = WordTree(PAGE)
    assert tree.with_added(branch_of("line > engines > No. 9")).text == PAGE.replace(
        "the seven\n", "the seven\n\t\tNo. 9\n"
    )
    assert tree.with_added(branch_of("line > engines")).text == PAGE
    assert tree.renamed(1, "locos").text == PAGE.replace("\tengines =", "\tlocos =")
    assert tree.moved(1, 6).text == PAGE.replace(
        "\tengines = locomotives = motive power\n\t\tNo. 7 = the seven\n", ""
    ).replace(
        "        depot\n", "        depot\n        engines = locomotives = motive power\n        \tNo. 7 = the seven\n"
    )
    assert tree.removed(1).text == PAGE.replace("\tengines = locomotives = motive power\n\t\tNo.", "\tNo.")
    merged = tree.merged(1, 3)
    assert [merged.branch(one) for one in range(4)] == [
        ("line",), ("line", "viaducts"), ("line", "viaducts", "No. 7"), ("stations",)
    ]  # fmt: skip
    assert merged.meant("motive power") == ("line", "viaducts")
    for wrong in (lambda: tree.moved(0, 1), lambda: tree.moved(7, 4), lambda: tree.renamed(3, "Engines")):
        with pytest.raises(WordTrouble):
            wrong()


@pytest.mark.parametrize("seed", range(30))
def test_random_pages_lose_no_keyword_and_no_note(seed: int) -> None:
    """Whatever is moved, what it was stays below it, all else stays where it was, and notes stay."""
    chance = random.Random(seed)
    lines, depth = [], 0
    for number in range(30):
        depth = chance.randint(0, depth + 1)
        lines.append(
            chance.choice(("\t", "  ", "    ")) * depth + f"w{number}" if chance.random() < 0.9 else f"# {number}"
        )
    tree = WordTree("\n".join(lines) + "\n")
    number = chance.randrange(len(tree.entries))
    parent = chance.choice([-1, *range(len(tree.entries))])
    try:
        moved = tree.moved(number, parent)
    except WordTrouble:
        return
    was = {one.word: tree.branch(at) for at, one in enumerate(tree.entries)}
    own = {tree.entries[one].word for one in (number, *tree.below(number))}
    base = tree.branch(parent) if parent >= 0 else ()
    for at, one in enumerate(moved.entries):
        old = was.pop(one.word)
        expected = (*base, *old[len(tree.branch(number)) - 1 :]) if one.word in own else old
        assert moved.branch(at) == expected
    assert not was
    notes = [{one.strip() for one in some if "#" in one} for some in (moved.text.split("\n"), lines)]
    assert notes[0] == notes[1]


def test_completing_finds_the_likeliest_first() -> None:
    """What begins so, the most used first; then synonyms; then what has it at the start of a word, or anywhere."""
    tree = WordTree("line\n  steam engine\n  engines = machines = English\n  depot\nyard\n  depot\n  big engine\n")
    completer = Completer(tree, {"engines": 4, "Engineer": 9, "depot": 2})
    assert [one.branch for one in completer.find("eng")] == [
        ("Engineer",), ("line", "engines"), ("yard", "big engine"), ("line", "steam engine")
    ]  # fmt: skip
    assert completer.find("MACH") == [Completion(("line", "engines"), "machines", 4)]
    assert [one.branch for one in completer.find("yard > d")] == [("yard", "depot")]
    assert [one.branch for one in completer.find("line >")] == [
        ("line", "engines"), ("line", "depot"), ("line", "steam engine")
    ]  # fmt: skip
    assert [len(completer.find(typed, 1)) for typed in ("e", "gin", "zz", "", " ")] == [1, 1, 0, 0, 0]
