"""Sentences: what they say, that what is written is read as the same, and where what is none is pointed at."""

from datetime import date

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jutrek.views.conditions import (
    EVERYTHING,
    NOTHING,
    Around,
    AtHours,
    Condition,
    During,
    How,
    InMonth,
    Is,
    Lately,
    Measure,
    Near,
    OnWeekday,
    Some,
    Sort,
    State,
    Text,
    Unit,
    Value,
    both,
    either,
    no,
)
from jutrek.views.saying import sentence
from jutrek.views.sentence import LONGEST, parse, understand
from jutrek.views.spans import day_span, lately, month_span, week_span, year_span
from jutrek.views.walking import SentenceError

STILLS, CLIPS = Value(Sort.KIND, "still"), Value(Sort.KIND, "clip")
MAY = month_span(2026, 5)

SAID = {
    "": EVERYTHING,
    "everything": EVERYTHING,
    "nothing": NOTHING,
    "May 2026": MAY,
    "captures shot in may 2026": MAY,
    "2026-05": MAY,
    "2024–2026": During(Unit.YEAR, date(2024, 1, 1), date(2026, 12, 31)),
    "2024 to 2026": During(Unit.YEAR, date(2024, 1, 1), date(2026, 12, 31)),
    "week 53 of 2020": During(Unit.WEEK, date(2020, 12, 28), date(2021, 1, 3)),
    "weeks 10 to 12 of 2026": During(Unit.WEEK, date(2026, 3, 2), date(2026, 3, 22)),
    "12 to 18 May 2026": During(Unit.DAY, date(2026, 5, 12), date(2026, 5, 18)),
    "12-18 May 2026": During(Unit.DAY, date(2026, 5, 12), date(2026, 5, 18)),
    "from 28 December 2020 to 3 January 2021": During(Unit.DAY, date(2020, 12, 28), date(2021, 1, 3)),
    "May to July 2026": During(Unit.MONTH, date(2026, 5, 1), date(2026, 7, 31)),
    "before 2020": During(Unit.YEAR, None, date(2019, 12, 31)),
    "after 14 May 2026": During(Unit.DAY, date(2026, 5, 15), None),
    "since May 2026": During(Unit.MONTH, date(2026, 5, 1), None),
    "filed before May 2026": During(Unit.MONTH, None, date(2026, 4, 30), filed=True),
    "filed under 14 May 2026": During(Unit.DAY, date(2026, 5, 14), date(2026, 5, 14), filed=True),
    "in any May": InMonth(5),
    "in this week or in the last 2 months": either(Lately(Unit.WEEK), Lately(Unit.MONTH, 2)),
    "in the last 1 day": Lately(Unit.DAY, 1),
    "likely screenshots or likely a paper": either(Value(Sort.LIKELY, "screenshot"), Value(Sort.LIKELY, "paper")),
    "not likely papers": no(Value(Sort.LIKELY, "paper")),
    "on Mondays or Fridays": either(OnWeekday(0), OnWeekday(4)),
    "on weekends between 22:00 and 4:00": both(either(OnWeekday(5), OnWeekday(6)), AtHours(1320, 240)),
    "before 9:00": AtHours(0, 540),
    "stills by Arlen M2 in May 2026 without keywords": both(
        STILLS, Value(Sort.DEVICE, "Arlen M2"), MAY, no(Some(Sort.KEYWORD))
    ),
    "stills or clips in May 2026 or in June 2026": both(either(STILLS, CLIPS), either(MAY, month_span(2026, 6))),
    "stills in May 2026 or clips": either(both(STILLS, MAY), CLIPS),
    "by Arlen or Hovar": either(Value(Sort.DEVICE, "Arlen"), Value(Sort.DEVICE, "Hovar")),
    "not by Arlen or Hovar": no(either(Value(Sort.DEVICE, "Arlen"), Value(Sort.DEVICE, "Hovar"))),
    "without keyword bridge or steam": no(either(Value(Sort.KEYWORD, "bridge"), Value(Sort.KEYWORD, "steam"))),
    "clips longer than 2.5 minutes, larger than 4GB": both(
        CLIPS, Measure(Sort.LENGTH, How.MORE, 150_000), Measure(Sort.SIZE, How.MORE, 4 * 10**9)
    ),
    "in fewer than two backups": Measure(Sort.COPIES, How.FEWER, 2),
    "with fewer than 2 copies": Measure(Sort.COPIES, How.FEWER, 2),
    "with no copies": Measure(Sort.COPIES, How.EXACTLY, 0),
    "in no backup": Measure(Sort.COPIES, How.EXACTLY, 0),
    "rated at least 3 or unrated": either(Measure(Sort.RATING, How.AT_LEAST, 3), no(Some(Sort.RATING))),
    "rated 4 or 5": either(Measure(Sort.RATING, How.EXACTLY, 4), Measure(Sort.RATING, How.EXACTLY, 5)),
    'with keywords "0"': both(Some(Sort.KEYWORD), Text("0")),
    "with keywords bridge with a lens": both(Value(Sort.KEYWORD, "bridge"), Some(Sort.LENS)),
    "marked": Some(Sort.MARK),
    "marked R or P": either(Value(Sort.MARK, "R"), Value(Sort.MARK, "P")),
    'in folder "2026/05 May" not right in folder 2026': both(
        Value(Sort.FOLDER, "2026/05 May"), no(Value(Sort.RIGHT_IN, "2026"))
    ),
    "near 47.25, -11.4 with a position": both(Near(47.25, -11.4, 5000), Some(Sort.POSITION)),
    "within 300 m of -0.5 11": Near(-0.5, 11.0, 300),
    "with at least 12 megapixels": Measure(Sort.PIXELS, How.AT_LEAST, 12_000_000),
    "of Bridge survey 2026 with a doubtful date": both(
        Value(Sort.SHOOT, "Bridge survey"), year_span(2026), Is(State.DOUBTFUL)
    ),
    'changed outside or "boiler ""A"""': either(Is(State.CHANGED), Text('boiler "A"')),
    "as dng carried by Ilva with lens 35 mm": both(
        Value(Sort.FORMAT, "dng"), Value(Sort.PERSON, "Ilva"), Value(Sort.LENS, "35 mm")
    ),
    "near Upper valley or Depot in May 2026": both(
        either(Value(Sort.PLACE, "Upper valley"), Value(Sort.PLACE, "Depot")), MAY
    ),
    'within 300 m of Upper valley or near "47.25 north"': either(
        Around("Upper valley", 300), Value(Sort.PLACE, "47.25 north")
    ),
    "without a place near 47, 11": both(no(Some(Sort.PLACE)), Near(47.0, 11.0, 5000)),
    "on shelf Annual report or Posters on Mondays": both(
        either(Value(Sort.SHELF, "Annual report"), Value(Sort.SHELF, "Posters")), OnWeekday(0)
    ),
    "on no shelf or on a shelf": either(no(Some(Sort.SHELF)), Some(Sort.SHELF)),
    "not (stills or in 2026) but not unfiled": both(no(either(STILLS, year_span(2026))), no(Is(State.UNFILED))),
}


@pytest.mark.parametrize("text", SAID)
def test_what_is_said_is_meant(text: str) -> None:
    assert parse(text) == SAID[text]
    assert parse(sentence(SAID[text])) == SAID[text]


@pytest.mark.parametrize(("text", "at", "words"), [
    ("stills boiler", 7, "no word of a sentence"),
    ("stills by", 9, "By which device"),
    ("in May 2026 or", 14, "follow the word “or”"),
    ("31 February 2026", 0, "February 2026 has 28 days"),
    ("week 53 of 2021", 0, "2021 has 52 weeks"),
    ("week 3", 0, "which year"),
    ("18 to 12 May 2026", 6, "ends before it begins"),
    ("2024 to May 2026", 8, "begins with a year"),
    ("2026-13", 0, "twelve months"),
    ("(stills", 7, "not closed"),
    ("stills)", 6, "was not opened"),
    ("between 6:00 and 25:00", 17, "time of day"),
    ("near 95, 11", 11, "latitude and a longitude"),
    ("rated 7", 7, "0 to 5"),
    ('by " "', 3, "in the quotation marks"),
    ("since May", 9, "A year has to follow"),
    ("(" * 60 + "stills" + ")" * 60, 41, "40 deep"),
    ("stills " * LONGEST, LONGEST, "characters at most"),
    (" or ".join(f"by a{number}" for number in range(500)), 0, "things at most"),
])  # fmt: skip
def test_what_is_no_sentence_is_pointed_at(text: str, at: int, words: str) -> None:
    with pytest.raises(SentenceError, match=words) as caught:
        parse(text)
    assert caught.value.at == at


def test_what_may_follow_is_known() -> None:
    assert "without" in understand("stills ").wanted
    assert "than" in understand("clips longer ").wanted
    assert Sort.DEVICE in understand("stills by ").wanted
    assert understand("stills by Arlen M").begun == ("Arlen M", Sort.DEVICE)
    assert understand('stills by "Arlen M2"').begun is None
    assert "folder" in understand("right in ").wanted


_days = st.dates(date(1900, 1, 1), date(2100, 12, 31))
_months = st.builds(month_span, st.integers(1900, 2100), st.integers(1, 12))
_years = st.builds(year_span, st.integers(1900, 2100))
_weeks = st.builds(week_span, st.integers(1900, 2100), st.integers(1, 52))
_closed = st.one_of(*(
    st.tuples(one, one).map(lambda two: During(two[0].unit, *sorted([two[0].first, two[1].first])[:1],
                                               max(two[0].last, two[1].last)))
    for one in (_days.map(day_span), _months, _years, _weeks)
))  # fmt: skip
_spans = st.tuples(_closed, st.sampled_from(["first", "last", ""]), st.booleans()).map(
    lambda row: During(
        row[0].unit, None if row[1] == "first" else row[0].first, None if row[1] == "last" else row[0].last, row[2]
    )
)
_names = st.text(min_size=1, max_size=12).filter(str.strip) | st.sampled_from(
    [
        "Arlen M2",
        "in May",
        "2026",
        "A or B",
        'the "old" one',
        "35 mm",
        "16-35",
        "One hill",
        "-5",
        "week",
        "a,b",
        "–",
        "9:00",
        "”",
        "“a”",
    ]
)
_leaves = st.one_of(
    _spans, st.builds(Lately, st.sampled_from(Unit), st.integers(0, 1000)),
    st.builds(InMonth, st.integers(1, 12)), st.builds(OnWeekday, st.integers(0, 6)),
    st.tuples(st.integers(0, 1439), st.integers(1, 1440)).filter(lambda two: two[0] != two[1]).map(
        lambda two: AtHours(*two)
    ),
    st.builds(Value, st.sampled_from([Sort.DEVICE, Sort.PERSON, Sort.LENS, Sort.SHOOT, Sort.KEYWORD, Sort.MARK,
                                      Sort.FOLDER, Sort.RIGHT_IN, Sort.FORMAT, Sort.SHELF, Sort.PLACE]), _names),
    st.sampled_from([STILLS, CLIPS, Value(Sort.LIKELY, "screenshot")]),
    st.builds(Some, st.sampled_from([Sort.KEYWORD, Sort.POSITION, Sort.TIME, Sort.MARK, Sort.RATING, Sort.LENS,
                                     Sort.SHOOT, Sort.DEVICE, Sort.SHELF, Sort.PLACE])),
    st.builds(Measure, st.just(Sort.RATING), st.sampled_from(How), st.integers(0, 5)),
    st.builds(Measure, st.just(Sort.COPIES), st.sampled_from(How), st.integers(0, 20)),
    st.builds(Measure, st.just(Sort.PIXELS), st.sampled_from(How), st.integers(0, 10**9)),
    st.builds(Measure, st.sampled_from([Sort.LENGTH, Sort.SIZE]), st.sampled_from([How.MORE, How.FEWER]),
              st.integers(0, 10**13)),
    st.builds(Near, st.integers(-90 * 10**6, 90 * 10**6).map(lambda n: n / 10**6),
              st.integers(-180 * 10**6, 180 * 10**6).map(lambda n: n / 10**6), st.integers(0, 10**7)),
    st.builds(Around, _names, st.integers(0, 10**7)), st.builds(Is, st.sampled_from(State)), st.builds(Text, _names),
)  # fmt: skip


def _joined(parts: st.SearchStrategy[Condition]) -> st.SearchStrategy[Condition]:
    several = st.lists(parts, min_size=2, max_size=4)
    return several.map(lambda row: both(*row)) | several.map(lambda row: either(*row)) | parts.map(no)


@settings(max_examples=400, deadline=None)
@given(st.recursive(_leaves, _joined, max_leaves=8))
def test_what_is_written_is_read_as_the_same(view: Condition) -> None:
    assert parse(sentence(view)) == view


_WORDS = [
    *'()"“”,–',
    *[
        "or",
        "not",
        "in",
        "May",
        "2026",
        "week",
        "53",
        "of",
        "by",
        "to",
        "with",
        "than",
        "9:00",
        "at",
        "least",
        "near",
        "5",
        "km",
        "right",
        "rated",
    ],
]


@settings(max_examples=300, deadline=None)
@given(st.lists(st.sampled_from(_WORDS) | st.text()))
def test_any_text_is_a_sentence_or_is_pointed_at(words: list[str]) -> None:
    text = " ".join(words)
    read = understand(text)
    assert (read.view is None) != (read.trouble is None)
    assert read.trouble is None or 0 <= read.trouble.at <= len(text)


@pytest.mark.parametrize(("recent", "today", "first", "last"), [
    (Lately(Unit.WEEK), "2027-01-02", "2026-12-28", "2027-01-03"),
    (Lately(Unit.MONTH), "2024-02-10", "2024-02-01", "2024-02-29"),
    (Lately(Unit.YEAR), "2026-11-30", "2026-01-01", "2026-12-31"),
    (Lately(Unit.DAY), "2026-11-30", "2026-11-30", "2026-11-30"),
    (Lately(Unit.DAY, 7), "2026-11-30", "2026-11-24", "2026-11-30"),
    (Lately(Unit.WEEK, 2), "2026-11-30", "2026-11-17", "2026-11-30"),
    (Lately(Unit.MONTH, 2), "2026-04-30", "2026-03-01", "2026-04-30"),
    (Lately(Unit.YEAR, 1), "2024-02-29", "2023-03-01", "2024-02-29"),
])  # fmt: skip
def test_what_is_meant_goes_on_with_the_day(recent: Lately, today: str, first: str, last: str) -> None:
    found = lately(recent, date.fromisoformat(today))
    assert (str(found.first), str(found.last)) == (first, last)
