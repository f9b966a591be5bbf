"""Final names are only ever created, never replaced, on every kind of file system."""

from __future__ import annotations

import errno
import os
import threading
from collections.abc import Callable
from pathlib import Path

import pytest

from jutrek import disk
from tests.making import put


@pytest.fixture(params=["here", "exfat"])
def place(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    """A folder on this machine's file system, and one on exFAT."""
    if request.param == "here":
        return tmp_path
    folder = Path(request.getfixturevalue("exfat")) / f"t{os.urandom(4).hex()}"
    folder.mkdir()
    return folder


@pytest.mark.parametrize("way", disk.WAYS)
def test_each_way_creates_and_never_replaces(way: Callable[[str, str], None], tmp_path: Path) -> None:
    """A free name is given; a taken one is left with its content, and the temporary stays."""
    temporary, final = put(tmp_path / "t", b"new"), tmp_path / "final"
    way(str(temporary), str(final))
    assert (final.read_bytes(), temporary.exists()) == (b"new", False)
    again = put(tmp_path / "t", b"newer")
    with pytest.raises(FileExistsError):
        way(str(again), str(final))
    assert (final.read_bytes(), again.read_bytes()) == (b"new", b"newer")


def test_the_best_way_that_works_is_taken(place: Path) -> None:
    """On exFAT both better ways are refused by the system, and the name is given all the same."""
    disk.give_name(str(put(place / "t", b"new")), str(place / "final"))
    assert (place / "final").read_bytes() == b"new"
    with pytest.raises(FileExistsError):
        disk.give_name(str(put(place / "t", b"newer")), str(place / "final"))
    assert (place / "final").read_bytes() == b"new"


def test_exfat_knows_no_case(exfat: Path) -> None:
    """A name that differs only by case is taken there."""
    put(exfat / "Name.jpg", b"old")
    with pytest.raises(FileExistsError):
        disk.give_name(str(put(exfat / "t", b"new")), str(exfat / "NAME.JPG"))
    assert (exfat / "Name.jpg").read_bytes() == b"old"


def test_a_race_has_one_winner(place: Path) -> None:
    """Of many that want one name at once, one gets it; nobody's bytes are lost."""
    contents = [str(number).encode() for number in range(8)]
    temporaries = [put(place / f"t{number}", content) for number, content in enumerate(contents)]
    barrier, won = threading.Barrier(8), []

    def run(number: int) -> None:
        barrier.wait()
        try:
            disk.give_name(str(temporaries[number]), str(place / "final"))
            won.append(number)
        except FileExistsError:
            pass

    threads = [threading.Thread(target=run, args=(number,)) for number in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(won) == 1
    assert (place / "final").read_bytes() == contents[won[0]]
    assert sum(temporary.exists() for temporary in temporaries) == 7


@pytest.mark.parametrize("call", ["open", "write", "fsync", "link"])
def test_a_small_write_is_whole_or_not_there(call: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A failure at any call leaves the folder empty."""
    fired = []

    def fail(*_: object, **__: object) -> None:
        fired.append(call)
        raise OSError(errno.EIO, os.strerror(errno.EIO))

    if call == "link":
        monkeypatch.setattr(disk, "WAYS", (fail,))
    else:
        monkeypatch.setattr(os, call, fail)
    with pytest.raises(OSError, match="Input/output error"):
        disk.write_new(str(tmp_path / "x.toml"), b"data")
    monkeypatch.undo()
    assert fired
    assert not [name for name in os.listdir(tmp_path) if name != "xdg"]


def test_a_small_write_replaces_nothing(tmp_path: Path) -> None:
    """An existing file stays, and no temporary is left."""
    put(tmp_path / "x.toml", b"old")
    with pytest.raises(FileExistsError):
        disk.write_new(str(tmp_path / "x.toml"), b"new")
    assert (tmp_path / "x.toml").read_bytes() == b"old"
    assert [name for name in os.listdir(tmp_path) if name.startswith(".jutrek")] == []


def test_folders_are_made_once_and_kept(tmp_path: Path) -> None:
    """Missing parents are made, the library itself never; a file in the way is an error of the system."""
    for _ in range(2):
        disk.make_folders(str(tmp_path / "2026" / "05"), within=str(tmp_path))
    assert (tmp_path / "2026" / "05").is_dir()
    put(tmp_path / "2027", b"a file")
    with pytest.raises(OSError, match="Not a directory"):
        disk.make_folders(str(tmp_path / "2027" / "05"), within=str(tmp_path))
    with pytest.raises(OSError, match="No such device"):
        disk.make_folders(str(tmp_path / "gone" / "2026"), within=str(tmp_path / "gone"))
    assert not (tmp_path / "gone").exists()


def test_a_reservation_that_cannot_be_used_is_given_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A rename that fails leaves no empty file under the final name."""
    temporary = put(tmp_path / "t", b"new")
    fired = []

    def fail(*_: object) -> None:
        fired.append(True)
        raise OSError(errno.EIO, os.strerror(errno.EIO))

    monkeypatch.setattr(os, "rename", fail)
    with pytest.raises(OSError, match="Input/output error"):
        disk.reserve_and_rename(str(temporary), str(tmp_path / "final"))
    assert fired
    assert not (tmp_path / "final").exists()
    assert temporary.read_bytes() == b"new"
