"""What fuzzing found, kept; and a bounded run of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from bench import fuzz

from jutrek.demo.shelf import specimens
from jutrek.demo.shelf.sounds import broadcast
from jutrek.errors import BrokenFile
from jutrek.formats import STUMBLED, Kind, read, table
from jutrek.formats.span import BLOCK, HEAD, READ_LIMIT, FileBytes
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


def test_an_empty_file_is_told_and_is_nothing(tmp_path: Path) -> None:
    """Whatever its name says; a single byte is of a format that is not known."""
    empty, byte = (read(str(put(tmp_path / f"{len(data)}.jpg", data))) for data in (b"", b"x"))
    assert [(one.kind, one.format, one.notes) for one in (empty, byte)] == [
        (Kind.OTHER, "unknown", ("The file is empty.",)),
        (Kind.OTHER, "unknown", ("The content is of no format that Jutrek knows.",)),
    ]


def test_reading_ends_at_four_mebibytes(tmp_path: Path) -> None:
    """However a file leads its reader around; what was read before is not read again, and costs nothing."""
    with put(tmp_path / "a.bin", bytes(READ_LIMIT + 4 * BLOCK)).open("rb") as file:
        content = FileBytes(file.fileno(), READ_LIMIT + 4 * BLOCK)
        blocks = (READ_LIMIT - HEAD) // BLOCK
        for number in range(blocks):
            for _ in range(2):
                assert len(content.at(HEAD + number * BLOCK, 16)) == 16
        assert (content.cost, READ_LIMIT) == (READ_LIMIT, 4 * 1024 * 1024)
        assert content.at(0, HEAD) == bytes(HEAD)
        with pytest.raises(BrokenFile, match="metadata within 4194304 bytes"):
            content.at(HEAD + blocks * BLOCK, 1)
        whole = FileBytes(file.fileno(), READ_LIMIT + 4 * BLOCK, limit=None)
        assert len(whole.at(HEAD, READ_LIMIT)) == READ_LIMIT


def test_fuzzing_tells_a_reader_that_breaks(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The check can fail: a reader that raises is found."""

    def breaks(*_: object) -> None:
        raise ZeroDivisionError

    rows = [row._replace(read=breaks) if row.name == "png" else row for row in table._READ]
    monkeypatch.setattr(table, "_READ", rows)
    number = sorted(specimens()).index("picture.png")
    broken = list(fuzz.broken(iter(range(number, 20 * len(specimens()), len(specimens()))), str(tmp_path)))
    assert {(name, what) for _, name, what, _ in broken} == {("picture.png", "stumbled")}
