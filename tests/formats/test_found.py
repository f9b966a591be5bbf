"""What fuzzing found, kept; and a bounded run of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from jutrek.demo.shelf import specimens
from jutrek.demo.shelf.sounds import broadcast
from jutrek.formats import STUMBLED, read, table
from tests import fuzz
from tests.making import WHEN, put


def short_frame() -> bytes:
    """An MP3 that ends within the mark of its first frame."""
    data = specimens()["take.mp3"]
    return data[: data.index(b"Info") + 4 if b"Info" in data else data.index(b"Xing") + 4]


def endless_samples() -> bytes:
    """A blank clock, and more samples since midnight than time has."""
    bext = broadcast(WHEN, 2**64 - 1).replace(b"10:26:13", b"        ")
    form = b"fmt \x10\0\0\0\1\0\1\0\1\0\0\0\2\0\0\0\2\0\x10\0"
    return b"RIFF\0\0\0\0WAVE" + b"bext" + len(bext).to_bytes(4, "little") + bext + form


def far_future() -> bytes:
    """A creation date beyond the calendar."""
    data = bytearray(specimens()["old.wmv"])
    at = data.index(bytes.fromhex("a1dcab8c47a9cf118ee400c00c205365")) + 24 + 24
    data[at : at + 8] = (2**62 - 1).to_bytes(8, "little")
    return bytes(data)


@pytest.mark.parametrize("make", [short_frame, endless_samples, far_future])
def test_what_fuzzing_found_stays_mended(make: Callable[[], bytes], tmp_path: Path) -> None:
    """Each of these made a reader stumble once."""
    assert STUMBLED not in read(str(put(tmp_path / "a.bin", make()))).notes


@pytest.mark.long
def test_a_bounded_run_of_fuzzing_breaks_no_reader(tmp_path: Path) -> None:
    """Twenty changes of every specimen, the same ones each time."""
    seeds = iter(range(20 * len(specimens())))
    assert [(seed, name, what) for seed, name, what, _ in fuzz.broken(seeds, str(tmp_path))] == []


def test_fuzzing_tells_a_reader_that_breaks(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The check can fail: a reader that raises is found."""

    def breaks(*_: object) -> None:
        raise ZeroDivisionError

    rows = [row._replace(read=breaks) if row.name == "png" else row for row in table._READ]
    monkeypatch.setattr(table, "_READ", rows)
    number = sorted(specimens()).index("picture.png")
    broken = list(fuzz.broken(iter(range(number, 20 * len(specimens()), len(specimens()))), str(tmp_path)))
    assert {(name, what) for _, name, what, _ in broken} == {("picture.png", "stumbled")}
