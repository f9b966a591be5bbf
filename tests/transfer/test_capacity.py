"""What a place can take, told before anything is copied."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

from jutrek.disk import Tree, inside
from jutrek.filing import Action, Row
from jutrek.library import Library, Place, add_place
from jutrek.transfer import copies
from jutrek.transfer.capacity import hindrances
from jutrek.transfer.medium import aligned_buffer, read_back


def test_room_that_is_lacking_is_told_before(tarn: Place) -> None:
    """With how much there is of how much, and how much is missing; a hundredth is left, 16 MiB at most."""
    status = os.statvfs(tarn.root)
    free = status.f_bavail * status.f_frsize
    row = Row("/card/a.mov", "/card", Action.BRING, "a.mov", "", size=free + 3_000_000_000)
    (found,) = hindrances(tarn, [row])
    assert found.what == f"Tarn has room for {free / 1e9:,.1f} GB of the {row.size / 1e9:,.1f} GB to copy."
    assert found.lacking == pytest.approx(3_000_000_000, abs=200_000_000)
    assert found.whole
    assert hindrances(tarn, [row._replace(size=free // 2)]) == hindrances(tarn, []) == []
    (tight,) = hindrances(tarn, [row._replace(size=free - 1_000_000)])
    assert tight.lacking >= 1


def test_a_place_that_cannot_be_written_is_told_before(small_place: Path, library: Library) -> None:
    """Whatever room it has; with nothing to copy, too."""
    place = add_place(library, str(small_place), "Heron")
    assert hindrances(place, []) == []
    subprocess.run(["mount", "-o", "remount,ro", small_place], check=True)
    (found,) = hindrances(place, [])
    assert (found.what, found.whole) == ("Heron is mounted read-only.", True)


def test_what_is_no_file_is_not_waited_for(tmp_path: Path) -> None:
    """A pipe that nobody writes into lies where a copy should: it is refused at once."""
    os.mkfifo(tmp_path / "a.jpg")
    with pytest.raises(OSError, match="not a regular file"):
        read_back(Tree(str(tmp_path)), inside("a.jpg"), aligned_buffer())


def test_what_a_file_system_cannot_hold_is_told_before(tarn: Place, monkeypatch: pytest.MonkeyPatch) -> None:
    """On one that ends at 4 GiB only files beyond that stay; names longer than it takes, too."""
    monkeypatch.setattr("jutrek.transfer.capacity.filesystem_of", lambda _: "vfat")
    row = Row("/card/a.mov", "/card", Action.BRING, "a.mov", "", size=2**32 - 1)
    monkeypatch.setattr(os, "statvfs", lambda _: os.statvfs_result((4096, 4096, 2**40, 2**40, 2**40, 0, 0, 0, 0, 255)))
    assert hindrances(tarn, [row]) == []
    (found,) = hindrances(tarn, [row, row._replace(source="/card/b.mov", size=2**32)])
    assert (found.whole, found.lacking) == (False, 0)
    assert "no file of 4 GiB or more: 1 will not come there, b.mov among them" in found.what
    assert hindrances(tarn, [row._replace(destination=f"{'é' * 127}/a.mov")]) == []
    (found,) = hindrances(tarn, [row._replace(destination=f"{'é' * 128}/a.mov")])
    assert (found.whole, found.what) == (False, "Tarn takes no names of more than 255 bytes.")


@pytest.mark.parametrize("at", [0, 1, 511, 512, 4094, 4095])
def test_the_first_byte_that_differs_is_found(at: int) -> None:
    """Whatever differs behind it, and where one block ends before the other."""
    ours = bytes(4096)
    theirs = ours[:at] + b"x" * (4096 - at)
    assert copies._first(ours, theirs) == copies._first(theirs, ours) == at
    assert copies._first(ours[:at], ours) == at
