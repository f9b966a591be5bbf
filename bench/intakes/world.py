"""The made-up world of an intake: devices with clocks of their own, what they made, and what is true of it.

Nothing here is read from disk: a file is what its reader would say of it, so that thousands of intakes can be judged.
A device's clock shows UTC, moved by the zone that it is set to and by its error; both may change while it is out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

import numpy as np

from jutrek.captures import ReadFile
from jutrek.formats import Claim, DeviceFacts, Kind, Offset, Precision, Reading, Tie, Timestamp
from jutrek.formats.outside import of_name
from jutrek.sources import SourceFile

Dice = np.random.Generator
Zone = Callable[[datetime], int]
"""Minutes ahead of UTC, by UTC."""
_SUFFIX = {Kind.STILL: ("JPG", "jpeg"), Kind.CLIP: ("MP4", "mp4"), Kind.SOUND: ("WAV", "wav")}
_COPIED = datetime(2026, 9, 30, 21, 0)


def always(minutes: int) -> Zone:
    """A zone without summer time."""
    return lambda _: minutes


def until(then: datetime, before: int, after: int) -> Zone:
    """A zone that changes once, at a UTC time."""
    return lambda utc: before if utc < then else after


@dataclass(frozen=True, slots=True)
class Truth:
    """What is true of a file.

    Attributes:
        local: when it was made, local time of the place.
        press: files of one press have the same.
        tellable: whether what is written in and around the files of the intake can tell that time.
        suspect: whether it can at least be noticed that what is written is wrong.
    """

    local: datetime
    press: int
    tellable: bool = True
    suspect: bool = False


@dataclass(slots=True)
class Intake:
    """What lies on some cards and folders, and what is true of it.

    Attributes:
        files: as readers tell them, not yet dated.
        truth: by path.
        may_ask: whether a question about what is right is no false alarm: nobody could know.
        devices: how many devices made it; 0 does not ask.
    """

    files: list[ReadFile] = field(default_factory=list)
    truth: dict[str, Truth] = field(default_factory=dict)
    may_ask: bool = False
    devices: int = 0

    def add(self, read: ReadFile, truth: Truth) -> None:
        """One more file."""
        self.files.append(read)
        self.truth[read.file.path] = truth


@dataclass(slots=True)
class Body:
    """A device, and how it dates what it makes.

    Attributes:
        facts: what it writes about itself; None for nothing.
        root, folder: the card, and the folder on it.
        name: of a file, with `{n}` for the counter and `{at}` for its clock; the suffix is put behind.
        counter: the next one.
        zone: what its clock is set to; `place` is the zone of where it is.
        error: seconds that its clock is ahead, by UTC.
        states: whether it writes its offset.
        satellite: the share of files that carry satellite time.
        kind: what it makes.
        claim: the kind of claim that it writes.
        keeps: whether files have kept their times.
        tellable, suspect: as of `Truth`.
        last: when it made the last file.
    """

    facts: DeviceFacts | None
    root: str
    zone: Zone
    place: Zone
    folder: str = "DCIM/100ARLEN"
    name: str = "DSC{n:05}"
    counter: int = 1
    error: Callable[[datetime], float] = lambda _: 0.0
    states: bool = False
    satellite: float = 0.0
    position: tuple[float, float] | None = None
    kind: Kind = Kind.STILL
    claim: str = "exif:original"
    keeps: bool = True
    tellable: Callable[[datetime], bool] = lambda _: True
    suspect: bool = False
    last: datetime = datetime.min

    def shows(self, utc: datetime) -> datetime:
        """What its clock shows."""
        return utc + timedelta(minutes=self.zone(utc), seconds=self.error(utc))

    def make(self, intake: Intake, dice: Dice, utc: datetime, *, seconds: float = 0.0) -> ReadFile:
        """Make one file. Where names are times, the next one is a second later at least."""
        suffix, form = _SUFFIX[self.kind]
        number, self.counter = self.counter, self.counter % 9999 + 1
        if "{at" in self.name and utc - self.last < timedelta(seconds=1):
            utc = self.last + timedelta(seconds=1)
        self.last = utc = utc.replace(microsecond=0)
        shown = self.shows(utc)
        name = f"{self.name.format(n=number, at=shown)}.{suffix}"
        claims = [self._inside(utc, shown)]
        knows = bool(dice.random() < self.satellite)
        if knows:
            stamp = Timestamp(utc, Precision.SECOND, Offset(0, by_definition=True))
            claims.append(Claim("gps", stamp, "satellite time", ""))
        claims += outside(name, shown + timedelta(seconds=seconds) if self.keeps else _COPIED)
        read = file(
            f"{self.root}/{self.folder}/{name}", self.root, self.kind, form, claims, self.facts, seconds=seconds,
            position=self.position if knows else None,
        )  # fmt: skip
        local = utc + timedelta(minutes=self.place(utc))
        intake.add(read, Truth(local, len(intake.truth), self.tellable(utc), self.suspect and not self.tellable(utc)))
        return read

    def _inside(self, utc: datetime, shown: datetime) -> Claim:
        by_definition = self.claim.startswith(("mp4:", "mkv:"))
        stated = Offset(0, by_definition=True) if by_definition else Offset(self.zone(utc)) if self.states else None
        return Claim(self.claim, Timestamp(shown, Precision.SECOND, stated), "the camera's time", "")


def outside(name: str, changed: datetime | None) -> list[Claim]:
    """What a file's name and time claim."""
    found = [claim] if (claim := of_name(name)) is not None else []
    if changed is not None:
        found.append(Claim("file", Timestamp(changed, Precision.SECOND, Offset(120)), "the file's own time", ""))
    return found


def file(
    path: str,
    root: str,
    kind: Kind,
    form: str,
    claims: Iterable[Claim],
    facts: DeviceFacts | None,
    *,
    seconds: float = 0.0,
    position: tuple[float, float] | None = None,
    ties: Sequence[Tie] = (),
    size: int = 4_000_000,
) -> ReadFile:
    """A file as its reader would tell it."""
    reading = Reading(
        kind, form, tuple(claims), facts, duration=seconds, position=position, ties=tuple(ties)
    )  # fmt: skip
    return ReadFile(SourceFile(path, root, size, 0), reading, None)


# ---- what happens --------------------------------------------------------------------------------------------------
def day_of(dice: Dice, first: int = 2003, last: int = 2026) -> datetime:
    """Midnight of some day."""
    start, end = datetime(first, 1, 2), datetime(last, 9, 1)
    return start + timedelta(days=int(dice.integers((end - start).days)))


def happenings(dice: Dice, day: datetime, count: int) -> list[datetime]:
    """Moments of a day at which people press buttons: around a few busy hours. UTC."""
    hearts = dice.uniform(7.5, 17.5, int(dice.integers(2, 6)))
    hours = dice.normal(dice.choice(hearts, count), 0.6).clip(5.5, 20.0)
    return sorted(day + timedelta(seconds=int(hour * 3600)) for hour in hours)


def days(dice: Dice, start: datetime, count: int, each: tuple[int, int]) -> list[datetime]:
    """Happenings of some days, one after the other."""
    return [at for n in range(count) for at in happenings(dice, start + timedelta(days=n), int(dice.integers(*each)))]


def attend(
    dice: Dice, intake: Intake, body: Body, happened: Iterable[datetime], share: float = 0.7, alone: float = 0.15
) -> None:
    """Be at a share of what happens, and make a capture or some there; and some that nobody else was at.

    Of a clip or take there is one, and the next begins well after its end.
    """
    moments: list[datetime] = []
    records = body.kind is not Kind.STILL
    for at in happened:
        if dice.random() < share:
            count = 1 if records else 1 + int(dice.poisson(1))
            moments += [at + timedelta(seconds=float(dice.uniform(-4, 12)) + 8 * n) for n in range(count)]
        if dice.random() < alone:
            moments.append(at + timedelta(seconds=float(dice.uniform(300, 4000))))
    free = datetime.min
    for at in sorted(moments):
        seconds = float(dice.uniform(4, 60)) if records else 0.0
        if at >= free:
            body.make(intake, dice, at, seconds=seconds)
            free = at + timedelta(seconds=seconds + 20) if records else free


# ---- devices -------------------------------------------------------------------------------------------------------
SUMMER, WINTER = always(120), always(60)
_MODELS = (("Arlen", "M2"), ("Arlen", "C1"), ("Hovar", "4K"), ("Skarv", "3"), ("Skarv", "Z"), ("Lyd", "V1"))


def camera(letter: str, zone: Zone = SUMMER, place: Zone = SUMMER, *, start: int = 1, model: int = 0) -> Body:
    """A camera that writes no offset."""
    make, name = _MODELS[model]
    return Body(DeviceFacts(make, name, f"{letter}-7"), f"/media/Card {letter}", zone, place, counter=start)


def phone(zone: Zone = SUMMER, place: Zone = SUMMER, *, satellite: float = 0.5) -> Body:
    """A phone: it states its offset, and often knows satellite time."""
    return Body(
        DeviceFacts("Skarv", "P4"), "/home/ilva/Phone inbox", zone, place, folder="", name="IMG_{at:%Y%m%d_%H%M%S}",
        states=True, satellite=satellite,
    )  # fmt: skip


def recorder(zone: Zone = SUMMER, place: Zone = SUMMER) -> Body:
    """A sound recorder."""
    return Body(
        DeviceFacts("Lyd", "R6", "R6-1"), "/media/Card D", zone, place, folder="TAKES", name="T{n:03}",
        kind=Kind.SOUND, claim="bext",
    )  # fmt: skip
