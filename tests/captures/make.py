"""Captures made without files, for rules that only look at names, dates and devices."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from pathlib import Path

from jutrek.captures import Capture, Doubtful, Moment, ReadFile, decide, doubtful, group
from jutrek.formats import Claim, DeviceFacts, Kind, Offset, Precision, Reading, Tie, Timestamp
from jutrek.sources import SourceFile

DAY = datetime(2026, 5, 14)
M2 = DeviceFacts("Arlen", "M2", "A2-1")
CAMCORDER = DeviceFacts("Hovar", "4K")
RECORDER = DeviceFacts("Lyd", "R6", "R6-1")
_FORMATS = {Kind.STILL: "jpeg", Kind.CLIP: "mov", Kind.SOUND: "wav", Kind.SIDECAR: "xmp"}
_SUFFIXES = {".wav": Kind.SOUND, ".mov": Kind.CLIP, ".mp4": Kind.CLIP, ".lrv": Kind.CLIP, ".xmp": Kind.SIDECAR}

_OTHERS = frozenset({".pp3", ".txt", ".psd"})


def at(clock: str, day: int = 14) -> datetime:
    """A time in May 2026: `09:30`, `09:30:15`, `09:30:15.25`."""
    return datetime.fromisoformat(f"2026-05-{day:02}T{clock}" + (":00" if clock.count(":") == 1 else ""))


def file(
    path: str,
    when: datetime | None,
    device: DeviceFacts | None = M2,
    *,
    root: str = "/card",
    seconds: float = 0.0,
    ties: Sequence[tuple[str, str]] = (),
    satellite: datetime | None = None,
    offset: int | None = None,
    precision: Precision = Precision.SECOND,
    claim: str = "exif:original",
    size: int = 1000,
) -> ReadFile:
    """A file on a card as a reader and the ladder tell it; satellite time is UTC."""
    suffix = Path(path).suffix.lower()
    kind = Kind.OTHER if suffix in _OTHERS else _SUFFIXES.get(suffix, Kind.STILL)
    stated = Offset(offset) if offset is not None else None
    claims = [Claim(claim, Timestamp(when, precision, stated), "the camera's time", "")] if when else []
    if satellite is not None:
        claims.append(
            Claim("gps", Timestamp(satellite, Precision.SECOND, Offset(0, by_definition=True)), "satellites", "")
        )
    form = "dng" if suffix == ".dng" else _FORMATS.get(kind, "")
    reading = Reading(kind, form, tuple(claims), device, duration=seconds, ties=tuple(Tie(*tie) for tie in ties))
    moment = decide(reading.claims, now=datetime(2027, 1, 1)) if claims else None
    full = path if path.startswith("/") else f"{root}/{path}"
    return ReadFile(SourceFile(full, root, size, 0), reading, moment)


def shot(
    path: str, when: datetime | None, device: DeviceFacts | None = M2, *, seconds: float = 0.0, root: str = "/card"
) -> Capture:
    """One file as a capture of its own."""
    (capture,) = group([file(path, when, device, seconds=seconds, root=root)])
    return capture


def names(capture: Capture) -> list[str]:
    """The file names of a capture."""
    return [Path(one.file.path).name for one in capture.files]


def unset(path: str, when: datetime, device: DeviceFacts | None = M2) -> Capture:
    """A capture whose clock was never set."""
    from dataclasses import replace

    capture = shot(path, when, device)
    assert capture.moment is not None
    return replace(capture, moment=doubtful(capture.moment, Doubtful.NEVER_SET, "Never set."))


def moment(capture: Capture) -> Moment:
    """Its moment, which it must have."""
    assert capture.moment is not None
    return capture.moment


def clock(capture: Capture) -> str:
    """Its local time of day."""
    return f"{moment(capture).local:%d %H:%M:%S}"


def every(minutes: float, count: int, start: datetime) -> list[datetime]:
    """Times at a distance from one another."""
    return [start + timedelta(minutes=minutes * number) for number in range(count)]
