"""Keeping an outbox in step, on random stories whose truth is known: views change, originals change and move, others
write, change and delete in the folder, settings change, and Jutrek is killed wherever it touches a disk.
"""

from __future__ import annotations

import contextlib
import os
import random
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest
from PIL import Image

from jutrek.disk import Tree
from jutrek.errors import OutboxBusy
from jutrek.formats import Kind
from jutrek.library.fingerprint import quick
from jutrek.outboxes import step
from jutrek.outboxes.asked import Asked
from jutrek.outboxes.record import Of, Record
from jutrek.outboxes.step import Synced, in_step
from jutrek.outboxes.telling import Words
from jutrek.outboxes.wanted import Wanted
from tests.making import never


class Killed(BaseException):
    """The process is gone."""


@dataclass
class Original:
    number: int
    colour: int
    path: str
    stem: str
    keywords: tuple[str, ...] = ()
    paths: list[str] = field(default_factory=list)
    """Where it lay since the last time that nobody was killed."""
    edited: str = ""
    """The copy of it that somebody changed, while that is there."""


@dataclass
class Story:
    """A library, an outbox, and what others do. What it tells is the truth."""

    dice: random.Random
    home: Path
    box: Path
    asked: Asked = field(default_factory=lambda: Asked(longest=64))
    originals: list[Original] = field(default_factory=list)
    shown: set[int] = field(default_factory=set)
    others: dict[str, bytes] = field(default_factory=dict)
    """What is in the folder that Jutrek did not make, by its name."""

    def _write(self, one: Original) -> None:
        (self.home / one.path).parent.mkdir(parents=True, exist_ok=True)
        Image.new("RGB", (96, 72), _colour(one.colour)).save(self.home / one.path, "PNG")
        # Times of one second are as they come from a camera: only the content tells them apart.
        os.utime(self.home / one.path, ns=(0, 1_780_000_000_000_000_000))

    def shoot(self) -> None:
        number = len(self.originals)
        stem = self.dice.choice(["bridge", "Bridge", f"picture {number}", "rail 2", "rail"])
        path = f"{number % 3}/{number} {stem}.png"
        one = Original(number, self.dice.randrange(512), path, stem, paths=[path])
        self.originals.append(one)
        self.shown.add(number)
        self._write(one)

    def change(self) -> None:
        one = self.dice.choice(self.originals)
        if len(one.paths) > 1:
            # Nobody knows it again that was moved and changed at once.
            return
        one.colour = (one.colour + 73) % 512
        self._write(one)
        os.utime(self.home / one.path, ns=(0, 1_780_000_000_000_000_000 + self.dice.randrange(10**15)))

    def describe(self) -> None:
        self.dice.choice(self.originals).keywords = (self.dice.choice(["rail", "yard", "snow"]),)

    def move(self) -> None:
        one = self.dice.choice(self.originals)
        new = f"moved/{self.dice.randrange(10**6)} {one.number}.png"
        (self.home / new).parent.mkdir(exist_ok=True)
        os.rename(self.home / one.path, self.home / new)
        one.paths.append(new)
        one.path, one.stem = new, self.dice.choice([one.stem, f"renamed {one.number}"])

    def narrow(self) -> None:
        for one in self.originals:
            if self.dice.random() < 0.3:
                self.shown ^= {one.number}
        self._forget_left()

    def _forget_left(self) -> None:
        """What was changed by somebody is nobody's any more once its original left."""
        for one in self.originals:
            if one.number not in self.shown:
                one.edited = ""

    def ask_otherwise(self) -> None:
        self.asked = Asked(longest=self.dice.choice([64, 80]))

    def _ours(self) -> list[Path]:
        return [one for one in self.box.iterdir() if one.name not in self.others]

    def meddle(self) -> None:
        """Somebody changes or deletes a copy, or puts a file, a link or a folder where one may want to be."""
        ours, what = self._ours(), self.dice.randrange(4)
        if what == 0 and ours:
            self._edit(self.dice.choice(ours))
        elif what == 1 and ours:
            self.dice.choice(ours).unlink()
        elif self.originals:
            name = f"{self.dice.choice(self.originals).stem}{self.dice.choice(['', ' 2'])}.jpg"
            if name.casefold() not in {one.name.casefold() for one in self.box.iterdir()}:
                # Where a copy was that somebody deleted, it is as if it was changed.
                if (owner := self._owner(self.box / name)) is not None:
                    owner.edited = name
                (self.box / name).write_bytes(b"somebody's own")
                self.others[name] = b"somebody's own"

    def _edit(self, copy: Path) -> None:
        """Change a copy, at times without another size or time."""
        before, data = copy.stat(), bytearray(copy.read_bytes())
        owner = self._owner(copy)
        if self.dice.random() < 0.5:
            data += b"\0edited"
        else:
            data[-10] ^= 1
        if owner is None:
            return
        copy.write_bytes(data)
        if len(data) == before.st_size:
            # Looks like what was made: it may be kept as it is, but never removed.
            os.utime(copy, ns=(0, before.st_mtime_ns + 10**10))
        self.others[copy.name] = bytes(data)
        owner.edited = copy.name

    def _owner(self, copy: Path) -> Original | None:
        with Record(str(self.box)) as record:
            known = record.copies.get(copy.name)
        return next((one for one in self.originals if known is not None and known.of.path in one.paths), None)

    def unedit(self) -> None:
        for one in self.originals:
            if one.edited and self.dice.random() < 0.5:
                (self.box / one.edited).unlink()
                del self.others[one.edited]
                one.edited = ""

    def wanted(self) -> list[Wanted]:
        return [self._wanted(one) for one in self.originals if one.number in self.shown]

    def _wanted(self, one: Original) -> Wanted:
        at = str(self.home / one.path)
        status = os.stat(at)
        of = Of(one.path, status.st_size, quick(at).hex(), status.st_mtime_ns)
        words = Words(keywords=one.keywords)
        return Wanted(
            one.path, at, "", of, Kind.STILL, (), one.stem, ".jpg", self.asked.made_as(Kind.STILL), words, words.key
        )

    def sync(self, stop: threading.Event | None = None) -> Synced:
        with Record(str(self.box)) as record:
            return in_step(str(self.box), self.wanted(), self.asked, record, stop=stop or never())

    def check(self) -> None:
        """The folder is what it is to be."""
        for one in self.originals:
            one.paths = [one.path]
        for name, data in self.others.items():
            assert (self.box / name).read_bytes() == data
        found = sorted(_seen(one) for one in self._ours())
        assert found == sorted(
            (_near(_colour(one.colour)), self.asked.longest, one.keywords)
            for one in self.originals
            if one.number in self.shown and not one.edited
        )


def _colour(number: int) -> tuple[int, int, int]:
    return number // 64 * 32 + 15, number // 8 % 8 * 32 + 15, number % 8 * 32 + 15


def _near(colour: tuple[int, ...]) -> tuple[int, ...]:
    return tuple(value // 32 for value in colour)


def _seen(copy: Path) -> tuple[tuple[int, ...], int, tuple[str, ...]]:
    with Image.open(copy) as picture:
        packet = picture.info.get("xmp", b"")
        words = tuple(word for word in ("rail", "yard", "snow") if f">{word}<".encode() in packet)
        middle = picture.getpixel((picture.width // 2, picture.height // 2))
        assert isinstance(middle, tuple)
        return _near(middle), max(picture.size), words


@pytest.fixture
def story(tmp_path: Path) -> Callable[[int], Story]:
    def begin(seed: int) -> Story:
        home, box = tmp_path / f"home {seed}", tmp_path / f"box {seed}"
        home.mkdir()
        box.mkdir()
        one = Story(random.Random(seed), home, box)
        for _ in range(5):
            one.shoot()
        return one

    return begin


@contextlib.contextmanager
def dying(dice: random.Random) -> Iterator[None]:
    """The process is killed before, or behind, one of the next times that it touches a disk."""
    left, behind = dice.randrange(1, 30), dice.random() < 0.5

    def deadly(method: Callable[..., object]) -> Callable[..., object]:
        def call(*args: object, **more: object) -> object:
            nonlocal left
            left -= 1
            if left == 0 and not behind:
                raise Killed
            found = method(*args, **more)
            if left == 0:
                raise Killed
            return found

        return call

    doors = [(Tree, name) for name in ("give_name", "remove", "open", "remove_own")] + [(Record, "_append")]
    before = [getattr(where, name) for where, name in doors]
    for (where, name), method in zip(doors, before, strict=True):
        setattr(where, name, deadly(method))
    try:
        yield
    except Killed:
        pass
    finally:
        for (where, name), method in zip(doors, before, strict=True):
            setattr(where, name, method)


@pytest.mark.parametrize("seed", range(8))
def test_whatever_happens(story: Callable[[int], Story], seed: int) -> None:
    one = story(seed)
    acts = [
        one.shoot, one.change, one.describe, one.move, one.narrow, one.meddle, one.meddle, one.ask_otherwise,
        one.unedit,
    ]  # fmt: skip
    for _ in range(12):
        for act in one.dice.sample(acts, 2):
            act()
        for _ in range(one.dice.randrange(3)):
            with dying(one.dice):
                one.sync()
        one.sync()
        one.check()
        again = one.sync()
        assert (again.changed, again.stopped, again.trouble) == (0, False, "")


def test_nothing_is_decoded_twice(story: Callable[[int], Story], monkeypatch: pytest.MonkeyPatch) -> None:
    one = story(1)
    assert one.sync().made == 5
    monkeypatch.setattr(step, "make", None)
    one.move()
    one.originals[2].keywords = ("rail",)
    one.shown -= {4}
    done = one.sync()
    assert (done.made, done.said_anew, done.removed, done.holds) == (0, 1, 1, 4)
    one.check()


def test_what_can_t_be_decoded_is_not_tried_again(
    story: Callable[[int], Story], monkeypatch: pytest.MonkeyPatch
) -> None:
    one = story(2)
    (one.home / one.originals[0].path).write_bytes(b"\x89PNG\r\n\x1a\n damaged")
    for _ in range(2):
        done = one.sync()
        assert done.cannot == [(one.originals[0].path, "its picture can't be decoded")]
        monkeypatch.setattr(step, "make", None)


def test_one_that_changed_where_fingerprints_do_not_look_is_made_again(story: Callable[[int], Story]) -> None:
    one = story(6)
    one.sync()
    at = one.home / one.originals[0].path
    os.utime(at, ns=(0, at.stat().st_mtime_ns + 2 * 10**9))
    assert one.sync().made == 0  # As a file system with coarse times tells it.
    os.utime(at, ns=(0, at.stat().st_mtime_ns + 3 * 10**9))
    assert one.sync().made == 1


def test_a_file_that_can_t_be_read_now_keeps_its_copy(story: Callable[[int], Story]) -> None:
    one = story(3)
    one.sync()
    wanted = [two._replace(of=None, at="", why="its archive drive is away") for two in one.wanted()]
    with Record(str(one.box)) as record:
        done = in_step(str(one.box), wanted, one.asked, record, stop=never())
    assert (done.changed, done.waits, done.holds) == (0, [], 5)


def test_a_full_disk_and_a_stop_end_it_and_the_next_time_goes_on(
    small_place: Path, tmp_path: Path
) -> None:  # fmt: skip
    one = Story(random.Random(4), tmp_path / "home", small_place / "box")
    (small_place / "box").mkdir(parents=True)
    for _ in range(3):
        one.shoot()
    filler = small_place / "filler"
    with filler.open("wb") as file, contextlib.suppress(OSError):
        while True:
            file.write(bytes(1 << 16))
            file.flush()
    done = one.sync()
    assert "takes no more: no space left on device" in done.trouble
    assert list((small_place / "box").iterdir()) == []
    filler.unlink()
    stop = threading.Event()
    stop.set()
    assert one.sync(stop).stopped
    assert one.sync().made == 3
    one.check()


def test_two_at_once_do_not_meet(story: Callable[[int], Story]) -> None:
    one = story(5)
    with Record(str(one.box)), pytest.raises(OutboxBusy, match="filled by another Jutrek"):
        one.sync()
