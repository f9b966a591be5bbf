"""What a reader says about a file: its kind, its format, and the claims of dates found in it.

A reader reports what the bytes say and decides nothing: which claim is believed is the matter of `captures`.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from enum import IntEnum, StrEnum
from typing import NamedTuple


class Kind(StrEnum):
    """What a file is to the person."""

    STILL = "still"
    CLIP = "clip"
    SOUND = "sound"
    SIDECAR = "sidecar"
    OTHER = "other"


MEDIA = frozenset({Kind.STILL, Kind.CLIP, Kind.SOUND})
"""What holds a picture, clip or sound itself."""


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


class Timestamp(NamedTuple):
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
            digits = f"{self.wall.microsecond:06}".rstrip("0") or "0"
            return f"{self.wall.isoformat(timespec='seconds')}.{digits}"
        return self.wall.isoformat(timespec="seconds")[: _ISO_LENGTH[self.precision]]


class Claim(NamedTuple):
    """One statement of a date found in or around a file.

    Attributes:
        at: the name of the kind of claim, such as `exif:original`, `bext`, `name`, `file`.
        stamp: the date it states.
        where: where it stands, in words.
        raw: the text or number as stored.
    """

    at: str
    stamp: Timestamp
    where: str
    raw: str


class DeviceFacts(NamedTuple):
    """What a file says about the device that made it; empty strings where it is silent.

    `lens` is what was mounted, `owner` the name that a person entered into the device.
    """

    make: str = ""
    model: str = ""
    serial: str = ""
    lens: str = ""
    owner: str = ""


class Exposure(NamedTuple):
    """How a still was exposed: seconds, f-number, ISO speed, and focal length in millimetres; 0 where unknown."""

    seconds: float = 0.0
    aperture: float = 0.0
    speed: int = 0
    focal_length: float = 0.0


class Track(NamedTuple):
    """What a clip or a sound says about its streams; 0 or an empty string where it is silent.

    Attributes:
        frame_rate: frames a second.
        timecode: of the first frame, `HH:MM:SS:FF` (`;` before the frames where frames are dropped).
        channels: of sound.
        sample_rate: samples a second and channel.
    """

    frame_rate: float = 0.0
    timecode: str = ""
    channels: int = 0
    sample_rate: int = 0


class Tie(NamedTuple):
    """An identifier that ties files together.

    Attributes:
        kind: what it identifies, such as `content`, `burst`, `umid`, `chapter`, `scene`, `take`, `tape`.
        value: as stored.
    """

    kind: str
    value: str


TAKEN_OFF = " "
"""A label that was taken off: its property is there, and empty."""


class Wording(NamedTuple):
    """What a person wrote about the content; empty where nothing is said.

    Title, place, the job's number, keywords, who made it, under which rights; a label (`TAKEN_OFF` where it is said
    that there is none), and a rating from 1 to 5 (None where it has none); what is to be seen, in sentences; and
    keywords of the capture that a sidecar says do not count any more.
    """

    title: str = ""
    place: str = ""
    job: str = ""
    keywords: tuple[str, ...] = ()
    creator: str = ""
    rights: str = ""
    label: str = ""
    rating: int | None = None
    description: str = ""
    without: tuple[str, ...] = ()


class Stretch(NamedTuple):
    """A stretch of a file: offset and size in bytes."""

    offset: int
    size: int


class Reading(NamedTuple):
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
        exposure: how a still was exposed, or None where nothing is said.
        track: facts about the streams of a clip or sound, or None where nothing is said.
        ties: identifiers that tie this file to others.
        previews: embedded JPEGs, in the order of the file.
        motion: a clip that stands behind the picture, or None.
        payload: where the picture, clip or sound itself stands, without its metadata; empty where not told.
        notes: sentences about what is odd or damaged.
        wording: what a person wrote about the content, or None.
        orientation_at: where in the file the orientation stands, each time in two bytes.
        packet: where its XMP packet stands as plain bytes, the first one; None where none does.
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
    exposure: Exposure | None = None
    track: Track | None = None
    ties: tuple[Tie, ...] = ()
    previews: tuple[Stretch, ...] = ()
    motion: Stretch | None = None
    payload: tuple[Stretch, ...] = ()
    notes: tuple[str, ...] = ()
    wording: Wording | None = None
    orientation_at: tuple[int, ...] = ()
    packet: Stretch | None = None
