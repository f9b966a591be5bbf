"""Small files of every format, made by encoders or byte by byte, and short ways through the street."""

from __future__ import annotations

import hashlib
import os
import threading
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from PIL import Image

from jutrek.captures import Decisions
from jutrek.demo import sound, stills
from jutrek.demo.shelf.boxes import box, brand, movie_header, since_1904
from jutrek.desk.intake import make_captures, plan_of, read_source, standings_of
from jutrek.desk.story import devices_of, tell
from jutrek.filing import HouseRules, Plan
from jutrek.formats import Reading
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source

WHEN = datetime(2026, 5, 14, 10, 26, 13, 420_000)
PATIENCE = 20.0 * max(1.0, os.getloadavg()[0] / (os.cpu_count() or 1))
"""Seconds that a test waits for what comes at once on a machine that has nothing else to do."""


def picture(seed: int = 0, size: tuple[int, int] = (48, 32)) -> Image.Image:
    """A small picture that differs by its seed."""
    shade = (seed * 37 % 256, seed * 101 % 256, seed // 7 % 256)
    return Image.effect_noise(size, 30).convert("RGB") if seed < 0 else Image.new("RGB", size, shade)


def _own(when: datetime | None, seed: int) -> int:
    """A seed for the content: what was shot at different times differs inside, not in what is said about it alone."""
    if when is None or seed < 0:
        return seed
    return seed * 1_000_003 + int((when - datetime(1970, 1, 1)).total_seconds() * 1000)


def jpeg(when: datetime | None = WHEN, *, seed: int = 0, model: str = "M2", offset: str = "+02:00") -> bytes:
    """A JPEG of a stills body, or one without any metadata."""
    shot = stills.Shot(when, "Arlen", model, "A2-1", offset) if when else None
    return stills.jpeg(picture(_own(when, seed)), shot)


def dng(when: datetime = WHEN, *, seed: int = 0) -> bytes:
    """A DNG of the same body."""
    return stills.dng(picture(_own(when, seed)), stills.Shot(when, "Arlen", "M2", "A2-1"))


def wav(when: datetime = WHEN, *, seed: int = 0) -> bytes:
    """A short take."""
    return sound.take(when, 0.2, _own(when, seed), scene="Yard", number=3)


def xmp(when: str = "2026-05-14T10:26:13+02:00") -> bytes:
    """A sidecar."""
    return (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        "<rdf:Description xmlns:e='http://ns.adobe.com/exif/1.0/' "
        f"e:DateTimeOriginal='{when}'/></rdf:RDF></x:xmpmeta>"
    ).encode()


def mp4(utc: datetime = WHEN, *udta: bytes, name: bytes = b"isom", media: bytes = b"") -> bytes:
    """An MP4 with its `moov` behind the media data."""
    header = movie_header(since_1904(utc))
    more = (box(b"udta", *udta),) if udta else ()
    return (
        brand(name)
        + box(b"mdat", media or f"{utc:%Y%m%d%H%M%S%f}".encode().ljust(64, b"\0"))
        + box(b"moov", header, *more)
    )


def claims_inside(reading: Reading) -> list[tuple[str, str, str | None]]:
    """Kind, value and offset of the claims that stand inside a file."""
    return [
        (claim.at, claim.stamp.iso(), str(claim.stamp.offset) if claim.stamp.offset else None)
        for claim in reading.claims
        if claim.at not in ("name", "folder", "file")
    ]


def put(path: Path, data: bytes, when: datetime = WHEN) -> Path:
    """Write a file with a time of last change (UTC)."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    stamp = int((when - datetime(1970, 1, 1)).total_seconds())
    os.utime(path, (stamp, stamp))
    return path


def never() -> threading.Event:
    """A stop that nobody asks for."""
    return threading.Event()


def planned(
    library: Library,
    ledger: Ledger,
    sources: Sequence[Path],
    rules: HouseRules | None = None,
    decisions: Decisions | None = None,
) -> Plan:
    """Read sources and plan them."""
    stop = never()
    founds = [read_source(known_source(str(path)), library, stop=stop, report=lambda *_: None) for path in sources]
    rules = rules or HouseRules()
    captures, decisions = make_captures(founds, rules), decisions or Decisions()
    devices = devices_of([found.source for found in founds], captures, decisions, {})
    story = tell(captures, devices, decisions, rules, ())
    standings = standings_of(story.captures, library, ledger, stop=stop, report=lambda *_: None, founds=founds)
    return plan_of(founds, story, library, rules, standings, ledger.stored.all())


def everything(root: Path | str) -> dict[str, tuple[str, int, int, int]]:
    """Every entry below a folder: digest of its bytes, times of last change and access, and mode."""
    seen: dict[str, tuple[str, int, int, int]] = {}
    folders = [os.fspath(root)]
    while folders:
        folder = folders.pop()
        fd = os.open(folder, os.O_RDONLY | os.O_NOATIME)
        for name in os.listdir(fd):
            path = os.path.join(folder, name)
            status = os.lstat(path)
            digest = ""
            if os.path.isdir(path):
                folders.append(path)
            elif os.path.isfile(path):
                with open(os.open(path, os.O_RDONLY | os.O_NOATIME), "rb") as file:
                    digest = hashlib.file_digest(file, "sha256").hexdigest()
            seen[path] = (digest, status.st_mtime_ns, status.st_atime_ns, status.st_mode)
        os.close(fd)
    return seen


def names_below(root: str) -> set[str]:
    """Files below a library, relative, without what Jutrek keeps for itself, and hash lists."""
    found = set()
    for folder, folders, files in os.walk(root):
        folders[:] = [name for name in folders if name not in (".jutrek", "ascmhl")]
        found |= {os.path.relpath(os.path.join(folder, name), root) for name in files}
    return found
