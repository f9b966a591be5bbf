"""Times in UTC that are not, and zones that nobody wrote down: what a device's files tell about each other."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta, timezone

import pytest

from jutrek.captures import Moment, Said, Surroundings, decide, decided
from jutrek.captures.zones import name_agrees, quarters, zone_offset
from jutrek.formats import Claim, DeviceFacts, Kind, Offset, Reading, Timestamp
from jutrek.formats.reading import UTC_BY_DEFINITION

LOCAL = datetime(2026, 5, 14, 10, 26, 13)
HOURS = timedelta(hours=2)
HOME = timezone(timedelta(hours=-5))
FIRST, SECOND = DeviceFacts("Hovar", "4K", "1"), DeviceFacts("Hovar", "4K", "2")


def claim(at: str, wall: datetime, offset: Offset | None = None) -> Claim:
    return Claim(at, Timestamp(wall, offset=offset), f"the {at}", "")


def container(wall: datetime) -> Claim:
    return claim("mp4:created", wall, UTC_BY_DEFINITION)


def stated(wall: datetime) -> Claim:
    return claim("qt:creationdate", wall, Offset(120))


def clip(*claims: Claim, device: DeviceFacts = FIRST, place: tuple[float, float] | None = None) -> Reading:
    return Reading(Kind.CLIP, "mp4", claims, device, duration=20.0, position=place)


def moments(*readings: Reading) -> Sequence[Moment]:
    found = decided([Said("/card", f"/card/{n}.MOV", one) for n, one in enumerate(readings)], home=HOME)
    assert all(found)
    return [moment for moment in found if moment]


def test_a_device_that_writes_local_time_into_its_container_does_so_always() -> None:
    """Learned from a file that knows its offset, used for one that does not; another device is not judged by it."""
    later = LOCAL + timedelta(hours=1)
    knows, same, other = moments(
        clip(stated(LOCAL), container(LOCAL)), clip(container(later)), clip(container(later), device=SECOND)
    )
    assert (knows.local, knows.offset) == (LOCAL, 120)
    assert (same.local, same.offset) == (later, None)
    assert "writes in local time" in same.why
    assert (other.local, other.offset) == (later - timedelta(hours=5), -300)


@pytest.mark.parametrize("minutes", [-720, -15, 0, 345, 780, 840])
@pytest.mark.parametrize("seconds", [-90, 0, 90])
def test_an_offset_is_of_quarter_hours_from_twelve_behind_to_fourteen_ahead(minutes: int, seconds: int) -> None:
    """A minute and a half is the rounding of two clocks, and no more; what lies beyond no zone has."""
    apart = timedelta(minutes=minutes, seconds=seconds)
    assert quarters(apart) == minutes
    assert quarters(apart + timedelta(seconds=91 if seconds >= 0 else -91)) is None
    assert name_agrees(LOCAL + apart, LOCAL, 0.0)
    assert name_agrees(LOCAL + apart, LOCAL + timedelta(seconds=700), 700.0)
    assert not name_agrees(LOCAL + apart + timedelta(minutes=7), LOCAL, 0.0)
    for beyond in (-735, 855):
        assert quarters(timedelta(minutes=beyond)) is None
        assert not name_agrees(LOCAL + timedelta(minutes=beyond), LOCAL, 0.0)


def test_files_of_a_device_that_contradict_each_other_alike_teach_nothing() -> None:
    """One and one is no majority; two and one is."""
    says_local, says_utc = clip(stated(LOCAL), container(LOCAL)), clip(stated(LOCAL), container(LOCAL - HOURS))
    asked = clip(container(LOCAL + timedelta(minutes=9)))
    torn = moments(says_local, says_utc, asked)[2]
    assert (torn.local, torn.offset) == (LOCAL + timedelta(hours=2, minutes=9), 120)
    most = moments(says_local, says_local, says_utc, asked)[3]
    assert (most.local, most.offset) == (LOCAL + timedelta(minutes=9), None)


def test_a_device_in_utc_lends_its_offset_to_its_other_files() -> None:
    """The nearest file in time says where the device was."""
    travel = LOCAL + timedelta(days=9)
    first, second = moments(
        clip(stated(LOCAL), container(LOCAL - HOURS)),
        clip(container(LOCAL - HOURS + timedelta(minutes=7))),
        clip(claim("qt:creationdate", travel, Offset(-180)), container(travel + timedelta(hours=3))),
        clip(container(travel + timedelta(hours=3, minutes=7))),
    )[1::2]
    assert (first.local, first.offset) == (LOCAL + timedelta(minutes=7), 120)
    assert "as the device's other files say" in first.why
    assert (second.local, second.offset) == (travel + timedelta(minutes=7), -180)


@pytest.mark.parametrize(("written", "is_local"), [(LOCAL, True), (LOCAL - HOURS, False)])
def test_the_files_own_time_tells_the_habit(written: datetime, is_local: bool) -> None:
    """A file's time is the end of the recording: it fits the container's figure either as local time or as UTC."""
    ends = claim("file", LOCAL + timedelta(seconds=21), Offset(120))
    copied = claim("file", LOCAL + timedelta(days=40), Offset(120))
    moment = moments(clip(container(written), ends), clip(container(written), copied))[1]
    assert ("writes in local time" in moment.why) is is_local
    assert moment.local == (written if is_local else written - timedelta(hours=5))


def test_satellite_time_beside_a_local_container_tells_the_offset() -> None:
    """An action camera's clock is local, its telemetry is UTC: together they tell the zone."""
    (moment,) = moments(clip(container(LOCAL), claim("gps", LOCAL - HOURS, UTC_BY_DEFINITION)))
    assert (moment.local, moment.offset) == (LOCAL, 120)
    assert "as its container says in local time" in moment.why


def test_the_position_tells_the_zone_before_the_house_does() -> None:
    """Summer time included; on the open sea no zone is told."""
    (moment,) = moments(clip(container(LOCAL - HOURS), place=(46.5, 8.0)))
    assert (moment.local, moment.offset) == (LOCAL, 120)
    assert "the zone of its position" in moment.why
    assert zone_offset((46.5, 8.0), datetime(2026, 1, 14)) == 60
    assert zone_offset((39.42, 5.31), LOCAL) is None
    assert zone_offset(None, LOCAL) is None


def test_the_order_of_evidence() -> None:
    """Stated, then the name, then the position, then the device's other files, then the house."""
    utc = container(LOCAL - HOURS)
    name = claim("name", LOCAL + timedelta(hours=1))
    around = Surroundings((46.5, 8.0), None, 330, home=HOME)
    steps = [([stated(LOCAL), name], around, 120), ([name], around, 180), ([], around, 120)]
    steps += [([], Surroundings(near=330, home=HOME), 330), ([], Surroundings(home=HOME), -300)]
    for others, known, offset in steps:
        moment = decide([utc, *others], known)
        assert moment is not None
        assert moment.offset == offset


def test_files_of_unknown_devices_must_agree() -> None:
    """They may be of several devices: where they contradict each other, no habit is learned; the words say source."""
    local, utc, asked = (
        Reading(Kind.CLIP, "mp4", claims, duration=20.0)
        for claims in (
            (stated(LOCAL), container(LOCAL)),
            (stated(LOCAL), container(LOCAL - HOURS)),
            (container(LOCAL + timedelta(minutes=9)),),
        )
    )
    alone = moments(local, asked)[1]
    assert alone.offset is None
    assert "this source writes in local time" in alone.why
    torn = moments(local, utc, asked)[2]
    assert (torn.local, torn.offset) == (LOCAL + timedelta(hours=2, minutes=9), 120)
    assert "its source's other files" in torn.why


@pytest.mark.parametrize(
    ("container", "until", "local"),
    [
        ("10:26", "10:40", "10:26"),
        ("15:26", "10:40", "10:26"),
        ("17:00", "10:40", "12:00"),
        ("16:00", "18:00", "11:00"),
    ],
)
def test_stills_around_a_clip_tell_what_its_container_holds(container: str, until: str, local: str) -> None:
    """By counter it lies between them, as local time or as UTC; where both fit, or neither, it is UTC by definition."""
    card = DeviceFacts("Arlen", "M2")

    def said(name: str, kind: Kind, at: str, when: str, offset: Offset | None) -> Said:
        stamp = Timestamp(datetime.fromisoformat(f"2026-05-14T{when}:00"), offset=offset)
        return Said("/card", f"/card/{name}", Reading(kind, "x", (Claim(at, stamp, "", ""),), card))

    files = [
        said("D0001.JPG", Kind.STILL, "exif:original", "10:20", None),
        said("D0002.MP4", Kind.CLIP, "mp4:created", container, UTC_BY_DEFINITION),
        said("D0003.JPG", Kind.STILL, "exif:original", until, None),
    ]
    moment = decided(files, home=HOME)[1]
    assert moment is not None
    assert f"{moment.local:%H:%M}" == local
