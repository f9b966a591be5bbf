"""What a reader says about a file: its kind, its format, and the claims of dates found in it.

A reader reports what the bytes say and decides nothing: which claim is believed is the matter of `captures`.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from enum import IntEnum, StrEnum


class Kind(StrEnum):
    """What a file is to the person."""

    STILL = "still"
    CLIP = "clip"
    SOUND = "sound"
    SIDECAR = "sidecar"
    OTHER = "other"


class Precision(IntEnum):
    """How far a date is known."""

    YEAR = 1
    MONTH = 2
    DAY = 3
    MINUTE = 4
    SECOND = 5
    SUBSECOND = 6


_ISO_LENGTH = {Precision.YEAR: 4, Precision.MONTH: 7, Precision.DAY: 10, Precision.MINUTE: 16, Precision.SECOND: 19}


@dataclass(frozen=True, slots=True)
class Offset:
    """A distance from UTC.

    Attributes:
        minutes: local time minus UTC, in minutes.
        by_definition: the container defines its times as UTC; no one wrote an offset down.
    """

    minutes: int
    by_definition: bool = False

    def __str__(self) -> str:
        if self.by_definition:
            return "Z"
        sign = "-" if self.minutes < 0 else "+"
        return f"{sign}{abs(self.minutes) // 60:02}:{abs(self.minutes) % 60:02}"


UTC_BY_DEFINITION = Offset(0, by_definition=True)


@dataclass(frozen=True, slots=True)
class Stamp:
    """A date as it stands somewhere.

    Attributes:
        wall: the date and time as written, naive: it is local time, or UTC where `offset` says so.
        precision: how far `wall` is known; fields beyond are filled with their lowest value.
        offset: the distance from UTC if stated or defined, else None.
        mended: what was wrong with the text and how it was taken, or an empty string.
    """

    wall: datetime
    precision: Precision = Precision.SECOND
    offset: Offset | None = None
    mended: str = ""

    def iso(self) -> str:
        """ISO 8601 as far as the precision goes, without offset."""
        if self.precision is Precision.SUBSECOND:
            return self.wall.isoformat(timespec="microseconds").rstrip("0")
        return self.wall.isoformat(timespec="seconds")[: _ISO_LENGTH[self.precision]]


@dataclass(frozen=True, slots=True)
class Claim:
    """One statement of a date found in or around a file.

    Attributes:
        at: the name of the kind of claim, such as `exif:original`, `bext`, `name`, `file`.
        stamp: the date it states.
        where: where it stands, in words.
        raw: the text or number as stored.
    """

    at: str
    stamp: Stamp
    where: str
    raw: str


@dataclass(frozen=True, slots=True)
class DeviceFacts:
    """What a file says about the device that made it; empty strings where it is silent."""

    make: str = ""
    model: str = ""
    serial: str = ""


@dataclass(frozen=True, slots=True)
class Stretch:
    """A stretch of a file: offset and size in bytes."""

    offset: int
    size: int


@dataclass(frozen=True, slots=True)
class Reading:
    """What one file says.

    Attributes:
        kind: still, clip, sound, sidecar or other.
        format: the container's name in lower case, such as `jpeg`, `dng`, `mp4`, `wav`.
        claims: the dates found, those inside first.
        device: the device, or None where nothing is said.
        width, height: in pixels as stored, before orientation; 0 where unknown.
        duration: in seconds; 0.0 for stills and where unknown.
        orientation: the Exif value 1..8.
        position: latitude and longitude in degrees (WGS 84), or None.
        preview: an embedded JPEG, or None.
        notes: sentences about what is odd or damaged.
    """

    kind: Kind
    format: str
    claims: tuple[Claim, ...] = ()
    device: DeviceFacts | None = None
    width: int = 0
    height: int = 0
    duration: float = 0.0
    orientation: int = 1
    position: tuple[float, float] | None = None
    preview: Stretch | None = None
    notes: tuple[str, ...] = ()


@dataclass(slots=True)
class Draft:
    """A reading in the making. A reader fills it as it goes, so that damage costs only what lies behind it."""

    kind: Kind = Kind.OTHER
    format: str = "unknown"
    claims: list[Claim] = field(default_factory=list)
    make: str = ""
    model: str = ""
    serial: str = ""
    width: int = 0
    height: int = 0
    duration: float = 0.0
    orientation: int = 1
    position: tuple[float, float] | None = None
    preview: Stretch | None = None
    notes: list[str] = field(default_factory=list)

    def claim(self, at: str, stamp: Stamp | None, where: str, raw: str) -> None:
        """Note a claim; None (a blank date) is no claim. What was mended becomes a note."""
        if stamp is None:
            return
        self.claims.append(Claim(at, stamp, where, raw))
        if stamp.mended:
            self.notes.append(f"{where[:1].upper()}{where[1:]} says “{raw}”: {stamp.mended}.")

    def device(self) -> DeviceFacts | None:
        """The device's facts, or None where nothing is known."""
        if self.make or self.model or self.serial:
            return DeviceFacts(self.make, self.model, self.serial)
        return None

    def done(self) -> Reading:
        """The finished, immutable reading."""
        return Reading(
            self.kind, self.format, tuple(self.claims), self.device(), self.width, self.height, self.duration,
            self.orientation, self.position, self.preview, tuple(self.notes),
        )  # fmt: skip
