"""The command line as people and programs call it."""

from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
import time
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest

from jutrek.demo import Scenario
from jutrek.demo.shelf import specimens
from jutrek.library import new_library
from jutrek.transfer.lock import locked
from tests import making
from tests.cli.calling import jutrek
from tests.making import PATIENCE, everything, names_below, put


def started(*words: str | Path, code: int = 0) -> subprocess.CompletedProcess[str]:
    """The program as a process of its own."""
    command = [sys.executable, "-m", "jutrek", *map(str, words)]
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=3 * PATIENCE)
    assert done.returncode == code, done.stderr
    return done


def lines(text: str) -> list[dict[str, Any]]:
    return [json.loads(line) for line in text.splitlines()]


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """An empty folder for a library."""
    (tmp_path / "home").mkdir()
    return Path(new_library(str(tmp_path / "home")).root)


@pytest.mark.long
def test_the_demo_goes_through(demo: Scenario) -> None:
    """Plan, bring by the saved plan, bring again: the tree is the plan, nothing comes twice, cards are untouched."""
    before = [everything(path) for path in demo.sources]
    old = names_below(demo.library)
    out = started("plan", *demo.sources, "--library", demo.library, "--json").stdout
    plan = json.loads(out)
    assert plan["library"] == demo.library
    assert {row["action"] for row in plan["rows"]} == {"bring", "home", "stay"}
    assert all((row["destination"] is None) is (row["action"] == "stay") for row in plan["rows"])
    assert names_below(demo.library) == old
    saved = put(Path(demo.root) / "x.plan.json", out.encode())
    told = jutrek("bring", "--plan", saved, "--json", code=1)
    *files, summary = lines(told.stdout)
    assert summary["summary"] is True
    assert (summary["brought"], summary["home"], summary["stayed"], summary["failed"]) == (282, 26, 35, 0)
    assert len(files) == len(plan["rows"]) == 343
    assert told.stderr.count("not home: ") == 35
    coming = {row["destination"] for row in plan["rows"] if row["action"] == "bring"}
    assert names_below(demo.library) == old | coming
    *_, summary = lines(jutrek("bring", *demo.sources, "--library", demo.library, "--json", code=1).stdout)
    assert (summary["brought"], summary["home"]) == (0, 308)
    assert [everything(path) for path in demo.sources] == before


def test_all_home_is_zero_and_plain_lines_are_plain(card: Path, home: Path) -> None:
    """Without a terminal: one line per file, sums on the error output."""
    put(card / "A.JPG", making.jpeg())
    told = jutrek("bring", card, "-l", home)
    assert told.stdout == f"brought\t{card}/A.JPG\t2026/05/20260514_102613.jpg\n"
    assert "1 brought home and proven" in told.stderr
    assert jutrek("plan", card, "-l", home).stdout.startswith("home\t")
    assert "1 home already" in jutrek("plan", card, "-l", home, "--out", home.parent / "p.json").stderr


def test_sources_that_overlap_count_once(card: Path, home: Path) -> None:
    """A file that lies on two of the sources is brought once, and is nobody's twin."""
    put(card / "DCIM" / "A.JPG", making.jpeg())
    put(card / "DCIM" / "notes.txt", b"words")
    told = jutrek("bring", card, card / "DCIM", card, "-l", home, "--json", code=1)
    assert [entry.get("result") for entry in lines(told.stdout)] == ["stay", "brought", None]


def test_reading_tells_claims_as_json(card: Path) -> None:
    """One object per file and line, also for folders; names of any bytes survive."""
    put(card / os.fsdecode(b"IMG_20260514_102613\xff.JPG"), making.jpeg())
    (card / "link").symlink_to(card)
    told = jutrek("read", card, "--json", code=1)
    (entry,) = lines(told.stdout)
    assert os.fsencode(entry["path"]).endswith(b"\xff.JPG")
    assert (entry["kind"], entry["format"]) == ("still", "jpeg")
    assert entry["device"] == {"make": "Arlen", "model": "M2", "serial": "A2-1"}
    first = entry["claims"][0]
    assert {key: first[key] for key in ("at", "value", "offset", "precision")} == {
        "at": "exif:original", "value": "2026-05-14T10:26:13.42", "offset": "+02:00", "precision": "subsecond",
    }  # fmt: skip
    assert [claim["at"] for claim in entry["claims"]][-2:] == ["name", "file"]
    assert (entry["moment"]["claim"], entry["moment"]["trust"]) == (0, "sure")
    assert entry["notes"] == []
    assert "link" in told.stderr
    assert "› 2026-05-14T10:26:13.42 +02:00" in jutrek("read", card, code=1).stdout


def test_reading_a_folder_of_every_format(tmp_path: Path) -> None:
    """One JSON object a file, all of the same moment; misnamed copies say the same; a folder's name is a claim."""
    for name, data in specimens().items():
        put(tmp_path / "2026-05-14 right" / name, data)
        put(tmp_path / "2026-05-14 wrong" / f"{name}.MOV", data)
    told = {one["path"].rpartition("/")[2]: one for one in lines(jutrek("read", "--json", tmp_path).stdout)}
    assert len(told) == 2 * len(specimens())
    for name in specimens():
        right, wrong = told[name], told[f"{name}.MOV"]
        assert right["moment"]["local"][:10] == "2026-05-14"
        assert right["claims"][-2] == {
            "at": "folder", "value": "2026-05-14", "offset": None, "precision": "day",
            "where": "the name of its folder", "raw": "2026-05-14",
        }  # fmt: skip
        inside = [claim for claim in right["claims"] if "beside it" not in claim["where"]]
        assert inside[:-1] == wrong["claims"][:-1]
        assert (right["kind"], right["notes"]) == (wrong["kind"], wrong["notes"])


def test_reading_tells_facts_in_words(card: Path) -> None:
    """Device, lens, exposure, position and ties stand beside the dates."""
    put(card / "P.CR3", specimens()["body.cr3"])
    put(card / "T.WAV", specimens()["take.wav"])
    told = [line.strip() for line in jutrek("read", card).stdout.splitlines()]
    for words in (
        "still (cr3)", "Device: Skarv P4 · No. P4-77120", "Lens: 35 mm f/1.8", "Position: 39.4200° N, 5.3100° E",
        "Exposure: 1/640 s · f/5.6 · ISO 200 · 35 mm", "sound (wav)", "Sound: 0.2 s · mono, 48 kHz", "Scene: Yard",
    ):  # fmt: skip
        assert words in told


WRONG = [
    ([], 2),
    (["bring"], 2),
    (["bring", "{card}"], 2),
    (["bring", "{card}/none", "-l", "{home}"], 2),
    (["bring", "{card}", "-l", "{home}", "--plan", "{card}/A.JPG"], 2),
    (["bring", "--plan", "{card}/A.JPG"], 2),
    (["plan", "{home}", "-l", "{home}"], 2),
    (["plan", "{card}", "-l", "{home}", "--json", "--out", "x"], 2),
    (["plan", "{card}", "-l", "{home}/none"], 3),
    (["bring", "{card}", "-l", "{card}/A.JPG"], 3),
    (["read", "{card}/none"], 1),
]


@pytest.mark.parametrize(("words", "code"), WRONG)
def test_wrong_calls_and_unusable_places_have_their_codes(words: list[str], code: int, card: Path, home: Path) -> None:
    """Each with a sentence on the error output, never a traceback, and without touching anything."""
    put(card / "A.JPG", making.jpeg())
    told = jutrek(*(word.format(card=card, home=home) for word in words), code=code)
    assert "Traceback" not in told.stderr
    assert told.stderr or not words
    assert [path for path in names_below(str(home)) if ".jutrek" not in path] == []


def test_without_a_screen_the_window_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    """A sentence instead of an abort."""
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    assert "no screen" in jutrek("app", code=2).stderr


def test_a_library_that_is_busy_is_code_three(card: Path, home: Path) -> None:
    """A second Jutrek refuses while one is at work."""
    put(card / "A.JPG", making.jpeg())
    with locked(new_library(str(home))):
        assert "Another Jutrek" in jutrek("bring", card, "-l", home, code=3).stderr


def test_a_full_place_is_code_three(card: Path, small_place: Path) -> None:
    """Too little room is told before anything is begun."""
    put(card / "A.MP4", making.mp4(media=bytes(30_000_000)))
    assert "is full" in jutrek("bring", card, "-l", small_place, code=3).stderr
    assert names_below(str(small_place)) == set()


def test_a_file_that_the_place_refuses_is_named(card: Path, home: Path) -> None:
    """A limit on file sizes refuses one file, and the run goes on."""
    put(card / "A.MP4", making.mp4(media=os.urandom(600_000)))
    code = (
        "import resource, signal, sys; signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (500_000, 500_000))\n"
        f"sys.argv = ['jutrek', 'bring', {str(card)!r}, '-l', {str(home)!r}]\n"
        "from jutrek.cli import main; main()"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=False, timeout=3 * PATIENCE
    )
    assert done.returncode == 1
    assert "file too large" in done.stderr
    assert names_below(str(home)) == set()


@pytest.mark.long
def test_an_interrupt_ends_safely_and_the_next_call_finishes(card: Path, home: Path) -> None:
    """Ctrl+C leaves proven files only; nothing is lost."""
    for number in range(60):
        put(card / f"{number}.MP4", making.mp4(making.WHEN.replace(minute=number), media=os.urandom(3_000_000)))
    command = [sys.executable, "-m", "jutrek", "bring", str(card), "-l", str(home)]
    running = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    deadline = time.monotonic() + PATIENCE
    while not list(home.glob("2026/05/2*")) and time.monotonic() < deadline:
        time.sleep(0.002)
    running.send_signal(signal.SIGINT)
    _, errors = running.communicate(timeout=PATIENCE)
    assert running.returncode == 1
    assert "Stopped. What is home is proven" in errors
    some = names_below(str(home))
    assert 0 < len(some) < 60
    assert not [name for name in some if ".jutrek-" in name]
    jutrek("bring", card, "-l", home)
    assert len(names_below(str(home))) == 60


def test_the_run_script_explains_itself() -> None:
    """Help needs no environment, and lists every word."""
    told = subprocess.run(
        ["./run", "--help"], cwd=Path(__file__).parents[2], capture_output=True, text=True, check=True
    )
    for word in ("demo", "app", "setup", "test", "ci", "bench", "shots"):
        assert f"\n  {word} " in told.stdout


def test_locked_versions_name_no_host_and_no_bad_pair() -> None:
    """The lock holds versions and sums only; the interface package is one that does not crash on this Python."""
    lock = Path(__file__).parents[2].joinpath("requirements.lock").read_text()
    assert "://" not in lock
    assert "--index" not in lock
    assert "pyside6-essentials==6.11.3" in lock


def test_decisions_on_the_command_line(demo: Scenario) -> None:
    """Clock fix, day start and description do what the board does, and the plan tells captures, devices and doubts."""
    told = jutrek("plan", *demo.sources, "-l", demo.library, "--json")
    plan = json.loads(told.stdout)
    assert [(one["device"], one["certainty"], one["shift"], one["answers"][0]) for one in plan["doubts"]] == [
        ("B", "certain", 3600.0, "Shift by +1:00:00"),
        ("E", "likely", plan["doubts"][1]["shift"], "Put there"),
        ("F", "likely", -428.0, "Shift by -0:07:08"),
        ("G", "only a day", 0.0, "File by that day"),
    ]
    assert "B · Hovar 4K runs 1:00:00 behind the others (certain)" in told.stderr
    assert {one["letter"]: one["name"] for one in plan["devices"]}["D"] == "Lyd R6"
    recording = next(one for one in plan["captures"] if one["id"].endswith("0006.MOV"))
    assert [(Path(one["path"]).name, one["tail"], one["tied"]) for one in recording["files"]] == [
        ("0006.MOV", "_p1", ""),
        ("0007.MOV", "_p2", "part 2 of one recording"),
        ("0008.MOV", "_p3", "part 3 of one recording"),
    ]
    assert recording["waits"] == "B · Hovar 4K runs 1:00:00 behind the others."
    options = ["--fix-clock", "b=+1:00:00", "--day-starts", "00:00", "--describe", "2026-05-14=Bridge survey"]
    plan = json.loads(jutrek("plan", *demo.sources, "-l", demo.library, "--json", *options).stdout)
    assert [one["device"] for one in plan["doubts"]] == ["E", "F", "G"]
    rows = {Path(row["source"]).name: row for row in plan["rows"]}
    assert rows["0004.MOV"]["destination"] == "2026/05/14 Bridge survey/20260514_083207 Bridge survey.mov"
    assert (rows["0004.MOV"]["moment"], rows["0004.MOV"]["shift"]) == ("2026-05-14T08:32:07", 3600.0)
    days = [(one["day"], one["words"]) for one in plan["shoots"]]
    assert ("2026-05-14", "Bridge survey") in days
    night = next(one for one in plan["captures"] if one["id"].endswith("SK3_20260518_011011.mov"))
    assert night["shoot"].startswith("2026-05-18")


def test_a_clock_can_be_taken_for_right(card: Path, home: Path, demo: Scenario) -> None:
    """`B=0` asks no more, and brings the clips by the times that they have."""
    told = jutrek("plan", *demo.sources, "-l", demo.library, "--fix-clock", "B=0")
    assert "20260514_073207.mov" in told.stdout
    assert "behind the others" not in told.stderr


def test_every_question_has_a_way_out(card: Path, home: Path) -> None:
    """Questions are listed with their answers; each is given by its sign; a file or a device is taken as it is."""
    old = put(card / "DCIM" / "A1.JPG", making.jpeg(datetime(2000, 1, 1, 0, 3), offset=""))
    put(card / "DCIM" / "A2.JPG", making.jpeg(datetime(2000, 1, 1, 0, 9), seed=1, offset=""))
    asked = jutrek("plan", card, "-l", home).stderr
    assert "2 pictures of Arlen M2 carry 2000-01-01: that clock was never set" in asked
    answers = dict(re.findall(r"--answer (\w+=\d)  (.*)", asked))
    unfiled, right = (
        next(sign for sign, words in answers.items() if words.startswith(one)) for one in ("Leave", "Right")
    )
    assert "20000101_000300.jpg" in jutrek("plan", card, "-l", home, "--answer", right).stdout
    assert "Unfiled" in jutrek("plan", card, "-l", home, "--answer", unfiled).stdout
    told = jutrek("plan", card, "-l", home, "--take-as-it-is", old)
    assert ("1 picture of Arlen M2" in told.stderr, "20000101_000300.jpg" in told.stdout) == (True, True)
    assert "never set" not in jutrek("plan", card, "-l", home, "--take-as-it-is", "A").stderr
    assert "2 brought home" in jutrek("bring", card, "-l", home, "--take-as-it-is", "A").stderr
    assert "never set" not in jutrek("plan", card, "-l", home).stderr
    (journal,) = (home / ".jutrek" / "journal").glob("*.jsonl")
    assert json.dumps("“right as it is”: A") in journal.read_text()


@pytest.mark.parametrize(
    ("options", "says"),
    [
        (["--answer", "zzz=1"], "There is no answer “zzz=1”: no such question is open."),
        (["--answer", "zzz"], "An answer is a question's sign and a number"),
        (["--take-as-it-is", "B.JPG"], "it is neither the letter of a device nor a file of these sources"),
        (["--fix-clock", "Q=+1:00:00"], "No device has the letter 'Q'; there are: A."),
        (["--fix-clock", "A"], "A clock fix is a letter and a shift"),
        (["--fix-clock", "A=1:75"], "no more than 59 minutes"),
        (["--fix-clock", "A=soon"], "A shift is written such as"),
        (["--describe", "May=x"], "A day is written such as"),
        (["--day-starts", "25:00"], "A time is written such as"),
        (["--zone", "CET"], "An offset is written such as"),
        (["--journey", "2026-05-12=1"], "An offset is written such as"),
    ],
)
def test_wrong_decisions_are_wrong_calls(card: Path, home: Path, options: list[str], says: str) -> None:
    """One sentence, exit code 2, nothing done."""
    put(card / "A.JPG", making.jpeg())
    told = jutrek("plan", card, "-l", home, *options, code=2)
    assert says in " ".join(told.stderr.replace("│", " ").split())


def test_zones_and_journeys_place_what_is_known_in_utc(card: Path, home: Path) -> None:
    """A clip that tells only UTC is filed by the house's zone, and on a journey by that of the place."""
    put(card / "1.MP4", making.mp4(making.WHEN))
    for options, name in (
        (["--zone", "+02:00"], "20260514_122613.mp4"),
        (["--zone", "+02:00", "--journey", "2026-05-12=-03:00"], "20260514_072613.mp4"),
    ):
        told = jutrek("plan", card, "-l", home, "--json", *options)
        assert json.loads(told.stdout)["rows"][0]["destination"] == f"2026/05/{name}"


def test_corrected_dates_are_written_beside_when_asked(card: Path, home: Path) -> None:
    """A sidecar holds the corrected date; the file keeps its own; without a fix there is none."""
    put(card / "A.JPG", making.jpeg())
    before = everything(card)
    jutrek("bring", card, "-l", home, "--fix-clock", "A=+1:00:00", "--fix-sidecars", "--json")
    assert everything(card) == before
    assert names_below(str(home)) == {"2026/05/20260514_112613.jpg", "2026/05/20260514_112613.xmp"}
    read = lines(jutrek("read", home / "2026/05/20260514_112613.xmp", "--json").stdout)[0]
    assert read["moment"]["local"] == "2026-05-14T11:26:13.420000"
    assert (home / "2026/05/20260514_112613.jpg").read_bytes() == making.jpeg()


def test_a_cards_structure_stays_or_comes_along(card: Path, home: Path) -> None:
    """Clips alone by default; else the indexes lie beside them under their own paths."""
    put(card / "PRIVATE/AVCHD/BDMV/STREAM/00001.MTS", specimens()["camcorder.mts"])
    put(card / "PRIVATE/AVCHD/BDMV/INDEX.BDM", b"INDX0200" + bytes(100))
    put(card / "notes.bin", bytes(range(40)))
    alone = json.loads(jutrek("plan", card, "-l", home, "--json").stdout)["rows"]
    assert [row["action"] for row in alone] == ["bring", "stay", "stay"]
    rows = json.loads(jutrek("plan", card, "-l", home, "--json", "--card-structure", "beside").stdout)["rows"]
    kept = {Path(row["source"]).name: row["destination"] for row in rows if row["action"] == "bring"}
    folder = str(Path(kept["00001.MTS"]).parent)
    assert kept["INDEX.BDM"] == f"{folder}/Card A structure/PRIVATE/AVCHD/BDMV/INDEX.BDM"
    assert "notes.bin" not in kept


def test_two_demos_made_at_once_do_not_collide(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The second waits for the first, and takes what it made."""
    from threading import Thread

    from jutrek.demo import scenario

    made: list[str] = []

    def slowly(wanted: scenario.Scenario, _: object) -> None:
        made.append(wanted.root)
        time.sleep(0.2)
        os.mkdir(wanted.root)
        Path(wanted.root, scenario._MARK).write_text(scenario.VERSION)

    monkeypatch.setattr(scenario, "_build", slowly)
    threads = [Thread(target=scenario.build, args=(str(tmp_path / "above" / "demo"),)) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert made == [str(tmp_path / "above" / "demo")]
