"""The ladder: which claim wins, how far it is trusted, and what its reason says."""

from __future__ import annotations

from datetime import datetime, timedelta, timezone
from itertools import pairwise

import pytest

from jutrek.captures import LADDER, Doubtful, Moment, Surroundings, Trust, decide
from jutrek.captures.decisions import spread
from jutrek.captures.zones import Habits
from jutrek.formats import Claim, Kind, Offset, Precision, Reading, Timestamp
from jutrek.formats.reading import UTC_BY_DEFINITION

NOON = datetime(2026, 5, 14, 12)
NOW = datetime(2026, 6, 1)
HOME = timezone(timedelta(hours=2))


def claim(
    at: str, wall: datetime = NOON, offset: Offset | None = None, precision: Precision = Precision.SECOND
) -> Claim:
    return Claim(at, Timestamp(wall, precision, offset), f"the {at}", "")


def decided(*claims: Claim) -> Moment:
    moment = decide(claims, Surroundings(home=HOME), now=NOW)
    assert moment is not None
    return moment


RUNGS = ["exif:original", "exif:digitized", "gps", "xmp:original", "mp4:created", "name", "folder", "file"]


@pytest.mark.parametrize(("stronger", "weaker"), list(pairwise(RUNGS)))
def test_the_stronger_claim_wins_wherever_it_stands(stronger: str, weaker: str) -> None:
    """The order of the rungs decides, not the order in the file."""
    other = claim(weaker, NOON + timedelta(hours=3))
    assert decided(other, claim(stronger)).claim == 1
    assert decided(claim(stronger), other).claim == 0


def test_the_date_of_the_last_change_is_a_bound_and_no_more() -> None:
    """An editor's time of change says only that it was made before: doubtful. XMP's says nothing."""
    assert decide([claim("xmp:changed")], now=NOW) is None
    changed = decided(claim("exif:changed"), claim("file", NOON + timedelta(days=900)))
    assert (changed.claim, changed.trust, changed.doubt) == (0, Trust.DOUBTFUL, Doubtful.OUTSIDE)
    assert changed.why.endswith("it was made then or before.")


LATER = NOON + timedelta(days=900)


@pytest.mark.parametrize(
    ("claims", "chosen"),
    [
        # An original outranks digitizing, whatever states an offset.
        ([claim("exif:digitized", LATER, Offset(60)), claim("xmp:created")], 1),
        ([claim("xmp:digitized", LATER, Offset(60)), claim("xmp:original")], 1),
        ([claim("exif:digitized"), claim("xmp:created", LATER)], 0),
        # A year alone does not outrank a full date; it does outrank the day of a scan.
        ([claim("id3:recorded", datetime(2025, 1, 1), precision=Precision.YEAR), claim("mp4:created")], 1),
        ([claim("xmp:created", datetime(1980, 1, 1), precision=Precision.YEAR), claim("exif:digitized")], 0),
        # The future, and a clock's zero point, are not taken where there is another one.
        ([claim("exif:original", datetime(2048, 1, 1)), claim("exif:digitized")], 1),
        ([claim("exif:original", datetime(1970, 1, 1, 1, 0, 7)), claim("exif:digitized")], 1),
        ([claim("exif:stamped"), claim("file", LATER)], 0),
    ],
)  # fmt: skip
def test_the_better_date_is_believed(claims: list[Claim], chosen: int) -> None:
    """Whatever rung it stands on; and nothing is asked about it."""
    moment = decided(*claims)
    assert (moment.claim, moment.doubt) == (chosen, None)


def test_an_old_picture_that_was_digitized_is_as_old_as_it_says() -> None:
    """Older than digital cameras is doubtful only where nobody digitized it."""
    old = claim("exif:original", datetime(1965, 6, 1, 12))
    assert decided(old, claim("exif:digitized")).trust is Trust.SURE
    assert decided(old, claim("exif:digitized", datetime(1965, 6, 1, 12))).doubt is Doubtful.ANCIENT


def test_a_position_in_another_zone_than_the_clock_puts_the_clock_wrong() -> None:
    """Satellite time an hour off the zone of the position: the place's offset is taken, so that the error shows."""
    satellite = claim("gps", NOON - timedelta(hours=1), UTC_BY_DEFINITION)
    moment = decide([claim("exif:original"), satellite], Surroundings(position=(46.5, 8.0)), now=NOW)
    assert moment is not None
    assert (moment.offset, "the clock is set to +01:00" in moment.why) == (120, True)


@pytest.mark.parametrize(
    ("at", "trust"),
    [("exif:original", Trust.SURE), ("xmp:original", Trust.LIKELY), ("name", Trust.DOUBTFUL), ("file", Trust.DOUBTFUL)],
)
def test_trust_comes_with_the_rung(at: str, trust: Trust) -> None:
    """What stands inside is sure, what stands around is likely, the file time is doubtful."""
    assert decided(claim(at)).trust is trust


def test_a_day_in_a_name_is_not_enough() -> None:
    """A name that tells only a day may be the day of sending."""
    moment = decided(claim("name", precision=Precision.DAY))
    assert moment.trust is Trust.DOUBTFUL
    assert "only the day" in moment.why


@pytest.mark.parametrize(
    ("others", "local", "words"),
    [
        ([claim("exif:changed", NOON, Offset(540))], 21, "+09:00 as stated beside it"),
        ([claim("xmp:changed", NOON, Offset(540))], 14, "the house's zone"),
        ([claim("name", NOON + timedelta(hours=9, seconds=2))], 21, "+09:00 by the file's name"),
        ([claim("name", NOON + timedelta(minutes=7))], 14, "Two dates disagree: the name says 2026-05-14 12:07"),
        ([], 14, "+02:00, the house's zone"),
    ],
)
def test_a_time_in_utc_becomes_local_time(others: list[Claim], local: int, words: str) -> None:
    """By a stated offset, else by a name that differs by quarter hours, else by the house's zone; it says which."""
    moment = decided(claim("mp4:created", NOON, UTC_BY_DEFINITION), *others)
    assert (moment.local.hour, moment.claim) == (local, 0)
    assert words in moment.why


def test_satellite_time_gives_the_offset_that_nobody_wrote_down() -> None:
    """Local minus UTC in quarter hours; zero and odd differences prove nothing."""
    for hours, offset in ((2, 120), (0, None), (2.13, None)):
        gps = claim("gps", NOON - timedelta(hours=hours), UTC_BY_DEFINITION)
        assert decided(claim("exif:original"), gps).offset == offset


@pytest.mark.parametrize(
    ("claims", "words"),
    [
        ([claim("exif:original", NOW + timedelta(days=3))], "future"),
        ([claim("exif:original", datetime(1975, 3, 1, 10))], "older than digital cameras"),
        ([claim("exif:original"), claim("gps", NOON - timedelta(days=9), UTC_BY_DEFINITION)], "disagree"),
    ],
)
def test_doubt_is_shown_and_never_smoothed_over(claims: list[Claim], words: str) -> None:
    """A doubtful moment keeps its date and says why it is doubtful."""
    moment = decided(*claims)
    assert moment.trust is Trust.DOUBTFUL
    assert words in moment.why
    assert moment.local == claims[0].stamp.wall


def test_an_offset_that_is_stated_is_kept() -> None:
    """The reason names it."""
    moment = decided(claim("exif:original", NOON, Offset(-210)))
    assert moment.offset == -210
    assert "-03:30 stated" in moment.why


def test_a_house_may_order_the_rungs() -> None:
    """The ladder is a value: turned over, the name beats what stands inside."""
    claims = [claim("exif:original"), claim("name", NOON + timedelta(hours=3))]
    moment = decide(claims, ladder=tuple(reversed(LADDER)), now=NOW)
    assert moment is not None
    assert moment.claim == 1
    assert moment.why.startswith("Date from the name")


def test_on_one_rung_the_claim_that_knows_more_wins() -> None:
    """A stated offset is stronger than none, a second stronger than a minute."""
    assert decided(claim("idit"), claim("clipdata", offset=Offset(120))).claim == 1
    assert decided(claim("idit", precision=Precision.MINUTE), claim("bext")).claim == 1
    assert decided(claim("idit"), claim("bext")).claim == 0


@pytest.mark.parametrize(
    ("chosen", "other", "against"),
    [
        (claim("exif:original"), claim("xmp:original", NOON - timedelta(days=2)), 1),
        (claim("exif:original"), claim("exif:digitized", NOON - timedelta(days=2)), 1),
        (claim("exif:original"), claim("exif:digitized", NOON + timedelta(days=900)), None),
        (claim("qt:creationdate"), claim("mp4:created", NOON + timedelta(days=30)), None),
        (claim("exif:original"), claim("exif:changed", NOON - timedelta(days=30)), None),
        (claim("exif:original"), claim("xmp:original", datetime(2026, 1, 1), precision=Precision.YEAR), None),
        (claim("exif:original"), claim("xmp:original", datetime(2025, 1, 1), precision=Precision.YEAR), 1),
    ],
)
def test_claims_that_cannot_both_be_true(chosen: Claim, other: Claim, against: int | None) -> None:
    """Two times of shooting a day apart contradict each other; scanning, packing and editing may come later."""
    moment = decided(chosen, other)
    assert moment.against == against
    assert (moment.trust is Trust.DOUBTFUL) is (against is not None)


@pytest.mark.parametrize(
    ("name", "duration", "agrees"),
    [
        (timedelta(hours=2, seconds=1), 0.0, True),
        (timedelta(hours=-3, minutes=-30), 0.0, True),
        (timedelta(hours=1, minutes=50), 600.0, True),
        (timedelta(hours=1, minutes=50), 20.0, False),
        (timedelta(hours=9, minutes=7), 0.0, False),
        (timedelta(days=3), 0.0, False),
    ],
)
def test_a_container_that_no_zone_reconciles_with_the_name_needs_a_look(
    name: timedelta, duration: float, agrees: bool
) -> None:
    """An export has a time of its own: the name may be right. A container may tell the end of the recording."""
    claims = [claim("mp4:created", NOON, UTC_BY_DEFINITION), claim("name", NOON + name)]
    moment = decide(claims, Surroundings(home=HOME, duration=duration), now=NOW)
    assert moment is not None
    assert (moment.trust is Trust.LIKELY) is agrees
    assert moment.against == (None if agrees else 1)


def test_a_date_before_the_first_file_of_its_kind_is_not_taken() -> None:
    """Where there is another one that is; it stands alone as doubtful. Formats that others write, too, tell nothing."""
    early, late = claim("exif:original", datetime(2001, 3, 1, 10)), claim("exif:digitized", datetime(2019, 3, 1, 10))
    raw = Surroundings(home=HOME, since=2018)
    both, alone = decide([early, late], raw, now=NOW), decide([early], raw, now=NOW)
    assert both is not None
    assert alone is not None
    assert (both.claim, both.doubt) == (1, None)
    assert (alone.claim, alone.doubt) == (0, Doubtful.ANCIENT)
    assert decided(early).doubt is None
    habits = Habits([], HOME)
    years = [habits.around("x", Reading(Kind.STILL, form, ())).since for form in ("cr3", "raf", "jpeg", "dng")]
    assert years == [2018, 2000, 0, 0]


def test_dates_are_spread_evenly_to_the_minute_or_finer() -> None:
    """As many steps as captures and one more; where a step is shorter than a minute, to the second."""
    begin = datetime(2026, 5, 14, 10)
    for minutes, precision in ((4, Precision.MINUTE), (3.9, Precision.SECOND)):
        step = timedelta(minutes=minutes) / 4
        given = spread("abc", begin, begin + timedelta(minutes=minutes))
        assert [key for key, _ in given] == ["a", "b", "c"]
        assert {one.precision for _, one in given} == {precision}
        assert [one.wall for _, one in given] == [(begin + step * n).replace(microsecond=0) for n in (1, 2, 3)]
