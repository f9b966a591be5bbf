"""Moves onto another file system that is mounted in a library: cut off anywhere, every byte is on one side."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
import xxhash

from jutrek.disk import TEMPORARY
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, across, recover
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.run_log import unfinished
from tests.killing import die, killed_in, killing_at
from tests.making import WHEN, jpeg
from tests.transfer.test_tidying import House, check, make_house, taken_back, tidied

_STEPS = ("folder made", "copied across", "named across", "renamed", "written down")


@pytest.fixture
def house(tmp_path: Path, card: Path, small_place: Path) -> Iterator[House]:
    """One with a small file system of its own in `far`."""
    made = make_house(tmp_path / "house", card)
    far = Path(made.library.root, "far")
    far.mkdir()
    subprocess.run(["mount", "--bind", small_place, far], check=True)
    yield made
    subprocess.run(["umount", "--lazy", far], check=True)


def moves(house: House) -> dict[str, str]:
    """Six files there, or the same back."""
    files = sorted(path for path in house.files() if not path.startswith(".jutrek/"))
    there = [path for path in files if path.startswith("far/")]
    if there:
        return {path: f"all/{os.path.basename(path)}" for path in there}
    return {path: f"far/deep/{os.path.basename(path)}" for path in files[:6]}


def test_there_and_back_with_all_that_is_known(house: House) -> None:
    """Times, proofs, copies; what was set aside from there is back where it was."""
    contents = set(house.files().values())
    times = {path.name: path.stat().st_mtime_ns for path in Path(house.library.root, "all").iterdir()}
    with Ledger(house.library.ledger_path) as ledger:
        outcome = tidied(house, ledger, moves(house))
        assert (outcome.home, outcome.failed) == (6, [])
        assert os.stat(os.path.join(house.library.root, "far")).st_dev != os.stat(house.library.root).st_dev
        for path in Path(house.library.root, "far/deep").iterdir():
            assert path.stat().st_mtime_ns == times[path.name]
            mark = ledger.mark_of(f"far/deep/{path.name}")
            assert mark is not None
            assert mark.is_same(path.stat())
        check(house, contents, replayed=True)
        assert taken_back(house, ledger).home == 6
    assert {path.name: path.stat().st_mtime_ns for path in Path(house.library.root, "all").iterdir()} == times
    check(house, contents, replayed=True)


@pytest.mark.parametrize("step", _STEPS)
def test_a_kill_at_any_step_leaves_each_file_on_one_side(house: House, step: str) -> None:
    """There and back, three files at a time."""
    contents = set(house.files().values())
    for count in (1, 4):

        def job(count: int = count) -> None:
            with Ledger(house.library.ledger_path) as ledger:
                tidied(house, ledger, moves(house), Listener(step=killing_at(step, count)))
                die()

        killed_in(job)
        with Ledger(house.library.ledger_path) as ledger:
            recover(house.library, ledger)
        check(house, contents, replayed=True)


def test_a_kill_between_the_line_and_the_name_is_put_right(house: House, monkeypatch: pytest.MonkeyPatch) -> None:
    """Right before and right after it is written down that the copy is proven."""
    contents = set(house.files().values())
    real = Journal.across

    def before(self: Journal, number: int, full: bytes) -> None:
        if number == 0:
            die()
        real(self, number, full)

    def behind(self: Journal, number: int, full: bytes) -> None:
        real(self, number, full)
        if number == 0:
            die()

    for how in (before, behind):

        def job(how: object = how) -> None:
            with Ledger(house.library.ledger_path) as ledger:
                monkeypatch.setattr(Journal, "across", how)
                tidied(house, ledger, moves(house))

        killed_in(job)
        with Ledger(house.library.ledger_path) as ledger:
            recover(house.library, ledger)
        check(house, contents, replayed=True)


@pytest.mark.parametrize("other", ["old", "new", "neither"])
def test_a_record_that_lies_removes_nothing(house: House, other: str) -> None:
    """Of two files of which a record says that one is the other's copy, both stay if they are not what it tells."""
    old, new = next(iter(moves(house))), "far/other.jpg"
    paths = {name: Path(house.library.root, path) for name, path in (("old", old), ("new", new))}
    shutil.copy2(paths["old"], paths["new"])
    full = xxhash.xxh3_128(paths["old"].read_bytes()).hexdigest()
    status = paths["old"].stat()
    if other != "neither":
        paths[other].write_bytes(bytes(status.st_size))
    journal = Journal.begin(house.library, Kind.TIDY, {})
    journal.note(
        {"entry": "move", "row": 0, "from": old, "to": new, "size": status.st_size, "mtime_ns": status.st_mtime_ns},
        {"entry": "across", "row": 0, "xxh3_128": full if other != "neither" else "0" * 32},
    )
    journal.close()
    with Ledger(house.library.ledger_path) as ledger:
        recover(house.library, ledger)
    assert [path.exists() for path in paths.values()] == [True, True]
    assert list(unfinished(house.library)) == []


def test_a_copy_that_reads_back_otherwise_is_none(house: House, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing bears the new name, and the original stays."""
    contents = set(house.files().values())
    monkeypatch.setattr(across, "read_back", lambda *_: (b"", True))
    with Ledger(house.library.ledger_path) as ledger:
        outcome = tidied(house, ledger, moves(house))
        assert "its copy read back differently" in outcome.failed[0].why
    check(house, contents, replayed=True)


def test_a_full_disk_and_a_taken_name_keep_the_original(house: House, small_place: Path) -> None:
    """Nothing half is left there."""
    contents = set(house.files().values())
    room = os.statvfs(small_place)
    wanted = moves(house)
    taken = Path(house.library.root, next(iter(wanted.values())))
    taken.parent.mkdir(parents=True)
    taken.write_bytes(jpeg(WHEN, seed=77))
    stuff = small_place / "stuff"
    with Ledger(house.library.ledger_path) as ledger:
        stuff.write_bytes(bytes(room.f_bavail * room.f_frsize - 20_000))
        outcome = tidied(house, ledger, wanted)
        assert outcome.trouble is not None
        assert outcome.home < 5
        assert taken.read_bytes() == jpeg(WHEN, seed=77)
        stuff.unlink()
        taken.unlink()
        assert list(small_place.rglob(f"{TEMPORARY}*")) == []
    check(house, contents, replayed=True)
