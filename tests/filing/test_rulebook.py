"""House rules in their library: kept whole, edited by hand with respect, and never lost to a broken file."""

from __future__ import annotations

import os
import tomllib
from dataclasses import replace
from datetime import date
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jutrek.captures import RUNGS
from jutrek.errors import LibraryMissing, RulesBroken
from jutrek.filing import Extensions, HouseRules, Per, Scheme, Structure, Undated, rebased
from jutrek.filing.arrival import Saying
from jutrek.filing.rulebook import FILE, LAST_GOOD, keep_rules, load_rules, parse_rules, rules_at, rules_text
from jutrek.filing.rulepage import page_of, rules_of
from jutrek.filing.rules import Places
from jutrek.filing.starting import STARTS
from jutrek.library import Library

_WORDS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="{}<>"), max_size=5).map(str.strip)
OTHERS = HouseRules(
    layout="{client}/{year}", name="{date}_{counter:4}", schemes=(
        Scheme(("sound", "clip"), layout="Sound/{year}"), Scheme(device="B", words="Yard", name="{original}"),
    ),
    undated=Undated.UNFILED, extensions=Extensions.KEPT, language="de",
    kinds={"still": "Fotos", "clip": "Filme", "sound": "Ton"},
    counter_per=Per.SHOOT, counter_start=0, day_starts=0, gap=90, zone=-210, journeys=((date(2026, 5, 12), 60),),
    trust=tuple(reversed(RUNGS)), beside=False, structure=Structure.BESIDE, sidecars=True, originals=True,
    owners=True,
    saying=Saying("Ilvar", "© {year} Velmora line", "ask", "Velmora line", "VL", "a@b; 1", ("rail", "narrow gauge")),
    places=Places.KEYWORDS,
    sayings=(Saying(words=("<by {operator}>",), kinds=("clip",), device="B", operator="Ilvar", job="0118"),),
)  # fmt: skip
"""Rules of which none is as usual."""


def file_of(library: Library) -> Path:
    return Path(library.own, FILE)


def test_rules_are_kept_and_come_back(library: Library) -> None:
    """All of them, in a commented file of a stable order; a library without one has the usual rules."""
    assert load_rules(library).rules == HouseRules()
    assert not file_of(library).exists()
    keep_rules(library, OTHERS)
    assert (load_rules(library).rules, load_rules(library).trouble) == (OTHERS, "")
    text = file_of(library).read_text()
    assert text.startswith("# The house rules of this library")
    order = [text.index(f"[{name}]") for name in ("filing", "kinds", "counter", "days", "trust", "copies", "sidecars")]
    assert order == sorted(order)
    assert not [name for name in os.listdir(library.own) if name.endswith(".part")]


def test_the_usual_rules_are_these() -> None:
    """As they stand in the file that a hand may change, each table and key with what it means."""
    page = rules_text(HouseRules())
    usual = tomllib.loads(page)
    assert "desktop.ini" in usual["copies"].pop("unwanted")
    assert usual == {
        "format": 1,
        "filing": {
            "layout": "{year}/{month}</{day} {shoot}>", "name": "{date}_{time}< {shoot}>", "undated": "stay",
            "extensions": "lower", "language": "en", "owner-is-person": False, "developed": "",
        },
        "kinds": {"still": "Stills", "clip": "Clips", "sound": "Sound"}, "counter": {"per": "folder", "start": 1},
        "days": {"start": "04:00", "gap": "06:00", "zone": ""}, "trust": {"order": list(RUNGS)},
        "doubles": {"companions": "bring", "retagged": "ask", "re-encoded": "ask", "look-alike": "bring"},
        "copies": {
            "card-structure": "alone", "read-twice": False, "extra-checksum": "none", "hash-lists": True,
            "proof-days": 0, "least-copies": 1, "changed-copies": "ask", "order": "time",
        },
        "inboxes": {"arrivals": "ask", "clear": "never"},
        "sidecars": {"corrected-dates": False, "original-names": False, "creator": "", "rights": "",
            "usage": "", "credit": "", "source": "", "contact": "", "words": [], "where": "none", "in-files": False},
    }  # fmt: skip
    lines = page.splitlines()
    assert all(lines[at + 1].startswith("#") for at, line in enumerate(lines) if line.startswith("["))


def test_a_hands_comments_and_order_survive(library: Library) -> None:
    """Keeping other rules changes the keys that differ, and nothing else."""
    page = rules_text(HouseRules()).replace('undated = "stay"', 'undated = "stay"  # ask Mira first')
    page = "# ours since 2019\n" + page.replace("[counter]", "# how we count\n[counter]")
    file_of(library).write_text(page)
    keep_rules(library, replace(HouseRules(), name="{date}", undated=Undated.UNFILED))
    kept = file_of(library).read_text()
    assert kept == page.replace('name = "{date}_{time}< {shoot}>"', 'name = "{date}"').replace(
        'undated = "stay"', 'undated = "unfiled"'
    )
    schemes = replace(HouseRules(), schemes=(Scheme(("sound",), layout="A"), Scheme(words="x", layout="B")))
    keep_rules(library, schemes)
    commented = file_of(library).read_text().replace('layout = "B"', 'layout = "B"  # the yard')
    file_of(library).write_text(commented)
    keep_rules(library, replace(schemes, schemes=(Scheme(("sound",), name="N"), schemes.schemes[1])))
    assert file_of(library).read_text() == commented.replace('layout = "A"', 'name = "N"')
    keep_rules(library, replace(schemes, schemes=(), journeys=((date(2026, 1, 1), 0),)))
    assert load_rules(library).rules == replace(HouseRules(), journeys=((date(2026, 1, 1), 0),))


@pytest.mark.parametrize(
    ("page", "line", "says"),
    [
        ("format = 2", 1, "a newer Jutrek wrote this page"),
        ("[filing]\n\nlayout = '{yer}'", 3, "no piece “yer”. Did you mean “year”?"),
        ("[[scheme]]\nkinds = ['still']\n[[scheme]]\nkinds = ['film']", 4, "'still', 'clip' or 'sound'"),
        ("[[scheme]]\nlayout = 'a'\n[[scheme]]\n# x\nlayout = '{'", 5, "no partner"),
        ("[days]\n[[days.journey]]\nstart = 2026-01-01\nzone = '+99:00'", 4, "such as +02:00"),
        ("\n\nlayout = ", 3, "invalid value"),
    ],
)
def test_what_is_wrong_is_told_with_its_line(page: str, line: int, says: str) -> None:
    """So that a hand can mend it."""
    with pytest.raises(RulesBroken) as error:
        parse_rules(page, "house-rules.toml")
    assert error.value.line == line
    assert f"line {line}: " in str(error.value)
    assert says.lower() in str(error.value).lower()


@pytest.mark.parametrize("broken", [b"[filing\n", b"[filing]\nlayout = '{x}'\n", b"\xff\xfe\0"])
def test_a_broken_file_loses_nothing(library: Library, broken: bytes) -> None:
    """The last good rules hold and that is said; keeping others puts the broken file beside."""
    keep_rules(library, OTHERS)
    file_of(library).write_bytes(broken)
    book = load_rules(library)
    assert book.rules == OTHERS
    assert book.trouble.endswith("The last good rules hold until it is mended.")
    assert "line " in book.trouble
    assert file_of(library).read_bytes() == broken
    keep_rules(library, HouseRules())
    assert load_rules(library).rules == HouseRules()
    assert Path(f"{file_of(library)}.broken-1").read_bytes() == broken
    file_of(library).write_bytes(broken)
    Path(library.own, LAST_GOOD).unlink()
    assert load_rules(library).trouble.endswith("so the usual rules hold until it is mended.")


def test_rules_of_a_newer_jutrek_are_not_touched(library: Library) -> None:
    """They are not kept over, and not put beside."""
    file_of(library).write_text("format = 7\nnew = 'rule'\n")
    with pytest.raises(RulesBroken):
        keep_rules(library, OTHERS)
    assert file_of(library).read_text() == "format = 7\nnew = 'rule'\n"
    assert load_rules(library).trouble


def test_a_key_that_was_called_otherwise_before_is_read(library: Library) -> None:
    """And is written anew, by its name of today, once it changes."""
    file_of(library).write_text('[copies]\nsecond-sum = "blake3"  # ours\n')
    rules = load_rules(library).rules
    assert rules == replace(HouseRules(), second_sum=True)
    keep_rules(library, replace(rules, twice=True))
    assert 'second-sum = "blake3"  # ours' in file_of(library).read_text()
    keep_rules(library, HouseRules())
    assert "second-sum" not in file_of(library).read_text()
    assert load_rules(library).rules == HouseRules()


def test_rules_that_cannot_be_written_are_told(library: Library) -> None:
    """A folder stands in the way; the error is the library's, and nothing is left half."""
    file_of(library).mkdir()
    with pytest.raises(LibraryMissing):
        keep_rules(library, OTHERS)
    assert os.listdir(file_of(library)) == []


def test_rules_are_copied_from_elsewhere(library: Library, tmp_path: Path) -> None:
    """From another library or a file of rules; a place without any is told."""
    keep_rules(library, OTHERS)
    assert rules_at(library.root) == rules_at(str(file_of(library))) == OTHERS
    with pytest.raises(RulesBroken):
        rules_at(str(tmp_path))


@settings(max_examples=40)
@given(
    st.builds(
        HouseRules,
        layout=st.sampled_from([start.layout for start in STARTS]),
        name=st.sampled_from([start.name for start in STARTS]),
        schemes=st.lists(
            st.builds(
                Scheme, st.lists(st.sampled_from(["still", "clip", "sound"]), unique=True).map(tuple),
                st.sampled_from(["", "B", "Ärlen"]), st.sampled_from(["", 'say "x"']), st.just("{kind}"), st.just(""),
            ), max_size=3,
        ).map(tuple),
        zone=st.none() | st.integers(-14 * 60, 14 * 60),
        day_starts=st.integers(0, 1439),
        gap=st.integers(0, 2879),
        trust=st.permutations(list(RUNGS)).map(tuple),
        saying=st.builds(Saying, _WORDS, st.just("© {year}"), words=st.lists(_WORDS.filter(bool)).map(tuple)),
        sayings=st.lists(st.builds(Saying, job=_WORDS, operator=_WORDS, source=_WORDS), max_size=3).map(tuple),
    )
)  # fmt: skip
def test_any_rules_are_written_and_read_again(rules: HouseRules) -> None:
    """As a new page, and over one that stands."""
    assert rules_of(page_of(rules)) == rules
    assert parse_rules(rules_text(rules), "x") == rules
    assert parse_rules(rules_text(rules, onto=rules_text(OTHERS)), "x") == rules


def test_what_an_intake_changed_stays_changed_under_new_rules() -> None:
    """Only what was not changed follows the house."""
    old, new = HouseRules(), replace(HouseRules(), layout="{year}", day_starts=300, gap=60)
    assert rebased(replace(old, day_starts=0), old, new) == replace(new, day_starts=0)
