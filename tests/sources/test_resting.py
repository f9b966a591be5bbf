"""Inboxes: a file counts once it rests."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from jutrek.sources.resting import Inbox, Seen, unfinished, written_to


class Clock:
    """Tells a time that a test sets."""

    now = 0.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def inbox(card: Path, clock: Clock) -> Inbox:
    return Inbox(str(card), rests=5, now=clock)


def names(seen: Seen) -> tuple[list[str], list[str]]:
    return [os.path.basename(one.path) for one in seen.files], sorted(map(os.path.basename, seen.waiting))


def test_a_file_counts_once_it_did_not_change_for_a_while(inbox: Inbox, card: Path, clock: Clock) -> None:
    (card / "a.jpg").write_bytes(b"a")
    assert names(inbox.look()) == ([], ["a.jpg"])
    clock.now = 4
    with (card / "a.jpg").open("ab") as file:
        file.write(b"more")
    (card / "b.jpg").write_bytes(b"b")
    seen = inbox.look()
    assert (names(seen), seen.again) == (([], ["a.jpg", "b.jpg"]), 5)
    clock.now = 8.9
    seen = inbox.look()
    assert (names(seen), round(seen.again or 0, 1)) == (([], ["a.jpg", "b.jpg"]), 0.1)
    clock.now = 9
    seen = inbox.look()
    assert (names(seen), seen.again) == ((["a.jpg", "b.jpg"], []), None)
    settled = {(one.path, one.size, one.mtime_ns) for one in seen.files}
    assert names(inbox.look(settled)) == ([], [])
    # What is known by another size or time is new again, and has to rest once more.
    os.utime(card / "a.jpg", ns=(5, 5))
    assert names(inbox.look(settled)) == ([], ["a.jpg"])


def test_a_file_that_grows_for_ten_minutes_waits_for_ten_minutes(inbox: Inbox, card: Path, clock: Clock) -> None:
    for minute in range(200):
        clock.now = minute * 3.0
        with (card / "clip.mov").open("ab") as file:
            file.write(b"x")
        assert names(inbox.look())[0] == []
    clock.now += 5
    assert names(inbox.look())[0] == ["clip.mov"]


@pytest.mark.parametrize(
    ("name", "waits"),
    [
        ("a.jpg.part", True), ("A.JPG.CRDOWNLOAD", True), ("a.filepart", True), ("a.tmp", True), ("a.jpg~", True),
        ("~a.jpg", True), (".a.jpg.Xy12", True), (".hidden/a.jpg", True), ("a.jpg", False), ("part/a.jpg", False),
        ("a.partly.jpg", False),
    ],
)  # fmt: skip
def test_names_of_what_is_not_finished(name: str, waits: bool) -> None:
    assert bool(unfinished(f"/phone/{name}", "/phone")) is waits


def test_a_file_that_is_open_for_writing_waits(inbox: Inbox, card: Path, clock: Clock) -> None:
    """By whichever program; who only reads it holds up nobody."""
    path = card / "a.jpg"
    path.write_bytes(b"a")
    inbox.look()
    clock.now = 6
    hold = "import sys, time; file = open(sys.argv[1], sys.argv[2]); print('open', flush=True); time.sleep(60)"
    for mode, rests in (("rb", True), ("r+b", False)):
        with subprocess.Popen([sys.executable, "-c", hold, path, mode], stdout=subprocess.PIPE) as program:
            assert program.stdout is not None
            program.stdout.readline()
            seen = inbox.look()
            assert (names(seen)[0] == ["a.jpg"]) is rests
            assert rests or seen.again is not None
            program.kill()
    assert names(inbox.look())[0] == ["a.jpg"]
    assert written_to({str(path)}, proc=str(card)) == frozenset()


def test_an_inbox_that_is_away_is_told_and_nothing_is_forgotten(inbox: Inbox, card: Path, clock: Clock) -> None:
    (card / "a.jpg").write_bytes(b"a")
    inbox.look()
    away = card.rename(card.parent / "away")
    clock.now = 3
    assert "could not be read" in inbox.look().trouble
    away.rename(card)
    clock.now = 5
    seen = inbox.look()
    assert (names(seen)[0], seen.trouble) == (["a.jpg"], "")
