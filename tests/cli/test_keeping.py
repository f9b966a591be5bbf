"""Places, release, clearing, taking back, checks and the journal on the command line; and the simulated reader."""

from __future__ import annotations

import json
import os
import shlex
import sys
from pathlib import Path

import pytest

from jutrek.simulate.faults import Faults
from jutrek.simulate.reader import Troubles
from tests import making
from tests.cli.test_rules import Jutrek, home, jutrek  # noqa: F401
from tests.making import WHEN, everything, names_below, put


@pytest.fixture
def tarn(tmp_path: Path) -> Path:
    (tmp_path / "Tarn").mkdir()
    return tmp_path / "Tarn"


def fill(card: Path) -> None:
    for number in range(3):
        put(card / "DCIM" / f"A{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))


def test_from_two_places_to_a_cleared_card(
    jutrek: Jutrek, home: Path, card: Path, tarn: Path  # noqa: F811
) -> None:  # fmt: skip
    """Added, brought, missing, caught up, released, cleared by the number that was named, taken back, emptied."""
    fill(card)
    put(home / "old.jpg", making.jpeg(seed=9))
    assert "gets a copy" in jutrek("backups", "add", tarn, "-l", home).stderr
    said = jutrek("bring", card, "-l", home)
    assert "Report: " in said.stderr
    assert Path(said.stderr.split("Report: ")[1].splitlines()[0]).exists()
    assert names_below(str(tarn)) == names_below(str(home)) - {"old.jpg"}
    (place,) = json.loads(jutrek("backups", "show", "-l", home, "--json").stdout)
    assert (place["name"], place["connected"], place["lacks"]) == ("Tarn", True, 1)
    assert "1 file copied and proven" in jutrek("catch-up", "-l", home).stderr
    page = json.loads(jutrek("prove", card, "-l", home, "--json", "--read-back").stdout)
    assert (page["safe"], len(page["files"]), page["version"]) == (True, 3, 2)
    before = everything(card)
    assert "--files 3 clears 3 files for good" in jutrek("clear", card, "-l", home).stderr
    jutrek("clear", card, "-l", home, "--files", "2", code=1)
    assert everything(card) == before
    assert "3 files gone" in jutrek("clear", card, "-l", home, "--files", "3").stderr
    assert names_below(str(card)) == set()
    seen = jutrek("take-back", "-l", home)
    assert "3 files would be put away, 0 would stay" in seen.stderr
    assert seen.stdout.startswith("2026/05/20260514_100013.jpg\t.jutrek/taken-back/")
    assert "`jutrek take-back 1`" in seen.stderr
    assert len(names_below(str(home))) == 4
    assert "3 files are put away, 0 stay" in jutrek("take-back", "1", "-l", home).stderr
    assert names_below(str(tarn)) == {"old.jpg"}
    assert "3 files are home again" in jutrek("take-back", "#6", "-l", home).stderr
    assert len(names_below(str(home))) == 4
    jutrek("rules", "set", "-l", home, "filing.layout={kind}")
    jutrek("refile", "-l", home, "--go")
    assert (
        names_below(str(tarn))
        == names_below(str(home))
        == {"old.jpg", *(f"Stills/20260514_100{n}13.jpg" for n in range(3))}
    )
    kinds = [line.split("\t")[1] for line in jutrek("journal", "-l", home).stdout.splitlines()]
    assert kinds == ["Re-filing", "Taken back", "Taken back", "Cleared", "Proved", "Proved", "Caught up", "Intake"]


def test_what_is_not_home_keeps_a_card_from_being_called_safe(
    jutrek: Jutrek, home: Path, card: Path, tarn: Path  # noqa: F811
) -> None:  # fmt: skip
    """A place that is away, and a new picture; without the place, it is safe."""
    fill(card)
    jutrek("backups", "add", tarn, "-l", home, "--name", "Shelf drive")
    jutrek("bring", card, "-l", home)
    os.rename(tarn, f"{tarn} away")
    assert "Not safe to clear: Shelf drive could not be looked at." in jutrek(
        "prove", card, "-l", home, code=1
    ).stdout  # fmt: skip
    assert "Shelf drive is not connected" in jutrek("bring", card, "-l", home).stderr
    jutrek("prove", card, "-l", home, "--without", "Shelf drive")
    put(card / "NEW.JPG", making.jpeg(WHEN.replace(hour=22)))
    text = jutrek("prove", card, "-l", home, "--without", "Shelf drive", code=1).stdout
    assert "NEW.JPG: Not found in home." in text
    jutrek("catch-up", "Shelf drive", "-l", home, code=3)
    jutrek("backups", "forget", "Shelf drive", "-l", home)
    assert jutrek("backups", "show", "-l", home).stdout == ""
    jutrek("backups", "forget", "Shelf drive", "-l", home, code=2)
    jutrek("backups", "add", home, "-l", home, code=3)


def test_what_rots_is_told_and_mended(jutrek: Jutrek, home: Path, card: Path, tarn: Path) -> None:  # noqa: F811
    """The check names it and ends with 1; mending brings the good bytes back."""
    fill(card)
    jutrek("backups", "add", tarn, "-l", home)
    jutrek("bring", card, "-l", home)
    name = sorted(names_below(str(home)))[0]
    path = home / name
    good, stamp = path.read_bytes(), path.stat()
    path.write_bytes(bytes([good[0] ^ 1]) + good[1:])
    os.utime(path, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    assert jutrek("check", "-l", home, code=1).stdout.startswith(f"rotted\t{name}\t")
    copy = (tarn / name).rename(tarn / "away")
    assert "damaged in the library were not copied to Tarn: 1." in jutrek("catch-up", "-l", home, code=1).stderr
    copy.rename(tarn / name)
    page = json.loads(jutrek("check", "-l", home, "--mend", "--json").stdout)
    assert (page["mended"], page["good"]) == (1, 2)
    assert path.read_bytes() == good
    assert "3 files as they were proven" in jutrek("check", "-l", home, "--backup", "Tarn").stderr
    assert "3 left for the next time" in jutrek("check", "-l", home, "--minutes", "0").stderr


def test_a_record_is_read_and_verified(jutrek: Jutrek, home: Path, card: Path) -> None:  # noqa: F811
    """One run's files; a changed record ends with 1; an unknown run is a wrong call."""
    fill(card)
    jutrek("bring", card, "-l", home)
    (record,) = json.loads(jutrek("journal", "-l", home, "--json").stdout)
    files = json.loads(jutrek("journal", record["run"], "-l", home, "--json").stdout)
    assert [one["what"] for one in files] == ["proven"] * 3
    assert jutrek("report", "-l", home).stdout.strip().endswith("report.html")
    (path,) = (home / ".jutrek" / "journal").glob("*.jsonl")
    path.write_bytes(path.read_bytes().replace(b'"home": 3', b'"home": 4'))
    assert "was changed after it was written" in jutrek("journal", "-l", home, code=1).stdout
    jutrek("journal", "nonsense", "-l", home, code=2)
    jutrek("finish", "-l", home, code=2)


@pytest.mark.long
def test_a_simulated_card_is_slow_fails_and_is_let_go(
    jutrek: Jutrek, home: Path, card: Path, tmp_path: Path  # noqa: F811
) -> None:  # fmt: skip
    """The command's program sees a card on its own bus; what cannot be read is named; letting go unmounts it."""
    if os.geteuid() != 0 or not os.path.exists("/dev/fuse"):
        pytest.skip("mounting a simulated card needs root and FUSE")
    fill(card)
    put(card / "DCIM" / "B.MP4", making.mp4(WHEN, media=bytes(400_000)))
    me = f"{shlex.quote(sys.executable)} -m jutrek"
    script = f'{me} bring "$0" -l {shlex.quote(str(home))}; {me} drives; {me} eject "$0"'
    script = f"{{ {script}; }} >{shlex.quote(str(tmp_path / 'out'))} 2>&1"
    command = f"sh -c {shlex.quote(script)} {{}}"
    jutrek("simulate", "card", card, "--slow", "5MB/s", "--fail-at", "60%", "--run", command)
    told = (tmp_path / "out").read_text()
    assert "B.MP4: It could not be read: input/output error" in told
    assert "Skarv Simulated reader" in told
    assert "Card A is unmounted and ejected. It may be pulled." in told
    assert len(names_below(str(home))) == 3
    for wrong in (["--slow", "fast"], ["--fail-at", "200%"]):
        jutrek("simulate", "card", card, *wrong, code=2)
    jutrek("simulate", "card", "Z", code=2)


def test_troubles_fall_where_they_are_asked_for(tmp_path: Path) -> None:
    """A share of all bytes, in the order of names."""
    put(tmp_path / "a", bytes(100))
    put(tmp_path / "b" / "c", bytes(300))
    assert Troubles(7, 0.5, 0.25).of(str(tmp_path)) == Faults(
        read_speed=7, read_error={"/b/c": (100, 300)}, pulled_after=100
    )


def test_a_part_of_a_run_is_taken_back_and_what_stays_is_named(
    jutrek: Jutrek, home: Path, card: Path  # noqa: F811
) -> None:  # fmt: skip
    """Files and folders as they lie now; the journal tells what became of each since."""
    fill(card)
    jutrek("bring", card, "-l", home)
    jutrek("rules", "set", "-l", home, "filing.name=x {time}")
    jutrek("refile", "-l", home, "--go")
    before = names_below(str(home))
    first, second, third = sorted(before)
    assert (
        "nothing that taking back" in jutrek("take-back", "1", "-l", home, "--only", "2026/05/none.jpg", code=2).stderr
    )
    jutrek("take-back", "1", "-l", home, "--only", first, "--dry-run")
    assert names_below(str(home)) == before
    assert "1 file is put away" in jutrek("take-back", "1", "-l", home, "--only", home / first).stderr
    assert names_below(str(home)) == before - {first}
    (home / second).write_bytes(b"edited")
    (home / third).unlink()
    told = [line.split("\t")[0] for line in jutrek("journal", "1", "-l", home).stdout.splitlines()]
    assert told == [
        "proven, taken back since", f"proven, now {second}, changed since", f"proven, now {third}, gone since",
    ]  # fmt: skip
    said = jutrek("take-back", "1", "-l", home, code=1).stderr
    assert f"stays: {second} was changed since." in said
    assert f"stays: {third} is gone." in said
    assert "no run 99" in jutrek("take-back", "99", "-l", home, code=2).stderr
    assert "may be" in jutrek("journal", "00000", "-l", home, code=2).stderr


def test_typing_errors_are_told(jutrek: Jutrek, home: Path, card: Path, tarn: Path) -> None:  # noqa: F811
    fill(card)
    said = jutrek("plan", card, "-l", home, "--describe", "2026-05-15=Survey", code=2).stderr
    assert "Nothing of these sources is filed under 2026-05-15: there are 1 days from 2026-05-14" in said
    jutrek("rules", "try", card, "-l", home, "--describe", "2026-05-15=Survey", code=2)
    jutrek("backups", "add", tarn, "-l", home)
    assert "Tarn at" in jutrek("backups", "add", tarn, "-l", home, code=3).stderr
    (tarn.parent / "other").mkdir()
    jutrek("backups", "add", tarn.parent / "other", "-l", home, "--name", "Tarn", code=3)
    for words in (["bring", card], ["prove", card], ["clear", card]):
        assert "no backup of this library" in jutrek(*words, "-l", home, "--without", "Tran", code=3).stderr
    assert len(names_below(str(home))) == 0
    for words in (["check", "--minutes", "-1"], ["clear", card, "--files", "-1"], ["refile", "--year", "-3"]):
        jutrek(*words, "-l", home, code=2)
    assert "Nothing goes" in jutrek("clear", card, "-l", home, "--files", "0", code=1).stderr
    assert "0 files moved, 0 not.\n" in jutrek("refile", "-l", home, "--go").stderr
    assert "there is no 2025 in it" in jutrek("refile", "-l", home, "--folder", "2025", code=2).stderr


def test_what_captures_are_is_said_anew(jutrek: Jutrek, home: Path, card: Path) -> None:  # noqa: F811
    """A typo in a shoot, who carries a device: at intake, and for what is home; a re-filing follows."""
    fill(card)
    jutrek("rules", "set", "-l", home, "filing.name={time}< {operator}>")
    jutrek("bring", card, "-l", home, "--describe", "2026-05-14=Brige", "--person", "A=Ilva")
    assert "2026/05/14 Brige/100013 Ilva.jpg" in names_below(str(home))
    assert jutrek("devices", "-l", home).stdout.startswith("A\tArlen M2\tIlva\t")
    said = jutrek("say", home / "2026" / "05", "-l", home, "--shoot", "Bridge").stderr
    assert "Said of 3 files." in said
    assert "3 files would be called what they were before" in jutrek("take-back", "-l", home).stderr
    jutrek("devices", "set", "arlen m2", "-l", home, "--person", "Toman", "--letter", "q")
    (device,) = json.loads(jutrek("devices", "-l", home, "--json").stdout)
    assert (device["letter"], device["operator"]) == ("Q", "Toman")
    jutrek("refile", "-l", home, "--go")
    assert {f"2026/05/14 Bridge/100{n}13 Toman.jpg" for n in range(3)} == names_below(str(home))
    for words, code in (
        (["say", "2026", "-l", home], 2), (["say", "2025", "-l", home, "--job", "1"], 2),
        (["devices", "set", "Z", "-l", home, "--name", "x"], 2),
        (["devices", "set", "Q", "-l", home], 2), (["devices", "set", "Q", "-l", home, "--letter", "!"], 2),
        (["plan", card, "-l", home, "--person", "Z=Ilva"], 2), (["plan", card, "-l", home, "--person", "Z"], 2),
    ):  # fmt: skip
        jutrek(*words, code=code)


def test_the_library_used_last_is_meant_where_none_is_named(
    jutrek: Jutrek, home: Path, card: Path  # noqa: F811
) -> None:  # fmt: skip
    """And said; what is no library is not remembered."""
    fill(card)
    for words in (["journal"], ["devices"], ["plan", card], ["bring", card]):
        assert "say which library" in jutrek(*words, code=2).stderr
    jutrek("journal", "-l", home)
    jutrek("journal", "-l", card, code=3)
    for words in (["plan", card], ["bring", card], ["devices"], ["journal"], ["rules", "show"], ["refile"], ["check"]):
        assert f"Library: {home}, the one used last." in jutrek(*words).stderr
    assert len(names_below(str(home))) == 3
    assert jutrek("journal", "--json").stdout.startswith("[")


def test_whose_the_device_is_made_it_by_house_rule(jutrek: Jutrek, home: Path, card: Path) -> None:  # noqa: F811
    """Where nobody said another; also of what was home before the rule."""
    fill(card)
    owner = b'<rdf:Description xmlns:aux="http://ns.adobe.com/exif/1.0/aux/" aux:OwnerName="Brask" '
    put(card / "DCIM" / "A0.XMP", making.xmp().replace(b"<rdf:Description ", owner))
    put(card / "DCIM" / "A1.XMP", making.xmp("2026-05-14T10:01:13+02:00").replace(b"<rdf:Description ", owner))
    jutrek("rules", "set", "-l", home, "filing.name={time}< by {operator}>")
    jutrek("bring", card, "-l", home)
    assert "2026/05/100013.jpg" in names_below(str(home))
    jutrek("say", "2026/05/100113.jpg", "-l", home, "--person", "Ilva")
    jutrek("rules", "set", "-l", home, "filing.owner-is-person=true")
    jutrek("refile", "-l", home, "--go")
    assert {Path(name).stem for name in names_below(str(home))} == {"100013 by Brask", "100113 by Ilva", "100213"}
    put(card / "DCIM" / "A3.JPG", making.jpeg(WHEN.replace(minute=3), seed=9))
    put(card / "DCIM" / "A3.XMP", making.xmp("2026-05-14T10:03:13+02:00").replace(b"<rdf:Description ", owner))
    assert "100313 by Brask.jpg" in jutrek("plan", card, "-l", home).stdout
    assert "100313 by Mira.jpg" in jutrek("plan", card, "-l", home, "--person", "A=Mira").stdout


def test_counters_are_shown_set_reset_and_given_back(jutrek: Jutrek, home: Path, card: Path) -> None:  # noqa: F811
    """What an intake counted is free again when it is taken back, and nothing was counted since."""
    fill(card)
    jutrek("rules", "set", "-l", home, "filing.name=x_{counter:3}", "counter.per=library")
    jutrek("bring", card, "-l", home)
    assert jutrek("counters", "show", "-l", home).stdout == "library\t3\n"
    jutrek("take-back", "1", "-l", home)
    assert jutrek("counters", "show", "-l", home).stdout == "library\t0\n"
    jutrek("bring", card, "-l", home)
    put(card / "DCIM" / "A9.JPG", making.jpeg(WHEN.replace(hour=20), seed=50))
    jutrek("bring", card, "-l", home)
    jutrek("take-back", "3", "-l", home)
    assert jutrek("counters", "show", "-l", home).stdout == "library\t4\n"
    jutrek("counters", "set", "library", "41", "-l", home)
    jutrek("bring", card, "-l", home)
    assert {Path(name).stem for name in names_below(str(home))} == {"x_004", "x_042", "x_043", "x_044"}
    (last,) = [name for name in names_below(str(home)) if "x_044" in name]
    jutrek("take-back", "6", "-l", home, "--only", last)
    assert jutrek("counters", "show", "-l", home).stdout == "library\t44\n"
    jutrek("counters", "reset", "library", "-l", home)
    assert jutrek("counters", "show", "-l", home).stdout == ""
    for words in (["set", "library", "-1"], ["set", "nothing", "3"], ["reset", "library"], ["reset", "../x"]):
        jutrek("counters", *words, "-l", home, code=2)


def test_shells_complete_what_a_library_holds(
    jutrek: Jutrek, home: Path, card: Path, monkeypatch: pytest.MonkeyPatch  # noqa: F811
) -> None:  # fmt: skip
    """Runs, devices, places, counters, keys and pieces; nothing is said or remembered meanwhile."""
    fill(card)
    jutrek("bring", card, "-l", home)
    monkeypatch.setenv("_JUTREK_COMPLETE", "complete_bash")

    def completed(*words: object) -> list[str]:
        monkeypatch.setenv("COMP_WORDS", shlex.join(["jutrek", *map(str, words)]))
        monkeypatch.setenv("COMP_CWORD", str(len(words)))
        told = jutrek()
        assert told.stderr == ""
        return told.stdout.split("\n")[:-1]

    assert completed("take-b") == ["take-back"]
    assert completed("take-back", "-l", home, "") == ["1"]
    assert completed("devices", "set", "") == ["A"]
    assert completed("rules", "set", "counter.") == ["counter.per=", "counter.start="]
    assert completed("rules", "set", "filing.name={date}_{lett") == ["filing.name={date}_{letter}"]
    assert str(home) in completed("journal", "-l", str(home)[:-2])
    assert completed("check", "--backup", "") == [""]
    monkeypatch.setenv("_JUTREK_COMPLETE", "source_fish")
    assert "jutrek" in jutrek().stdout
