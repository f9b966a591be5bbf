"""Trying rules on captures: the same names that a plan would give, at once, and the newest wish only."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from jutrek.desk import answers, events
from jutrek.desk.board_captures import State
from jutrek.desk.examples import example_facts
from jutrek.desk.pool import Pool
from jutrek.desk.saving import save_text
from jutrek.desk.trying import FIRST, SAME_SHOT, Bench, Trial, Trier
from jutrek.errors import OurFault
from jutrek.filing import HouseRules, Scheme, Undated
from jutrek.filing.facts import Facts
from jutrek.filing.planner import Wishes, make_plan
from jutrek.filing.refiling import Scope
from jutrek.filing.rulebook import FILE, load_rules, rules_at, rules_text
from jutrek.filing.starting import STARTS
from jutrek.library import Library, known_devices
from jutrek.transfer import Outcome
from tests import making
from tests.desk.talk import Ear, Talk
from tests.making import WHEN, names_below, put

FACTS = example_facts()


def tried(rules: HouseRules, facts: list[Facts] = FACTS) -> Trial:
    trial = Bench(facts).tried(rules)
    assert trial is not None
    assert trial.tally is not None
    return trial


@pytest.mark.parametrize("start", STARTS, ids=lambda start: start.words)
def test_a_trial_is_what_the_plan_would_be(start: object, tmp_path: Path) -> None:
    """For every starting point, on the made-up captures, in a library that holds nothing yet."""
    rules = replace(HouseRules(undated=Undated.UNFILED), layout=start.layout, name=start.name)  # type: ignore[attr-defined]
    captures = [one.capture for one in FACTS]
    trial = tried(rules)
    shoots = {one.capture.id: one for one in FACTS}
    plan = make_plan(Library(str(tmp_path), "id", "x"), rules, captures, {}, (), _wishes(FACTS))
    rows = [trial.row(number) for number in range(len(trial.rows))]
    assert [f"{row.folder}/{row.name}" for row in rows] == [row.destination for row in plan.rows]
    assert sum(count for _, count in trial.folders) == len(shoots) == trial.tally.fit  # type: ignore[union-attr]
    longest = max(len(row.destination or "") for row in plan.rows)
    assert trial.tally.longest == longest  # type: ignore[union-attr]


def _wishes(facts: list[Facts]) -> Wishes:
    from jutrek.captures import Shoot

    shoots: dict[tuple[object, str], list[Facts]] = {}
    for one in facts:
        if one.day is not None:
            shoots.setdefault((one.day, one.shoot), []).append(one)
    made = []
    for (day, words), own in shoots.items():
        moments = [one.capture.moment.local for one in own if one.capture.moment]
        captures = tuple(one.capture for one in own)
        made.append(Shoot(f"{day}", day, words, captures, min(moments), max(moments)))  # type: ignore[arg-type]
    return Wishes(shoots=made, devices={one.capture.device: one.device for one in facts if one.device})


def test_what_stands_out_is_marked_and_counted() -> None:
    """Names with a suffix, no date, the night before the day starts, signs that had to be replaced."""
    trial = tried(HouseRules(layout="{filed}", name="{date} {hour}"))
    notes = {row.note for row in map(trial.row, range(len(trial.rows)))}
    assert {SAME_SHOT, "got a suffix", "no date", ""} <= notes
    assert any("before the day starts" in note for note in notes)
    loud = [trial.row(number) for number in trial.standing_out]
    assert all(row.loud for row in loud)
    assert trial.tally is not None
    assert len(loud) == trial.tally.clash + trial.tally.undated + trial.tally.odd
    assert trial.tally.undated == 1
    bare = tried(HouseRules(name="{time}.{scene}<.{take}>.{letter}"))
    said = {(row.note, row.name.count(".")) for row in map(bare.row, range(len(bare.rows))) if row.note != SAME_SHOT}
    assert ("without scene", 2) in said
    assert not any("take" in note for note, _ in said)
    odd = tried(HouseRules(schemes=(Scheme(words="survey", name="a_{original} {shoot}" + "x" * 200),)))
    assert odd.tally is not None
    assert odd.tally.odd > 30
    stays = next(row for row in map(odd.row, range(len(odd.rows))) if row.note == "no date")
    assert (stays.folder, stays.name) == ("stays on its source", "scan-lok4.tif")


@pytest.fixture
def trier(ear: Ear) -> Iterator[Trier]:
    pool = Pool(2)
    yield Trier(pool.line(0), ear)
    pool.end()
    pool.join()


def whole(ear: Ear, name: str) -> Trial:
    """The whole trial of a name pattern."""
    found = ear.wait(lambda one: isinstance(one, Trial) and one.tally is not None and one.rules.name == name)
    assert isinstance(found, Trial)
    return found


def test_the_first_screen_comes_first_and_only_the_newest_wish_counts(trier: Trier, ear: Ear) -> None:
    """Of wishes that come faster than they are served, those in between are dropped."""
    trier.try_on(lambda: FACTS * 30)
    for number in range(40):
        trier.try_rules(HouseRules(name=f"{{date}}_{{time}}_{number}"))
    last = whole(ear, "{date}_{time}_39")
    assert len(last.facts) == len(FACTS) * 30
    assert len([one for one in ear.all if one.tally is not None]) < 20
    first = next(one for one in ear.all if one.rules.name.endswith("_39"))
    assert (len(first.facts), first.tally) == (FIRST, None)


def test_a_fault_is_told_and_the_next_wish_served(trier: Trier, ear: Ear) -> None:
    """The trier outlives an error of our own."""

    def broken() -> list[Facts]:
        raise RuntimeError("broken")

    trier.try_on(broken)
    ear.wait(OurFault)
    trier.try_rules(HouseRules())
    trier.try_on(lambda: FACTS)
    assert whole(ear, HouseRules().name).facts is FACTS


def test_kept_rules_hold_at_once_and_the_next_time(
    session: Talk, ear: Ear, library: Library, card: Path, tmp_path: Path
) -> None:
    """The plan follows, what the intake changed stays changed, rules can be copied and exported."""
    put(card / "A.JPG", making.jpeg())
    session.open_library(library.root)
    session.add_source(str(card))
    ear.board(lambda board: board.count(State.BRING) == 1)
    session.set_days(day_starts=0, gap=120, zone=None, journeys=())
    ear.board(lambda board: board.gap == 120)
    session.keep_rules(replace(HouseRules(), layout="{job}/{year}", gap=300))
    board = ear.board(lambda board: board.asks == ("job",))
    assert board.days[0].captures[0].destination == "2026/20260514_102613.jpg"
    assert board.gap == 120
    assert load_rules(library).rules.layout == "{job}/{year}"
    save_text(str(tmp_path / "ours.toml"), rules_text(HouseRules(name="{date}")))
    session.aside(lambda: rules_at(str(tmp_path / "ours.toml")))
    assert ear.wait(HouseRules) == HouseRules(name="{date}")
    session.aside(lambda: rules_at(str(tmp_path / "none")))
    ear.wait(events.Trouble)


def test_devices_are_renamed_with_the_rules(session: Talk, ear: Ear, library: Library, card: Path) -> None:
    """The list is written, and the board shows the new name."""
    put(card / "A.JPG", making.jpeg())
    session.open_library(library.root)
    session.add_source(str(card))
    session.bring()
    ear.wait(Outcome)
    (device,) = known_devices(library).values()
    session.keep_rules(HouseRules(), [replace(device, name="Stills body", letter="S")])
    board = ear.board(lambda board: any(one.letter == "S" for one in board.devices))
    assert board.devices[0].name == "Stills body"
    assert known_devices(library)[device.key].letter == "S"


def test_a_broken_file_is_told_when_the_library_opens(session: Talk, ear: Ear, library: Library) -> None:
    """With the rules that hold instead."""
    Path(library.own, FILE).write_text("[filing\n")
    session.open_library(library.root)
    known = ear.wait(events.RulesKnown)
    assert (known.rules, "line 1" in known.trouble) == (HouseRules(), True)


def test_a_library_is_re_filed_and_taken_back(session: Talk, ear: Ear, library: Library, card: Path) -> None:
    """Read, planned, moved, planned back, moved back; the board knows where things are at each time."""
    for number in range(3):
        put(card / f"{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    session.open_library(library.root)
    session.add_source(str(card))
    session.bring()
    ear.wait(Outcome)
    before = names_below(library.root)
    session.keep_rules(HouseRules(layout="Pictures", name="{time}"))
    session.of_library(lambda at: at.refiling.look_home())
    session.of_library(lambda at: at.refiling.plan(Scope()))
    home = ear.wait(answers.HomeRead)
    planned = ear.wait(answers.RefilingPlanned)
    assert (home.home.years(), planned.captures, len(planned.plan.rows)) == ([2026], 3, 3)
    session.of_library(lambda at: at.refiling.carry_out(frozenset({planned.plan.rows[0].capture})))
    assert ear.wait(answers.Refiled).outcome.home == 1
    ear.board(lambda board: any(folder.path == "Pictures" for folder in board.folders))
    assert "Pictures/100013.jpg" in names_below(library.root)
    session.of_library(lambda at: at.refiling.plan_taking_back())
    session.of_library(lambda at: at.refiling.carry_out())
    ear.wait(lambda event: isinstance(event, answers.Refiled) and event.takes_back != "")
    assert names_below(library.root) == before
    session.of_library(lambda at: at.refiling.plan_taking_back())
    ear.wait(events.Trouble)
