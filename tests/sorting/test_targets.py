"""Folders that are typed: patterns that each capture fills, completion, and what is most likely meant."""

from __future__ import annotations

from datetime import datetime

import pytest

from jutrek.errors import NotPossible
from jutrek.filing import HouseRules
from jutrek.sorting.spelling import Spelling, expanded, written_out
from jutrek.sorting.targets import checked_target, folders_of, is_pattern, stem_of_target
from tests.sorting.made import columns_of, shot

SETTING = HouseRules().setting(filed=True)
PATHS = (
    "2025", "2025/01 Depot", "2025/02 Depot", "Engine No. 4", "Volunteers", "Volunteers/Ålund", "places",
    "places/Ilvar bridge", "Bo",
)  # fmt: skip


@pytest.mark.parametrize(
    ("target", "folders", "stem"),
    [
        ("Volunteers", ["Volunteers", "Volunteers"], "Volunteers"),
        ("Theme/{year} {place}", ["Theme/2026 Ilvar", "Theme"], "Theme"),
        ("{year}/{month:name}/{kind}", ["2026/January/Stills", "Stills"], ""),
        ("Theme</{year} {shoot}>", ["Theme/2026 Bridge", "Theme"], "Theme"),
    ],
)
def test_each_capture_fills_the_pieces(target: str, folders: list[str], stem: str) -> None:
    """What one does not know is left out of its folder."""
    columns = columns_of([shot("m/a.jpg", datetime(2026, 1, 10, 9), shoot="Bridge @ Ilvar"), shot("m/b.jpg")])
    assert folders_of(checked_target(target), columns, [0, 1], SETTING) == folders
    assert is_pattern(target) == ("{" in target)
    assert stem_of_target(target) == stem


@pytest.mark.parametrize("text", ["../x", "a/../b", ".jutrek/x", "{year}/..", "{yaer}", "{year", "a:b", ".jutrek"])
def test_what_can_be_no_folder_is_refused(text: str) -> None:
    with pytest.raises(NotPossible):
        checked_target(text)


def test_a_folder_that_is_there_is_taken_as_it_is_called() -> None:
    assert checked_target(" /odd: name/x ", lambda path: path == "odd: name") == "odd: name/x"


@pytest.mark.parametrize(
    ("typed", "meant"),
    [
        ("volunters", "Volunteers"), ("VOLUNTEERS", "Volunteers"), ("Vol unteers/Alund", "Volunteers/Ålund"),
        ("Volunteres", "Volunteers"), ("engine no 4", "Engine No. 4"),
        ("places/Ilvar brigde/x", "places/Ilvar bridge/x"),
        # Other figures are other folders; and so are short names, and those that are right.
        ("Engine No. 5", ""), ("2026", ""), ("2025/03 Depot", ""), ("Bob", ""), ("Volunteers/new", ""), ("Snow", ""),
    ],
)  # fmt: skip
def test_which_folder_is_meant(typed: str, meant: str) -> None:
    assert Spelling(PATHS).near(typed) == meant


@pytest.mark.parametrize(
    ("typed", "offers"),
    [
        ("vol", ["Volunteers"]), ("alu", ["Volunteers/Ålund"]), ("bridge", ["places/Ilvar bridge"]),
        ("2025/0", ["2025/01 Depot", "2025/02 Depot"]), ("2026/02", ["2026/02 Depot"]),
        ("Volunteers/", ["Volunteers/Ålund"]),
        ("Volunteers", []),
    ],
)  # fmt: skip
def test_what_it_may_become(typed: str, offers: list[str]) -> None:
    assert Spelling(PATHS).completions(typed) == offers


def test_short_forms_are_written_out() -> None:
    shorts = {"vlt": "Velmora line trust", "kv": "Kettle viaduct"}
    assert expanded("VLT ", shorts) == "Velmora line trust "
    assert expanded("2026/kv/", shorts) == "2026/Kettle viaduct/"
    assert [expanded(text, shorts) for text in ("vlt", "xvlt ", "", " ", "kv  ")] == ["vlt", "xvlt ", "", " ", "kv  "]
    assert written_out("vlt/{year} kv", shorts) == "Velmora line trust/{year} Kettle viaduct"
