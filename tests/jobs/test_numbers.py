"""Numbers: each is given once, gaps are told, and a number comes back only while it leads to nothing."""

from __future__ import annotations

from datetime import date
from pathlib import Path

import pytest

from jutrek.errors import NotPossible
from jutrek.filing.pattern import parse
from jutrek.jobs.job import Job, Placed
from jutrek.jobs.listed import Held, without_work
from jutrek.jobs.numbers import Claim, Series, claim, claims, gaps, give_back, next_number, series_on
from jutrek.jobs.shelf import number_pattern
from jutrek.library import Library, Survey

DAY = date(2026, 11, 28)


def series(text: str = "{counter:4 from 118}", day: date = DAY) -> Series:
    return series_on("jobs", parse(text), day)


def take(library: Library, of: Series, job: str = "j", wanted: int | None = None) -> Claim:
    return claim(library, of, job=job, run="r", at="2026", who="me", wanted=wanted)


def test_one_after_the_other(library: Library) -> None:
    assert [take(library, series()).written for _ in range(3)] == ["0118", "0119", "0120"]
    assert take(library, series(), wanted=130).written == "0130"
    assert next_number(library, series()) == 131
    assert gaps(claims(library)) == ["0121 to 0129"]
    with pytest.raises(NotPossible, match="0119 is given already"):
        take(library, series(), wanted=119)
    give_back(library, take(library, series()))
    assert next_number(library, series()) == 131
    assert len(claims(library, "jobs")) == 4 and claims(library, "other") == []


def test_counted_anew_each_year(library: Library) -> None:
    by_year = "{year}-{counter:3}"
    assert [take(library, series(by_year)).written for _ in range(2)] == ["2026-001", "2026-002"]
    assert take(library, series(by_year, date(2027, 1, 1))).written == "2027-001"
    take(library, series(by_year), wanted=4)
    assert gaps(claims(library)) == ["2026-003"]
    assert series(by_year).number("2026-014") == 14
    assert [series(by_year).number(one) for one in ("2025-014", "2026-14", "2026-0x1", "")] == [None] * 4


def test_a_number_that_is_kept(library: Library) -> None:
    kept = take(library, series(), job="")
    used = take(library, series(), wanted=kept.number)
    assert used.written == kept.written
    assert [one.job for one in claims(library)] == ["j"]
    with pytest.raises(NotPossible, match="given already"):
        take(library, series(), wanted=kept.number)
    give_back(library, used)
    assert [one.job for one in claims(library)] == [""]
    give_back(library, kept)
    assert claims(library) == []


def test_records_that_are_damaged_keep_their_number(library: Library) -> None:
    record = Path(library.root) / ".jutrek/job-numbers/jobs/+"
    take(library, series())
    (record / "119.json").write_text("{")
    (record / "120.json").write_text('{"written": 7}')
    (record / "x.json").write_text("{}")
    (record / "9999999999999.json").write_text("{}")
    (record / "121.json").symlink_to("/etc/passwd")
    (record / "deeper").mkdir()
    (record / "deeper/500.json").write_text("{}")
    assert next_number(library, series()) == 122
    assert [one.written for one in claims(library)] == ["0118", "119", "120", "121"]


def test_where_captures_of_a_job_go_and_what_lies_in_it() -> None:
    assert [Placed(Job("i", "0118", lands=lands), "jobs/0118").landing for lands in (None, "", "1 raw")] == [
        None, "jobs/0118", "jobs/0118/1 raw",
    ]  # fmt: skip
    held = Held((("raw/P1.jpg", 1, 5), ("raw/P1.xmp", 1, 9), ("raw 2/P2.jpg", 1, 7)))
    assert (held.count("raw"), held.changed_ns, Held().changed_ns) == (1, 9, 0)


def test_what_people_work_at_is_no_news() -> None:
    jobs = {"jobs/0118"}
    own, theirs = ("jobs/0118/2 work/a.otio", "jobs/0118/b.md"), ("jobs/0118/raw/P1.JPG", "jobs/0118 b.md", "c.txt")
    found = Survey(9, altered=(*own, *theirs), lost=(*theirs, *own), moves=((own[0], own[1]), (own[0], theirs[0])))
    told = without_work(found, jobs)
    assert (told.altered, told.lost, told.moves, told.files) == (theirs, theirs, found.moves[1:], 9)


@pytest.mark.parametrize(
    "line", ["jobs = {counter}{counter}", "jobs = 12", "jobs = {title}{counter}", "jobs = {counter"]
)
def test_series_that_can_not_be_used(library: Library, line: str) -> None:
    page = Path(library.root) / ".jutrek/outlines/series.txt"
    assert str(number_pattern(library, "jobs")) == "{counter:4}"
    page.parent.mkdir()
    page.write_text(f"# how numbers are written\nother = {{counter}}\n{line}\n")
    assert str(number_pattern(library, "other")) == "{counter}"
    with pytest.raises(NotPossible, match="the series “jobs”"):
        number_pattern(library, "jobs")
