"""Dates as they are written, and what is certain about them."""

from __future__ import annotations

from datetime import datetime

import pytest

from jutrek.formats import Precision
from jutrek.formats.outside import of_folder, of_name, of_time
from jutrek.formats.timestamps import parse, parse_offset, since

WRITTEN = [
    ("'2026:05:14 10:26:13'", "2026-05-14T10:26:13", None),
    ('"2026-05-14T10:26:13+02:00"', "2026-05-14T10:26:13", "+02:00"),
    ("2026 05 14 10 26 13", "2026-05-14T10:26:13", None),
    ("2026/05/14 10.26", "2026-05-14T10:26", None),
    ("2026年5月14日10時26分13秒", "2026-05-14T10:26:13", None),
    ("2026-05-14 10:26:13 PM", "2026-05-14T22:26:13", None),
    ("2026-05-14 12:26 a.m.", "2026-05-14T00:26", None),
    ("2026-05-14 12:26:13pm", "2026-05-14T12:26:13", None),
    ("2026-05-14 22:26:13 PM", "2026-05-14T22:26:13", None),
    ("2026-05-14 10:26:13 amber", "2026-05-14T10:26:13", None),
    ("THU MAY 14 10:26 2026", "2026-05-14T10:26", None),
    ("May 14, 2026 10:26:13", "2026-05-14T10:26:13", None),
    ("2026:05:14 10:26:13", "2026-05-14T10:26:13", None),
    ("2026-05-14T10:26:13.25+02:00", "2026-05-14T10:26:13.25", "+02:00"),
    ("2026/05/14 10.26.13", "2026-05-14T10:26:13", None),
    ("2026:05:14 10:26:13 GMT+2", "2026-05-14T10:26:13", "+02:00"),
    ("2026-05-14T10:26:13Z", "2026-05-14T10:26:13", "+00:00"),
    ("2026-05-14T10:26", "2026-05-14T10:26", None),
    ("2026-05-14", "2026-05-14", None),
    ("2026-05", "2026-05", None),
    ("2026", "2026", None),
    ("2026:00:00 00:00:00", "2026", None),
    ("2026:05:00 00:00:00", "2026-05", None),
    ("2026:05:14 10:26:73", "2026-05-14", None),
    ("2026:05:14 24:00:00", "2026-05-14", None),
    ("2026: 5: 4  9: 6: 3", "2026-05-04T09:06:03", None),
    ("20260514", "2026-05-14", None),
    ("20260514T102613Z", "2026-05-14T10:26:13", "+00:00"),
    ("20260514 102613-0330", "2026-05-14T10:26:13", "-03:30"),
    ("THU MAY 14 10:26:13 2026", "2026-05-14T10:26:13", None),
    ("Thu, 14 May 2026 10:26:13 +0200", "2026-05-14T10:26:13", "+02:00"),
    ("14-May-2026 10:26:13", "2026-05-14T10:26:13", None),
    ("2026/ 5/14/ 10:26", "2026-05-14T10:26", None),
    ("2026-05-14T10:26:13.000000Z", "2026-05-14T10:26:13", "+00:00"),
    ("2026:05:14 10:26:13.00", "2026-05-14T10:26:13.0", None),
]


@pytest.mark.parametrize(("text", "iso", "offset"), WRITTEN)
def test_what_is_certain_is_taken(text: str, iso: str, offset: str | None) -> None:
    """Each spelling gives the date as far as it is certain."""
    stamp = parse(text)
    assert stamp is not None
    assert stamp.iso() == iso
    assert (str(stamp.offset) if stamp.offset else None) == offset


@pytest.mark.parametrize(
    "text",
    ["0000:00:00 00:00:00", "    :  :     :  :  ", "", "1904:01:01 00:00:00", "1970-01-01T00:00:00Z",
     "1980:01:01 00:00:00", "2026:13:14 10:26:13", "2026:02:30 10:00:00", "garbage", "20261399", "202605",
     "30 Feb 2026 10:00:00", "Thu Mai 14 10:26:13 2026", "0002:05:14 01:02:03"],
)  # fmt: skip
def test_blank_and_impossible_is_no_date(text: str) -> None:
    """Zeros, spaces, zero points of clocks and impossible days become no claim."""
    assert parse(text) is None


def test_fraction_and_offset_may_stand_elsewhere() -> None:
    """Exif keeps sub-seconds and offsets in tags of their own."""
    stamp = parse("2026:05:14 10:26:13", fraction="07", offset="-03:30")
    assert stamp is not None
    assert stamp.iso() == "2026-05-14T10:26:13.07"
    assert str(stamp.offset) == "-03:30"


@pytest.mark.parametrize("text", ["+25:00", "-13:00", "", "abc"])
def test_an_impossible_offset_is_none(text: str) -> None:
    """Offsets beyond −12 h to +14 h are no offsets."""
    assert parse_offset(text) is None


def test_seconds_beyond_the_calendar_are_no_date() -> None:
    """A count of 2**63 seconds is no date, and no crash."""
    assert since(datetime(1904, 1, 1), 2**63) is None


NAMES = [
    ("IMG_20260514_102613", "2026-05-14T10:26:13", None),
    ("VID_20260514_102613_01", "2026-05-14T10:26:13", None),
    ("2026-05-14 10.26.13", "2026-05-14T10:26:13", None),
    ("Screenshot_2026-05-14-10-26-13", "2026-05-14T10:26:13", None),
    ("PXL_20260514_082613123", "2026-05-14T08:26:13.123", "Z"),
    ("IMG-20260514-WA0003", "2026-05-14", None),
    ("day 2026.05.14 evening", "2026-05-14", None),
]


@pytest.mark.parametrize(("stem", "iso", "offset"), NAMES)
def test_names_tell_dates(stem: str, iso: str, offset: str | None) -> None:
    """Names that state a date are claims of just that precision and zone."""
    claim = of_name(stem)
    assert claim is not None
    assert claim.stamp.iso() == iso
    assert (str(claim.stamp.offset) if claim.stamp.offset else None) == offset


@pytest.mark.parametrize("stem", ["20261399", "DSC04411", "120260514_10261399", "20260230", "99999999_999999"])
def test_digits_that_are_no_date_do_not_become_one(stem: str) -> None:
    """Serial numbers and impossible days are no dates."""
    assert of_name(stem) is None


def test_file_times_out_of_range_and_blank_ones_are_none() -> None:
    """A file time beyond the calendar is no claim, nor are the zero points of clocks."""
    assert of_time(2**70) is None
    assert of_time(0) is None
    assert of_time(int(datetime(1980, 1, 1).timestamp()) * 10**9) is None
    claim = of_time(1_778_754_373_000_000_000)
    assert claim is not None
    assert claim.stamp.precision is Precision.SECOND


FOLDERS = [
    ("/card/DCIM/2026-05-14 Bridge survey", "2026-05-14"),
    ("/photos/2026/05/14", "2026-05-14"),
    ("/photos/2026/05 May/14 bridge", "2026-05-14"),
    ("/photos/2026/05", "2026-05"),
    ("/photos/2026-05 walks", "2026-05"),
    ("/photos/2026/bridge", "2026"),
    ("/photos/2026", "2026"),
    ("/photos/20260514/raw", "2026-05-14"),
    ("/photos/2026-05-14/2026-05-16", "2026-05-16"),
    ("/card/DCIM/100ARLEN", None),
    ("/card/DCIM/10260514", None),
    ("/photos/2026-13-40", None),
    ("/photos/2026-02-30", None),
    ("", None),
]


@pytest.mark.parametrize(("folder", "iso"), FOLDERS)
def test_the_nearest_folder_that_states_a_date_tells_it(folder: str, iso: str | None) -> None:
    """As far as it does: a day, a month, a year; digits of cameras' folders are no dates."""
    claim = of_folder(folder)
    assert (claim.stamp.iso() if claim else None) == iso
