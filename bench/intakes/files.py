"""Intakes on which files are odd: dates that fight or stand elsewhere, scans, copies; and what one press made."""

from __future__ import annotations

from datetime import datetime, timedelta

from bench.intakes.world import (
    SUMMER,
    Body,
    Dice,
    Intake,
    Truth,
    attend,
    camera,
    day_of,
    days,
    file,
    happenings,
    outside,
    phone,
)
from jutrek.formats import Claim, DeviceFacts, Kind, Offset, Precision, Reading, Timestamp

_ROOT = "/home/ilva/Pictures"
_COPIED = datetime(2026, 9, 30, 21, 0)
_C1 = DeviceFacts("Arlen", "C1", "C1-3")


def _claim(at: str, wall: datetime, precision: Precision = Precision.SECOND, offset: int | None = None) -> Claim:
    return Claim(at, Timestamp(wall, precision, None if offset is None else Offset(offset)), "a date inside", "")


def _still(
    intake: Intake,
    name: str,
    local: datetime,
    *claims: Claim,
    facts: DeviceFacts | None = _C1,
    folder: str = "Old",
    changed: datetime | None = _COPIED,
    press: int | None = None,
    tellable: bool = True,
    form: str = "jpeg",
) -> None:
    """A still in a folder of files that were copied together."""
    path = f"{_ROOT}/{folder}/{name}"
    read = file(path, _ROOT, Kind.STILL, form, [*claims, *outside(name, changed)], facts)
    intake.add(read, Truth(local, len(intake.truth) if press is None else press, tellable))


def _local(dice: Dice, first: int = 2004, last: int = 2025) -> list[datetime]:
    return [at + timedelta(hours=2) for at in days(dice, day_of(dice, first, last), 2, (6, 20))]


def only_changed(dice: Dice) -> Intake:
    """A device that writes only the tag of a change; the files' times were lost."""
    intake = Intake(devices=1)
    for n, at in enumerate(_local(dice), 1):
        _still(intake, f"PIC{n:04}.JPG", at, _claim("exif:stamped", at))
    return intake


def edited_only(dice: Dice) -> Intake:
    """An editor left only when it changed the picture: the day is told, if it was changed on that day."""
    intake = Intake(may_ask=True)
    for n, at in enumerate(_local(dice), 1):
        _still(intake, f"edit {n}.jpg", at, _claim("exif:changed", at + timedelta(hours=1)))
    return intake


def original_and_digitized(dice: Dice) -> Intake:
    """Scans: what was shot states nothing, what was digitized states its offset."""
    intake = Intake()
    year = int(dice.integers(1950, 1990))
    for n in range(int(dice.integers(4, 20))):
        at = datetime(year, int(dice.integers(1, 13)), int(dice.integers(1, 28)), 12)
        scanned = datetime(2012, 3, 4, 20, n)
        claims = _claim("exif:original", at), _claim("exif:digitized", scanned, offset=60)
        _still(intake, f"scan{n:03}.tif", at, *claims, facts=DeviceFacts("Lyd", "Flat 4"), folder="Scans", form="tiff")
    return intake


def scans_of_a_year(dice: Dice) -> Intake:
    """Scans that were dated by hand, to the year or month."""
    intake = Intake()
    for n in range(int(dice.integers(4, 20))):
        year, month = int(dice.integers(1920, 1995)), int(dice.integers(1, 13))
        precision = Precision.YEAR if dice.random() < 0.5 else Precision.MONTH
        at = datetime(year, month if precision is Precision.MONTH else 1, 1)
        claims = _claim("xmp:created", at, precision), _claim("exif:digitized", datetime(2014, 5, 6, 20, n))
        _still(intake, f"album {n:03}.tif", at, *claims, facts=DeviceFacts("Lyd", "Flat 4"), form="tiff")
    return intake


def year_of_release(dice: Dice) -> Intake:
    """Sound with a year of release, in a container that tells the moment."""
    intake = Intake()
    for n, at in enumerate(_local(dice), 1):
        utc = Timestamp(at - timedelta(hours=2), Precision.SECOND, Offset(0, by_definition=True))
        claims = [
            _claim("id3:recorded", datetime(at.year + 1, 1, 1), Precision.YEAR),
            Claim("mp4:created", utc, "its container", ""),
            *outside(f"song {n}.m4a", _COPIED),
        ]
        read = file(f"{_ROOT}/Sound/song {n}.m4a", _ROOT, Kind.SOUND, "mp4", claims, None, seconds=20.0)
        intake.add(read, Truth(at, n))
    return intake


def one_in_the_future(dice: Dice) -> Intake:
    """One of two dates lies in the future."""
    intake = Intake()
    for n, at in enumerate(_local(dice), 1):
        claims = _claim("exif:original", datetime(2048, 2, 3, 4, 5, n % 60)), _claim("exif:digitized", at)
        _still(intake, f"P{n:04}.JPG", at, *claims)
    return intake


def one_before_its_format(dice: Dice) -> Intake:
    """One of two dates is older than what writes such files can be."""
    intake = Intake()
    for n, at in enumerate(_local(dice, 2012), 1):
        claims = _claim("exif:original", datetime(1970, 1, 1, 1, 0, n % 60)), _claim("exif:digitized", at)
        _still(intake, f"P{n:04}.JPG", at, *claims)
    return intake


def screenshots(dice: Dice) -> Intake:
    """Pictures of a screen, whose names tell the time."""
    intake = Intake(may_ask=True)
    for at in _local(dice):
        _still(intake, f"Screenshot {at:%Y-%m-%d} at {at:%H.%M.%S}.png", at, facts=None, form="png")
    return intake


def sent(dice: Dice) -> Intake:
    """Pictures that were sent, whose names tell a day."""
    intake = Intake(may_ask=True)
    for n, at in enumerate(_local(dice)):
        _still(intake, f"IMG-{at:%Y%m%d}-WA{n:04}.jpg", at, facts=None)
    return intake


def copies(dice: Dice) -> Intake:
    """A folder with copies of some, as desktops name them."""
    intake = Intake(devices=1)
    start = int(dice.integers(20, 9000))
    ending = str(dice.choice([" (1)", " (2)", "-2", "_1", " copy", "~2"]))
    for n, at in enumerate(_local(dice)):
        name = f"DSC_{start + n:04}"
        _still(intake, f"{name}.JPG", at, _claim("exif:original", at))
        if dice.random() < 0.4:
            _still(intake, f"{name}{ending}.JPG", at, _claim("exif:original", at))
    return intake


def edits(dice: Dice) -> Intake:
    """Edits beside their originals."""
    intake = Intake(devices=1)
    ending = str(dice.choice(["-Edit", "_edited", "_bw"]))
    for n, at in enumerate(_local(dice)):
        _still(intake, f"DSC_{n + 1:04}.JPG", at, _claim("exif:original", at))
        if dice.random() < 0.3:
            _still(intake, f"DSC_{n + 1:04}{ending}.tif", at, _claim("exif:original", at), form="tiff")
    return intake


def sibling_folders(dice: Dice) -> Intake:
    """Raws and developed pictures of the same presses in folders beside each other; bursts among them."""
    intake = Intake(devices=1)
    raw, developed = [("RAW", "JPG"), ("raw", "jpeg"), ("DNG", "JPEG")][int(dice.integers(3))]
    number = int(dice.integers(1, 5000))
    for at in _local(dice):
        for frame in range(4 if dice.random() < 0.2 else 1):
            when = at + timedelta(seconds=frame // 2)
            press = number
            _still(
                intake, f"DSC{number:05}.DNG", when, _claim("exif:original", when), folder=raw, press=press, form="dng"
            )
            _still(intake, f"DSC{number:05}.JPG", when, _claim("exif:original", when), folder=developed, press=press)
            number += 1
    return intake


def raw_and_developed(dice: Dice) -> Intake:
    """Raws and developed pictures in one folder."""
    intake = Intake(devices=1)
    for number, at in enumerate(_local(dice), 100):
        for suffix, form in (("DNG", "dng"), ("JPG", "jpeg")):
            _still(intake, f"DSC{number:05}.{suffix}", at, _claim("exif:original", at), press=number, form=form)
    return intake


def _clip(
    intake: Intake, name: str, local: datetime, seconds: float, *, size: int, press: int, facts: DeviceFacts
) -> None:
    claims = [_claim("exif:original", local), *outside(name, _COPIED)]
    root = "/media/Card B"
    read = file(f"{root}/CLIPS/{name}", root, Kind.CLIP, "mov", claims, facts, seconds=seconds, size=size)
    intake.add(read, Truth(local, press))


def clips_in_a_row(dice: Dice) -> Intake:
    """Clips that begin a second or two after the one before ended: the finger was quick."""
    intake = Intake(devices=1)
    at = day_of(dice) + timedelta(hours=10)
    for n in range(int(dice.integers(6, 20))):
        seconds = float(dice.uniform(5, 90))
        _clip(intake, f"C{n + 1:04}.MOV", at, seconds, size=int(seconds * 6_000_000), press=n, facts=_HOVAR)
        at += timedelta(seconds=seconds + float(dice.choice([0.8, 1.0, 1.4, 240])))
    return intake


_HOVAR = DeviceFacts("Hovar", "4K", "H-1")


def cut_by_size(dice: Dice) -> Intake:
    """Long recordings, cut by the device where a file was full."""
    intake = Intake(devices=1)
    at, number = day_of(dice) + timedelta(hours=10), 1
    full = int(dice.choice([2**31 - 2_000_000, 2**32 - 3_000_000]))
    rate = 6_000_000
    for press in range(int(dice.integers(2, 6))):
        for part in range(int(dice.integers(1, 4)) + 1):
            is_last = part == 2
            size = int(full * float(dice.uniform(0.1, 0.9))) if is_last else full
            _clip(intake, f"C{number:04}.MOV", at, size / rate, size=size, press=press, facts=_HOVAR)
            at += timedelta(seconds=size / rate)
            number += 1
            if is_last:
                break
        at += timedelta(minutes=float(dice.uniform(3, 60)))
    return intake


def local_containers(dice: Dice) -> Intake:
    """A device that fills its clips' containers with local time; file times were lost; stills are on the same card."""
    intake = Intake(devices=1)
    body = Body(DeviceFacts("Arlen", "M2", "M-4"), "/media/Card A", SUMMER, SUMMER, keeps=False)
    number = 1
    for at in days(dice, day_of(dice, 2015), 2, (10, 30)):
        body.counter = number
        is_clip = bool(dice.random() < 0.35)
        body.kind, body.claim = (Kind.CLIP, "mp4:created") if is_clip else (Kind.STILL, "exif:original")
        body.make(intake, dice, at, seconds=float(dice.uniform(5, 50)) if is_clip else 0.0)
        number += 1
    return intake


def utc_containers(dice: Dice) -> Intake:
    """A phone's clips, in UTC as their container wants it, and its stills, which state their offset."""
    intake = Intake(devices=1)
    stills, clips = phone(), phone(satellite=0.0)
    clips.kind, clips.claim, clips.name = Kind.CLIP, "mp4:created", "VID_{n:04}"
    happened = days(dice, day_of(dice, 2016), 2, (8, 25))
    attend(dice, intake, stills, happened)
    shown = clips.shows
    for at in happened[::3]:
        read = clips.make(intake, dice, at, seconds=15.0)
        utc = Timestamp(at, Precision.SECOND, Offset(0, by_definition=True))
        claims = [Claim("mp4:created", utc, "its container", ""), *outside("x", shown(at) + timedelta(seconds=15))]
        reading: Reading = read.reading._replace(claims=tuple(claims))
        intake.files[-1] = type(read)(read.file, reading, None)
    return intake


def one_second_bursts(dice: Dice) -> Intake:
    """Bursts of a camera that counts whole seconds."""
    intake = Intake(devices=1)
    body = camera("A", start=int(dice.integers(1, 8000)))
    for at in happenings(dice, day_of(dice), 20):
        for frame in range(int(dice.integers(1, 9))):
            body.make(intake, dice, at + timedelta(seconds=frame // 5))
    return intake


FILES = (
    only_changed, edited_only, original_and_digitized, scans_of_a_year, year_of_release, one_in_the_future,
    one_before_its_format, screenshots, sent, copies, edits, sibling_folders, raw_and_developed, clips_in_a_row,
    cut_by_size, local_containers, utc_containers, one_second_bursts,
)  # fmt: skip
