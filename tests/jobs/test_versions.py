"""Versions of working files: what is read in a name, the next that nobody has, and names that tell nothing."""

from __future__ import annotations

import random

import pytest

from jutrek.jobs.versions import lines_of, read_name, vague_among


@pytest.mark.parametrize(
    ("name", "before", "initials", "number", "suffix"),
    [
        ("winter-depot_RK_v06.otio", "winter-depot", "RK", 6, ".otio"),
        ("boiler test-grade-v03-LM.svg", "boiler test-grade", "LM", 3, ".svg"),
        ("sound mix v1.wav", "sound mix", "", 1, ".wav"),
        ("0118_v2_v010.aep", "0118_v2", "", 10, ".aep"),
        ("title_rk_v01.svg", "title", "rk", 1, ".svg"),
        ("title_to_v01.svg", "title_to", "", 1, ".svg"),
        ("RK_v01.txt", "RK", "", 1, ".txt"),
        ("v07.otio", "", "", 7, ".otio"),
        ("plan.v12", "plan", "", 12, ""),
    ],
)
def test_what_is_read(name: str, before: str, initials: str, number: int, suffix: str) -> None:
    named = read_name(name, ["rk"])
    assert named is not None
    assert (named.before, named.initials, named.number, named.suffix) == (before, initials, number, suffix)
    assert named.of_number(number) == name


@pytest.mark.parametrize("name", ["viaduct.otio", "v.otio", "video1.mp4", "vx01.txt", "a_v123456.txt", "av01.otio"])
def test_what_tells_no_version(name: str) -> None:
    assert read_name(name) is None


def test_every_name_is_written_as_it_was_read() -> None:
    chance = random.Random(7)
    words = ["winter", "RK", "v", "V03", "v12", "x1", "LMN", "é", "2026", "a.b"]
    for _ in range(20_000):
        join = chance.choice("_- .")
        name = join.join(chance.choices(words, k=chance.randrange(1, 6))) + chance.choice([".otio", "", ".PSD"])
        named = read_name(name)
        if named is not None:
            again = read_name(named.of_number(named.number + 1))
            assert again is not None
            assert (again.key, again.number, again.initials) == (named.key, named.number + 1, named.initials), name


def test_lines_the_newest_and_the_next() -> None:
    names = ["a_RK_v04.otio", "a_RK_v05.otio", "a_LM_v05.otio", "A_RK_v06.otio", "a_v01.svg", "b.txt", ".a_v09.otio"]
    first, second = lines_of((f"w/{name}", 1, at) for at, name in enumerate(names))
    assert (second.newest.name, second.twice, second.title) == ("A_RK_v06.otio", (5,), "A")
    assert (first.newest.name, first.twice) == ("a_v01.svg", ())
    assert second.next_name(names) == "A_RK_v07.otio"
    assert second.next_name([*names, "a_lm_V07.OTIO"], "LM") == "A_LM_v08.otio"
    assert first.next_name([*names, "A_V02.svg"]) == "a_v03.svg"


def test_names_that_tell_nothing() -> None:
    told = {
        "a_final.otio": "a_RK_v03.otio", "a_final_2.otio": "a_RK_v04.otio", "copy of a.otio": "a_RK_v05.otio",
        "a (2).otio": "a_RK_v06.otio", "b-new.svg": "b_v01.svg", "b_RK_v01_final.svg": "b_v02.svg",
    }  # fmt: skip
    fine = [
        "a_RK_v02.otio", "finale.otio", "a new day.otio", "the old depot.otio", "news.txt", "copying.txt",
        "a (2026).md",        "final approach.mp4", "0118.md",
    ]  # fmt: skip
    paths = [f"w/{name}" for name in (*told, *fine)]
    lines = lines_of((path, 1, 1) for path in paths if "b_RK" not in path)
    found = {one.path[2:]: one.proposed for one in vague_among(paths, lines)}
    assert found.keys() == told.keys()
    assert sorted(found.values()) == sorted(told.values())
