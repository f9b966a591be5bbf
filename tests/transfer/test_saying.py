"""Saying anew what captures at home are: followed by re-filing, kept by journals, taken back; devices by name."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from jutrek.captures import Device
from jutrek.desk.naming_devices import change_devices
from jutrek.desk.places import Places
from jutrek.desk.taking_back import take_back
from jutrek.errors import NotPossible
from jutrek.filing import HouseRules
from jutrek.library import Filed, Library, keep_devices, known_devices, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, bring, recover
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.run_log import known_of_files, run_log_of, runs
from jutrek.transfer.saying import Words, say
from tests import making
from tests.making import WHEN, names_below, never, planned, put
from tests.transfer.test_refiling import go, moves, plan_of

RULES = HouseRules(layout="{year}< {shoot}>< {place}>", name="{time}< {operator}>< {job}>")


@pytest.fixture
def home(library: Library, ledger: Ledger, card: Path) -> Library:
    """A pair, a recording of two parts, and a picture of another device."""
    put(card / "DSC1.DNG", making.dng(WHEN))
    put(card / "DSC1.JPG", making.jpeg(WHEN, seed=1))
    put(card / "P1.JPG", making.jpeg(WHEN.replace(hour=7), seed=3, model="C1"))
    bring(planned(library, ledger, [card], RULES), library, ledger, stop=never())
    survey(library, ledger)
    return library


def told(ledger: Ledger, path: str) -> tuple[str, str, dict[str, str]]:
    one = ledger.filed(path)
    assert one is not None
    return one.shoot, one.operator, dict(one.said)


def test_what_is_said_is_followed_and_taken_back(home: Library, ledger: Ledger) -> None:
    """Of a whole capture, though one file is named; by a ledger that was lost as well; there and back."""
    before, filed = names_below(home.root), ledger.all_filed()
    assert say(home, ledger, ["2026/102613.jpg"], Words("Yard @ Depot", person="Ilva", job="7")) == 2
    assert say(home, ledger, ["2026/102613.jpg"], Words("Yard @ Depot", person="Ilva", job="7")) == 0
    assert told(ledger, "2026/102613.dng") == ("Yard @ Depot", "Ilva", {"job": "7"})
    assert ledger.filed("2026/072613.jpg") == filed["2026/072613.jpg"]
    assert known_of_files(home).filed == ledger.all_filed()
    assert names_below(home.root) == before
    plan = plan_of(home, ledger, RULES)
    assert set(moves(plan).values()) == {
        "2026 Yard Depot/102613 Ilva 7.dng", "2026 Yard Depot/102613 Ilva 7.jpg",
    }  # fmt: skip
    go(plan, home, ledger)
    with Ledger(f"{ledger.path}.new") as new:
        recover(home, new)
        assert new.all_filed() == ledger.all_filed()
    outcome, left = take_back(home, ledger, runs(home)[1], Places(), stop=never(), listener=Listener())
    assert (outcome.remarks, left) == (["2 files are called what they were before."], [])
    assert set(moves(plan_of(home, ledger, RULES)).values()) == {"2026/102613.dng", "2026/102613.jpg"}
    again, _ = take_back(home, ledger, runs(home)[-1], Places(), stop=never(), listener=Listener())
    assert again.remarks == ["2 files are called so again."]
    assert told(ledger, "2026 Yard Depot/102613 Ilva 7.dng") == ("Yard @ Depot", "Ilva", {"job": "7"})


@pytest.mark.parametrize(
    ("words", "becomes"),
    [
        (Words(shoot="B"), ("B @ P", "I", {"job": "7", "place": "Q"})),
        (Words(shoot="B @ C"), ("B @ C", "I", {"job": "7", "place": "Q"})),
        (Words(place="C"), ("A @ C", "I", {"job": "7"})),
        (Words(place=""), ("A", "I", {"job": "7"})),
        (Words(shoot=""), (" @ P", "I", {"job": "7", "place": "Q"})),
        (Words(person="", job="", title=" x  y "), ("A @ P", "", {"place": "Q", "title": "x y"})),
    ],
)
def test_what_is_not_said_stays(words: Words, becomes: tuple[str, str, dict[str, str]]) -> None:
    filed = words.on(Filed(shoot="A @ P", operator="I", said=(("job", "7"), ("place", "Q"))))
    assert (filed.shoot, filed.operator, dict(filed.said)) == becomes


def test_what_was_said_otherwise_since_stays(home: Library, ledger: Ledger) -> None:
    say(home, ledger, ["2026"], Words(job="1"))
    say(home, ledger, ["2026/072613.jpg"], Words(job="2"))
    outcome, left = take_back(home, ledger, runs(home)[1], Places(), stop=never(), listener=Listener())
    assert outcome.remarks == ["2 files are called what they were before."]
    assert left == ["Of 2026/072613.jpg something else was said since."]
    assert told(ledger, "2026/072613.jpg")[2] == {"job": "2"}
    with pytest.raises(NotPossible, match="nothing that Jutrek filed"):
        say(home, ledger, ["2026/none"], Words(job="3"))


def test_a_kill_between_journal_and_ledger_is_made_up_for(home: Library, ledger: Ledger) -> None:
    """The journal is written first; the next start lets the ledger follow."""
    journal = Journal.begin(home, Kind.SAY)
    line = {"shoot": "", "operator": "Ilva", "said": []}
    journal.note({"entry": "said", "path": "2026/072613.jpg", "now": line, "was": line | {"operator": ""}})
    journal.close()
    ledger.is_new = False
    assert [leftover.kind for leftover in recover(home, ledger)] == [Kind.SAY]
    assert told(ledger, "2026/072613.jpg")[1] == "Ilva"
    assert run_log_of(home, journal.run).end["how"] == "found again"
    assert recover(home, ledger) == []


def test_another_person_carries_a_device(home: Library, ledger: Ledger) -> None:
    """What it made becomes theirs, but for what somebody said otherwise of."""
    filed = ledger.all_filed()
    stills, compact = (
        Device(filed[path].device, path, letter)
        for path, letter in (("2026/102613.dng", "A"), ("2026/072613.jpg", "B"))
    )
    keep_devices(home, [stills, compact])
    say(home, ledger, ["2026/102613.jpg"], Words(person="Brask"))
    new = [replace(one, operator="Ilva") for one in (stills, compact)]
    assert change_devices(home, ledger, new) == 1
    assert {one.operator for one in known_devices(home).values()} == {"Ilva"}
    assert [told(ledger, path)[1] for path in ("2026/072613.jpg", "2026/102613.dng")] == ["Ilva", "Brask"]
    assert change_devices(home, ledger, new) == 0
    assert set(moves(plan_of(home, ledger, RULES)).values()) >= {"2026/072613 Ilva.jpg"}
