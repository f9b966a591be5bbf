"""What other programs change below a folder is noticed; what Jutrek does itself is not."""

from __future__ import annotations

import errno
import os
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from jutrek.desk import outside_watch
from jutrek.desk.outside_watch import OutsideWatch
from tests.making import PATIENCE

Hints = Callable[[Callable[[], object]], int]


@pytest.fixture
def hints(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Hints]:
    """Does something, and tells how many hints came of it until all was quiet."""
    monkeypatch.setattr(outside_watch, "_RESTS", 0.1)
    monkeypatch.setattr(outside_watch, "_OWN", 0.25)
    for folder in ("a/b", ".jutrek"):
        (tmp_path / "lib" / folder).mkdir(parents=True)
    heard = threading.Semaphore(0)
    watch = OutsideWatch(str(tmp_path / "lib"), heard.release)
    watch.start()
    # As soon as it listens, it hears.
    while not heard.acquire(timeout=0.3):
        (tmp_path / "lib/now").touch()
        (tmp_path / "lib/now").unlink()
    while heard.acquire(timeout=0.4):
        pass

    def told(act: Callable[[], object]) -> int:
        act()
        count = 0
        while heard.acquire(timeout=0.3 if count else 1.0):
            count += 1
        return count

    told.forgive = watch.forgive  # type: ignore[attr-defined]
    yield told
    watch.stop()


def test_each_kind_of_change_is_one_hint(hints: Hints, tmp_path: Path) -> None:
    root = tmp_path / "lib"

    def many() -> None:
        for number in range(40):
            (root / f"a/b/{number}.jpg").write_bytes(b"x")
            time.sleep(0.01)

    assert hints(many) == 1
    assert hints(lambda: os.rename(root / "a", root / "c")) == 1
    assert hints(lambda: (root / "c/b/1.jpg").write_bytes(b"longer")) == 1
    assert hints((root / "c/b/1.jpg").unlink) == 1
    assert hints(lambda: (root / "new/deep").mkdir(parents=True)) == 1
    assert hints((root / "new/deep/2.jpg").touch) == 1


def test_what_is_read_or_is_our_own_is_none(hints: Hints, tmp_path: Path) -> None:
    root = tmp_path / "lib"
    assert hints(lambda: (root / ".jutrek/page").write_bytes(b"x")) == 0
    assert hints(lambda: (root / "a/.jutrek-1.part").write_bytes(b"x")) == 0
    assert hints(lambda: list(root.rglob("*"))) == 0
    hints.forgive()  # type: ignore[attr-defined]
    assert hints(lambda: (root / "a/ours.jpg").write_bytes(b"x")) == 0
    # What comes after that moment is heard again.
    assert hints(lambda: os.rename(root / "a/ours.jpg", root / "a/theirs.jpg")) == 1


@pytest.mark.parametrize("why", ["limit", "network"])
def test_where_nobody_tells_it_is_looked_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, why: str) -> None:
    monkeypatch.setattr(outside_watch, "_AGAIN", 0.1)
    if why == "network":
        monkeypatch.setattr(outside_watch, "filesystem_of", lambda path: "nfs4")
    else:
        from watchdog.observers.inotify import InotifyEmitter

        def full(_: InotifyEmitter) -> None:
            raise OSError(errno.ENOSPC, "inotify watch limit reached")

        monkeypatch.setattr(InotifyEmitter, "on_thread_start", full)
    heard = threading.Semaphore(0)
    watch = OutsideWatch(str(tmp_path), heard.release)
    watch.start()
    assert all(heard.acquire(timeout=5) for _ in range(3))
    watch.stop()


def test_a_drive_that_comes_or_goes_is_a_hint_and_no_other_mount_is(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whatever is mounted, only archive drives are asked about."""
    monkeypatch.setattr(outside_watch, "_MOUNTS", 0.05)
    mounted, here = [{"/"}], [[]]
    monkeypatch.setattr(outside_watch, "_mounted", lambda: frozenset(mounted[0]))
    heard = threading.Semaphore(0)
    watch = OutsideWatch(str(tmp_path), heard.release, lambda: list(here[0]))
    watch.start()
    try:
        mounted[0] = {"/", "/media/stick"}
        assert not heard.acquire(timeout=0.4)
        here[0] = ["/media/Heron"]
        assert not heard.acquire(timeout=0.3)
        mounted[0] = {"/", "/media/Heron"}
        assert heard.acquire(timeout=5)
        mounted[0] = {"/"}
        assert not heard.acquire(timeout=0.3)
    finally:
        watch.stop()


def test_what_came_before_it_listened_is_hinted_of_too(tmp_path: Path) -> None:
    hinted = threading.Event()
    watch = OutsideWatch(str(tmp_path), hinted.set, at_once=True)
    watch.start()
    assert hinted.wait(PATIENCE)
    watch.stop()
