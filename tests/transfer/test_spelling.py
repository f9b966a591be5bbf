"""Names that differ by case or form only: filed anew on media that tell case and on those that do not, and killed."""

from __future__ import annotations

import os
import random
import signal
from collections.abc import Callable
from pathlib import Path

import pytest
from bench.torture.round import Child

from jutrek.disk import Tree, inside
from jutrek.filing import Extensions, HouseRules
from jutrek.library import Library, Place, add_place, new_library, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, bring, recover, refile
from jutrek.transfer.catching_up import catch_up, lacking
from tests import making
from tests.making import WHEN, names_below, never, planned, put
from tests.transfer.test_refiling import plan_of

UPPER = HouseRules(layout="2026", name="IMG_{time}", extensions=Extensions.UPPER)
LOWER = HouseRules(layout="2026", name="img_{time}", extensions=Extensions.LOWER)


@pytest.fixture
def spelt(top: Path, tmp_path: Path) -> tuple[Library, Place, set[bytes]]:
    """A library with six files, and a place on the same medium that has them, too."""
    for name in ("archive", "copies"):
        (top / name).mkdir()
    library = new_library(str(top / "archive"))
    place = add_place(library, str(top / "copies"))
    for number in range(6):
        put(tmp_path / "Card A" / f"{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    with Ledger(library.ledger_path) as ledger:
        plan = planned(library, ledger, [tmp_path / "Card A"], LOWER)
        assert bring(plan, library, ledger, stop=never(), places=[place]).home == 6
    return library, place, contents(library.root)


def contents(root: str) -> set[bytes]:
    return {Path(root, name).read_bytes() for name in names_below(root)}


def filed(library: Library, place: Place, rules: HouseRules, listener: Listener | None = None) -> int:
    with Ledger(library.ledger_path) as ledger:
        recover(library, ledger)
        survey(library, ledger)
        plan = plan_of(library, ledger, rules)
        return refile(plan, library, ledger, stop=never(), listener=listener, places=[place]).home


def test_names_change_by_case_alone_and_back(spelt: tuple[Library, Place, set[bytes]]) -> None:
    """All of them, on every medium, in the place too; nothing is called taken that is not."""
    library, place, before = spelt
    for rules in (UPPER, LOWER, UPPER):
        assert filed(library, place, rules) == 6
        names = names_below(library.root)
        assert names == names_below(place.root)
        assert {name.endswith(".JPG") and "/IMG_" in name for name in names} == {rules is UPPER}
    assert (contents(library.root), contents(place.root)) == (before, before)


STEPS = ("begin", "folder made", "between", "renamed", "written down")


@pytest.mark.long
@pytest.mark.parametrize("step", STEPS)
def test_a_kill_while_names_change_by_case_loses_nothing(spelt: tuple[Library, Place, set[bytes]], step: str) -> None:
    """At each step, at the first and at a later file: the next start finishes or goes back, and names no file away."""
    library, place, before = spelt
    for count in (1, 4):
        rules = UPPER if count == 1 else LOWER
        seen: list[str] = []

        def on(name: str, _: object, count: int = count, seen: list[str] = seen) -> None:
            seen.append(name)
            if seen.count(step) == count:
                os.kill(os.getpid(), signal.SIGKILL)

        def killed(rules: HouseRules = rules, on: Callable[..., None] = on) -> str:
            return str(filed(library, place, rules, Listener(step=on)))

        assert Child(killed).result() == "died"
        with Ledger(library.ledger_path) as ledger:
            recover(library, ledger)
            assert recover(library, ledger) == []
        assert contents(library.root) == before
        assert not [path for path in Path(library.root).rglob(".jutrek-*") if path.is_file()]
        filed(library, place, rules)
        with Ledger(library.ledger_path) as ledger:
            survey(library, ledger)
            catch_up(lacking(library, ledger, place), library, ledger, stop=never())
        assert (contents(library.root), contents(place.root)) == (before, before)
        assert {"/IMG_" in name for name in names_below(library.root)} == {rules is UPPER}


@pytest.mark.long
def test_kills_at_random_moments_lose_nothing(spelt: tuple[Library, Place, set[bytes]]) -> None:
    """Wherever they fall."""
    library, place, before = spelt
    chance, kills = random.Random(3), 0
    for number in range(12):
        rules = UPPER if number % 2 else LOWER
        kills += Child(lambda rules=rules: str(filed(library, place, rules))).kill_after(chance.random() * 0.25)
        with Ledger(library.ledger_path) as ledger:
            recover(library, ledger)
        assert contents(library.root) == before
    assert kills


def test_two_links_of_one_file_are_two_names(tmp_path: Path) -> None:
    """Where case is told: none of them is taken for the other's spelling, and neither is removed for it."""
    tree = Tree(str(tmp_path))
    put(tmp_path / "a.jpg", b"a")
    os.link(tmp_path / "a.jpg", tmp_path / "A.jpg")
    assert not tree.one_entry(inside("a.jpg"), inside("A.jpg"))
    assert tree.one_entry(inside("a.jpg"), inside("a.jpg"))


def test_a_form_that_differs_is_another_spelling(tmp_path: Path) -> None:
    """Composed and decomposed signs are one name to some media."""
    assert inside("2026/Ä.jpg").spelt_like(inside("2026/A\u0308.JPG"))
    assert not inside("2026/Ä.jpg").spelt_like(inside("2026/A.jpg"))
