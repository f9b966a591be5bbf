"""Walking a source: everything on it is either a file or told with a reason."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from jutrek.sources import Left, Medium, SourceFile, known_source, scan
from jutrek.sources.scan import MAX_DEPTH
from tests.making import put

STRANGE = [b"new\nline.jpg", "Zahnrad \U0001f682.jpg".encode(), b"x" * 251 + b".jpg", b"not utf-8 \xff.jpg", b" .jpg"]


@pytest.mark.parametrize("name", STRANGE)
def test_names_of_any_bytes_are_files(name: bytes, card: Path) -> None:
    """Names are bytes: all of them come out as they are."""
    path = os.path.join(os.fsencode(card), b"DCIM", name)
    with open(path, "wb") as file:
        file.write(b"content")
    (found,) = scan(str(card))
    assert isinstance(found, SourceFile)
    assert os.fsencode(found.path) == path


def test_links_loops_and_pipes_are_left_with_a_reason(card: Path) -> None:
    """Nothing is followed, nothing blocks, everything is told."""
    put(card / "DCIM" / "a.jpg", b"a")
    (card / "loop").symlink_to(card)
    (card / "link.jpg").symlink_to(card / "DCIM" / "a.jpg")
    os.mkfifo(card / "pipe")
    found = {os.path.basename(thing.path): thing for thing in scan(str(card))}
    assert isinstance(found.pop("a.jpg"), SourceFile)
    assert set(found) == {"loop", "link.jpg", "pipe"}
    for thing in found.values():
        assert isinstance(thing, Left)
        assert thing.why.endswith(".")


def test_a_library_inside_is_left_out_and_housekeeping_is_told(card: Path) -> None:
    """What lies where an operating system keeps its own is named, and can be brought along all the same."""
    put(card / "System Volume Information" / "deep" / "x", b"a")
    put(card / "home" / "2026" / "a.jpg", b"a")
    kept, left = scan(str(card), leave_out=frozenset({str(card / "home")}))
    assert isinstance(kept, Left) and isinstance(left, Left)
    assert (kept.apart, left.apart) == (False, True)
    assert "library" in left.why or "library" in kept.why
    inner = next(one for one in (kept, left) if one.file is not None)
    assert inner.path.endswith("deep/x")
    assert "System Volume Information" in inner.why
    assert {type(one) for one in scan(str(card), housekeeping=True) if one.path == inner.path} == {SourceFile}


def test_deep_nesting_ends(tmp_path: Path) -> None:
    """Folders nested without end are not entered without end, and that is told."""
    path = tmp_path
    for _ in range(MAX_DEPTH + 6):
        path /= "d"
    path.mkdir(parents=True)
    put(path.parents[500] / "a.jpg", b"a")
    file, left = sorted(scan(str(tmp_path)), key=lambda one: type(one).__name__, reverse=True)
    assert isinstance(file, SourceFile)
    assert isinstance(left, Left)
    assert "deeper" in left.why


@pytest.mark.skipif(os.geteuid() != 0, reason="needs root to become somebody else")
def test_unreadable_folders_are_told(card: Path) -> None:
    """A folder that may not be read gets a sentence; the rest is read."""
    put(card / "DCIM" / "a.jpg", b"a")
    closed = card / "closed"
    closed.mkdir(mode=0o000)
    for folder in (card, *card.parents[:-1]):
        if folder.stat().st_uid == os.geteuid() and folder != Path("/tmp"):
            folder.chmod(0o755)
    os.seteuid(65534)
    try:
        found = {os.path.basename(thing.path): thing for thing in scan(str(card))}
    finally:
        os.seteuid(0)
    assert isinstance(found["a.jpg"], SourceFile)
    assert isinstance(left := found["closed"], Left)
    assert "permission denied" in left.why


def test_a_card_is_told_from_a_folder(tmp_path: Path, card: Path) -> None:
    """By the folders that cameras make."""
    assert known_source(str(card)).medium is Medium.CARD
    put(tmp_path / "Phone inbox" / "a.jpg", b"a")
    source = known_source(str(tmp_path / "Phone inbox"))
    assert (source.medium, source.name) == (Medium.FOLDER, "Phone inbox")


def test_walking_leaves_no_trace(card: Path) -> None:
    """Not even the time of last access of a folder changes."""
    put(card / "DCIM" / "a.jpg", b"a")
    for folder in (card, card / "DCIM"):
        os.utime(folder, ns=(1_000_000_000, 2_000_000_000))
    assert len(list(scan(str(card)))) == 1
    assert {folder.stat().st_atime_ns for folder in (card, card / "DCIM")} == {1_000_000_000}
