"""The shelf: one file of each format, by its name."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from functools import cache
from types import MappingProxyType

from PIL import Image

from jutrek.demo import clips as story_clips
from jutrek.demo import scenes, sound
from jutrek.demo.shelf import boxes, clips, raws
from jutrek.demo.shelf.media import humming, moving
from jutrek.demo.shelf.sounds import tagged_aiff, wav_64, with_bext
from jutrek.demo.stills import Shot, dng, jpeg

LOCAL = datetime(2026, 5, 14, 10, 26, 13, 420_000)
OFFSET = timedelta(hours=2)
UTC = LOCAL.replace(microsecond=0) - OFFSET
PLACE = (39.42, 5.31)
"""A point in the sea: the Velmora line is nowhere on a map."""

_BODY = Shot(LOCAL, "Arlen", "M2", "A2-10442")
_PHONE = Shot(LOCAL, "Skarv", "P4", "P4-77120", place=PLACE, utc=UTC)
_NO_ZONE = Shot(LOCAL, "Skarv", "P4", "P4-77120", offset="", place=PLACE, utc=UTC)
_STAMP = f"{LOCAL:%Y-%m-%dT%H:%M:%S}"
_CREATED = {"creation_time": f"{UTC:%Y-%m-%dT%H:%M:%S}.000000Z"}
_DATED = {"date": _STAMP}


@cache
def _picture() -> Image.Image:
    return scenes.draw("bridge", 10, 42, (96, 64))


def _sidecar() -> bytes:
    return (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        "<rdf:Description rdf:about='' xmlns:e='http://ns.adobe.com/exif/1.0/' "
        f"e:DateTimeOriginal='{_STAMP}+02:00'/></rdf:RDF></x:xmpmeta>"
    ).encode()


def _edit() -> bytes:
    return (
        '<?xml version="1.0" encoding="UTF-8"?><plist version="1.0"><dict><key>adjustmentBaseVersion</key>'
        "<integer>0</integer><key>adjustmentTimestamp</key>"
        f"<date>{UTC:%Y-%m-%dT%H:%M:%S}Z</date></dict></plist>"
    ).encode()


def _general_picture() -> bytes:
    """A HEIC whose brands do not say how it is coded."""
    picture = raws.encoded(_picture(), _NO_ZONE, "HEIF")
    size = int.from_bytes(picture[:4])
    return boxes.brand(b"mif1", *(b"mif1" for _ in range((size - 16) // 4))) + picture[size:]


def _phone_clip() -> bytes:
    texts = {
        "creationdate": f"{_STAMP}+0200",
        "make": "Skarv",
        "model": "P4",
        "location.ISO6709": f"{PLACE[0]:+08.4f}{PLACE[1]:+09.4f}/",
        "content.identifier": "7F0E-BRIDGE",
    }
    return boxes.clip(boxes.movie_header(boxes.since_1904(UTC)), boxes.key_list(texts), name=b"qt  ")


def _camera_clip() -> bytes:
    texts = ((b"\xa9day", f"{_STAMP}+0200"), (b"\xa9mak", "Hovar"), (b"\xa9mod", "4K"))
    header = boxes.movie_header(boxes.since_1904(UTC))
    return boxes.clip(header, boxes.box(b"udta", *(boxes.user_text(*text) for text in texts)), name=b"3gp5")


def _clip_data() -> bytes:
    return clips.clip_data(LOCAL, "+02:00", "Hovar", "4K", "H4-0091")


_STILLS: dict[str, Callable[[], bytes]] = {
    "body.jpg": lambda: jpeg(_picture(), _BODY),
    "two pictures.jpg": lambda: raws.multi_picture(_BODY, _picture()),
    "moving still.jpg": lambda: raws.motion_photo(_PHONE, _picture(), _phone_clip()),
    "scan.tif": lambda: raws.tiff(_BODY),
    "large scan.tif": lambda: raws.tiff(_BODY, big=True),
    "body.dng": lambda: dng(_picture(), _BODY),
    "body.cr2": lambda: raws.cr2(_BODY, _picture()),
    "body.nef": lambda: raws.nef(_BODY, _picture()),
    "body.raw": lambda: raws.nef(_BODY, _picture()),
    "body.orf": lambda: raws.orf(_BODY),
    "body.rw2": lambda: raws.rw2(_BODY, _picture()),
    "body.raf": lambda: raws.raf(_BODY, _picture()),
    "body.cr3": lambda: raws.cr3(_PHONE, _picture()),
    "body.mrw": lambda: raws.mrw(_BODY),
    "body.x3f": lambda: raws.x3f(_BODY, int((LOCAL - datetime(1970, 1, 1)).total_seconds()), _picture()),
    "phone.heic": lambda: raws.encoded(_picture(), _NO_ZONE, "HEIF"),
    "general.heif": _general_picture,
    "picture.avif": lambda: raws.encoded(_picture(), _BODY, "AVIF"),
    "picture.png": lambda: raws.encoded(_picture(), _BODY, "PNG"),
    "picture.webp": lambda: raws.encoded(_picture(), _BODY, "WEBP"),
    "picture.jxl": lambda: raws.jxl(_BODY),
    "packed.jxl": lambda: raws.jxl(_BODY, packed=True),
    "drawing.gif": lambda: raws.encoded(_picture(), _BODY, "GIF"),
}
_CLIPS: dict[str, Callable[[], bytes]] = {
    "encoded.mov": lambda: story_clips.clip(story_clips.Take("bridge", LOCAL, 0.5, "Hovar", "4K"), 1, (160, 96)),
    "encoded.mp4": lambda: moving("mp4", "mpeg4", _CREATED),
    "phone.mov": _phone_clip,
    "pocket camera.3gp": _camera_clip,
    "pocket player.m4v": lambda: boxes.clip(boxes.movie_header(boxes.since_1904(UTC)), b"", name=b"M4V "),
    "camera.mp4": lambda: clips.with_clip_data(UTC, _clip_data()),
    "maker.mp4": lambda: clips.with_maker_box(UTC, jpeg(_picture(), _BODY)),
    "action.mp4": lambda: clips.action_camera(LOCAL, UTC, "Skarv Dash", "SD-0042"),
    "packed header.mov": lambda: clips.compressed(UTC, (b"\xa9day", f"{_STAMP}+0200")),
    "fragments.mp4": lambda: clips.fragmented(UTC),
    "timecode.mov": lambda: clips.timecoded(UTC),
    "compact.avi": lambda: clips.avi("THU MAY 14 10:26:13 2026", exif=_BODY),
    "camcorder.mts": lambda: clips.avchd(LOCAL, 0x04),
    "stream.ts": lambda: clips.avchd(LOCAL, 0xFF, stride=188),
    "disc.mpg": lambda: moving("mpeg", "mpeg2video", {}),
    "disc.moi": lambda: clips.moi(LOCAL, 480),
    "studio.mxf": lambda: moving("mxf", "mpeg2video", _CREATED),
    "studioM01.XML": _clip_data,
    "packed.mkv": lambda: moving("matroska", "mpeg4", _CREATED | {"DATE_RECORDED": _STAMP}),
    "web.webm": lambda: moving("webm", "libvpx", _CREATED),
    "tape.dv": lambda: clips.dv(LOCAL),
    "old.wmv": lambda: moving("asf", "wmv2", _CREATED),
    "drone.srt": lambda: clips.subtitles(LOCAL, PLACE),
}
_SOUNDS: dict[str, Callable[[], bytes]] = {
    "take.wav": lambda: sound.take(LOCAL, 0.2, 1, scene="Yard", number=3),
    "long take.wav": lambda: wav_64(LOCAL),
    "take.aif": lambda: tagged_aiff(LOCAL),
    "take.flac": lambda: with_bext(humming("flac", "flac", {}), LOCAL),
    "take.ogg": lambda: humming("ogg", "vorbis", _DATED, form="fltp"),
    "take.opus": lambda: humming("opus", "libopus", _DATED),
    "take.mp3": lambda: humming("mp3", "libmp3lame", _DATED, form="s16p"),
    "memo.m4a": lambda: humming("ipod", "aac", _CREATED, form="fltp"),
    "memo.caf": lambda: humming("caf", "pcm_s16be", {"recorded date": _STAMP}),
    "edit.xmp": _sidecar,
    "edit.aae": _edit,
}


@cache
def specimens() -> Mapping[str, bytes]:
    """Files by name, all of the same moment: 14 May 2026, 10:26:13.42 local time, two hours ahead of UTC."""
    return MappingProxyType({name: make() for name, make in {**_STILLS, **_CLIPS, **_SOUNDS}.items()})
