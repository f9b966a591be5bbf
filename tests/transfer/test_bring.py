"""Bringing home: proven, named once, journaled, and survivable at every step."""

from __future__ import annotations

import errno
import fcntl
import json
import os
import shutil
import subprocess
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import pytest

from jutrek.disk import naming
from jutrek.errors import JutrekError, LibraryBusy, PlaceFull, PlaceLost, PlanUnusable, Stopped
from jutrek.filing import Action, HouseRules, Plan, Row
from jutrek.filing.rulebook import keep_rules
from jutrek.library import Library, new_library
from jutrek.library.ledger import Ledger
from jutrek.transfer import STEPS, Listener, Outcome, bring, bundles, copies, journal, recover, running
from jutrek.transfer.lock import locked
from tests import making
from tests.killing import die, killed_in, killing_at
from tests.making import WHEN, everything, names_below, planned, put

BLOCKS = os.urandom(9_000_000)
"""More than two blocks, so that there is a half."""


def fill(card: Path, count: int = 6) -> None:
    """Small stills, and one file of several blocks."""
    for number in range(count):
        put(card / "DCIM" / f"DSC{number:03}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    put(card / "DCIM" / "CLIP.MP4", making.mp4(WHEN, media=BLOCKS))


def run(plan: Plan, library: Library, ledger: Ledger, step: Callable[[str, Row], None] = lambda *_: None) -> Outcome:
    return bring(plan, library, ledger, stop=threading.Event(), listener=Listener(step=step))


def journal_entries(library: Library) -> list[dict[str, object]]:
    folder = Path(library.own) / "journal"
    return [json.loads(line) for path in sorted(folder.iterdir()) for line in path.read_text().splitlines()]


def test_all_comes_home_proven_and_the_card_is_untouched(library: Library, ledger: Ledger, card: Path) -> None:
    """The tree is what the plan said; bytes and times are kept; source, atime and all, is as it was."""
    fill(card)
    before = everything(card)
    plan = planned(library, ledger, [card])
    outcome = run(plan, library, ledger)
    assert (outcome.home, outcome.failed, outcome.trouble) == (7, [], None)
    assert everything(card) == before
    assert names_below(library.root) == {row.destination for row in plan.to_bring()}
    for row in plan.to_bring():
        there = Path(library.root, row.destination or "")
        assert there.read_bytes() == Path(row.source).read_bytes()
        assert there.stat().st_mtime_ns == row.mtime_ns
    again = planned(library, ledger, [card])
    assert {row.action for row in again.rows} == {Action.HOME}
    assert run(again, library, ledger).done == []


def test_the_journal_tells_before_and_after(library: Library, ledger: Ledger, card: Path) -> None:
    """Every file is announced before the first copy; each that is home bears its fingerprint."""
    fill(card)
    run(planned(library, ledger, [card]), library, ledger)
    entries = journal_entries(library)
    kinds = [str(entry["entry"]) for entry in entries]
    assert kinds[0] == "intake"
    assert kinds[1:9] == ["known"] + ["bring"] * 7
    # What is half copied after half a second is told, too.
    assert [kind for kind in kinds[9:-1] if kind != "part"] == ["home"] * 7
    assert {key: entries[-1][key] for key in ("entry", "how", "home", "left")} == {
        "entry": "end", "how": "done", "home": 7, "left": 0,
    }  # fmt: skip
    assert all(len(str(entry["xxh3_128"])) == 32 for entry in entries if entry["entry"] == "home")


def bring_until(step: str, count: int, library: Library, card: Path) -> None:
    """Bring a card home as a process of its own that dies at a step."""

    def job() -> None:
        running.IN_FLIGHT, bundles.FEW = running.LANES, 1
        with Ledger(library.ledger_path) as ledger:
            run(planned(library, ledger, [card]), library, ledger, killing_at(step, count))

    killed_in(job)


@pytest.mark.parametrize("count", [1, pytest.param(3, marks=pytest.mark.long)])
@pytest.mark.parametrize("step", STEPS)
def test_a_kill_at_any_step_loses_nothing(step: str, count: int, library: Library, card: Path) -> None:
    """After a kill every final name bears proven bytes; the next start clears up, tells, and finishes."""
    # Only the two clips are long enough to be half copied.
    count = min(count, 2) if step == "half copied" else count
    fill(card)
    put(card / "DCIM" / "CLIP2.MP4", making.mp4(WHEN.replace(hour=9), media=BLOCKS[::-1]))
    before = everything(card)
    bring_until(step, count, library, card)
    assert everything(card) == before
    contents = {path.read_bytes() for path in card.rglob("*") if path.is_file()}
    named = {name for name in names_below(library.root) if ".jutrek-" not in name}
    assert all(Path(library.root, name).read_bytes() in contents for name in named)
    with Ledger(library.ledger_path) as ledger:
        (leftover,) = recover(library, ledger)
        assert (leftover.home, leftover.left) == (len(named), 8 - len(named))
        assert names_below(library.root) == named
        assert recover(library, ledger) == []
        plan = planned(library, ledger, [card])
        assert sum(row.action is Action.HOME for row in plan.rows) == len(named)
        assert run(plan, library, ledger).trouble is None
        assert {row.action for row in planned(library, ledger, [card]).rows} == {Action.HOME}
    assert {Path(library.root, name).read_bytes() for name in names_below(library.root)} == contents


def test_scraps_go_where_a_run_was_at_work(library: Library, card: Path) -> None:
    """Temporaries of sidecars that a kill left; what lies elsewhere, or is called otherwise, is not looked at."""
    fill(card)
    bring_until("named", 1, library, card)
    scrap, other = ".jutrek-0123abcd.part", ".jutrek-0123abcd.parts"
    stays = {put(Path(library.root, "mess", scrap), b"x"), put(Path(library.root, "2026/05", other), b"x")}
    goes = put(Path(library.root, "2026/05", scrap), b"half a sidecar")
    with Ledger(library.ledger_path) as ledger:
        recover(library, ledger)
    assert not goes.exists()
    assert all(path.exists() for path in stays)


class Fault:
    """Does something once at a step of one file, and knows that it did."""

    def __init__(self, step: str, act: Callable[[Row], None], name: str = "CLIP.MP4") -> None:
        self.step, self.act, self.name, self.fired = step, act, name, 0

    def __call__(self, step: str, row: Row) -> None:
        if step == self.step and row.source.endswith(self.name) and not self.fired:
            self.fired += 1
            self.act(row)


def temporary_of(library: Library) -> Path:
    """The temporary of the long clip; those of small files may get their names at any moment."""
    long = []
    for path in Path(library.root).rglob(".jutrek-*.part"):
        with suppress(FileNotFoundError):
            long += [path] if path.stat().st_size >= len(BLOCKS) else []
    (path,) = long
    return path


def flip_a_bit(path: Path) -> None:
    with path.open("r+b") as file:
        file.seek(5_000_000)
        byte = file.read(1)[0]
        file.seek(5_000_000)
        file.write(bytes([byte ^ 1]))
        os.fsync(file.fileno())


def cut(row: Row) -> None:
    os.truncate(row.source, 4_500_000)


def test_a_bit_that_flips_on_the_medium_is_noticed_and_copied_again(
    library: Library, ledger: Ledger, card: Path
) -> None:
    """The bad copy is never named; the second one reads back as it should."""
    fill(card)
    fault = Fault("synced", lambda _: flip_a_bit(temporary_of(library)))
    outcome = run(planned(library, ledger, [card]), library, ledger, fault)
    assert fault.fired
    assert (outcome.home, outcome.failed) == (7, [])
    clip = next(done.row for done in outcome.done if done.row.source.endswith("CLIP.MP4"))
    assert Path(library.root, clip.destination or "").read_bytes() == Path(clip.source).read_bytes()


@pytest.mark.parametrize(
    ("step", "act", "words"),
    [
        ("half copied", cut, "changed since the plan"),
        ("copied", lambda row: os.utime(row.source), "changed since the plan"),
        ("begin", lambda row: put(Path(row.source), b"something else"), "another size"),
        ("begin", lambda row: os.utime(row.source), "another time"),
        ("begin", lambda row: os.unlink(row.source), "could not be read"),
        ("begin", lambda row: shutil.rmtree(row.root), "is gone"),
    ],
)
def test_a_source_that_changes_or_vanishes_is_told(
    step: str, act: Callable[[Row], None], words: str, library: Library, ledger: Ledger, card: Path
) -> None:
    """What is not what was planned does not come home under its name; nothing half is left."""
    fill(card, 0)
    fault, held = Fault(step, act), os.listdir("/proc/self/fd")
    outcome = run(planned(library, ledger, [card]), library, ledger, fault)
    assert fault.fired
    assert len(os.listdir("/proc/self/fd")) == len(held)
    (done,) = outcome.done
    assert words in done.why
    assert bool(outcome.gone) == done.untouched == (words == "is gone")
    assert names_below(library.root) == set()


def test_a_name_taken_in_the_last_moment_is_left_alone(library: Library, ledger: Ledger, card: Path) -> None:
    """Race or no race: what bears the name already stays as it is."""
    fill(card, 1)
    fault = Fault("read back", lambda row: put(Path(library.root, row.destination or ""), b"somebody else's") and None)
    outcome = run(planned(library, ledger, [card]), library, ledger, fault)
    assert fault.fired
    assert "exists already with other content" in outcome.failed[0].why
    taken = Path(library.root, outcome.failed[0].row.destination or "")
    assert taken.read_bytes() == b"somebody else's"
    assert len(names_below(library.root)) == 2


@pytest.mark.parametrize(
    ("code", "trouble"),
    [(errno.ENOSPC, PlaceFull), (errno.EROFS, PlaceLost), (errno.EIO, PlaceLost), (errno.ENAMETOOLONG, None)],
)
@pytest.mark.parametrize("step", STEPS[2:7])
def test_trouble_while_writing_ends_the_run_or_the_file(
    step: str, code: int, trouble: type[JutrekError] | None, library: Library, ledger: Ledger, card: Path
) -> None:
    """A full or lost place ends the run safely; a refused file is one file."""
    fill(card, 2)

    def fail(_: Row) -> None:
        raise OSError(code, os.strerror(code))

    fault = Fault(step, fail)
    outcome = run(planned(library, ledger, [card]), library, ledger, fault)
    assert fault.fired
    assert type(outcome.trouble) is (trouble or type(None))
    assert all(done.home or done.why for done in outcome.done)
    assert len(names_below(library.root)) == outcome.home
    assert not list(Path(library.root).rglob(".jutrek-*"))
    assert run(planned(library, ledger, [card]), library, ledger).trouble is None
    assert len(names_below(library.root)) == 3


def test_a_disk_that_fills_up_stops_the_run_and_loses_nothing(small_place: Path, card: Path) -> None:
    """What is proven stays; with room made, the next run finishes."""
    fill(card)
    library = new_library(str(small_place))
    filler = small_place / "filler"
    fault = Fault("begin", lambda _: filler.write_bytes(bytes(20_000_000)) and None)
    with Ledger(library.ledger_path) as ledger:
        outcome = run(planned(library, ledger, [card]), library, ledger, fault)
        assert fault.fired
        assert isinstance(outcome.trouble, PlaceFull)
        assert not list(small_place.rglob(".jutrek-*"))
        filler.unlink()
        assert run(planned(library, ledger, [card]), library, ledger).trouble is None
        assert len(names_below(library.root)) == 7


def test_everything_comes_home_on_exfat_too(exfat: Path, card: Path) -> None:
    """Without links, exclusive renames, case and direct reads the promises are the same."""
    fill(card)
    root = exfat / "library"
    root.mkdir()
    library = new_library(str(root))
    with Ledger(library.ledger_path) as ledger:
        plan = planned(library, ledger, [card])
        outcome = run(plan, library, ledger)
        assert (outcome.home, outcome.failed, outcome.trouble) == (7, [], None)
        assert {row.action for row in planned(library, ledger, [card]).rows} == {Action.HOME}
    for row in plan.to_bring():
        assert Path(root, row.destination or "").read_bytes() == Path(row.source).read_bytes()
    assert not list(root.rglob(".jutrek-*"))


def test_a_disk_that_refuses_to_write_past_the_cache_is_written_through_it(
    library: Library, ledger: Ledger, card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Some grant it and refuse the writing itself; any other error is one."""
    fill(card, 0)
    write, refused, code = os.pwrite, [], errno.EIO

    def pwrite(fd: int, data: memoryview, at: int) -> int:
        if fcntl.fcntl(fd, fcntl.F_GETFL) & os.O_DIRECT:
            refused.append(at)
            raise OSError(code, os.strerror(code))
        return write(fd, data, at)

    monkeypatch.setattr(copies.os, "pwrite", pwrite)
    assert run(planned(library, ledger, [card]), library, ledger).home == 0
    code = errno.EINVAL
    assert run(planned(library, ledger, [card]), library, ledger).home == 1
    assert len(refused) == 2


def test_our_own_fault_ends_the_run_and_is_not_hidden(library: Library, ledger: Ledger, card: Path) -> None:
    """An error that nobody foresaw is raised, after the files at hand were put away; nothing waits forever."""
    fill(card)

    def fail(_: Row) -> None:
        raise ZeroDivisionError

    fault = Fault("copied", fail)
    with pytest.raises(ZeroDivisionError):
        run(planned(library, ledger, [card]), library, ledger, fault)
    assert fault.fired
    assert journal_entries(library)[-1]["how"] == "stopped"
    assert run(planned(library, ledger, [card]), library, ledger).trouble is None
    assert len(names_below(library.root)) == 7


def test_too_little_room_is_told_before_the_start(small_place: Path, card: Path) -> None:
    """Nothing is begun that cannot fit."""
    for number in range(3):
        put(card / f"{number}.MP4", making.mp4(WHEN.replace(minute=number), media=BLOCKS + bytes([number])))
    library = new_library(str(small_place))
    with Ledger(library.ledger_path) as ledger, pytest.raises(PlaceFull):
        run(planned(library, ledger, [card]), library, ledger)
    assert names_below(library.root) == set()


@pytest.mark.parametrize("step", ["begin", "half copied", "synced"])
def test_a_stop_leaves_only_proven_files(step: str, library: Library, ledger: Ledger, card: Path) -> None:
    """The rest is untouched on its source, and comes home next time."""
    fill(card)
    stop = threading.Event()
    fault = Fault(step, lambda _: stop.set())
    plan = planned(library, ledger, [card])
    outcome = bring(plan, library, ledger, stop=stop, listener=Listener(step=fault))
    assert fault.fired
    assert isinstance(outcome.trouble, Stopped)
    assert len(names_below(library.root)) == outcome.home < 7
    assert journal_entries(library)[-1]["how"] == "stopped"
    assert run(planned(library, ledger, [card]), library, ledger).home == 7 - outcome.home


def test_a_plan_carried_out_twice_finds_its_own_work(library: Library, ledger: Ledger, card: Path) -> None:
    """The same bytes under the planned name are home; nothing is written again."""
    fill(card, 2)
    plan = planned(library, ledger, [card])
    run(plan, library, ledger)
    before = everything(library.root + "/2026")
    assert run(plan, library, ledger).home == 3
    after = everything(library.root + "/2026")
    assert {path: entry[:2] for path, entry in after.items()} == {path: entry[:2] for path, entry in before.items()}


def test_one_jutrek_at_a_time_and_only_its_own_plans(
    library: Library, ledger: Ledger, card: Path, tmp_path: Path
) -> None:
    """A second one refuses; a plan fits no other library."""
    fill(card, 1)
    plan = planned(library, ledger, [card])
    with locked(library), pytest.raises(LibraryBusy):
        run(plan, library, ledger)
    (tmp_path / "other").mkdir()
    with pytest.raises(PlanUnusable):
        run(plan, new_library(str(tmp_path / "other")), ledger)


def test_a_file_in_the_way_of_a_folder_is_one_files_trouble(library: Library, ledger: Ledger, card: Path) -> None:
    """The sentence names the destination."""
    fill(card, 1)
    plan = planned(library, ledger, [card])
    put(Path(library.root) / "2026", b"a file where the year should be")
    outcome = run(plan, library, ledger)
    assert (outcome.home, outcome.trouble) == (0, None)
    assert all("not a directory" in done.why for done in outcome.failed)


def test_a_kill_between_reservation_and_name_leaves_nothing(library: Library, ledger: Ledger, card: Path) -> None:
    """Where names can only be reserved, a kill leaves an empty file: the next start removes it, and no other one."""
    fill(card, 30)

    def job() -> None:
        running.IN_FLIGHT, bundles.FEW = running.LANES, 1
        naming.WAYS = (naming.reserve_and_rename,)
        os.rename = die
        with Ledger(library.ledger_path) as own:
            run(planned(library, own, [card]), library, own)

    killed_in(job)
    assert [path for path in Path(library.root, "2026").rglob("2*") if path.stat().st_size == 0]
    begun = {int(path.stem.rpartition("-")[2]) for path in Path(library.root).rglob(".jutrek-*.part")}
    waiting = [entry for entry in journal_entries(library) if entry["entry"] == "bring" and entry["row"] not in begun]
    foreign = put(Path(library.root, str(waiting[-1]["to"])), b"")
    (leftover,) = recover(library, ledger)
    assert (leftover.home, leftover.left) == (0, 31)
    assert names_below(library.root) == {os.path.relpath(foreign, library.root)}


def test_a_drive_that_is_unplugged_is_not_replaced_by_a_folder(library: Library, ledger: Ledger, card: Path) -> None:
    """Where the library's root is gone, nothing is made in its place, and the run ends."""
    fill(card)
    gone = library.root + "-unplugged"
    fault = Fault("begin", lambda _: os.rename(library.root, gone))
    outcome = run(planned(library, ledger, [card]), library, ledger, fault)
    assert fault.fired
    assert isinstance(outcome.trouble, PlaceLost)
    assert not os.path.exists(library.root)
    os.rename(gone, library.root)
    recover(library, ledger)
    assert run(planned(library, ledger, [card]), library, ledger).trouble is None
    assert len(names_below(library.root)) == 7


def test_an_empty_mount_point_is_not_the_library(small_place: Path, card: Path) -> None:
    """Where another device lies below the root than at the start, the drive is gone although its folder is there."""
    fill(card, 2)
    library = new_library(str(small_place))

    def unplug(_: Row) -> None:
        subprocess.run(["umount", "--lazy", small_place], check=True)

    fault = Fault("opened", unplug)
    with Ledger(library.ledger_path) as ledger:
        outcome = run(planned(library, ledger, [card]), library, ledger, fault)
    left_below = list(small_place.rglob("*"))
    subprocess.run(["mount", "-t", "tmpfs", "none", small_place], check=True)
    assert fault.fired
    assert isinstance(outcome.trouble, PlaceLost)
    assert left_below == []


def test_a_journal_that_cannot_be_written_ends_the_run_and_accounts_for_every_file(
    library: Library, ledger: Ledger, card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Nothing counts as home that could not be written down."""
    fill(card)
    fired = []

    def full(*_: object) -> None:
        fired.append(True)
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(journal.Journal, "home", full)
    outcome = run(planned(library, ledger, [card]), library, ledger)
    assert fired
    assert isinstance(outcome.trouble, PlaceFull)
    assert (outcome.home, len(outcome.done)) == (0, 7)
    assert all(done.untouched for done in outcome.done)


def fixed(library: Library, ledger: Ledger, card: Path) -> Plan:
    """A plan of one still whose clock was put right by an hour, with a sidecar."""
    put(card / "A.JPG", making.jpeg())
    plan = planned(library, ledger, [card], HouseRules(sidecars=True))
    (row,) = plan.rows
    by = row.by._replace(moment="2026-05-14T11:26:13", shift=3600.0, operator="Ilvar", shoot="Yard")
    return replace(plan, rows=(row._replace(sidecar="2026/05/20260514_102613.xmp", by=by),))


def test_a_clock_fix_is_remembered(library: Library, ledger: Ledger, card: Path) -> None:
    """In the journal before the copy, in the ledger after the proof, and in a sidecar where rules ask for it."""
    plan = fixed(library, ledger, card)
    run(plan, library, ledger)
    bring_line = next(entry for entry in journal_entries(library) if entry["entry"] == "bring")
    assert {key: bring_line[key] for key in ("moment", "shift", "operator", "shoot")} == {
        "moment": "2026-05-14T11:26:13", "shift": 3600.0, "operator": "Ilvar", "shoot": "Yard",
    }  # fmt: skip
    assert [entry["to"] for entry in journal_entries(library) if entry["entry"] == "sidecar"] == [
        "2026/05/20260514_102613.xmp"
    ]
    filed = ledger.filed(plan.rows[0].destination or "")
    assert filed is not None
    assert (filed.moment, filed.shift, filed.operator) == ("2026-05-14T11:26:13", 3600.0, "Ilvar")


def test_a_sidecar_never_replaces_one(library: Library, ledger: Ledger, card: Path) -> None:
    """What took its name meanwhile stays; the file is home all the same, and the sentence says so."""
    plan = fixed(library, ledger, card)
    theirs = put(Path(library.root) / plan.rows[0].sidecar, b"theirs")
    outcome = run(plan, library, ledger)
    assert outcome.done[0].home
    assert "not written beside it: file exists" in outcome.done[0].why
    assert theirs.read_bytes() == b"theirs"
    assert not [entry for entry in journal_entries(library) if entry["entry"] == "sidecar"]


def test_a_sidecar_that_a_kill_kept_from_being_written_is_written_by_the_next_start(
    library: Library, ledger: Ledger, card: Path
) -> None:
    """It is announced with its file, so the start knows what is missing beside what is home."""
    plan = fixed(library, ledger, card)
    keep_rules(library, plan.rules)
    outcome = run(plan, library, ledger)
    sidecar = Path(library.root, plan.rows[0].sidecar)
    text = sidecar.read_bytes()
    sidecar.unlink()
    path = Path(library.own, "journal", f"{outcome.run}.jsonl")
    lines = path.read_bytes().splitlines(keepends=True)
    path.write_bytes(b"".join(line for line in lines if b'"sidecar", "row"' not in line and b'"end"' not in line))
    (leftover,) = recover(library, ledger)
    assert (leftover.home, leftover.left) == (1, 0)
    assert sidecar.read_bytes() == text
    assert any(entry["entry"] == "sidecar" for entry in journal_entries(library))
