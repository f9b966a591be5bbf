"""`jutrek start`, `jobs`, `next`, `outline` and `--job`: as somebody types them."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from pathlib import Path

import pytest

from jutrek.filing import from_json
from jutrek.jobs.outline import read_outline
from jutrek.library import Library, new_library
from tests.cli.calling import jutrek
from tests.jobs.outlines import keep
from tests.making import WHEN, jpeg, put

SET = ("--set", "client=VLT", "--set", "title=Boiler test", "--day", "2026-11-28")
JOB = "jobs/2026/0001 VLT Boiler test"


@pytest.fixture
def home(library: Library) -> Library:
    keep(library)
    return library


def job(home: Library, *more: str | Path, code: int = 0) -> dict[str, object]:
    said = jutrek("start", "Film", *SET, "--json", *more, "-l", home.root, code=code)
    page = json.loads(said.stdout)
    assert isinstance(page, dict)
    return page


def listed(home: Library) -> list[dict[str, object]]:
    return [json.loads(line) for line in jutrek("jobs", "--json", "-l", home.root).stdout.splitlines()]


def test_a_job_from_start_to_back(home: Library) -> None:
    would = job(home, "--dry-run", "--with", "drone")
    assert (would["folder"], would["job"], would["made"]) == (str(Path(home.root, JOB)), "0001", [])
    assert f"{JOB}/2 work/drone/maps" in would["would_make"]  # type: ignore[operator]
    assert not Path(home.root, "jobs").exists()
    made = job(home)
    assert made["folder"] == str(Path(home.root, JOB)) and f"{JOB}/1 raw" in made["made"]  # type: ignore[operator]
    assert jutrek("start", "Film", *SET, "-l", home.root).stdout == f"{home.root}/{JOB.replace('0001', '0002')}\n"
    newest, first = listed(home)
    assert (newest["job"], first["job"], first["parts"]) == ("0002", "0001", {"raw": 0, "work": 1})
    work = Path(home.root, JOB, "2 work/0001_boiler-test_v01.otio")
    wish = jutrek("next", work, "--initials", "RK", "--dry-run").stdout
    assert jutrek("next", work, "--initials", "RK").stdout == wish == f"{work.parent}/0001_boiler-test_RK_v02.otio\n"
    assert "v02.otio lies in the job's folder" in jutrek("take-back", "1", "-l", home.root, code=2).stderr
    for run in "321":
        jutrek("take-back", run, "-l", home.root)
    assert listed(home) == [] and not Path(home.root, "jobs").exists()
    assert job(home)["job"] == "0001"


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (("--set", "client=VLT"), "“title” has to be filled in"),
        (("--set", "client=VLT", "--set", "title=x", "--set", "reel=1"), "no blank “reel”"),
        (("--set", "client=X", "--set", "title=x"), "none of the choices"),
        ((*SET, "--with", "sound"), "no optional part"),
        ((*SET, "--devices", "Z"), "knows no device “Z”"),
        ((*SET, "--set", "job=17"), "no number of this series, such as 0001"),
        ((*SET, "--set", "client"), "write a blank as client=VLT"),
    ],
)
def test_what_can_not_be_started(home: Library, words: tuple[str, ...], why: str) -> None:
    assert why in jutrek("start", "Film", *words, "-l", home.root, code=2).stderr
    assert "no outline “Movie”; there are: Film" in jutrek("start", "Movie", *words[:2], "-l", home.root, code=2).stderr
    assert not Path(home.root, "jobs").exists()


def test_numbers_kept_and_given_back(home: Library) -> None:
    assert jutrek("jobs", "keep-number", "-l", home.root).stdout == "0001\n"
    assert job(home)["job"] == "0002"
    assert "The number 0001 was given" in jutrek("jobs", "-l", home.root).stderr
    assert job(home, "--set", "job=0001")["job"] == "0001"
    assert "is the number of a job" in jutrek("jobs", "give-back", "0001", "-l", home.root, code=2).stderr
    assert jutrek("jobs", "keep-number", "-l", home.root).stdout == "0003\n"
    jutrek("jobs", "give-back", "0003", "-l", home.root)
    assert "was not given" in jutrek("jobs", "give-back", "0003", "-l", home.root, code=2).stderr


def test_a_card_comes_into_a_job_and_stays_there(home: Library, card: Path) -> None:
    put(card / "DCIM/A.JPG", jpeg())
    put(card / "DCIM/B.JPG", jpeg(None))
    put(card / "notes.txt", b"x")
    job(home)
    more = ("--job", "0001", "--undated", "unfiled", "--along", "-l", home.root)
    plan = card.parent / "plan.json"
    jutrek("plan", card, *more, "--out", plan)
    kept = from_json(plan.read_text(), str(plan))
    assert {(row.destination or "").rpartition("/")[0] for row in kept.rows} == {
        f"{JOB}/1 raw/Arlen M2", f"{JOB}/1 raw/Brought along/Card A", f"{JOB}/1 raw/Unfiled",
    }  # fmt: skip
    bare = replace(kept, rules=replace(kept.rules, within=JOB, layout="", schemes=()))
    assert from_json(bare.as_json(), "").rows == kept.rows
    jutrek("bring", card, *more)
    raw = Path(home.root, JOB, "1 raw")
    assert sorted(str(one.relative_to(raw)) for one in raw.rglob("*.*")) == [
        "Arlen M2/20260514_102613.jpg", "Brought along/Card A/notes.txt", "Unfiled/B.jpg",
    ]  # fmt: skip
    assert listed(home)[0]["parts"] == {"raw": 3, "work": 1}
    assert "0 files would move" in jutrek("refile", "--also-foreign", "-l", home.root).stderr
    other = put(Path(home.root, "2026/yard/P1.jpg"), jpeg(WHEN.replace(hour=7), seed=4))
    assert "would move" in jutrek("refile", "--also-foreign", "-l", home.root).stderr
    jutrek("jobs", "take", "0001", "2026/yard/P1.jpg", "--copy", "-l", home.root)
    assert other.exists() and (raw / "Arlen M2/P1.jpg").read_bytes() == other.read_bytes()
    assert "no job; there are: 0001" in jutrek("bring", card, "--job", "77", "-l", home.root, code=2).stderr


def test_working_files_are_not_missed_and_captures_are(home: Library) -> None:
    """People write them anew, rename them and throw them away: a check tells captures alone."""
    job(home)
    raw = put(Path(home.root, JOB, "1 raw/P1.jpg"), jpeg())
    note = Path(home.root, JOB, "0001 notes.md")
    work = Path(home.root, JOB, "2 work/0001_boiler-test_v01.otio")
    assert "3 files as they were proven, 1 proven" in jutrek("check", "-l", home.root).stderr
    note.write_text("# changed\n")
    work.unlink()
    jutrek("check", "-l", home.root)
    note.unlink()
    raw.unlink()
    said = jutrek("check", "-l", home.root, code=1)
    assert "1 bad" in said.stderr and [one for one in ("P1.jpg", "notes", "otio") if one in said.stdout] == ["P1.jpg"]


def test_outlines_made_copied_checked(home: Library, tmp_path: Path) -> None:
    job(home)
    for path, data in (
        ("1 raw/P1.jpg", jpeg()), ("2 work/0001_boiler-test_v02.otio", b"x"), ("2 work/{odd} #1.txt", b"odd"),
        ("0001 plan of VLT.md", b"y"), (".hidden", b"z"),
    ):  # fmt: skip
        put(Path(home.root, JOB, path), data)
    said = jutrek("outline", "from", Path(home.root, JOB), "As this", "-l", home.root)
    text = jutrek("outline", "show", "As this", "-l", home.root).stdout
    assert "5 files were left out" in said.stderr
    assert text.splitlines()[1:] == [
        "jobs/{year}/{job} {client} {title}", "    1 raw : captures", "    2 work", "        music",
        "        {{odd}} #1.txt : from {odd} #1.txt", "    {job} notes.md : from 0001 notes.md",
        "    {job} plan of {client}.md : from 0001 plan of VLT.md",
    ]  # fmt: skip
    assert read_outline(text).landing is not None
    assert "already" in jutrek("outline", "from", home.root, "as This", "-l", home.root, code=2).stderr
    again = jutrek("start", "As this", *SET, "-l", home.root).stdout.strip()
    assert Path(again, "2 work/{odd} #1.txt").read_bytes() == b"odd"
    assert Path(again, "0002 plan of VLT.md").read_bytes() == b"y"
    other = tmp_path / "other"
    other.mkdir()
    new_library(str(other))
    jutrek("outline", "copy", "Film", "--from", home.root, "--as", "Ours", "-l", other)
    assert "can be used. It asks for: client, title" in jutrek("outline", "check", "Ours", "-l", other).stderr
    page = other / ".jutrek/outlines/Ours/outline.txt"
    page.write_text(page.read_text().replace("from notes.md", "fro notes.md"))
    pointed = jutrek("outline", "check", "Ours", "-l", other, code=1).stderr.splitlines()
    assert pointed[-2].index("fro ") == pointed[-1].index("^")
    assert "can't be used: Line 11" in jutrek("start", "Ours", *SET, "-l", other, code=2).stderr
    page.write_text(page.read_text().replace("fro notes.md", "from more.md"))
    assert "no file “more.md” beside" in jutrek("outline", "check", "Ours", "-l", other, code=1).stderr
    page.write_bytes(b"\xff")
    assert "no text in UTF-8" in jutrek("outline", "list", "-l", other).stderr
    os.remove(page)
    os.symlink("/etc/passwd", page)
    assert "a link is on the way" in jutrek("outline", "check", "Ours", "-l", other, code=2).stderr
    jutrek("outline", "remove", "As this", "-l", home.root)
    assert jutrek("outline", "list", "-l", home.root).stdout == "Film\tA film of one day\n"
