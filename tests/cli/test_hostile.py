"""The command line among hostile names, closed pipes and mistyped folders."""

from __future__ import annotations

import csv
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from jutrek.demo import stills
from jutrek.library import new_library
from tests import making
from tests.cli.test_rules import Jutrek, home, jutrek  # noqa: F401
from tests.making import WHEN, everything, names_below, put

ESCAPES = "\x1b]0;x\x07\x1b[31m\u202egpj"


def _clean(text: str) -> None:
    assert all(sign.isprintable() or sign in "\n\t" for sign in text), ascii(text)


def test_nothing_from_outside_reaches_the_terminal_unescaped(
    jutrek: Jutrek, home: Path, tmp_path: Path  # noqa: F811
) -> None:  # fmt: skip
    """Names of cards and files, device names from metadata, the library's own name, journals of whoever wrote them."""
    card = tmp_path / f"Card {ESCAPES}"
    shot = stills.Shot(WHEN, f"Arlen{ESCAPES}", f"M2{ESCAPES}", "A2-1")
    put(card / "DCIM" / f"{ESCAPES}.JPG", stills.jpeg(making.picture(1), shot))
    put(card / f"notes{ESCAPES}", b"text")
    page = home / ".jutrek" / "library.toml"
    page.write_text(page.read_text().replace('name = "home"', 'name = "\\u001b[31mhome\\u202e"'))
    (tmp_path / "Tarn").mkdir()
    jutrek("backups", "add", tmp_path / "Tarn", "-l", home, "--name", f"Tarn{ESCAPES}")
    said = [jutrek("read", card), jutrek("read", card, "--json"), jutrek("plan", card, "-l", home)]
    said += [jutrek("bring", card, "-l", home, code=1), jutrek("journal", "-l", home)]
    name = next(path for path in (home / ".jutrek" / "journal").iterdir())
    said.append(jutrek("journal", name.stem, "-l", home))
    name.write_text(name.read_text().replace('"who": "', '"who": "\\u001b[31m'))
    said += [jutrek("journal", "-l", home, code=1), jutrek("backups", "show", "-l", home)]
    said += [jutrek("prove", card, "-l", home, code=1), jutrek("check", "-l", home), jutrek("gone", "-l", home)]
    for one in said:
        _clean(one.stdout)
        _clean(one.stderr)
    assert r"\x1b]0;x\x07" in said[0].stdout
    (report,) = (home / ".jutrek" / "reports").rglob("report.html")
    _clean(report.read_text())


@pytest.mark.parametrize("sign", list("=+-@"))
def test_no_cell_of_a_report_is_a_formula(jutrek: Jutrek, home: Path, card: Path, sign: str) -> None:  # noqa: F811
    """A name that begins like one is quoted; signs that turn text are shown."""
    put(card / f"{sign}cmd|'x'!A1 \u202e.JPG", making.jpeg())
    jutrek("bring", card, "-l", home, "--name", "{original}")
    (table,) = (home / ".jutrek" / "reports").rglob("report.csv")
    cells = [cell for row in csv.reader(table.read_text().splitlines()) for cell in row]
    assert any(cell.startswith(f"'{sign}cmd") for cell in cells)
    assert not [cell for cell in cells if cell[:1] in "=+-@\t" and cell]
    _clean("".join(cells))


@pytest.mark.long
def test_a_closed_pipe_ends_no_intake(home: Path, card: Path) -> None:  # noqa: F811
    """Nobody reads what is said: everything comes home all the same, and the end says how it went."""
    for number in range(60):
        put(card / "DCIM" / f"{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    command = f"{sys.executable} -m jutrek bring '{card}' -l '{home}' | head -1"
    ended = subprocess.run(["bash", "-o", "pipefail", "-c", command], capture_output=True, text=True, check=False)
    assert len(names_below(str(home))) == 60
    assert ended.returncode == 0
    assert "60 brought home and proven" in ended.stderr
    assert "BrokenPipe" not in ended.stderr
    command = f"({sys.executable} -m jutrek backups show -l '{card}' 2>&1; echo $? >&3) 3>&2 | true"
    ended = subprocess.run(["bash", "-c", command], capture_output=True, text=True, check=False)
    assert ended.stderr.strip() == "3"


ASKING = [
    ["journal"], ["backups", "show"], ["rules", "show"], ["check"], ["refile"], ["gone"], ["catch-up"], ["take-back"],
    ["finish"], ["report"], ["unwanted", "list"], ["rules", "set", "filing.name={date}"], ["backups", "add", "CARD"],
    ["plan", "CARD"], ["find", "CARD"], ["prove", "CARD"], ["clear", "CARD"], ["rules", "try", "CARD"],
]  # fmt: skip


@pytest.mark.parametrize("words", ASKING, ids=" ".join)
def test_asking_about_a_folder_makes_no_library_of_it(
    jutrek: Jutrek, home: Path, card: Path, words: list[str]  # noqa: F811
) -> None:  # fmt: skip
    """A mistyped folder, a card: they are as they were, and the library that may have been meant is named."""
    put(card / "DCIM" / "1.JPG", making.jpeg())
    wrong = home.with_name("hone")
    wrong.mkdir()
    before = everything(wrong), everything(card)
    said = jutrek(*(str(card) if word == "CARD" else word for word in words), "--library", wrong, code=3)
    assert f"{wrong} is no library. Did you mean {home}?" in said.stderr
    assert (everything(wrong), everything(card)) == before


@pytest.mark.parametrize(
    ("what", "words"),
    [
        ('{"entry": "bring", "row": "x"}', "line"), ("[" * 100_000, "nested too deep"),
        ('{"entry": 5}', "says not what"),
        ('{"entry": "move", "row": 0, "from": "../x", "to": "y", "size": 1, "mtime_ns": 1}', "“..”"),
    ],
)  # fmt: skip
def test_one_bad_line_of_a_journal_stops_no_command(
    jutrek: Jutrek, home: Path, card: Path, what: str, words: str  # noqa: F811
) -> None:  # fmt: skip
    """It is told with its file and number; everything else works."""
    put(card / "DCIM" / "1.JPG", making.jpeg())
    jutrek("bring", card, "-l", home)
    (path,) = (home / ".jutrek" / "journal").iterdir()
    with path.open("a") as file:
        file.write(f"{what}\n")
    put(card / "DCIM" / "2.JPG", making.jpeg(seed=2))
    said = jutrek("bring", card, "-l", home)
    assert f"jutrek: {path.stem}, line " in said.stderr
    assert words in said.stderr
    told = jutrek("journal", "-l", home, code=1).stdout
    assert words in told or "not one that Jutrek wrote" in told
    jutrek("check", "-l", home)
    jutrek("take-back", "-l", home)
    jutrek("take-back", "1", "-l", home)


@pytest.mark.parametrize(
    ("page", "text", "words"),
    [
        ("places.toml", '[[place]]\nid = 5\nname = "x"\nroot = "/x"\n', "place 1: id"),
        ("drives.toml", '[[drive]]\nid = "x"\nname = "x"\nroot = "/x"\n', "drive 1: id"),
        ("devices.toml", "[[device]]\nkey = 5\n", "device 1: "),
        ("counters.json", '{"format": 1, "last": {"x": "y"}}', "last.x"),
        ("kept-both.jsonl", '["zz"]\n', "line 1"), ("unwanted.jsonl", "[" * 90_000, "nested too deep"),
        ("places.toml", "a = " + "[" * 90_000, "nested too deep"),
    ],
)  # fmt: skip
def test_a_damaged_page_is_told_and_costs_only_itself(
    jutrek: Jutrek, home: Path, card: Path, page: str, text: str, words: str  # noqa: F811
) -> None:  # fmt: skip
    """No traceback, nothing lost; what rests on it is not said: with a damaged list of places no card is safe."""
    put(card / "DCIM" / "1.JPG", making.jpeg())
    path = put(home / ".jutrek" / page, text.encode())
    said = jutrek("bring", card, "-l", home)
    assert f"{page} can't be used: " in said.stderr
    assert words in said.stderr
    assert path.read_text() == text
    safe = jutrek("prove", card, "-l", home, code=1 if page == "places.toml" else 0)
    assert ("could not be looked at" in safe.stdout) is (page == "places.toml")
    if page == "counters.json":
        put(card / "DCIM" / "2.JPG", making.jpeg(seed=2))
        assert words in jutrek("bring", card, "-l", home, "--name", "{counter}", code=3).stderr


def test_a_plan_moves_only_what_the_ledger_knows(jutrek: Jutrek, home: Path, card: Path, tmp_path: Path) -> None:  # noqa: F811
    """A source outside, a destination among Jutrek's own, a file that is no part of the library."""
    put(card / "DCIM" / "1.JPG", making.jpeg())
    jutrek("bring", card, "-l", home)
    jutrek("rules", "set", "-l", home, "filing.layout={kind}")
    saved, victim = tmp_path / "x.plan.json", put(tmp_path / "victim.jpg", b"mine")
    jutrek("refile", "-l", home, "--out", saved)
    plan = json.loads(saved.read_text())
    row = plan["rows"][0]
    stamp = {"size": 4, "mtime_ns": victim.stat().st_mtime_ns}
    put(home / "foreign.jpg", b"mine")
    foreign = {"size": 4, "mtime_ns": (home / "foreign.jpg").stat().st_mtime_ns - 1}
    for change in (
        {"source": str(victim), **stamp}, {"destination": ".jutrek/x.jpg"}, {"destination": "../x.jpg"},
        {"destination": "Stills/.jutrek-x.part"}, {"source": f"{home}/../victim.jpg", **stamp}, {"row": 5, "size": "4"},
        {"source": str(home / "foreign.jpg"), **foreign},
    ):  # fmt: skip
        saved.write_text(json.dumps(plan | {"rows": [row | change]}))
        said = jutrek("refile", "-l", home, "--plan", saved, code=1 if "foreign" in str(change) else 2)
        assert "can't be used" in said.stderr or "changed since" in said.stderr or "no part" in said.stderr
    assert victim.read_bytes() == b"mine"
    assert len([name for name in names_below(str(home)) if name.startswith("2026")]) == 1


def test_what_is_missed_has_a_way_out(jutrek: Jutrek, home: Path, card: Path) -> None:  # noqa: F811
    """Gone files are listed until they are let go; other files come along, or are declared unwanted, and back."""
    put(card / "DCIM" / "1.JPG", making.jpeg())
    put(card / "INDEX.BIN", b"what a camera keeps for itself")
    put(card / "lost+found" / "#12", b"rescued")
    jutrek("bring", card, "-l", home, code=1)
    assert "2 things were not brought" in jutrek("prove", card, "-l", home, code=1).stdout
    assert "unwanted\t#12" not in jutrek("unwanted", "add", card, "INDEX.BIN", "-l", home).stdout
    assert "1 thing was not brought" in jutrek("prove", card, "-l", home, code=1).stdout
    jutrek("unwanted", "remove", "INDEX.BIN", "-l", home)
    assert jutrek("unwanted", "list", "-l", home).stdout == ""
    jutrek("bring", card, "-l", home, "--along")
    assert {"Brought along/Card A/INDEX.BIN", "Brought along/Card A/lost+found/#12"} <= names_below(str(home))
    assert "Safe to clear: all 3 files" in jutrek("prove", card, "-l", home).stdout
    assert "0 brought home" in jutrek("bring", card, "-l", home, "--along").stderr
    name = sorted(names_below(str(home)))[0]
    os.unlink(home / name)
    jutrek("check", "-l", home, code=1)
    assert jutrek("gone", "-l", home, code=1).stdout.startswith(f"gone\thome\t{name}\t")
    assert "home itself: 1 gone" in jutrek("backups", "show", "-l", home, code=1).stderr
    assert "1 file is missed no more" in jutrek("gone", "-l", home, "--let-go", name).stderr
    jutrek("check", "-l", home)
    assert "1 file would be missed again" in jutrek("take-back", "-l", home).stderr
    jutrek("gone", "-l", home)
    (run,) = [one for one in json.loads(jutrek("journal", "-l", home, "--json").stdout) if one["can_take_back"]][:1]
    assert "1 file is missed again" in jutrek("take-back", run["run"], "-l", home).stderr
    jutrek("gone", "-l", home, code=1)


def test_a_library_is_made_only_where_one_is_wanted(jutrek: Jutrek, tmp_path: Path) -> None:  # noqa: F811
    """By its own command; a second time nothing changes."""
    (tmp_path / "ours").mkdir()
    jutrek("library", "new", tmp_path / "ours")
    before = new_library(str(tmp_path / "ours")).id
    jutrek("library", "new", tmp_path / "ours")
    assert new_library(str(tmp_path / "ours")).id == before
    jutrek("library", "new", tmp_path / "none", code=3)
