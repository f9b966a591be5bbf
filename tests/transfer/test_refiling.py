"""Re-filing: moves within the library that are planned, journaled, survivable, and can be taken back."""

from __future__ import annotations

import errno
import json
import os
import threading
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import pytest

from jutrek.desk.library_captures import read_library
from jutrek.disk import naming
from jutrek.errors import LibraryBusy, NotPossible, PageBroken, PlanUnusable
from jutrek.filing import HouseRules, Per, Plan, from_json
from jutrek.filing.arrival import Saying
from jutrek.filing.refiling import Scope, plan_refiling
from jutrek.library import Library, keep_numbers, numbers_given, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import Done, Listener, Outcome, bring, last_refiling, moving, plan_taking_back, recover, refile
from jutrek.transfer.lock import locked
from jutrek.transfer.run_log import run_log_of
from tests import making
from tests.killing import killed_in, killing_at
from tests.making import WHEN, everything, names_below, never, planned, put

USUAL = HouseRules()
OTHER = HouseRules(layout="{kind}/{year}", name="{shot:%Y-%m-%d} {time}_{original}")


@pytest.fixture
def home(library: Library, ledger: Ledger, card: Path) -> Iterator[Library]:
    """A library with two pairs, a clip with its data, a take of sound, and a picture that somebody put there."""
    for number in range(2):
        when = WHEN.replace(minute=number)
        put(card / "DCIM" / f"DSC{number}.DNG", making.dng(when))
        put(card / "DCIM" / f"DSC{number}.JPG", making.jpeg(when, seed=number))
    put(card / "CLIP" / "C1.MP4", making.mp4(WHEN.replace(year=2025), media=b"clip"))
    put(card / "T1.WAV", making.wav(WHEN.replace(hour=12)))
    put(Path(library.root) / "old" / "theirs.jpg", making.jpeg(seed=9))
    put(Path(library.root) / "old" / "list.txt", b"a list")
    assert bring(planned(library, ledger, [card]), library, ledger, stop=never()).failed == []
    yield library


def plan_of(
    library: Library, ledger: Ledger, rules: HouseRules = OTHER, scope: Scope = Scope()  # noqa: B008
) -> Plan:  # fmt: skip
    found = read_library(library, ledger, rules, stop=never(), report=lambda *_: None)
    return plan_refiling(library, rules, found.facts, found.known, scope, found.given)


def go(plan: Plan, library: Library, ledger: Ledger, listener: Listener | None = None, **more: str) -> Outcome:
    return refile(plan, library, ledger, stop=never(), listener=listener, **more)


def moves(plan: Plan) -> dict[str, str]:
    return {os.path.relpath(row.source, plan.library): row.destination or "" for row in plan.rows}


def contents(library: Library) -> dict[bytes, tuple[int, int]]:
    """Content and time of every file, whatever it is called."""
    paths = [Path(library.root, name) for name in names_below(library.root) if not name.startswith(".jutrek/")]
    return {path.read_bytes(): (path.stat().st_size, path.stat().st_mtime_ns) for path in paths}


def test_what_was_filed_is_filed_anew_and_back(home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch) -> None:
    """Companions together, original names known, ledger behind, empty folders gone; then all as it was."""
    monkeypatch.setattr(moving, "_AT_ONCE", 4)
    before, files, filed = names_below(home.root), contents(home), ledger.all_filed()
    plan = plan_of(home, ledger)
    assert moves(plan) == {
        "2026/05/20260514_100013.dng": "Stills/2026/2026-05-14 100013_DSC0.dng",
        "2026/05/20260514_100013.jpg": "Stills/2026/2026-05-14 100013_DSC0.jpg",
        "2026/05/20260514_100113.dng": "Stills/2026/2026-05-14 100113_DSC1.dng",
        "2026/05/20260514_100113.jpg": "Stills/2026/2026-05-14 100113_DSC1.jpg",
        "2026/05/20260514_122613.wav": "Sound/2026/2026-05-14 122613_T1.wav",
        "2025/05/20250514_102613.mp4": "Clips/2025/2025-05-14 102613_C1.mp4",
    }
    assert from_json(plan.as_json(), "x") == plan
    assert names_below(home.root) == before
    told: list[Done] = []
    outcome = go(plan, home, ledger, Listener(done=told.append))
    assert (outcome.home, outcome.failed, outcome.trouble, len(told)) == (6, [], None, 6)
    assert names_below(home.root) == set(moves(plan).values()) | {"old/theirs.jpg", "old/list.txt"}
    assert not Path(home.root, "2026").exists()
    assert contents(home) == files
    assert {moves(plan)[path]: one for path, one in filed.items()} == ledger.all_filed()
    assert ledger.filed("Clips/2025/2025-05-14 102613_C1.mp4").original == "CLIP/C1.MP4"  # type: ignore[union-attr]
    assert plan_of(home, ledger).rows == ()
    last = last_refiling(home)
    back, left = plan_taking_back(home, last)
    assert left == []
    assert go(back, home, ledger, takes_back=last).home == 6
    assert (names_below(home.root), ledger.all_filed()) == (before, filed)
    assert last_refiling(home) == ""


def test_a_file_that_took_the_place_of_a_proven_one_is_not_the_proven_one(home: Library, ledger: Ledger) -> None:
    """At equal size and time, put there since: it is moved, and nothing tells any more that it is the one."""
    other, *_ = rows = plan_of(home, ledger).rows
    path = Path(other.source)
    stamp, data = path.stat(), path.read_bytes()
    put(path.with_name("new"), data[:-1] + b"?")
    os.utime(path.with_name("new"), ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    path.with_name("new").replace(path)
    assert go(plan_of(home, ledger), home, ledger).home == 6
    inodes = {mark.path: mark.inode for mark in ledger.proofs("").values()}
    assert inodes == {
        str(row.destination): row is not other and Path(home.root, str(row.destination)).stat().st_ino for row in rows
    }


@pytest.mark.parametrize(
    ("scope", "moved"),
    [
        (Scope(year=2025), {"Clips/2025/2025-05-14 102613_C1.mp4"}),
        (Scope(folder="2025"), {"Clips/2025/2025-05-14 102613_C1.mp4"}),
        (Scope(folder="202"), set()),
        (Scope(year=2025, folders=False), {"2025/05/2025-05-14 102613_C1.mp4"}),
        (Scope(year=2025, names=False), {"Clips/2025/20250514_102613.mp4"}),
        (Scope(folder="old", strangers=True), {"Stills/2026/2026-05-14 102613_theirs.jpg"}),
        (Scope(folder="old"), set()),
    ],
)
def test_only_what_is_wanted_moves(home: Library, ledger: Ledger, scope: Scope, moved: set[str]) -> None:
    """A year, a folder, names alone, folders alone; what Jutrek did not file only when asked."""
    assert set(moves(plan_of(home, ledger, scope=scope)).values()) == moved


def test_a_selection_moves(home: Library, ledger: Ledger) -> None:
    """By the ids of its captures."""
    wav = str(Path(home.root, "2026/05/20260514_122613.wav"))
    assert len(plan_of(home, ledger, scope=Scope(captures=frozenset({wav}))).rows) == 1


def test_parts_tracks_and_proxies_stay_together(library: Library, ledger: Ledger, card: Path) -> None:
    """What only a tail tells apart is one capture, also with a sidecar for each."""
    put(card / "C" / "0001.MOV", making.mp4(WHEN, media=b"one"))
    put(card / "C" / "Proxy" / "0001.MOV", making.mp4(WHEN, media=b"proxy"))
    for track in (1, 2):
        put(card / "T" / f"T7_TR{track}.WAV", making.wav(WHEN.replace(hour=13), seed=track))
    rules = HouseRules(layout="A", originals=True)
    bring(planned(library, ledger, [card], rules), library, ledger, stop=never())
    survey(library, ledger)
    before = names_below(library.root)
    assert {name.rpartition("_")[2] for name in before if name.endswith((".wav", ".mp4", ".mov"))} >= {
        "tr1.wav",
        "tr2.wav",
    }
    plan = plan_of(library, ledger, HouseRules(layout="B", name="x {time}", originals=True))
    go(plan, library, ledger)
    assert {name.replace("A/20260514_", "B/x ") for name in before} == names_below(library.root)
    assert plan_of(library, ledger, HouseRules(layout="B", name="x {time}")).rows == ()


def test_numbers_and_counts_that_fit_stay(home: Library, ledger: Ledger, card: Path) -> None:
    """A number once given is kept, new ones go on, and what was only counted is not counted anew."""
    rules = HouseRules(layout="F", name="x_{counter:3}", counter_per=Per.LIBRARY)
    go(plan_of(home, ledger, rules), home, ledger)
    assert numbers_given(home) == {"library": 4}
    assert plan_of(home, ledger, rules).rows == ()
    put(card / "N.JPG", making.jpeg(WHEN.replace(hour=5), seed=77))
    bring(planned(home, ledger, [card], rules), home, ledger, stop=never())
    assert "F/x_005.jpg" in names_below(home.root)
    assert plan_of(home, ledger, rules).rows == ()
    same = HouseRules(layout="F", name="{date}")
    go(plan_of(home, ledger, same), home, ledger)
    stems = {Path(name).stem for name in names_below(home.root)}
    assert {"20260514", "20260514_420", "20260514_2"} <= stems
    assert plan_of(home, ledger, same).rows == ()


def test_nothing_is_overwritten_and_what_changed_stays(home: Library, ledger: Ledger) -> None:
    """A name that was taken since, a file that changed or went: each is told, the others move."""
    plan = plan_of(home, ledger)
    taken = put(Path(home.root, plan.rows[0].destination or ""), b"theirs")
    changed = put(Path(plan.rows[2].source), b"edited")
    Path(plan.rows[4].source).unlink()
    outcome = go(plan, home, ledger)
    assert outcome.home == 3
    for part in ("it changed since", "it is gone", "exists already"):
        assert any(part in done.why for done in outcome.failed)
    assert (taken.read_bytes(), changed.read_bytes()) == (b"theirs", b"edited")
    last = last_refiling(home)
    put(Path(home.root, plan.rows[1].destination or ""), b"edited later")
    back, left = plan_taking_back(home, last)
    assert len(back.rows) == 2
    assert "was changed since" in left[0]


def test_a_stop_ends_between_two_files(home: Library, ledger: Ledger) -> None:
    """What moved has moved and is written down; the rest is untouched, and the journal has its end."""
    stop = threading.Event()
    plan = plan_of(home, ledger)
    listener = Listener(step=lambda step, row: stop.set() if (step, row) == ("renamed", plan.rows[1]) else None)
    outcome = refile(plan, home, ledger, stop=stop, listener=listener)
    assert (outcome.home, len(outcome.done)) == (2, 6)
    assert all(done.untouched for done in outcome.done if not done.home)
    end = run_log_of(home, outcome.run).end or {}
    assert (end["how"], end["home"], end["left"]) == ("stopped", 2, 4)
    assert recover(home, ledger) == []
    assert len(plan_of(home, ledger).rows) == 4


@pytest.mark.parametrize(
    ("step", "count"), [("begin", 1), ("folder made", 4), ("renamed", 1), ("renamed", 4), ("written down", 4)]
)
def test_a_kill_at_any_step_leaves_every_file_whole(home: Library, ledger: Ledger, step: str, count: int) -> None:
    """At its old path or its new one; the next start knows which, the ledger follows, and all can be taken back."""
    before, files = names_below(home.root), contents(home)
    plan, filed = plan_of(home, ledger), ledger.all_filed()
    ledger.close()

    def job() -> None:
        with Ledger(home.ledger_path) as own:
            at_home = read_library(home, own, OTHER, stop=never(), report=lambda *_: None)
            wanted = plan_refiling(home, OTHER, at_home.facts, at_home.known, Scope(), at_home.given)
            refile(wanted, home, own, stop=never(), listener=Listener(step=killing_at(step, count)))

    killed_in(job)
    assert contents(home) == files
    with Ledger(home.ledger_path) as again:
        (leftover,) = recover(home, again)
        there = names_below(home.root)
        moved = {old: new for old, new in moves(plan).items() if new in there}
        assert (leftover.did, leftover.home, leftover.left) == ("moved", len(moved), 6 - len(moved))
        renamed = {"begin": count - 1, "folder made": count - 1, "renamed": count, "written down": 6}
        assert len(moved) == renamed[step]
        assert {moved.get(path, path): one for path, one in filed.items()} == again.all_filed()
        assert recover(home, again) == []
        if moved:
            back, left = plan_taking_back(home, last_refiling(home))
            assert left == []
            assert go(back, home, again).home == len(moved)
        assert names_below(home.root) == before


@pytest.mark.parametrize("way", ["linked", "reserved", "reserved, then lost"])
def test_a_kill_while_a_name_was_given_in_two_steps_is_mended(home: Library, ledger: Ledger, way: str) -> None:
    """Where a file system cannot rename without replacing: two names of one file, or an empty reservation."""
    plan = plan_of(home, ledger)
    old, new = Path(plan.rows[0].source), Path(home.root, plan.rows[0].destination or "")

    def killed(step: str, _: object) -> None:
        if step == "folder made":
            os.link(old, new) if way == "linked" else new.touch()
            raise KeyboardInterrupt

    with suppress(KeyboardInterrupt):
        go(plan, home, ledger, Listener(step=killed))
    assert old.exists()
    assert new.exists()
    if way == "reserved, then lost":
        old.unlink()
    (leftover,) = recover(home, ledger)
    assert leftover.home == (way == "linked")
    assert (old.exists(), new.exists()) == (way == "reserved", way == "linked")


@pytest.mark.parametrize(("code", "words"), [(errno.EXDEV, "lies on another disk"), (errno.EPERM, "was not moved")])
def test_a_move_that_is_refused_is_told(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch, code: int, words: str
) -> None:
    """It concerns that file alone."""

    def refused(temporary: naming.Entry, final: naming.Entry) -> None:
        raise OSError(code, os.strerror(code), final.name)

    monkeypatch.setattr(naming, "WAYS", (refused,))
    outcome = go(plan_of(home, ledger), home, ledger)
    assert (outcome.home, len(outcome.failed)) == (0, 6)
    assert words in outcome.failed[0].why


def test_a_place_that_is_lost_ends_the_run(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    """The rest is untouched."""

    def lost(temporary: naming.Entry, final: naming.Entry) -> None:
        raise OSError(errno.EIO, os.strerror(errno.EIO), final.name)

    monkeypatch.setattr(naming, "WAYS", (lost,))
    outcome = go(plan_of(home, ledger), home, ledger)
    assert outcome.trouble is not None
    assert all(done.untouched for done in outcome.done)


def test_a_re_filing_is_of_its_library_and_alone_in_it(home: Library, ledger: Ledger) -> None:
    """A plan of another library is refused; so is a second run, and the taking back of what never was."""
    plan = plan_of(home, ledger)
    with pytest.raises(PlanUnusable):
        go(replace(plan, library_id="other"), home, ledger)
    with locked(home), pytest.raises(LibraryBusy):
        go(plan, home, ledger)
    with pytest.raises(NotPossible, match="no run 20200101-moves"):
        plan_taking_back(home, "20200101-moves")


def test_a_lost_ledger_learns_from_the_journals(home: Library, ledger: Ledger) -> None:
    """By what files were filed, and where they went since."""
    go(plan_of(home, ledger), home, ledger)
    filed = ledger.all_filed()
    assert len(filed) == 6
    ledger.close()
    for name in os.listdir(os.path.dirname(home.ledger_path)):
        os.unlink(os.path.join(os.path.dirname(home.ledger_path), name))
    with Ledger(home.ledger_path) as again:
        assert again.all_filed() == {}
        recover(home, again)
        assert again.all_filed() == filed


def test_numbers_that_were_given_since_are_not_given_twice(library: Library, ledger: Ledger, card: Path) -> None:
    """A saved plan whose numbers another intake took is refused; carried out twice it finds its own work."""
    put(card / "A.JPG", making.jpeg())
    plan = planned(library, ledger, [card], HouseRules(layout="F", name="x_{counter}"))
    assert bring(plan, library, ledger, stop=never()).home == 1
    assert bring(plan, library, ledger, stop=never()).home == 1
    Path(library.root, "F/x_1.jpg").unlink()
    keep_numbers(library, {"folder:": 5})
    with pytest.raises(PlanUnusable, match="given to something else"):
        bring(plan, library, ledger, stop=never())
    assert names_below(library.root) == set()
    (Path(library.own) / "counters.json").write_text("{")
    with pytest.raises(PageBroken, match=r"counters.json can't be used"):
        numbers_given(library)


def test_sidecars_say_what_the_house_wants(library: Library, ledger: Ledger, card: Path) -> None:
    """Original name, maker, rights with their year, keywords; the card is untouched."""
    put(card / "DCIM" / "DSC1.JPG", making.jpeg())
    before = everything(card)
    says = Saying("Ilvar & Mira", "© {year}< {operator}> Velmora line", words=("rail", "bridge", "{shoot}"))
    rules = HouseRules(originals=True, saying=says)
    bring(planned(library, ledger, [card], rules), library, ledger, stop=never())
    text = Path(library.root, "2026/05/20260514_102613.xmp").read_text()
    for part in ("<xmpMM:PreservedFileName>DSC1.JPG<", "Ilvar &amp; Mira", "© 2026 Velmora line", ">bridge<"):
        assert part in text
    assert "DateTimeOriginal" not in text
    assert everything(card) == before
    (path,) = Path(library.own, "journal").iterdir()
    entries = [json.loads(line) for line in path.read_text().splitlines()]
    assert next(entry for entry in entries if entry["entry"] == "bring")["original"] == "DCIM/DSC1.JPG"


def test_a_name_that_looks_counted_is_not_taken_for_one(home: Library, ledger: Ledger) -> None:
    """What was counted is known by what was given; a ledger that is lost learns it again, and taking back keeps it."""
    counted = HouseRules(layout="F", name="{date}_{counter:4}", counter_per=Per.LIBRARY)
    timed = HouseRules(layout="F", name="{date}_{time}")
    go(plan_of(home, ledger, timed), home, ledger)
    plan = plan_of(home, ledger, counted)
    assert {Path(name).stem for name in moves(plan).values()} == {
        "20250514_0001", "20260514_0002", "20260514_0003", "20260514_0004",
    }  # fmt: skip
    go(plan, home, ledger)
    assert plan_of(home, ledger, counted).rows == ()
    go(plan_of(home, ledger, timed), home, ledger)
    back, _ = plan_taking_back(home, last := last_refiling(home))
    go(back, home, ledger, takes_back=last)
    assert plan_of(home, ledger, counted).rows == ()
    with Ledger(f"{ledger.path}.new") as new:
        recover(home, new)
        survey(home, new)
        assert plan_of(home, new, counted).rows == ()
        assert len(plan_of(home, new, replace(counted, counter_per=Per.DAY)).rows) == 5


def test_numbers_of_one_intake_fit_as_well(home: Library, ledger: Ledger) -> None:
    rules = HouseRules(layout="F", name="x_{counter:3}", counter_per=Per.INTAKE)
    go(plan_of(home, ledger, rules), home, ledger)
    assert plan_of(home, ledger, rules).rows == ()
    assert numbers_given(home) == {}


def test_the_clean_name_comes_back_when_it_is_free(home: Library, ledger: Ledger) -> None:
    """And not before; what is only counted otherwise stays."""
    rules = HouseRules(layout="F", name="{date}")
    go(plan_of(home, ledger, rules), home, ledger)
    assert {"20260514", "20260514_2", "20260514_420"} == {
        Path(name).stem for name in names_below(home.root) if name.startswith("F/2026")
    }
    assert plan_of(home, ledger, rules).rows == ()
    for name in ("F/20260514.dng", "F/20260514.jpg"):
        Path(home.root, name).unlink()
    survey(home, ledger)
    plan = plan_of(home, ledger, rules)
    assert {Path(name).stem for name in moves(plan).values()} == {"20260514"}
    assert {Path(name).stem for name in moves(plan)} == {"20260514_420"}


@pytest.mark.parametrize("stranger", ["", "notes.txt", "link"])
def test_folders_are_spelt_anew_unless_something_stays_in_them(home: Library, ledger: Ledger, stranger: str) -> None:
    go(plan_of(home, ledger, HouseRules(layout="of {kind}/{year}", name="{date}")), home, ledger)
    if stranger == "link":
        Path(home.root, "of Stills", "2026", "link").symlink_to(home.root)
    elif stranger:
        put(Path(home.root, "of Stills", "2026", stranger), b"theirs")
    go(plan_of(home, ledger, anew := HouseRules(layout="OF {kind}/{year}", name="{date}")), home, ledger)
    tops = {name.partition("/")[0] for name in names_below(home.root)}
    assert tops == {"OF Clips", "OF Sound", "of Stills" if stranger else "OF Stills", "old"}
    assert plan_of(home, ledger, anew).rows == ()


def test_paths_and_older_days_are_left_out(home: Library, ledger: Ledger) -> None:
    since = plan_of(home, ledger, scope=Scope(since=WHEN.date()))
    assert not any(path.startswith("2025/") for path in moves(since))
    assert len(since.rows) == 5
    out = plan_of(home, ledger, scope=Scope(without=("2026/05/20260514_100013.jpg", "2025/")))
    assert set(moves(out)) == {
        "2026/05/20260514_100113.dng", "2026/05/20260514_100113.jpg", "2026/05/20260514_122613.wav",
    }  # fmt: skip
