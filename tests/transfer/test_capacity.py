"""What a place can take, told before anything is copied."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

from jutrek.disk import Tree, inside
from jutrek.filing import Action, Row
from jutrek.library import Library, Place, add_place
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
