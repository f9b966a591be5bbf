"""Standing: known by content, whatever the name, and with as little reading as it takes."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import pytest

from jutrek.doubles import NEW, Comparison, Standing, compare, comparing
from jutrek.errors import Stopped
from jutrek.library import Library, fingerprint, survey
from jutrek.library.ledger import Ledger
from jutrek.sources import SourceFile
from tests.making import WHEN, put

BIG = os.urandom(300_000)


def source(path: Path) -> SourceFile:
    status = path.stat()
    return SourceFile(str(path), str(path.parent), status.st_size, status.st_mtime_ns)


def judged(library: Library, ledger: Ledger, *files: SourceFile) -> list[Comparison]:
    survey(library, ledger)
    stands = compare(files, ledger, library.root)
    return [stands[file.path] for file in files]


def test_home_is_told_by_content_under_any_name(library: Library, ledger: Ledger, card: Path) -> None:
    """The same bytes are home, under whatever name; the same name with other bytes is new."""
    put(Path(library.root) / "old" / "Ilvar's picture.jpg", BIG)
    same, other = put(card / "A.JPG", BIG), put(card / "Ilvar's picture.jpg", BIG[:-1] + bytes((BIG[-1] ^ 1,)))
    assert judged(library, ledger, source(same), source(other)) == [
        Comparison(Standing.HOME, "old/Ilvar's picture.jpg"), NEW,
    ]  # fmt: skip


def test_a_difference_in_the_middle_is_seen(library: Library, ledger: Ledger, card: Path) -> None:
    """Quick fingerprints see head and tail only; the full one decides."""
    middle = bytearray(BIG)
    middle[150_000] ^= 1
    put(Path(library.root) / "a.jpg", bytes(middle))
    file = put(card / "a.jpg", BIG)
    assert fingerprint.quick(str(file)) == fingerprint.quick(str(Path(library.root) / "a.jpg"))
    assert judged(library, ledger, source(file)) == [NEW]


def test_twins_are_told_within_an_intake(library: Library, ledger: Ledger, card: Path) -> None:
    """Of equal files the first is the original; empty files are nobody's twins."""
    files = [put(card / name, BIG) for name in ("a", "b", "c")]
    empty = [put(card / name, b"") for name in ("d", "e")]
    stands = judged(library, ledger, *map(source, files), *map(source, empty))
    twin = Comparison(Standing.TWIN, str(files[0]))
    assert stands == [NEW, twin, twin, NEW, NEW]


def test_nothing_is_read_that_need_not_be(
    library: Library, ledger: Ledger, card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A size of its own is new unread; full fingerprints are made once, and kept."""
    put(Path(library.root) / "a.jpg", BIG)
    alone, same = source(put(card / "alone", b"x" * 77)), source(put(card / "same", BIG))
    read: list[str] = []

    def noted(name: str, make: Callable[..., bytes]) -> Callable[..., bytes]:
        def noting(path: str, **options: object) -> bytes:
            read.append(f"{name} {Path(path).name}")
            return make(path, **options)

        return noting

    for name in ("quick", "full"):
        monkeypatch.setattr(comparing, name, noted(name, getattr(fingerprint, name)))
    judged(library, ledger, alone, same)
    assert read == ["quick same", "quick a.jpg", "full a.jpg", "full same"]
    read.clear()
    assert judged(library, ledger, alone, same)[1].standing is Standing.HOME
    assert read == ["quick same"]


@pytest.mark.parametrize("change", ["time", "head"])
def test_a_kept_fingerprint_is_not_believed_of_another_file(
    change: str, library: Library, ledger: Ledger, card: Path
) -> None:
    """The same name and size with another time or other bytes is read again."""
    put(Path(library.root) / "a.jpg", BIG)
    path = put(card / "A.JPG", BIG)
    assert judged(library, ledger, source(path))[0].standing is Standing.HOME
    other = bytearray(BIG)
    other[150_000 if change == "time" else 10] ^= 1
    put(path, bytes(other), WHEN + timedelta(seconds=change == "time"))
    assert judged(library, ledger, source(path)) == [NEW]


def test_a_file_that_vanished_counts_as_new(library: Library, ledger: Ledger, card: Path) -> None:
    """Bringing it home will tell what is wrong with it."""
    put(Path(library.root) / "a.jpg", BIG)
    file = source(put(card / "a.jpg", BIG))
    os.unlink(file.path)
    assert judged(library, ledger, file) == [NEW]


def test_judging_can_be_stopped(library: Library, ledger: Ledger, card: Path) -> None:
    """The token is looked at between files."""
    stop = threading.Event()
    stop.set()
    with pytest.raises(Stopped):
        compare([source(put(card / "a.jpg", BIG))], ledger, library.root, stop=stop)
