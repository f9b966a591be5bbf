"""The record of a sorting: what is written is read again, and what others wrote costs only itself."""

from __future__ import annotations

import json
import os
from datetime import UTC, datetime
from pathlib import Path

import pytest

from jutrek.errors import NotPossible, PageBroken
from jutrek.library import Library, new_library
from jutrek.library.short_forms import keep_short_form, short_forms
from jutrek.sorting import record
from jutrek.sorting.piles import By
from jutrek.sorting.record import Answer, At, What

AT = datetime(2026, 11, 20, 18, 0, tzinfo=UTC)
ODD = os.fsdecode(b"mess/\xff \n.jpg")


def begun(library: Library) -> str:
    return record.begin(library, "  From the  phones ", "unfiled", 3, {By.MONTH: {"2026-01": 2, "": 1}}).id


def page(library: Library, id_: str) -> Path:
    return Path(library.root, ".jutrek/sortings", f"{id_}.jsonl")


def test_what_was_written_is_read(library: Library) -> None:
    id_ = begun(library)
    one = Answer("0000000a", AT, What.FILED, "yard/{year}", {ODD: At("yard/2026/x.jpg", 7), "mess/b.jpg": At("y/b", 8)})
    record.answered(library, id_, one)
    record.answered(library, id_, Answer("0000000b", AT, What.ASIDE, "", {"mess/c.jpg": At("mess/c.jpg", -9)}))
    record.moved(library, id_, "0000000a", ["run-1"])
    record.came_back(library, id_, "0000000a", ["mess/b.jpg"])
    record.use(library, id_, ["yard/{year}", "depot", "depot"])
    record.look_at(library, id_, By.DEVICE, "A Arlen C1")
    known = record.record_of(library, id_)
    assert (known.head.name, known.head.view, known.head.captures) == ("From the phones", "unfiled", 3)
    assert known.head.piles == {By.MONTH: {"2026-01": 2, "": 1}}
    assert known.answers["0000000a"].captures == {ODD: At("yard/2026/x.jpg", 7)}
    assert known.answers["0000000a"].runs == ("run-1",)
    assert (known.folders, known.by, known.pile) == (("yard/{year}", "depot"), By.DEVICE, "A Arlen C1")
    record.came_back(library, id_, "0000000a", [ODD, "another"])
    assert list(record.record_of(library, id_).answers) == ["0000000b"]
    record.end(library, id_)
    assert [one.ended for one in record.records(library)[0]] == [True]


def test_a_line_that_was_cut_off_costs_only_itself(library: Library) -> None:
    """Also where the next one is written behind it."""
    id_ = begun(library)
    with page(library, id_).open("ab") as file:
        file.write(b'{"answer":"0000000a","at":"2026-')
    record.use(library, id_, ["depot"])
    known = record.record_of(library, id_)
    assert known.folders == ("depot",)
    assert len(known.bad) == 1


@pytest.mark.parametrize(
    "line",
    [
        {"answer": "../x", "at": AT.isoformat(), "what": "filed", "captures": [["a", "b", 1]]},
        {"answer": "0000000a", "at": "soon", "what": "filed", "captures": [["a", "b", 1]]},
        {"answer": "0000000a", "at": AT.isoformat(), "what": "burnt", "captures": [["a", "b", 1]]},
        {"answer": "0000000a", "at": AT.isoformat(), "what": "filed", "captures": [["a", "b", 1.5]]},
        {"answer": "0000000a", "at": AT.isoformat(), "what": "filed", "captures": [["a", "b", 2**70]]},
        {"answer": "0000000a", "at": AT.isoformat(), "what": "filed", "captures": []},
        {"moved": "0000000a", "runs": "run"},
        {"folders": [["depot"]]},
        {"by": "colour", "pile": ""},
        {"ended": "yes"},
        {"sorting": 5},
        ["ended"],
    ],
)
def test_what_does_not_fit_is_told(library: Library, line: object) -> None:
    id_ = begun(library)
    with page(library, id_).open("a") as file:
        file.write(json.dumps(line) + "\n" + json.dumps({"folders": ["depot"]}) + "\n")
    known = record.record_of(library, id_)
    assert (len(known.bad), known.answers, known.folders, known.ended) == (1, {}, ("depot",), False)


def test_a_record_without_a_head_is_none(library: Library) -> None:
    id_ = begun(library)
    page(library, "00000000").write_text('{"folders":["x"]}\n')
    page(library, "00000001").symlink_to("/etc/passwd")
    Path(page(library, id_).parent, "note.txt").write_text("x")
    found, bad = record.records(library)
    assert [one.head.id for one in found] == [id_]
    assert len(bad) == 1
    with pytest.raises(PageBroken, match="first line"):
        record.record_of(library, "00000000")


def test_nothing_is_answered_on_a_disk_that_is_full(small_place: Path) -> None:
    other = new_library(str(small_place))
    id_ = begun(other)
    filler = small_place / "filler"
    with filler.open("wb") as file, pytest.raises(OSError, match="space"):
        while True:
            file.write(b"x" * 65536)
            file.flush()
    one = Answer("0000000a", AT, What.FILED, "yard", {f"mess/{n}.jpg": At(f"yard/{n}.jpg", n) for n in range(3000)})
    with pytest.raises(NotPossible, match="can't be written"):
        record.answered(other, id_, one)
    filler.unlink()
    # What was written in part is no answer.
    record.use(other, id_, ["depot"])
    known = record.record_of(other, id_)
    assert (known.answers, known.folders) == ({}, ("depot",))


def test_short_forms(library: Library) -> None:
    assert keep_short_form(library, "VLT", "Velmora  line trust") == ""
    assert keep_short_form(library, "vlt", "Velmora line") == "Velmora line trust"
    keep_short_form(library, "kv", "Kettle viaduct")
    assert short_forms(library)[0] == {"vlt": "Velmora line", "kv": "Kettle viaduct"}
    for short, whole in (("", "x"), ("a b", "x"), ("a", "x/y"), ("a", "y" * 101)):
        with pytest.raises(NotPossible):
            keep_short_form(library, short, whole)
    keep_short_form(library, "vlt", "")
    at = Path(library.root, ".jutrek/short-forms.toml")
    at.write_text(at.read_text() + '[[short]]\nshort = "a/b"\nwhole = "x"\n[[short]]\nshort = "c"\nwhole = "../x"\n')
    known, bad = short_forms(library)
    assert known == {"kv": "Kettle viaduct"}
    assert len(bad) == 2
    with pytest.raises(PageBroken):
        keep_short_form(library, "x", "y")
