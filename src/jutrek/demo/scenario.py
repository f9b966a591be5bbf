"""The Velmora line: five days in May 2026 on three cards and a phone, and the volunteers' library of two years.

Everything is made by code from seeds, the same every time. The camcorder's clock runs an hour behind, one batch on the
phone carries a clock that was never set, a few pictures came by messenger without any date, and about a tenth of the
cards is in the library already, under other names.
"""

from __future__ import annotations

import os
import random
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from jutrek.demo import clips, scenes, sound, stills
from jutrek.demo.shelf import LOCAL, PLACE, specimens

VERSION = "2"
_MARK = "made-by-jutrek.txt"
_OFFSET = timedelta(hours=2)
_PICTURE = (1080, 720)
_EDITED = (6, 16)
"""Pictures on the phone that somebody straightened some days later."""

_SHOOTS: tuple[tuple[int, str, str, int], ...] = (
    (12, "Depot walk-through", "depot", 18),
    (14, "Bridge survey", "bridge", 38),
    (15, "Rail unloading", "unloading", 22),
    (17, "First steam test", "steam", 32),
    (18, "Yard, evening", "track", 10),
)
"""Day of May 2026, what it was, what to draw, and how many stills the stills body took."""


@dataclass(frozen=True, slots=True)
class Scenario:
    """Where the demo lies: the sources in the order of the board, and the library."""

    root: str

    @property
    def sources(self) -> tuple[str, ...]:
        """The three cards and the phone's inbox."""
        return tuple(os.path.join(self.root, name) for name in ("Card A", "Card B", "Card D", "Phone inbox"))

    @property
    def library(self) -> str:
        """The volunteers' library."""
        return os.path.join(self.root, "Velmora line archive")

    @property
    def made(self) -> bool:
        """Whether this version of the demo is there, whole."""
        try:
            with open(os.path.join(self.root, _MARK), encoding="utf-8") as file:
                return file.read().strip() == VERSION
        except OSError:
            return False


def build(root: str, report: Callable[[str], None] = lambda _: None) -> Scenario:
    """Make the demo at `root` if this version of it is not there. What lies there of another version is replaced.

    Args:
        report: told what is being made.

    Raises:
        OSError: when it cannot be written, or `root` holds something else.
    """
    scenario = Scenario(os.path.abspath(root))
    if scenario.made:
        return scenario
    half = f"{scenario.root}.half-made"
    shutil.rmtree(half, ignore_errors=True)
    if os.path.isdir(root):
        if os.listdir(root) and not os.path.exists(os.path.join(root, _MARK)):
            raise FileExistsError(f"{root} holds something else; the demo is not made there")
        shutil.rmtree(root)
    for what, files in _parts():
        report(what)
        for path, local, data in files:
            _write(os.path.join(half, path), data, local)
    _fill_library(half, report)
    with open(os.path.join(half, _MARK), "w", encoding="utf-8") as file:
        file.write(VERSION + "\n")
    os.rename(half, scenario.root)
    return scenario


_Made = Iterator[tuple[str, datetime, bytes]]


def _parts() -> tuple[tuple[str, _Made], ...]:
    return (
        ("Card A: stills", _stills_card()),
        ("Card B: clips", _clips_card()),
        ("Card D: sound", _sound_card()),
        ("Phone inbox", _phone()),
        ("One of each format", _shelf()),
    )


def _write(path: str, data: bytes, local: datetime) -> None:
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, "xb") as file:
        file.write(data)
    seconds = int((local - _OFFSET - datetime(1970, 1, 1)).total_seconds())
    os.utime(path, (seconds, seconds))


def _times(day: int, count: int, dice: random.Random) -> list[datetime]:
    """Moments of one day, in clusters as people shoot, ordered."""
    hearts = sorted(dice.uniform(8.2, 18.8) for _ in range(4))
    hours = sorted(min(19.2, max(7.6, dice.gauss(dice.choice(hearts), 0.35))) for _ in range(count))
    start = datetime(2026, 5, day)
    return [start + timedelta(milliseconds=int(hour * 3_600_000) // 10 * 10) for hour in hours]


def _stills_card() -> _Made:
    dice = random.Random(4711)
    counter = 4401
    for day, _, motif, count in _SHOOTS:
        times = _times(day, count, dice)
        times[-1] = times[-2].replace(microsecond=min(times[-2].microsecond + 300_000, 990_000))
        for local in times:
            shot = stills.Shot(local, "Arlen", "M2", "A2-10442")
            picture = scenes.draw(_seen(motif, dice), local.hour, counter, _PICTURE)
            stem = f"Card A/DCIM/{100 + (counter - 4401) // 70}ARLEN/DSC{counter:05}"
            yield f"{stem}.DNG", local, stills.dng(picture, shot)
            yield f"{stem}.JPG", local, stills.jpeg(picture, shot)
            if counter % 40 == 11:
                yield f"{stem}.XMP", local, _sidecar(local)
            counter += 1


def _seen(motif: str, dice: random.Random) -> str:
    """What the stills body looked at: the day's motif, and every third time something else along the line."""
    return motif if dice.random() < 0.64 else dice.choice(scenes.MOTIFS)


def _sidecar(local: datetime) -> bytes:
    return (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        '<rdf:Description rdf:about="" xmlns:exif="http://ns.adobe.com/exif/1.0/"'
        f' exif:DateTimeOriginal="{local:%Y-%m-%dT%H:%M:%S}+02:00"/></rdf:RDF></x:xmpmeta>'
    ).encode()


def _clips_card() -> _Made:
    dice = random.Random(31)
    for number in range(8):
        day, _, motif, _ = _SHOOTS[(0, 1, 1, 2, 2, 3, 3, 3)[number]]
        true = datetime(2026, 5, day, 8 + number, dice.randrange(60), dice.randrange(60))
        behind = true - timedelta(hours=1)
        take = clips.Take(motif, behind, dice.uniform(5, 9), "Hovar", "4K")
        yield f"Card B/PRIVATE/HOVAR/CLIP/{number + 1:04}.MOV", behind, clips.clip(take, 900 + number)


def _sound_card() -> _Made:
    dice = random.Random(77)
    for number in range(9):
        day, scene, _, _ = _SHOOTS[(0, 1, 1, 2, 2, 3, 3, 3, 4)[number]]
        local = datetime(2026, 5, day, 8 + number, dice.randrange(60), dice.randrange(60))
        data = sound.take(local, dice.uniform(6, 14), 500 + number, scene=scene, number=number + 1)
        yield f"Card D/TAKES/VELMORA-T{number + 1:03}.WAV", local, data


def _phone() -> _Made:
    dice = random.Random(2288)
    for number in range(24):
        day, _, motif, _ = _SHOOTS[number % 5]
        local = datetime(2026, 5, day, 8 + number % 11, dice.randrange(60), dice.randrange(60))
        edited = local + timedelta(days=3, hours=2) if number in _EDITED else None
        shot = stills.Shot(local, "Skarv", "P4", "", "", place=PLACE, utc=local - _OFFSET, changed=edited)
        picture = scenes.draw(motif, local.hour, 7000 + number, (960, 720))
        data = stills.jpeg(picture, shot, quality=80)
        yield f"Phone inbox/IMG_{local:%Y%m%d_%H%M%S}.jpg", edited or local, data
    for number, day in enumerate((14, 17)):
        local = datetime(2026, 5, day, 11 + number, 14, 5)
        take = clips.Take("bridge" if day == 14 else "steam", local, 4, "Skarv", "P4")
        yield f"Phone inbox/VID_{local:%Y%m%d_%H%M%S}.mov", local, clips.clip(take, 990 + number, (480, 270))
    for number in range(6):
        local = datetime(2000, 1, 1, 0, 3 + 4 * number)
        picture = scenes.draw("bridge", 10, 7100 + number, (960, 720))
        data = stills.jpeg(picture, stills.Shot(local, "Arlen", "C1", ""), quality=80)
        yield f"Phone inbox/from the old compact/PIC_{2289 + number}.JPG", local, data
    for number in range(3):
        sent = datetime(2026, 5, 17, 20, 40 + number)
        picture = scenes.draw("steam", 16, 7200 + number, (800, 600))
        yield f"Phone inbox/sent to us/received_{4810 + 7 * number}.jpg", sent, stills.jpeg(picture, None, quality=76)


def _shelf() -> _Made:
    """Beside the sources: a file of each format, for reading."""
    for name, data in specimens().items():
        yield f"One of each/{name}", LOCAL, data


def _fill_library(root: str, report: Callable[[str], None]) -> None:
    report("The library of two years")
    library = os.path.join(root, "Velmora line archive")
    dice = random.Random(1925)
    for number in range(40):
        year, month = 2024 + number // 20, 4 + number % 6
        local = datetime(year, month, 1 + dice.randrange(28), 9 + dice.randrange(9), dice.randrange(60))
        motif = scenes.MOTIFS[number % len(scenes.MOTIFS)]
        shot = stills.Shot(local, "Arlen", "M1", "A1-00317")
        data = stills.jpeg(scenes.draw(motif, local.hour, 300 + number, (900, 600)), shot, quality=80)
        _write(os.path.join(library, f"{year}/{month:02}/{local:%Y%m%d_%H%M%S}.jpg"), data, local)
    for day, name, _, _ in _SHOOTS[:3]:
        _bring_some(root, os.path.join(library, f"2026/{name} (from Ilvar)"), day)
    for card, folder in (("Card B/PRIVATE/HOVAR/CLIP/0002.MOV", "clips"), ("Card D/TAKES/VELMORA-T002.WAV", "sound")):
        suffix = os.path.splitext(card)[1].lower()
        _copy(os.path.join(root, card), os.path.join(library, f"2026/{folder}/bridge, first try{suffix}"))


def _bring_some(root: str, folder: str, day: int) -> None:
    """Put a few of a day's stills into the library under somebody's own names."""
    first = 4401 + sum(count for other, _, _, count in _SHOOTS if other < day)
    for number in range(4):
        counter = first + 3 * number
        stem = os.path.join(root, f"Card A/DCIM/{100 + (counter - 4401) // 70}ARLEN/DSC{counter:05}")
        for suffix in (".DNG", ".JPG"):
            _copy(stem + suffix, os.path.join(folder, f"picture {number + 1}{suffix.lower()}"))


def _copy(source: str, target: str) -> None:
    os.makedirs(os.path.dirname(target), exist_ok=True)
    shutil.copy2(source, target)
