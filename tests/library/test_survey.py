"""Surveys that know files again: moved or renamed outside, they keep what the ledger knows of them."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path

import pytest

from jutrek.library import Filed, HomeFile, Library, ProofMark, survey
from jutrek.library.contents import Content
from jutrek.library.fingerprint import full, quick
from jutrek.library.ledger import Ledger
from tests.making import put


def known(library: Library, ledger: Ledger, name: str, data: bytes, *, marked: bool = True) -> Path:
    """A file that the ledger knows, with all that it can know."""
    path = put(Path(library.root, name), data)
    survey(library, ledger)
    status = path.stat()
    stamp = status.st_size, status.st_mtime_ns
    if marked:
        ledger.put([HomeFile(name, *stamp, quick(str(path)), full(str(path)))])
    ledger.put_filed([(name, Filed("2026-05-14T10:26:13", shoot="Bridge survey"))])
    ledger.contents.put([Content(name, *stamp, "still", "jpeg")])
    ledger.put_proofs([ProofMark("", name, *stamp, full(str(path)), "2026-05-18T08:00:00+00:00")])
    return path


@pytest.mark.parametrize("touched", [False, True])
def test_a_moved_file_is_known_by_its_content(library: Library, ledger: Ledger, touched: bool) -> None:
    """Also where the time of change did not come along; fingerprints, filing, content and proof move with it."""
    path = known(library, ledger, "a.jpg", b"picture" * 20)
    Path(library.root, "sub").mkdir()
    moved = path.rename(Path(library.root, "sub", "b.jpg"))
    if touched:
        os.utime(moved, (1, 1))
    found = survey(library, ledger)
    assert (found.files, found.new, found.gone, found.moved) == (1, 0, 0, 1)
    assert ledger.of_paths(["sub/b.jpg"])["sub/b.jpg"].full == full(str(moved))
    filed = ledger.filed("sub/b.jpg")
    assert filed is not None and filed.shoot == "Bridge survey"
    assert list(ledger.proofs("")) == ["sub/b.jpg"]
    assert bool(ledger.contents.of_library()) is not touched
    assert survey(library, ledger).moved == 0


def test_a_file_that_was_never_read_is_known_by_size_and_time(library: Library, ledger: Ledger) -> None:
    """To the nanosecond; with another time it may be any file, and counts as new."""
    path = known(library, ledger, "a.jpg", b"picture" * 20, marked=False)
    moved = path.rename(Path(library.root, "b.jpg"))
    assert survey(library, ledger).moved == 1
    os.utime(moved, (1, 1))
    moved.rename(Path(library.root, "c.jpg"))
    found = survey(library, ledger)
    assert (found.new, found.gone, found.moved) == (1, 1, 0)


def test_other_files_of_the_same_size_are_not_taken_for_it(library: Library, ledger: Ledger) -> None:
    """Nor is a copy beside it: what is still there did not move. Of two copies the one of its name is it."""
    path = known(library, ledger, "a.jpg", b"picture" * 20)
    put(Path(library.root, "copy.jpg"), path.read_bytes())
    assert survey(library, ledger).moved == 0
    path.unlink()
    put(Path(library.root, "other.jpg"), b"another" * 20)
    put(Path(library.root, "sub", "a.jpg"), b"picture" * 20)
    found = survey(library, ledger)
    assert (found.new, found.gone, found.moved) == (1, 0, 1)
    assert ledger.filed("sub/a.jpg") is not None
    assert ledger.filed("other.jpg") is None


def test_names_that_were_swapped_are_noticed(library: Library, ledger: Ledger) -> None:
    """Three in turn, and one to a new name: what is known of each goes along; no content is missed by nobody."""
    paths = [known(library, ledger, f"{name}.jpg", name.encode() * 20) for name in "abcd"]
    for number, path in enumerate(paths):
        os.utime(path, (number, number))
        status = path.stat()
        ledger.put([HomeFile(path.name, status.st_size, status.st_mtime_ns, quick(str(path)), full(str(path)))])
        ledger.put_filed([(path.name, Filed("2026-05-14T10:26:13", shoot=path.name))])
    a, b, c, d = paths
    for old, new in ((a, "x"), (b, "a.jpg"), (c, "b.jpg"), (Path(library.root, "x"), "c.jpg"), (d, "e.jpg")):
        old.rename(Path(library.root, new))
    found = survey(library, ledger)
    assert (found.new, found.changed, found.gone, found.moved) == (0, 0, 0, 4)
    assert {path: one.shoot for path, one in ledger.all_filed().items()} == {
        "a.jpg": "b.jpg", "b.jpg": "c.jpg", "c.jpg": "a.jpg", "e.jpg": "d.jpg",
    }  # fmt: skip
    assert ledger.given() == {"a.jpg": "b.jpg", "b.jpg": "c.jpg", "c.jpg": "a.jpg", "e.jpg": "d.jpg"}
    assert ledger.of_paths(["a.jpg"])["a.jpg"].full == full(str(a))
    assert {mark.full for mark in ledger.proofs("").values()} == {
        full(str(Path(library.root, f"{n}.jpg"))) for n in "abce"
    }
    Path(library.root, "e.jpg").rename(d)
    survey(library, ledger)
    assert "d.jpg" not in ledger.given()
    a.rename(b)
    found = survey(library, ledger)
    assert (found.changed, found.gone, found.moved) == (1, 1, 0)
    ledger.move([("c.jpg", "f.jpg")])
    assert ledger.given() == {"b.jpg": "c.jpg"}


def test_a_frame_of_the_same_size_and_time_is_another_one(library: Library, ledger: Ledger) -> None:
    """What came in its place, with another name, has none of its proofs; the very file has, and so has a copy of it."""
    path = known(library, ledger, "a.jpg", b"picture" * 20)
    one = ledger.of_paths(["a.jpg"])["a.jpg"]
    ledger.put([replace(one, quick=None)])
    path.unlink()
    other = Path(library.root, "b.jpg")
    other.write_bytes(b"another" * 20)
    os.utime(other, ns=(1, one.mtime_ns))
    found = survey(library, ledger)
    assert (found.new, found.gone, found.moved) == (1, 1, 0)
    assert ledger.of_paths(["b.jpg"])["b.jpg"].full is None
    other.unlink()
    survey(library, ledger)
    ledger.put([replace(one, path="gone.jpg", quick=None)])
    os.utime(put(Path(library.root, "c.jpg"), b"picture" * 20), ns=(1, one.mtime_ns))
    assert survey(library, ledger).moved == 1
    assert ledger.of_paths(["c.jpg"])["c.jpg"].full == one.full


def test_a_changed_file_is_a_new_version(library: Library, ledger: Ledger) -> None:
    """Its fingerprints and its content are forgotten, and by what it was filed is not."""
    path = known(library, ledger, "a.jpg", b"picture" * 20)
    path.write_bytes(b"edited!" * 20)
    os.utime(path, (5, 5))
    found = survey(library, ledger)
    assert (found.changed, found.moved) == (1, 0)
    assert ledger.of_paths(["a.jpg"])["a.jpg"].quick is None
    assert ledger.contents.of_library() == []
    assert ledger.contents.to_look_at() == [("a.jpg", 140, 5_000_000_000)]
    assert ledger.filed("a.jpg") is not None
