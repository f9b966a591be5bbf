"""Up close: everything that is known of one capture, in words, ready to be drawn by a face. No Qt."""

from __future__ import annotations

import calendar
import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from jutrek.captures import Capture, Moment, ReadFile, shift_words
from jutrek.formats import Claim, Exposure, Kind, Offset, Precision, Reading

_UNITS = (("year", 365.25 * 86_400), ("month", 30.44 * 86_400), ("day", 86_400), ("h", 3600), ("min", 60), ("s", 1))
_SPELLED = frozenset({"year", "month", "day"})
_TIES = {
    "content": "Belongs to", "burst": "Burst", "umid": "Material", "chapter": "Recording", "scene": "Scene",
    "take": "Take", "tape": "Tape", "image": "Image number", "segment": "Segment", "document": "Document",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class ClaimLine:
    """One claim, as it stands against the chosen one.

    Attributes:
        where: where it stands, with a capital; with the companion's name where it stands in another file.
        value: its date and time, ISO-like, as far as it is known, with its offset.
        starts, ends: its distance from the chosen moment in seconds; they differ where only a day or less is known.
        distance: the same in words: `2 h later`.
        chosen: whether the moment is taken from it.
        against: whether it contradicts the chosen one.
    """

    where: str
    value: str
    starts: float
    ends: float
    distance: str
    chosen: bool
    against: bool


@dataclass(frozen=True, slots=True)
class CaptureDetails:
    """What is shown up close.

    Attributes:
        id: the capture's.
        claims: in the order of their files, the primary's first.
        why: the reason for its date.
        trusted: whether the date may file it.
        facts: label and words, such as `Exposure` and `1/640 s · f/5.6`.
        notes: what is odd about its files.
    """

    id: str
    claims: tuple[ClaimLine, ...]
    why: str
    trusted: bool
    facts: tuple[tuple[str, str], ...]
    notes: tuple[str, ...]


def details_of(capture: Capture) -> CaptureDetails:
    """Put together what is known of a capture."""
    facts = [(label, words) for label, words in _facts(capture) if words]
    return CaptureDetails(
        capture.id,
        tuple(_lines(capture)),
        capture.moment.why if capture.moment else "No date was found.",
        capture.trusted,
        tuple(facts),
        (*capture.notes, *dict.fromkeys(note for read in capture.files for note in read.reading.notes)),
    )


def _lines(capture: Capture) -> Iterator[ClaimLine]:
    moment = capture.moment
    seen: set[tuple[str, str]] = set()
    for number, read in enumerate(capture.files):
        beside = f", in {os.path.basename(read.file.path)}" if number else ""
        for index, claim in enumerate(read.reading.claims):
            is_chosen = moment is not None and (number, index) == (capture.dated_by, moment.claim)
            key = (claim.where, claim.stamp.iso())
            if key in seen and not is_chosen:
                continue
            seen.add(key)
            against = moment is not None and (number, index) == (capture.dated_by, moment.against)
            yield _line(claim, beside, moment, chosen=is_chosen, against=against)


def _line(claim: Claim, beside: str, moment: Moment | None, *, chosen: bool, against: bool) -> ClaimLine:
    starts, ends = _distance(claim, moment) if moment else (0.0, 0.0)
    words = "" if moment is None or chosen else distance_words(starts, ends, claim.stamp.precision)
    zone = claim.stamp.offset
    offset = "" if zone is None else " UTC" if zone.by_definition else f" {zone}"
    value = f"{claim.stamp.iso().replace('T', ' ')}{offset}"
    return ClaimLine(claim.where[:1].upper() + claim.where[1:] + beside, value, starts, ends, words, chosen, against)


def _distance(claim: Claim, moment: Moment) -> tuple[float, float]:
    """From the moment to the claim in seconds: in UTC where both know it, else from wall to wall."""
    stamp = claim.stamp
    wall, base = stamp.wall, moment.local
    if stamp.offset is not None and moment.offset is not None:
        wall -= timedelta(minutes=stamp.offset.minutes)
        base -= timedelta(minutes=moment.offset)
    starts = (wall - base).total_seconds()
    return starts, starts + _length(stamp.wall, stamp.precision)


def _length(wall: datetime, precision: Precision) -> float:
    """Seconds that a date of this precision may be within."""
    if precision is Precision.YEAR:
        return (366 if calendar.isleap(wall.year) else 365) * 86_400.0
    if precision is Precision.MONTH:
        return calendar.monthrange(wall.year, wall.month)[1] * 86_400.0
    return {Precision.DAY: 86_400.0, Precision.MINUTE: 60.0}.get(precision, 0.0)


def distance_words(starts: float, ends: float, precision: Precision) -> str:
    """A distance as a person says it: `the same`, `2 h later`, `3 days earlier`, `the same day`."""
    if starts <= 0 < ends:
        return f"the same {precision.name.lower()}"
    apart = starts if starts > 0 else ends
    if abs(apart) < 1:
        return "the same"
    name, size = next((name, size) for name, size in _UNITS if abs(apart) >= size * 0.995)
    count = round(abs(apart) / size, 1 if name == "h" else None)
    number = f"{count:g}"
    unit = f"{name}s" if name in _SPELLED and number != "1" else name
    return f"{number} {unit} {'later' if apart > 0 else 'earlier'}"


def facts_of(readings: Sequence[Reading]) -> Iterator[tuple[str, str]]:
    """What files that belong together say besides dates, as label and words; the first one is what they are about."""
    first = readings[0]
    device = next((reading.device for reading in readings if reading.device), None)
    if device is not None:
        name = device.model if device.model.startswith(device.make) else f"{device.make} {device.model}"
        yield "Device", " · ".join(part for part in (name.strip(), device.serial and f"No. {device.serial}") if part)
        yield "Lens", device.lens
        yield "Owner", device.owner
    yield "Size" if first.kind is not Kind.SOUND else "Sound", size_words(first)
    yield "Exposure", exposure_words(next((reading.exposure for reading in readings if reading.exposure), None))
    yield "Position", position_words(next((reading.position for reading in readings if reading.position), None))
    for reading in readings:
        for tie in reading.ties:
            yield _TIES.get(tie.kind, tie.kind.capitalize()), tie.value


def _facts(capture: Capture) -> Iterator[tuple[str, str]]:
    yield from facts_of([read.reading for read in capture.files])
    tied = capture.tied or ("",) * len(capture.files)
    for read, why in zip(capture.files, tied, strict=True):
        yield "File", " · ".join(part for part in (_file_words(read), why) if part)
    moment = capture.moment
    if moment is not None and moment.shift:
        yield "Clock fix", shift_words(moment.shift)
    if moment is not None:
        yield "Zone", f"{Offset(moment.offset)} from UTC" if moment.offset is not None else "not known"


def size_words(reading: Reading) -> str:
    """Pixels, length, frame rate and channels, as far as they are known."""
    parts = []
    if reading.width and reading.height:
        width, height = reading.width, reading.height
        if reading.orientation >= 5:
            width, height = height, width
        parts.append(f"{width} × {height}")
        if reading.kind is Kind.STILL and width * height >= 1_000_000:
            parts.append(f"{width * height / 1e6:.1f} megapixels")
    if reading.duration:
        parts.append(f"{reading.duration:.1f} s" if reading.duration < 60 else _clock(reading.duration))
    if track := reading.track:
        parts += [f"{track.frame_rate:g} frames a second"] if track.frame_rate else []
        parts += [f"from {track.timecode}"] if track.timecode else []
        channels = {1: "mono", 2: "stereo"}.get(track.channels, f"{track.channels} channels")
        parts += [f"{channels}, {track.sample_rate / 1000:g} kHz"] if track.channels and track.sample_rate else []
    return " · ".join(parts)


def _clock(seconds: float) -> str:
    whole = round(seconds)
    hours = f"{whole // 3600}:" if whole >= 3600 else ""
    return f"{hours}{whole // 60 % 60:02}:{whole % 60:02}"


def exposure_words(exposure: Exposure | None) -> str:
    """`1/640 s · f/5.6 · ISO 200 · 35 mm`, as far as it is known."""
    if exposure is None:
        return ""
    parts = []
    if exposure.seconds > 0:
        is_long = exposure.seconds >= 0.3
        parts.append(f"{exposure.seconds:g} s" if is_long else f"1/{round(1 / exposure.seconds)} s")
    parts += [f"f/{exposure.aperture:.3g}"] if exposure.aperture > 0 else []
    parts += [f"ISO {exposure.speed}"] if exposure.speed > 0 else []
    parts += [f"{exposure.focal_length:.3g} mm"] if exposure.focal_length > 0 else []
    return " · ".join(parts)


def position_words(position: tuple[float, float] | None) -> str:
    """`39.4200° N, 5.3100° E`."""
    if position is None:
        return ""
    lat, lon = position
    return f"{abs(lat):.4f}° {'N' if lat >= 0 else 'S'}, {abs(lon):.4f}° {'E' if lon >= 0 else 'W'}"


def _file_words(read: ReadFile) -> str:
    return f"{os.path.basename(read.file.path)} · {read.reading.format} · {bytes_words(read.file.size)}"


def bytes_words(size: int) -> str:
    """A file's size in decimal units, such as `184.2 kB`."""
    return f"{size / 1e6:.1f} MB" if size >= 1_000_000 else f"{max(size / 1e3, 0.1):.1f} kB"
