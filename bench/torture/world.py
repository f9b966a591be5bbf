"""A made-up world to be tortured: a card, a library and a place on media of several kinds, and the truth about them."""

from __future__ import annotations

import hashlib
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from pathlib import Path

from tests import making

from jutrek.library import Library, add_place, new_library, open_library
from jutrek.simulate.faults import Faults

KINDS = ("plain", "plain", "faulty", "blind", "forgetful", "forgetful")
BIG = 9 * 1024 * 1024


@dataclass
class Medium:
    """A folder (plain), or a mount with faults that tells case, is blind to it, or forgets what was not synced.

    Attributes:
        top: where it is seen.
        below: what is really there.
        seed: by which a forgetful one keeps half of what nobody synced; empty where it keeps nothing of it.
    """

    kind: str
    top: Path
    below: Path
    page: Path
    process: subprocess.Popen[bytes] | None = None
    seed: str = ""

    @classmethod
    def make(cls, folder: Path, name: str, kind: str, seed: str = "") -> Medium:
        """A new, empty medium."""
        below = folder / (name if kind == "plain" else f"{name} below")
        below.mkdir(parents=True)
        medium = cls(kind, folder / name, below, folder / f"{name}.json", seed=seed)
        medium.top.mkdir(exist_ok=True)
        medium.mount()
        return medium

    def mount(self) -> None:
        """Plug it in, with nothing the matter."""
        if self.kind == "plain" or (self.process is not None and self.process.poll() is None):
            return
        self.page.unlink(missing_ok=True)
        words = [
            sys.executable,
            "-m",
            "jutrek.simulate.filesystem",
            self.below,
            self.top,
            self.page,
            self.kind,
            self.seed,
        ]
        self.process = subprocess.Popen(list(map(str, words)), stderr=subprocess.DEVNULL)
        for _ in range(400):
            if os.path.ismount(self.top):
                return
            time.sleep(0.02)
        raise RuntimeError("the medium was not mounted")

    def fail(self, faults: Faults) -> None:
        """Let it fail from now on."""
        if self.kind != "plain":
            faults.keep(str(self.page))

    def heal(self) -> None:
        """Nothing is the matter any more; plug it in where it was pulled."""
        if self.kind != "plain":
            Faults().keep(str(self.page))
            self.mount()

    def begin(self) -> None:
        """Whatever is there by now is durable."""
        if self.kind == "forgetful":
            Faults().keep(str(self.page))

    def cut(self) -> None:
        """The power goes, and comes back. Nobody has anything open there."""
        if self.kind == "forgetful" and self.process is not None:
            subprocess.run(["umount", self.top], check=True, capture_output=True)
            if self.process.wait() != 0:
                raise RuntimeError("the medium did not forget")
            self.seed = self.seed and f"{self.seed}'"
            self.mount()

    def pull(self) -> None:
        """Pull it out."""
        if self.process is not None:
            self.process.send_signal(signal.SIGKILL)
            self.process.wait()
            subprocess.run(["umount", "--lazy", self.top], check=False, capture_output=True)

    def close(self) -> None:
        """Take it away."""
        if self.kind != "plain":
            subprocess.run(["umount", "--lazy", self.top], check=False, capture_output=True)
            if self.process is not None:
                self.process.kill()
                self.process.wait()


@dataclass
class World:
    """Everything there is, and what must never be lost.

    Attributes:
        truth: digests of every content that a camera ever wrote.
        rotted: digests of what a medium made of them.
    """

    folder: Path
    chance: random.Random
    card: Medium
    home: Medium
    backup: Medium
    truth: set[bytes] = field(default_factory=set)
    rotted: set[bytes] = field(default_factory=set)
    _shots: int = 0

    @classmethod
    def make(cls, folder: Path, chance: random.Random, kinds: Sequence[str] = ()) -> World:
        """A card with files on it, an empty library, a place; on media of these kinds, or of any."""
        seed = "" if kinds else chance.choice(("", f"{chance.random()}"))
        kinds = kinds or (chance.choice(("plain", "faulty")), chance.choice(KINDS), chance.choice(KINDS))
        names = ("Card A", "home", "backup")
        media = [Medium.make(folder, name, kind, seed) for name, kind in zip(names, kinds, strict=True)]
        world = cls(folder, chance, *media)
        (world.home.top / "archive").mkdir()
        (world.backup.top / "copies").mkdir()
        making.put(folder / "victim" / "thesis", b"mine")
        add_place(new_library(world.root), str(world.backup.top / "copies"), "Tarn")
        world.shoot(chance.randint(4, 14))
        return world

    @property
    def root(self) -> str:
        """The library's root."""
        return str(self.home.top / "archive")

    @property
    def media(self) -> tuple[Medium, Medium, Medium]:
        """All media."""
        return self.card, self.home, self.backup

    def library(self) -> Library:
        """The library."""
        return open_library(self.root)

    def shoot(self, count: int) -> None:
        """A camera writes files: pictures, raws beside them, a clip now and then, names of any bytes."""
        for _ in range(count):
            self._shots += 1
            when = making.WHEN + timedelta(minutes=self._shots, days=self._shots // 15)
            name = self.card.below / "DCIM" / f"{self.chance.choice(('DSC', 'dsc', 'Ä', '=x'))}{self._shots:04}"
            self._put(name.with_suffix(".JPG"), making.jpeg(when, seed=self._shots))
            if self.chance.random() < 0.3:
                self._put(name.with_suffix(".DNG"), making.dng(when, seed=self._shots))
            if self.chance.random() < 0.1:
                big = BIG if self.chance.random() < 0.5 else 50_000
                self._put(name.with_suffix(".MP4"), making.mp4(when, media=self.chance.randbytes(big)))

    def _put(self, path: Path, data: bytes) -> None:
        making.put(path, data)
        self.truth.add(hashlib.sha256(data).digest())

    def misread(self, at: int) -> None:
        """The card reads a byte of every file wrongly from now on: nobody who reads it can know.

        What comes home so is no camera's; what a camera wrote must still not be cleared for it.
        """
        for path in self.card.below.rglob("*"):
            if path.is_file() and not path.is_symlink():
                data = bytearray(path.read_bytes())
                if len(data) > at:
                    data[at] ^= 1
                    self.rotted.add(hashlib.sha256(data).digest())

    def files(self) -> Iterator[tuple[str, Path, bytes]]:
        """Every file in the world with the digest of its bytes: where (card, home, backup, trash), path, digest."""
        tops = [("card", self.card.below), ("home", self.home.below), ("backup", self.backup.below)]
        tops += [("trash", Path(os.environ["XDG_DATA_HOME"]) / "Trash" / "files")]
        for where, top in tops:
            for path in sorted(top.rglob("*")):
                if path.is_file() and not path.is_symlink():
                    with path.open("rb") as file:
                        yield where, path, hashlib.file_digest(file, "sha256").digest()

    def good_elsewhere(self, path: Path, digest: bytes) -> bool:
        """Whether a content is anywhere else, under a name of its own."""
        return any(digest == other and path != one and ".jutrek" not in one.parts for _, one, other in self.files())

    def captures(self, medium: Medium) -> list[Path]:
        """Files of the library or the place that a person sees."""
        return [
            path
            for path in sorted(medium.below.rglob("*"))
            if path.is_file() and not {".jutrek", "ascmhl", ".Trash-0"} & set(path.relative_to(medium.below).parts)
        ]  # fmt: skip

    def begin(self) -> None:
        """Whatever is there by now is durable."""
        for medium in self.media:
            medium.begin()

    def told(self) -> dict[Path, bytes]:
        """What must be as it is, even if the power goes now, once an act has told that it is done: files and records.

        Not the ledger, which is made from them, nor the pages that tell where a run is at work, nor the notes of a
        trash, which somebody else writes.
        """
        return {
            path: path.read_bytes()
            for medium in (self.home, self.backup)
            for path in medium.below.rglob("*")
            if path.is_file() and "ledger" not in path.name and path.parent.name not in ("at-work", "info")
        }

    def cut(self) -> bool:
        """The power goes, and comes back. Returns whether anything can have been forgotten."""
        forgetful = [medium for medium in self.media if medium.kind == "forgetful"]
        for medium in forgetful:
            medium.cut()
        return bool(forgetful)

    def close(self) -> None:
        """Take everything away."""
        for medium in self.media:
            medium.close()
        shutil.rmtree(self.folder, ignore_errors=True)
