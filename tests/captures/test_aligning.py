"""Lining up clocks: what is called certain is right, and what cannot be known is not claimed."""

from __future__ import annotations

from datetime import timedelta

import numpy as np
import pytest
from bench.clocks import judge, make_day

from jutrek.captures import Capture, aligning, propose
from jutrek.captures.aligning import Activity, agreeing, align, align_all
from jutrek.captures.settling import shift_words
from jutrek.formats import DeviceFacts
from tests.captures.make import CAMCORDER, M2, RECORDER, at, shot

DICE = np.random.default_rng(7)


@pytest.mark.long
def test_certain_claims_are_right() -> None:
    """On made-up days from a seed; the whole figures come from the benchmark."""
    counts = judge(days=30, seed=5)
    assert counts["certain"] >= 10
    assert counts["right"] == counts["certain"]
    assert counts["solved"] * 10 >= counts["solvable"] * 6


def activity(times: np.ndarray, *, long: float = 0.0, anchor: bool = False, takes: bool = False) -> Activity:
    times = np.sort(times)
    return Activity(times, times + long, takes, anchor)


def moments(count: int) -> np.ndarray:
    at = DICE.choice(np.arange(8 * 3600, 18 * 3600, 200), count, replace=False) + DICE.uniform(0, 150, count)
    return np.sort(at)


@pytest.mark.parametrize("shift", [3600.0, -5400.0, 443.0, 86_400.0, -365 * 86_400.0 + 3600.0])
def test_a_shift_is_found_to_the_second(shift: float) -> None:
    """Hours, odd minutes, a day, a year and an hour. That it is of another day is never certain."""
    times = moments(40)
    others = [activity(times + DICE.uniform(-3, 3, 40)), activity(np.concatenate((times, moments(10))))]
    found = align(activity(times - shift), others)
    assert found is not None
    assert found.likely
    assert found.certain is (abs(shift) < 86_400)
    assert abs(found.seconds - shift) <= 4


@pytest.mark.parametrize("hours", [-12, 9, 12, 15])
def test_half_a_day_is_found_among_days(hours: int) -> None:
    """The morning taken for the evening, on several days: the same shift, come upon again by a day, is no rival."""
    times = np.concatenate([moments(20) + 86_400.0 * day for day in range(3)])
    found = align(activity(times - 3600.0 * hours), [activity(times + DICE.uniform(-3, 3, times.size))])
    assert found is not None
    assert (found.certain, found.seconds) == (True, 3600.0 * hours)


def test_the_same_programme_on_another_day_is_no_wrong_clock() -> None:
    """Trains by timetable: Sunday lines up with Saturday; where somebody was out on both, nothing is asked."""
    times = moments(30)
    saturday, sunday = activity(times), activity(times + 86_400 + DICE.normal(0, 8, times.size))
    both = activity(np.concatenate((times[::2], sunday.starts[::2])))
    assert not [found for _, found, _ in align_all({"a": saturday, "b": sunday, "c": saturday}) if found.certain]
    assert align_all({"a": saturday, "b": sunday, "p": both}) == []


def test_what_states_its_offset_outweighs_what_does_not() -> None:
    """Two cameras that missed summer time do not put a phone wrong; one against two is not sure either."""
    times = moments(40)
    cameras = {"a": activity(times - 3600), "b": activity(times - 3600 + DICE.uniform(-5, 5, times.size))}
    phone = Activity(times, times, states=True)
    found = align_all({**cameras, "p": phone})
    assert sorted((key, round(one.seconds), firm) for key, one, firm in found) == [
        ("a", 3600, False),
        ("b", 3600, False),
    ]


def test_of_two_that_state_their_offset_the_busier_one_is_believed() -> None:
    """Whatever they are called, so that the same plan comes of the same cards every time."""
    times = moments(60)
    for number in range(20):
        few, many = (Activity(own, own, states=True) for own in (times[::2] - 3600, times))
        assert agreeing({f"few {number}": few, f"many {number}": many}) == ({f"many {number}"}, False)


def test_a_day_off_is_found_among_days() -> None:
    """Days that overlap do not hide it: what was shot on the same days all the same is not the same."""
    days = np.concatenate([moments(20) + 86_400.0 * day for day in range(4)])
    others = [activity(days + DICE.uniform(-3, 3, days.size)), activity(days[::2] + 5)]
    found = align(activity(days[20:] - 86_400.0), others)
    assert found is not None
    assert (found.likely, round(found.seconds / 60)) == (True, 1440)
    right = align(activity(days), others)
    assert right is not None
    assert abs(right.seconds) < 10


def test_of_two_devices_nobody_knows_which_is_wrong() -> None:
    """A shift between them is worth a question, and never certain; where one knows satellite time it is."""
    times = moments(40)
    unknown = {"a": activity(np.concatenate((times, moments(20)))), "b": activity(times - 3600)}
    assert [(key, firm) for key, _, firm in align_all(unknown)] == [("b", False)]
    known = unknown | {"a": activity(unknown["a"].starts, anchor=True)}
    assert [(key, found.seconds, firm) for key, found, firm in align_all(known)] == [("b", 3600.0, True)]


def test_devices_that_shared_nothing_are_left_alone() -> None:
    """Independent days give no certain claim, and hardly a question."""
    claims = [align_all({key: activity(moments(30)) for key in "abc"}) for _ in range(12)]
    assert not [found for claim in claims for _, found, _ in claim if found.certain]


def test_a_handful_of_captures_says_nothing() -> None:
    """Three pictures line up with anything."""
    assert align_all({"a": activity(moments(40), anchor=True), "b": activity(moments(3))}) == []
    assert align(activity(np.array([])), [activity(moments(4))]) is None


def story(behind: timedelta) -> list[Capture]:
    """A body and a recorder that agree, and a camcorder whose clock is behind."""
    captures = []
    for number, second in enumerate(moments(24)):
        when = at("00:00") + timedelta(seconds=float(second))
        captures.append(shot(f"A/{number}.JPG", when + timedelta(seconds=9), M2))
        captures.append(shot(f"D/{number}.WAV", when - timedelta(seconds=4), RECORDER, seconds=40))
        if number % 2:
            captures.append(shot(f"B/{number}.MOV", when - behind, CAMCORDER, seconds=20))
    return captures


def test_a_proposal_names_its_evidence() -> None:
    """What falls together after the shift and before it, and which clips lie within a take."""
    (proposal,) = propose(story(timedelta(hours=1)))
    assert (proposal.seconds, proposal.certain) == (3600.0, True)
    assert proposal.evidence == (
        "After a shift of +1:00:00, 12 of its 12 moments fall within a minute of captures of the others; as it stands "
        f"{proposal.evidence.split('stands ')[1][0]} do. 12 clips then lie within a take of sound."
    )
    assert propose(story(timedelta(0))) == []


def test_a_clock_wrong_by_its_satellites_is_no_witness() -> None:
    """It does not drag the others along."""
    from jutrek.captures import group
    from tests.captures.make import file

    phone = DeviceFacts("Skarv", "P4")
    pictures = []
    for n, capture in enumerate(story(timedelta(0))[::2]):
        assert capture.moment is not None
        true = capture.moment.local
        satellite, wrong = true - timedelta(hours=2), true - timedelta(hours=1)
        pictures.append(file(f"P/{n}.JPG", wrong, phone, satellite=satellite, offset=120))
    found = propose([*story(timedelta(0)), *group(pictures)])
    assert [(one.seconds, one.by_satellite) for one in found] == [(3600.0, True)]
    # Three are enough and two are not; one in five may say otherwise, and by half a minute each.
    clocks = {"three": [0, 30, -30], "two": [0, 0], "four of five": [0, 0, 0, 0, 900], "three of four": [0, 0, 0, 900]}
    for name, errors in clocks.items():
        own = [
            file(
                f"P/{n}.JPG",
                at(f"1{n}:00") + timedelta(seconds=error),
                phone,
                satellite=at(f"{n + 6:02}:00"),
                offset=120,
            )
            for n, error in enumerate(errors)
        ]
        assert [one.seconds for one in propose(group(own))] == ([-7200.0] if name in ("three", "four of five") else [])


def test_made_up_days_are_the_same_every_time() -> None:
    """Figures can be compared only then."""
    one, other = (make_day(np.random.default_rng(3)) for _ in range(2))
    assert one.truth == other.truth
    assert all(np.array_equal(one.devices[key].starts, other.devices[key].starts) for key in one.devices)


def test_of_two_clocks_either_may_be_the_wrong_one() -> None:
    """The question offers both ways, each puts an end to it, and only the one that is meant moves."""
    from jutrek.captures import Decisions, find_doubts, settled
    from jutrek.captures.capture import Device

    letters = {"arlen": "A", "hovar": "B"}
    captures = [one for one in story(timedelta(hours=1)) if one.device[:5] in letters]
    devices = {one.device: Device(one.device, letters[one.device[:5]], letters[one.device[:5]]) for one in captures}
    (doubt,) = find_doubts(captures, devices, Decisions(), propose(captures))
    letter = devices[doubt.device].letter
    other = "A" if letter == "B" else "B"
    assert [answer.words for answer in doubt.answers] == [
        f"Shift by {shift_words(doubt.shift)}",
        f"Shift {other} · {other} by {shift_words(-doubt.shift)}",
        "Right as it is",
    ]
    for answer, moved in zip(doubt.answers, (letter, other), strict=False):
        laid = settled(captures, answer.change.on(Decisions()))
        assert propose(laid) == []
        was = {one.id: one.moment for one in captures}
        assert {devices[one.device].letter for one in laid if one.moment != was[one.id]} == {moved}


def test_several_others_are_shifted_together() -> None:
    """Where as many agree on either side, the answer may be all the others."""
    from jutrek.captures import Decisions, ShiftClock, ShiftClocks
    from jutrek.captures.decisions import ClockFix

    change = ShiftClocks((ShiftClock("a", -3600.0), ShiftClock("b", -3600.0)))
    decisions = change.on(ShiftClock("a", 600.0).on(Decisions()))
    assert set(decisions.fixes) == {ClockFix("a", -3000.0, frozenset()), ClockFix("b", -3600.0, frozenset())}


@pytest.mark.parametrize(("events", "presses"), [(1, 1), (30, 40), (200, 300)])
def test_counting_and_correlating_find_the_same(events: int, presses: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """To the last one, over three days and beyond them; and as counting one by one does, at a few shifts."""
    dice = np.random.default_rng(events)
    ours, theirs = np.sort(dice.uniform(0, 259_200, events)), np.sort(dice.uniform(-50_000, 309_200, presses))
    monkeypatch.setattr(aligning, "_FEW", 0)
    correlated = aligning._falling_together(ours, theirs, 20.0)
    monkeypatch.setattr(aligning, "_FEW", 10**9)
    assert np.array_equal(aligning._falling_together(ours, theirs, 20.0), correlated)
    for step in (0, 5000, 10_800, 21_600):
        shifted = (ours // aligning.BIN + step) * aligning.BIN - aligning.REACH
        near = np.abs(shifted[:, None] - theirs[None, :]).min(axis=1)
        assert correlated[step] == (near <= 20.0).sum()
