"""Questions about dates: each found once, in words, with the answer that puts it right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta

import pytest

from jutrek.captures import (
    Capture,
    Certainty,
    Decisions,
    Device,
    Doubt,
    Proposal,
    Trust,
    decide,
    find_doubts,
    group,
    held,
    propose,
    settled,
    shift_words,
)
from jutrek.captures.decisions import GivenDate, LeaveUnfiled, NameDevice, SetAside, SetDate, ShiftClock, TakeAsItIs
from jutrek.formats import Claim, DeviceFacts, Offset, Precision, Timestamp
from tests.captures.make import CAMCORDER, M2, at, clock, every, file, moment, names, shot, unset

COMPACT = DeviceFacts("Arlen", "C1")


def devices(captures: Sequence[Capture]) -> dict[str, Device]:
    return {one.device: Device(one.device, one.device, "B") for one in captures}


def doubts(captures: Sequence[Capture], decisions: Decisions | None = None, *found: Proposal) -> list[Doubt]:
    """Questions about captures as decided."""
    decisions = decisions or Decisions()
    return find_doubts(settled(captures, decisions), devices(captures), decisions, found)


def answered(captures: Sequence[Capture], number: int = 0) -> list[Capture]:
    """Give the only question an answer; no question may be left."""
    (doubt,) = doubts(captures)
    decisions = doubt.answers[number].change.on(Decisions())
    assert doubts(captures, decisions) == []
    return settled(captures, decisions)


def forgotten(minutes: Sequence[float]) -> list[Capture]:
    """A compact that forgot its clock between two pictures of 14 May, counters 10 to 10 + n + 1."""
    batch = [
        unset(f"P_{11 + n}.JPG", datetime(2000, 1, 1) + timedelta(minutes=m), COMPACT) for n, m in enumerate(minutes)
    ]
    last = 11 + len(minutes)
    return [shot("P_10.JPG", at("09:00"), COMPACT), *batch, shot(f"P_{last}.JPG", at("10:00"), COMPACT)]


def test_a_clock_that_was_never_set_is_put_between_its_neighbours() -> None:
    """By its counters, keeping its own pace, in the middle of what is free."""
    captures = forgotten([0, 10, 20])
    (doubt,) = doubts(captures)
    assert doubt.headline == "3 pictures of Arlen|c1| carry 2000-01-01: that clock was never set".replace(
        "Arlen", "arlen"
    )
    assert "between P_10 (2026-05-14 09:00) and P_14 (2026-05-14 10:00)" in doubt.evidence
    assert (doubt.certainty, len(doubt.captures)) == (Certainty.LIKELY, 3)
    times = [clock(capture) for capture in answered(captures)]
    assert times == ["14 09:00:00", "14 09:20:00", "14 09:30:00", "14 09:40:00", "14 10:00:00"]
    assert all(moment(capture).trust is Trust.SURE for capture in answered(captures))


def test_what_is_home_is_not_asked_about_and_tells_of_the_rest() -> None:
    """In batches, jumps and clocks: the question counts what waits, and nothing is asked where all is home."""
    batch = forgotten([0, 10, 20])
    jump = [shot(f"J_{n:02}.JPG", at(f"1{n}:00") - timedelta(hours=4 * (n > 2)), CAMCORDER) for n in range(6)]
    made = [*batch, *jump]
    clock_of = Proposal(batch[0].device, 3600.0, True, "They say so.")

    def asked(home: set[str]) -> list[tuple[int, str]]:
        found = find_doubts(made, devices(made), Decisions(), [clock_of], home)
        assert not home & {key for doubt in found for key in doubt.captures}
        assert all(doubt.headline.startswith(str(len(doubt.captures))) or "clock" in doubt.key or "jump" in doubt.key
                   for doubt in found)  # fmt: skip
        return sorted((len(doubt.captures), doubt.key.partition(":")[0]) for doubt in found)

    ids = sorted(one.id for one in made)
    assert asked(set()) == [(2, "clock"), (3, "jump"), (3, "never set")]
    pick = {next(one for one in ids if name in one) for name in ("P_10", "P_11", "J_02", "J_03")}
    assert asked(pick) == [(1, "clock"), (2, "jump"), (2, "never set")]
    assert asked(set(ids)) == []


@pytest.mark.parametrize("minutes", [[0, 90], [10, 5]])
def test_what_does_not_fit_is_spread(minutes: list[float]) -> None:
    """A batch longer than the gap, or whose clock does not run, is spread evenly and to the minute."""
    captures = answered(forgotten(minutes))
    assert [clock(capture) for capture in captures[1:3]] == ["14 09:20:00", "14 09:40:00"]
    assert moment(captures[1]).precision is Precision.MINUTE


def test_a_batch_can_be_left_unfiled() -> None:
    """It keeps its doubtful date, and asks no more."""
    captures = answered(forgotten([0, 10]), number=1)
    assert [capture.trusted for capture in captures if moment(capture).local.year == 2000] == [False, False]


def bare(name: str, when: datetime, claim: str, precision: Precision = Precision.SECOND) -> Capture:
    (capture,) = group([file(f"sent/{name}", when, None, claim=claim, precision=precision)])
    return capture


@pytest.mark.parametrize(
    ("claim", "precision", "certainty", "answer", "kept"),
    [
        ("name", Precision.SECOND, Certainty.LIKELY, "File by their names", Precision.SECOND),
        ("name", Precision.DAY, Certainty.ONLY_A_DAY, "File by that day", Precision.DAY),
        ("folder", Precision.MONTH, Certainty.ONLY_A_DAY, "File by that day", Precision.MONTH),
        ("file", Precision.SECOND, Certainty.ONLY_A_DAY, "File by that day", Precision.DAY),
    ],
)
def test_what_stands_around_a_file_is_offered(
    claim: str, precision: Precision, certainty: Certainty, answer: str, kept: Precision
) -> None:
    """A name may tell the time, a folder or a file time no more than a day; all of a batch in one go."""
    captures = [bare(f"{number}.JPG", at("20:40"), claim, precision) for number in range(3)]
    (doubt,) = doubts(captures)
    assert (doubt.certainty, doubt.answers[0].words, len(doubt.captures)) == (certainty, answer, 3)
    done = answered(captures)
    assert {moment(capture).precision for capture in done} == {kept}
    assert all(capture.trusted for capture in done)


def test_without_any_date_nothing_is_invented() -> None:
    """The first answer is to leave it unfiled."""
    (capture,) = group([file("x.JPG", None, None)])
    (doubt,) = doubts([capture])
    assert (doubt.certainty, doubt.answers[0].words) == (Certainty.OPEN, "Leave unfiled")


def test_dates_that_fight_offer_both() -> None:
    """Keep the chosen one, use the other, or file neither."""
    one = file("x.JPG", at("09:00"))
    claims = (*one.reading.claims, Claim("xmp:original", Timestamp(at("09:00", 20)), "a sidecar", ""))
    from jutrek.captures import ReadFile, decide

    reading = one.reading._replace(claims=claims)
    (capture,) = group([ReadFile(one.file, reading, decide(claims, now=datetime(2027, 1, 1)))])
    (doubt,) = doubts([capture])
    assert [answer.words for answer in doubt.answers] == ["Right as it is", "Use the other date", "Leave unfiled"]
    assert clock(answered([capture], 0)[0]) == "14 09:00:00"
    assert clock(answered([capture], 1)[0]) == "20 09:00:00"


def test_the_future_is_asked_about() -> None:
    """A clock that runs ahead by years."""
    capture = shot("x.JPG", datetime(2031, 1, 5))
    (doubt,) = doubts([capture])
    assert doubt.headline == "1 picture lies in the future"
    assert [answer.words for answer in doubt.answers] == ["Right as it is", "Leave unfiled"]


def test_a_jump_back_inside_a_card_is_found() -> None:
    """The counter goes on, the time does not: what follows is asked about until the clock is past the jump."""
    times = [at("09:00"), at("09:10"), at("07:00"), at("07:05"), at("09:30")]
    captures = [shot(f"D/{20 + number}.JPG", when) for number, when in enumerate(times)]
    (doubt,) = doubts(captures)
    assert [capture.rpartition("/")[2] for capture in doubt.captures] == ["22.JPG", "23.JPG"]
    assert "jumps back by 2:10:00" in doubt.headline
    assert [clock(capture) for capture in answered(captures)][2:4] == ["14 09:11:00", "14 09:16:00"]
    assert clock(answered(captures, 1)[0]) == "14 07:00:00"


def test_counters_that_tell_nothing_ask_nothing() -> None:
    """Where times run to and fro, names are not in the order of shooting."""
    captures = [shot(f"D/{n}.JPG", at(f"{9 + n % 2 * 3:02}:{n:02}")) for n in range(1, 9)]
    assert doubts(captures) == []


@pytest.mark.parametrize("counters", [[9998, 9999, 1, 2], [1, 2, 200, 201]])
def test_a_counter_that_begins_anew_is_no_jump(counters: list[int]) -> None:
    """Only neighbouring counters say what came first."""
    when = dict(zip(sorted(counters), every(-60, 4, at("12:00")), strict=True))
    captures = [shot(f"D/{number:04}.JPG", when[number]) for number in (counters[0], counters[2])]
    assert doubts(captures) == []


def test_a_shifted_clock_waits_for_its_answer() -> None:
    """Its captures are held, in one question; a shift or a “right as it is” lets them go, and may be taken back."""
    captures = [shot(f"{n}.MOV", when, CAMCORDER) for n, when in enumerate(every(7, 5, at("09:00")))]
    key = captures[0].device
    found = Proposal(key, 3600.0, certain=True, evidence="Their sound says so.")
    (doubt,) = doubts(captures, None, found)
    assert doubt.headline == f"B · {key} runs 1:00:00 behind the others"
    assert (doubt.certainty, doubt.evidence) == (Certainty.CERTAIN, "5 clips on 2026-05-14. Their sound says so.")
    assert held([doubt]).keys() == {capture.id for capture in captures}
    shifted = doubt.answers[0].change.on(Decisions())
    assert clock(settled(captures, shifted)[0]) == "14 10:00:00"
    assert moment(settled(captures, shifted)[0]).shift == 3600.0
    assert doubts(captures, doubt.answers[1].change.on(Decisions()), found) == []


def test_fixes_add_up_and_single_ones_come_on_top() -> None:
    """Dragging a lane again corrects the correction; back to nothing is no fix at all."""
    captures = [shot("1.JPG", at("09:00")), shot("2.JPG", at("10:00"))]
    key = captures[0].device
    made = ShiftClock(key, -900).on(ShiftClock(key, 3600).on(Decisions()))
    assert made.shift_of(key) == 2700
    assert ShiftClock(key, -2700).on(made).fixes == ()
    both = ShiftClock(key, 60, frozenset({captures[0].id})).on(made)
    assert [clock(capture) for capture in settled(captures, both)] == ["14 09:46:00", "14 10:45:00"]


def test_a_fix_reorders_and_regroups_bursts() -> None:
    """Order of shooting and bursts follow the corrected times."""
    frames = group([file("1.JPG", at("09:00:00")), file("2.JPG", at("09:00:00.50")), file("3.JPG", at("08:00"))])
    moved = settled(frames, ShiftClock(frames[1].device, 7200, frozenset({frames[1].id})).on(Decisions()))
    assert [names(capture)[0] for capture in moved] == ["3.JPG", "2.JPG", "1.JPG"]
    assert {capture.stack for capture in moved} == {""}


def test_what_is_set_aside_or_unfiled_asks_nothing() -> None:
    """Set aside can be taken in again; unfiled ends when a date is given."""
    captures = forgotten([0])
    waiting = captures[1].id
    aside = SetAside(frozenset({waiting})).on(Decisions())
    assert doubts(captures, aside) == []
    assert len(doubts(captures, SetAside(frozenset({waiting}), back=True).on(aside))) == 1
    unfiled = LeaveUnfiled(frozenset({waiting})).on(Decisions())
    placed = SetDate(((waiting, GivenDate(datetime(2026, 1, 1), Precision.YEAR)),)).on(unfiled)
    assert (doubts(captures, unfiled), placed.unfiled) == ([], frozenset())


def test_a_name_that_is_empty_changes_none() -> None:
    """An operator may be taken away again, a name only changed."""
    made = NameDevice("k", " ", "Ilvar").on(NameDevice("k", "Stills body", "").on(Decisions()))
    assert (made.names["k"], made.operators["k"]) == ("Stills body", "Ilvar")


@pytest.mark.parametrize(
    ("error", "offset", "says"),
    [(420, 120, 420.0), (3600, 120, 3600.0), (3600, None, None), (130, None, 130.0), (40, 120, None)],
)
def test_satellite_time_tells_a_clocks_own_error(error: int, offset: int | None, says: float | None) -> None:
    """Exactly where the offset is stated, else up to whole quarter hours; a minute is left alone."""
    captures = group(
        file(
            f"{n}.JPG", when - timedelta(seconds=error), DeviceFacts("Skarv", "P4"),
            satellite=when - timedelta(hours=2), offset=offset,
        )
        for n, when in enumerate(every(11, 5, at("09:00")))
    )  # fmt: skip
    found = propose(captures)
    assert [(one.seconds, one.by_satellite, one.certain) for one in found] == ([(says, True, True)] if says else [])
    if found:
        (doubt,) = doubts(captures, None, *found)
        assert "its GPS time" in doubt.headline


def test_a_right_clock_stays_right() -> None:
    """“Right as it is” for single captures does not make their device's clock unquestionable."""
    made = TakeAsItIs(frozenset({"a"})).on(Decisions())
    assert (made.right, made.right_clocks) == (frozenset({"a"}), frozenset())
    assert replace(made, right=frozenset()) == Decisions()


@pytest.mark.parametrize(
    ("seconds", "words"), [(3600, "+1:00:00"), (-443, "-0:07:23"), (0, "+0:00:00"), (86_400 * 2 + 60, "+2 d 0:01:00")]
)
def test_shifts_in_words(seconds: float, words: str) -> None:
    """Hours, minutes, seconds, and days where there are any."""
    assert shift_words(seconds) == words


def test_offsets_are_forgotten_where_the_zone_may_have_been_wrong() -> None:
    """After a shift by whole quarter hours nobody knows whether clock or zone was wrong; odd shifts keep the offset."""
    captures = group([file("1.JPG", at("09:00"), M2, offset=120)])
    for seconds, offset in ((3600, None), (443, 120)):
        (capture,) = settled(captures, ShiftClock(captures[0].device, seconds).on(Decisions()))
        assert moment(capture).offset == offset
    assert Offset(120).minutes == 120


def test_scans_in_any_order_are_no_jump() -> None:
    """Their counters tell when they were digitized."""
    dates = [datetime(1975, 6, 1), datetime(1975, 8, 1), datetime(1974, 2, 1), datetime(1976, 1, 1)]
    shots = [file(f"scan{n}.tif", when, COMPACT) for n, when in enumerate(dates, 1)]
    digitized = Claim("exif:digitized", Timestamp(datetime(2012, 3, 4, 20)), "", "")
    scans = [replace(one, reading=one.reading._replace(claims=(*one.reading.claims, digitized))) for one in shots]
    again = [replace(one, moment=decide(one.reading.claims)) for one in scans]
    assert doubts(group(again)) == []
    shots = [file(f"s{n}.JPG", when.replace(year=when.year + 40), COMPACT) for n, when in enumerate(dates, 1)]
    assert [doubt.certainty for doubt in doubts(group(shots))] == [Certainty.OPEN]
