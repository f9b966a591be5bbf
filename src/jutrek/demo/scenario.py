"""The Velmora line: five days in May 2026 on four cards and a phone, and the volunteers' library of two years.

Everything is made by code from seeds, the same every time. The camcorder's clock runs an hour behind, and one of its
recordings is in three parts; the drone tells UTC, and flies past midnight; an old compact forgot its clock for a while;
a few pictures were sent without any date; a recorder at somebody's lapel runs minutes ahead, and what it heard tells by
how much; about a tenth of the cards is in the library already, under other names. In the library copies of all kinds
have gathered.
"""

from __future__ import annotations

import fcntl
import os
import random
import shutil
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, NamedTuple

from jutrek.demo import clips, scenes, sound, stills
from jutrek.demo.copies import Kept, copies
from jutrek.demo.happenings import NIGHT, SHOOTS, Shooting, filmed, happenings, photographed
from jutrek.demo.shelf import LOCAL, PLACE, specimens

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

VERSION = "9"
_MARK = "made-by-jutrek.txt"
_OFFSET = timedelta(hours=2)
_PICTURE = (1080, 720)
_OVERHEARD, _BEFORE, _LAPEL = (4, 6, 9, 12, 14), 15, 45.0
"""Takes that the recorder at the lapel heard, too: it began so many seconds before, and ran for so long."""
_AHEAD = timedelta(minutes=7, seconds=23)
_EDITED, _MOVING = (6, 16), (3, 7, 12)
"""Pictures on the phone that somebody straightened some days later, and those that move."""
_SAID_OF = {
    "bridge": ("viaduct", "stonework"), "depot": ("depot", "volunteers"), "steam": ("engine", "steam"),
    "track": ("track laying",), "unloading": ("rails", "volunteers"),
}  # fmt: skip
_PLACES = {
    "depot": PLACE, "steam": PLACE, "bridge": (39.441, 5.334), "track": (39.468, 5.372), "unloading": (39.464, 5.368),
}  # fmt: skip
"""Where what is drawn stands, in degrees: at sea, where no town is."""
_MARKS = ("R", "", "P", "")
"""R for the report, P not for the public."""
FIRST = 4401
"""The stills body's first counter."""


@dataclass(frozen=True, slots=True)
class Scenario:
    """Where the demo lies: the sources in the order of the board, and the library."""

    root: str

    @property
    def sources(self) -> tuple[str, ...]:
        """The four cards and the phone's inbox."""
        names = ("Card A", "Card B", "Card C", "Card D", "Phone inbox")
        return tuple(os.path.join(self.root, name) for name in names)

    @property
    def place(self) -> str:
        """A folder that stands for a second drive, Tarn."""
        return os.path.join(self.root, "Tarn")

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

    One that is being made by somebody else is waited for.

    Args:
        report: told what is being made.

    Raises:
        OSError: when it cannot be written, or `root` holds something else.
    """
    scenario = Scenario(os.path.abspath(root))
    above = os.path.dirname(scenario.root)
    os.makedirs(above, exist_ok=True)
    lock = os.open(above, os.O_RDONLY | os.O_DIRECTORY)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not scenario.made:
            _build(scenario, report)
    finally:
        os.close(lock)
    return scenario


def _build(scenario: Scenario, report: Callable[[str], None]) -> None:
    root = scenario.root
    half = f"{scenario.root}.half-made"
    shutil.rmtree(half, ignore_errors=True)
    if os.path.isdir(root):
        if os.listdir(root) and not os.path.exists(os.path.join(root, _MARK)):
            raise FileExistsError(f"{root} holds something else; the demo is not made there")
        shutil.rmtree(root)
    for what, files in _parts():
        report(what)
        for path, local, data in files:
            written(os.path.join(half, path), data, local)
    _fill_library(half, report)
    with open(os.path.join(half, _MARK), "w", encoding="utf-8") as file:
        file.write(VERSION + "\n")
    os.rename(half, root)


_Made = Iterator[tuple[str, datetime, bytes]]


def _parts() -> tuple[tuple[str, _Made], ...]:
    return (
        ("Card A: stills", _stills_card()),
        ("Card B: clips", _clips_card()),
        ("Card C: from above", _drone_card()),
        ("Card D: sound", _sound_card()),
        ("Phone inbox", _phone()),
        ("One of each format", _shelf()),
    )


def written(path: str, data: bytes, local: datetime) -> None:
    """Write a file of the demo, which was changed last at a local time."""
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, "xb") as file:
        file.write(data)
    seconds = int((local - _OFFSET - datetime(1970, 1, 1)).total_seconds())
    os.utime(path, (seconds, seconds))


def _stills_card() -> _Made:
    dice = random.Random(4711)
    counter = FIRST
    for shoot in SHOOTS:
        times = photographed(shoot)
        if shoot.day == NIGHT.day - 1:
            times[-3:] = [NIGHT + timedelta(minutes=7 * number) for number in range(3)]
        for local in times:
            shot = stills.Shot(local, "Arlen", "M2", "A2-10442")
            picture = scenes.draw(_seen(shoot.motif, dice), local.hour, counter, _PICTURE)
            stem = f"Card A/{_stem(counter)}"
            yield f"{stem}.DNG", local, stills.dng(picture, shot)
            yield f"{stem}.JPG", local, stills.jpeg(picture, shot)
            if counter % 40 == 11:
                yield f"{stem}.XMP", local, _sidecar(local)
            counter += 1


def _stem(counter: int) -> str:
    return f"DCIM/{100 + (counter - FIRST) // 70}ARLEN/DSC{counter:05}"


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
    """The camcorder, an hour behind; the third clip of the bridge goes on in two more files."""
    dice = random.Random(31)
    number = 0
    for shoot in SHOOTS:
        for turn, true in enumerate(filmed(shoot)):
            behind = true - timedelta(hours=1)
            parts = 3 if (shoot.day, turn) == (14, 2) else 1
            for _ in range(parts):
                number += 1
                seconds = 3.0 if parts > 1 else dice.uniform(2.5, 4.5)
                take = clips.Take(shoot.motif, behind, seconds, "Hovar", "4K")
                yield f"Card B/PRIVATE/HOVAR/CLIP/{number:04}.MOV", behind, clips.clip(take, 900 + number)
                behind += timedelta(seconds=seconds)


def _drone_card() -> _Made:
    """The drone writes UTC into its clips, and local time into their names. Its last flights are by night."""
    days = {shoot.day: shoot for shoot in SHOOTS}
    flights = [
        (filmed(days[day])[turn], days[day].motif) for day, turn in ((14, 1), (14, 4), (15, 2), (17, 0), (17, 3))
    ]
    flights += [(NIGHT + timedelta(minutes=minutes), "steam") for minutes in (5, 50)]
    for number, (happened, motif) in enumerate(flights):
        local = happened + timedelta(seconds=5 + number)
        take = clips.Take(motif, local, 3, "Skarv", "3", states_offset=False)
        yield f"Card C/DCIM/FLIGHT/SK3_{local:%Y%m%d_%H%M%S}.mov", local, clips.clip(take, 940 + number)


class _Sounded(NamedTuple):
    """A take of the recorder."""

    number: int
    shoot: Shooting
    turn: int
    local: datetime
    seconds: float

    @property
    def air(self) -> NDArray[np.float64]:
        """What was to be heard, from a while before it."""
        return sound.voices(9000 + self.number, _LAPEL)


def _sounded() -> Iterator[_Sounded]:
    """The recorder ran whenever somebody filmed, but for a few."""
    dice = random.Random(77)
    number = 0
    for shoot in SHOOTS:
        for turn, true in enumerate(filmed(shoot)):
            if turn != 3:
                number += 1
                local = true - timedelta(seconds=dice.randrange(3, 7))
                seconds = dice.uniform(20, 24) if (shoot.day, turn) == (14, 2) else dice.uniform(14, 18)
                yield _Sounded(number, shoot, turn, local, seconds)


def _sound_card() -> _Made:
    """The recorder's takes; the steam test in two tracks."""
    for one in _sounded():
        tracks = ("_TR1", "_TR2") if (one.shoot.day, one.turn) == (17, 1) else ("",)
        air = one.air[_BEFORE * sound.AIR :] if one.number in _OVERHEARD else None
        for turn, track in enumerate(tracks):
            seed = 500 + one.number + 100 * turn
            data = sound.take(one.local, one.seconds, seed, scene=one.shoot.words, number=one.number, air=air)
            yield f"Card D/TAKES/VELMORA-T{one.number:03}{track}.WAV", one.local, data


def _lapel() -> _Made:
    """What the recorder at somebody's lapel heard of it. Its clock was set by hand, and runs ahead."""
    recorder = sound.Recorder("L1", "L1-0093", sound.AIR)
    taken = (one for one in _sounded() if one.number in _OVERHEARD)
    for number, one in enumerate(taken, 1):
        local = one.local - timedelta(seconds=_BEFORE) + _AHEAD
        data = sound.take(
            local, _LAPEL, 700 + number, scene=one.shoot.words, number=number, air=one.air, recorder=recorder
        )
        yield f"Phone inbox/from the lapel recorder/LAPEL-{number:02}.WAV", local, data


def _phone() -> _Made:
    dice = random.Random(2288)
    for number in range(24):
        shoot = SHOOTS[number % 5]
        times = happenings(shoot)
        local = times[number * 3 % len(times)] + timedelta(seconds=dice.randrange(2, 35))
        edited = local + timedelta(days=3, hours=2) if number in _EDITED else None
        shot = stills.Shot(
            local, "Skarv", "P4", "", "", place=_place_of(shoot.motif, number), utc=local - _OFFSET, changed=edited
        )
        picture = scenes.draw(shoot.motif, local.hour, 7000 + number, (960, 720))
        name = f"Phone inbox/IMG_{local:%Y%m%d_%H%M%S}"
        yield f"{name}.jpg", edited or local, stills.jpeg(picture, shot, quality=80)
        if number in _MOVING:
            take = clips.Take(shoot.motif, local - timedelta(seconds=1), 2, "Skarv", "P4")
            yield f"{name}.mov", local, clips.clip(take, 980 + number)
    for number, day in enumerate((14, 17)):
        local = datetime(2026, 5, day, 11 + number, 14, 5)
        take = clips.Take("bridge" if day == 14 else "steam", local, 4, "Skarv", "P4")
        yield f"Phone inbox/VID_{local:%Y%m%d_%H%M%S}.mov", local, clips.clip(take, 990 + number)
    yield from _compact()
    yield from _lapel()
    for number in range(3):
        sent = datetime(2026, 5, 17, 20, 40 + number)
        picture = scenes.draw("steam", 16, 7200 + number, (800, 600))
        name = f"Phone inbox/sent to us/2026-05-17 from Ilvar, {number + 1}.jpg"
        yield name, sent, stills.jpeg(picture, None, quality=76)


def _place_of(motif: str, number: int) -> tuple[float, float]:
    """Where something is drawn, some steps from one picture to the next."""
    north, east = _PLACES[motif]
    return round(north + (number % 5 - 2) * 0.0007, 6), round(east + (number % 7 - 3) * 0.0006, 6)


def _compact() -> _Made:
    """The old compact: its battery fell out between two pictures of the bridge, and its clock began anew."""
    for number in range(16):
        local = datetime(2026, 5, 14, 9, 2 + 2 * number) if number < 6 else datetime(2026, 5, 14, 9, 20 + 2 * number)
        if 6 <= number < 12:
            local = datetime(2000, 1, 1, 0, 3 * (number - 5))
        picture = scenes.draw("bridge", 10, 7100 + number, (960, 720))
        data = stills.jpeg(picture, stills.Shot(local, "Arlen", "C1", "", ""), quality=80)
        yield f"Phone inbox/from the old compact/PIC_{2283 + number}.JPG", local, data


def _shelf() -> _Made:
    """Beside the sources: a file of each format, for reading."""
    for name, data in specimens().items():
        yield f"One of each/{name}", LOCAL, data


def _fill_library(root: str, report: Callable[[str], None]) -> None:
    report("The library of two years")
    library = os.path.join(root, "Velmora line archive")
    dice = random.Random(1925)
    kept = []
    for number in range(40):
        year, month = 2024 + number // 20, 4 + number % 6
        local = datetime(year, month, 1 + dice.randrange(28), 9 + dice.randrange(9), dice.randrange(60))
        motif = scenes.MOTIFS[number % len(scenes.MOTIFS)]
        # From 2025 on somebody carried a receiver for it.
        place = _place_of(motif, number) if year == 2025 else None
        shot = stills.Shot(local, "Arlen", "M1", "A1-00317", place=place, utc=local - _OFFSET if place else None)
        picture = scenes.draw(motif, local.hour, 300 + number, (900, 600))
        path = f"{year}/{month:02}/{local:%Y%m%d_%H%M%S}.jpg"
        kept.append(Kept(path, local, picture, shot, stills.jpeg(picture, shot, quality=80)))
        written(os.path.join(library, path), kept[-1].data, local)
        if number % 3 == 1:
            words = _SAID_OF[motif]
            written(os.path.join(library, f"{path[:-4]}.xmp"), _said(words, _MARKS[number % 4], number % 6), local)
    report("Copies that gathered in it")
    for path, local, data in copies(kept):
        written(os.path.join(library, path), data, local)
    for shoot in SHOOTS[:3]:
        _bring_some(root, os.path.join(library, f"2026/{shoot.words} (from Ilvar)"), shoot.day)
    for card, folder in (("Card B/PRIVATE/HOVAR/CLIP/0002.MOV", "clips"), ("Card D/TAKES/VELMORA-T002.WAV", "sound")):
        suffix = os.path.splitext(card)[1].lower()
        _copy(os.path.join(root, card), os.path.join(library, f"2026/{folder}/bridge, first try{suffix}"))


def _said(words: Sequence[str], mark: str, rating: int) -> bytes:
    """A sidecar of what somebody said of a picture."""
    items = "".join(f"<rdf:li>{word}</rdf:li>" for word in words)
    label = f' xmp:Label="{mark}"' if mark else ""
    return (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        f'<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/"{label} xmp:Rating="{rating}">'
        f'<dc:subject xmlns:dc="http://purl.org/dc/elements/1.1/"><rdf:Bag>{items}</rdf:Bag></dc:subject>'
        "</rdf:Description></rdf:RDF></x:xmpmeta>"
    ).encode()


def _bring_some(root: str, folder: str, day: int) -> None:
    """Put a few of a day's stills into the library under somebody's own names."""
    first = FIRST + sum(shoot.stills for shoot in SHOOTS if shoot.day < day)
    for number in range(4):
        stem = os.path.join(root, "Card A", _stem(first + 3 * number))
        for suffix in (".DNG", ".JPG"):
            _copy(stem + suffix, os.path.join(folder, f"picture {number + 1}{suffix.lower()}"))


def _copy(source: str, target: str) -> None:
    os.makedirs(os.path.dirname(target), exist_ok=True)
    shutil.copy2(source, target)
