"""Still files as cameras write them: JPEG with Exif, and DNG with a preview and mosaic data.

The DNG follows TIFF 6.0 and DNG 1.6: the first directory holds a JPEG preview, its SubIFD the colour filter array.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from PIL import Image

from jutrek.demo.tags import BYTE, Blob, Ifd, Value, build, long, rational, short, text


@dataclass(frozen=True, slots=True)
class Shot:
    """What a camera writes into a still: local time with its fraction, offset, and itself.

    `offset` may be empty, as with cameras that know none. `place` is latitude and longitude in degrees where satellites
    were heard; then their time stands there too, in UTC. `changed` is when it was edited, where it was.
    """

    local: datetime
    make: str
    model: str
    serial: str
    offset: str = "+02:00"
    place: tuple[float, float] | None = None
    utc: datetime | None = None
    changed: datetime | None = None


def _exif_time(local: datetime) -> str:
    return local.strftime("%Y:%m:%d %H:%M:%S")


def jpeg(picture: Image.Image, shot: Shot | None, *, quality: int = 84) -> bytes:
    """A JPEG; without a shot it carries no metadata at all, as messengers leave it."""
    out = io.BytesIO()
    exif = b"Exif\0\0" + build([main_directory(shot)]) if shot else b""
    picture.save(out, "JPEG", quality=quality, exif=exif)
    return out.getvalue()


def dng(picture: Image.Image, shot: Shot) -> bytes:
    """A DNG stand-in: preview of 480 pixels, mosaic (RGGB, 16 bit) of a third of the picture's size."""
    preview = io.BytesIO()
    small = picture.copy()
    small.thumbnail((480, 480), Image.Resampling.BILINEAR, reducing_gap=1.0)
    small.save(preview, "JPEG", quality=80)
    third = picture.reduce(3, (0, 0, picture.width // 3 * 3, picture.height // 3 * 3))
    pixels = np.asarray(third).astype(np.uint16) << 6
    mosaic = pixels[:, :, 1].copy()
    mosaic[0::2, 0::2], mosaic[1::2, 1::2] = pixels[0::2, 0::2, 0], pixels[1::2, 1::2, 2]
    raw: Ifd = {
        0x00FE: long(0),
        0x0100: long(mosaic.shape[1]),
        0x0101: long(mosaic.shape[0]),
        0x0102: short(16),
        0x0103: short(1),
        0x0106: short(32803),
        0x0111: Blob(mosaic.astype("<u2").tobytes()),
        0x0115: short(1),
        0x0116: long(mosaic.shape[0]),
        0x0117: long(mosaic.nbytes),
        0x828D: short(2, 2),
        0x828E: Value(BYTE, bytes((0, 1, 1, 2))),
    }
    main: Ifd = {
        0x00FE: long(1),
        0x0100: long(small.width),
        0x0101: long(small.height),
        0x0103: short(7),
        0x0111: Blob(preview.getvalue()),
        0x0117: long(len(preview.getvalue())),
        0x014A: [raw],
        0xC612: Value(BYTE, bytes((1, 4, 0, 0))),
        0xC614: text(f"{shot.make} {shot.model}"),
    }
    return build([main_directory(shot) | main])


def main_directory(shot: Shot) -> Ifd:
    """The first directory as cameras write it, with its Exif directory."""
    main: Ifd = {
        0x010F: text(shot.make),
        0x0110: text(shot.model),
        0x0112: short(1),
        0x0132: text(_exif_time(shot.changed or shot.local)),
        0x8769: [exif_directory(shot)],
    }
    if shot.place and shot.utc:
        main[0x8825] = [satellite_directory(shot.place, shot.utc)]
    return main


def exif_directory(shot: Shot) -> Ifd:
    """Exif: dates with fraction and offset, the body's serial number, exposure."""
    when = _exif_time(shot.local)
    exif: Ifd = {
        0x829A: rational((1, 640)),
        0x829D: rational((56, 10)),
        0x8827: short(200),
        0x9003: text(when),
        0x9004: text(when),
        0x9291: text(f"{shot.local.microsecond // 10000:02}"),
        0x920A: rational((35, 1)),
        0xA431: text(shot.serial),
        0xA434: text("35 mm f/1.8"),
    }
    if shot.offset:
        exif |= {tag: text(shot.offset) for tag in (0x9010, 0x9011, 0x9012)}
    return exif


def satellite_directory(place: tuple[float, float], utc: datetime) -> Ifd:
    """Position and time of satellites, in UTC."""
    lat, lon = place
    return {
        1: text("N" if lat >= 0 else "S"),
        2: rational((round(abs(lat) * 1e6), 1_000_000), (0, 1), (0, 1)),
        3: text("E" if lon >= 0 else "W"),
        4: rational((round(abs(lon) * 1e6), 1_000_000), (0, 1), (0, 1)),
        7: rational((utc.hour, 1), (utc.minute, 1), (utc.second, 1)),
        0x1D: text(utc.strftime("%Y:%m:%d")),
    }
