"""From UTC to local wall time, and back: by what is stated, by satellites, by position, by the device's other files.

Containers define their times as UTC, and many cameras write local time into them all the same. A device does so always
or never, so its habit is learned from those of its files that know better.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, tzinfo
from functools import lru_cache
from zoneinfo import ZoneInfo

from jutrek.formats import Claim, Offset, Precision, Reading, format_of

SOURCE = "source:"
"""Begins the key of what has no known device."""
_QUARTER = timedelta(minutes=15)
_ROUNDING = timedelta(seconds=90)
_LATE, _EARLY = timedelta(seconds=120), timedelta(seconds=-5)
"""How far a file's time may stand behind and before the beginning of the recording, its length left out."""
CONTAINER_TIMES = frozenset({"mp4:created", "mp4:track", "mkv:created", "mxf:created", "asf:created"})
"""Claims in UTC by their container's definition, which many devices fill with local time."""
_ELSEWHERE = frozenset({"file", "xmp:changed", "aae:changed", "png:changed"})
_KNOWING = frozenset({"exif:original", "qt:creationdate", "clipdata", "mdpm"})


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What is known around a file that helps to tell its local time.

    Attributes:
        position: latitude and longitude in degrees, or None.
        writes_local: whether the device is known to write local time where its container asks for UTC; None: unknown.
        near: the offset, in minutes, that the device's other files tell around that time; None: none does.
        known: whether the device is known; else the files of its source without a known device stand for it.
        home: where the house is; None is this machine's zone.
        duration: of the recording in seconds; 0.0 for stills and where unknown.
        since: the year in which the first device wrote files of this format; 0 where others write it as well.
    """

    position: tuple[float, float] | None = None
    writes_local: bool | None = None
    near: int | None = None
    known: bool = True
    home: tzinfo | None = None
    duration: float = 0.0
    since: int = 0


def to_local(claim: Claim, claims: Sequence[Claim], around: Surroundings) -> tuple[datetime, int | None, str]:
    """Local time of a claim in UTC, its offset in minutes where known, and the words for how it was found."""
    utc = claim.stamp.wall
    if claim.at in CONTAINER_TIMES and around.writes_local:
        return utc, None, f"which {'this device' if around.known else 'this source'} writes in local time"
    for minutes, words in _offsets(claim, claims, around):
        if minutes is not None:
            return utc + timedelta(minutes=minutes), minutes, f"in UTC, at {Offset(minutes)}{words}"
    shift = utc.replace(tzinfo=UTC).astimezone(around.home).utcoffset() or timedelta(0)
    minutes = int(shift.total_seconds()) // 60
    return utc + timedelta(minutes=minutes), minutes, f"in UTC, at {Offset(minutes)}, the house's zone"


def _offsets(claim: Claim, claims: Sequence[Claim], around: Surroundings) -> Iterable[tuple[int | None, str]]:
    """Offsets by evidence, strongest first; None where that evidence says nothing."""
    yield _stated(claims), " as stated beside it"
    yield _by_container(claim, claims), " as its container says in local time"
    yield _by_name(claim, claims), " by the file's name"
    yield zone_offset(around.position, claim.stamp.wall), ", the zone of its position"
    yield around.near, f" as {'the device' if around.known else 'its source'}'s other files say"


def _stated(claims: Sequence[Claim]) -> int | None:
    """An offset that the device wrote down. Editors and this machine state their own, wherever they stand."""
    for other in claims:
        stated = other.stamp.offset
        if stated is not None and not stated.by_definition and other.at not in _ELSEWHERE:
            return stated.minutes
    return None


def _by_container(claim: Claim, claims: Sequence[Claim]) -> int | None:
    """Satellite time is UTC for sure: a container that is whole quarter hours from it holds local time."""
    if claim.at != "gps":
        return None
    return next(
        (quarters(other.stamp.wall - claim.stamp.wall) or None for other in claims if other.at in CONTAINER_TIMES), None
    )


def _by_name(claim: Claim, claims: Sequence[Claim]) -> int | None:
    for other in claims:
        if other.at == "name" and other.stamp.offset is None and other.stamp.precision >= Precision.SECOND:
            return quarters(other.stamp.wall - claim.stamp.wall)
    return None


def offset_by_satellite(local: datetime, claims: Sequence[Claim]) -> int | None:
    """Local minus satellite time where that is whole quarter hours and not zero (which proves nothing)."""
    for claim in claims:
        if claim.at == "gps":
            return quarters(local - claim.stamp.wall) or None
    return None


def is_known(device: str) -> bool:
    """Whether a device's key names a device; else it names the source that its files came from."""
    return not device.startswith(SOURCE)


def quarters(difference: timedelta) -> int | None:
    """A difference as a zone offset in minutes, or None when it cannot be one."""
    count = round(difference / _QUARTER)
    if abs(difference - count * _QUARTER) > _ROUNDING or not -48 <= count <= 56:
        return None
    return count * 15


def name_agrees(name: datetime, container: datetime, duration: float) -> bool:
    """Whether a name and a container can be of one recording, in whatever zones: whole quarter hours apart.

    The container's figure may be of the beginning of the recording or of its end.
    """
    for apart in (name - container, name - container + timedelta(seconds=duration)):
        count = round(apart / _QUARTER)
        if -48 <= count <= 56 and abs(apart - count * _QUARTER) <= _LATE:
            return True
    return False


def zone_offset(position: tuple[float, float] | None, utc: datetime) -> int | None:
    """The offset at a position and time, in minutes. None on the open sea, where clocks follow the ship."""
    name = _zone_name(*position) if position else ""
    if not name or name.startswith("Etc/"):
        return None
    shift = utc.replace(tzinfo=UTC).astimezone(ZoneInfo(name)).utcoffset()
    return int(shift.total_seconds()) // 60 if shift is not None else None


@lru_cache(maxsize=4096)
def _zone_name(lat: float, lon: float) -> str:
    import tzfpy

    return str(tzfpy.get_tz(lon, lat))


class Habits:
    """What files tell about their devices: how they fill their containers, and their offsets in time."""

    def __init__(
        self,
        readings: Iterable[tuple[str, Reading]],
        home: tzinfo | None = None,
        by_counters: Mapping[str, Counter[bool]] | None = None,
    ) -> None:
        """Learn from readings, each with the key of its device.

        Args:
            by_counters: what the stills around clips tell of their containers, by device.
        """
        self._home = home
        votes: dict[str, Counter[bool]] = defaultdict(Counter)
        hints: dict[str, Counter[bool]] = defaultdict(Counter)
        offsets: dict[str, list[tuple[datetime, int]]] = defaultdict(list)
        for device, reading in readings:
            known = _known(reading.claims)
            if known is None:
                hint = _by_file_time(reading)
                hints[device].update([] if hint is None else [hint])
                continue
            local, offset = known
            offsets[device].append((local - timedelta(minutes=offset), offset))
            writes_local = _writes_local(reading.claims, local, offset)
            if writes_local is not None:
                votes[device][writes_local] += 1
        told = by_counters or {}
        counts = {
            device: votes.get(device) or told.get(device) or hints[device] for device in (*votes, *hints, *told)
        }  # fmt: skip
        self._writes_local = {device: _verdict(device, count) for device, count in counts.items()}
        self._offsets = {device: sorted(known) for device, known in offsets.items()}

    def around(self, device: str, reading: Reading) -> Surroundings:
        """What is known around a file of a device."""
        habit, near = self._writes_local.get(device), self._near(device, reading)
        since = format_of(reading.format).since
        return Surroundings(reading.position, habit, near, is_known(device), self._home, reading.duration, since)

    def _near(self, device: str, reading: Reading) -> int | None:
        known = self._offsets.get(device, [])
        utc = next((claim.stamp.wall for claim in reading.claims if _is_utc(claim)), None)
        if not known or utc is None:
            return None
        at = bisect_left(known, (utc, 0))
        return min(known[max(0, at - 1) : at + 1], key=lambda one: abs(one[0] - utc))[1]


def _verdict(device: str, count: Counter[bool]) -> bool | None:
    """What most files of a device say. Files of unknown devices may be of several, so they must all agree."""
    ranked = count.most_common()
    if not ranked or (len(ranked) > 1 and (not is_known(device) or ranked[0][1] == ranked[1][1])):
        return None
    return ranked[0][0]


def _is_utc(claim: Claim) -> bool:
    return claim.stamp.offset is not None and claim.stamp.offset.by_definition


def _known(claims: Sequence[Claim]) -> tuple[datetime, int] | None:
    """Local time with its offset in minutes, stated or by satellite, of a claim of the time of shooting."""
    for claim in claims:
        if claim.at in _KNOWING and claim.stamp.precision >= Precision.SECOND:
            stated = claim.stamp.offset
            offset = stated.minutes if stated else offset_by_satellite(claim.stamp.wall, claims)
            if offset is not None:
                return claim.stamp.wall, offset
    for claim in claims:
        if claim.at in CONTAINER_TIMES and (offset := offset_by_satellite(claim.stamp.wall, claims)) is not None:
            return claim.stamp.wall, offset
    return None


def _writes_local(claims: Sequence[Claim], local: datetime, offset: int) -> bool | None:
    """Whether the container's time is the local one; None where there is none, or where local time is UTC."""
    for claim in claims:
        if claim.at in CONTAINER_TIMES and offset:
            apart = quarters(claim.stamp.wall - local)
            if apart == 0:
                return True
            if apart == -offset:
                return False
    return None


def _by_file_time(reading: Reading) -> bool | None:
    """A file gets its time when the recording ends. Where that is the container's own figure, the container is local.

    None where copying reset the file's time, or where this machine's zone is UTC and tells nothing.
    """
    file = next((claim.stamp for claim in reading.claims if claim.at == "file"), None)
    container = next((claim.stamp for claim in reading.claims if claim.at in CONTAINER_TIMES), None)
    if file is None or container is None or file.offset is None or not file.offset.minutes:
        return None
    latest = timedelta(seconds=reading.duration) + _LATE
    if _EARLY <= file.wall - container.wall <= latest:
        return True
    utc = file.wall - timedelta(minutes=file.offset.minutes)
    return False if _EARLY <= utc - container.wall <= latest else None
