"""Some made-up captures of the Velmora line without files, to try house rules on before any capture has come in."""

from __future__ import annotations

from datetime import datetime, timedelta

from jutrek.demo.happenings import NIGHT, SHOOTS, filmed, photographed
from jutrek.formats import Claim, DeviceFacts, Kind, Precision, Reading, Timestamp, Track
from jutrek.sources import SourceFile

_STILLS, _CLIPS = DeviceFacts("Arlen", "M2", "A2-10442", "Arlen 24-70"), DeviceFacts("Hovar", "4K")
_SOUND = DeviceFacts("Lyd", "R6", "R6-0815")
_MEGABYTE = 1_000_000


def described() -> list[tuple[datetime, str]]:
    """What was on each day of the story."""
    return [(datetime(2026, 5, shoot.day), shoot.words) for shoot in SHOOTS]


def examples() -> list[tuple[SourceFile, Reading]]:
    """Files with what they say: pairs of stills, clips, takes of sound, a burst, pictures of the night, a scan."""
    made: list[tuple[SourceFile, Reading]] = []
    counter = 4401
    for shoot in SHOOTS:
        times = photographed(shoot)
        if shoot.day == NIGHT.day - 1:
            times[-2:] = [NIGHT, NIGHT + timedelta(minutes=7)]
        for at in times:
            stem = f"/Card A/DCIM/{100 + (counter - 4401) // 70}ARLEN/DSC{counter:05}"
            made.append(_file(f"{stem}.DNG", "dng", Kind.STILL, at, _STILLS, width=6000, height=4000))
            made.append(_file(f"{stem}.JPG", "jpeg", Kind.STILL, at, _STILLS, width=6000, height=4000))
            counter += 1
        for number, at in enumerate(filmed(shoot), 1):
            path = f"/Card B/PRIVATE/HOVAR/CLIP/{shoot.day}{number:02}.MOV"
            made.append(
                _file(path, "mov", Kind.CLIP, at, _CLIPS, width=3840, height=2160, track=Track(frame_rate=25.0))
            )
            sound = f"/Card D/TAKES/VELMORA-T{shoot.day}{number:02}.WAV"
            made.append(_file(sound, "wav", Kind.SOUND, at - timedelta(seconds=4), _SOUND))
    made.append(_file("/Phone inbox/old/scan-lok4.tif", "tiff", Kind.STILL, None, None))
    return made


def _file(
    path: str,
    form: str,
    kind: Kind,
    at: datetime | None,
    device: DeviceFacts | None,
    *,
    width: int = 0,
    height: int = 0,
    track: Track | None = None,
) -> tuple[SourceFile, Reading]:
    root = path[: path.index("/", 1)]
    claims = (Claim("exif:original", Timestamp(at, Precision.SUBSECOND), "the camera's time", ""),) if at else ()
    reading = Reading(kind, form, claims, device, width, height, 4.0 if kind is not Kind.STILL else 0.0, track=track)
    return SourceFile(path, root, _MEGABYTE, 0), reading
