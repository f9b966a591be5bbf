"""Still files as cameras write them: JPEG with Exif, and DNG with a preview and mosaic data.

The DNG follows TIFF 6.0 and DNG 1.6: the first directory holds a JPEG preview, its SubIFD the colour filter array.
"""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from PIL import Image

_ASCII, _SHORT, _LONG, _BYTE, _UNDEFINED, _RATIONAL = 2, 3, 4, 1, 7, 5


@dataclass(frozen=True, slots=True)
class Shot:
    """What a camera writes into a still: local time with its fraction, offset, and itself."""

    local: datetime
    make: str
    model: str
    serial: str
    offset: str = "+02:00"


def _exif_time(local: datetime) -> str:
    return local.strftime("%Y:%m:%d %H:%M:%S")


def jpeg(picture: Image.Image, shot: Shot | None, *, quality: int = 84) -> bytes:
    """A JPEG; without a shot it carries no metadata at all, as messengers leave it."""
    out = io.BytesIO()
    if shot is None:
        picture.save(out, "JPEG", quality=quality)
        return out.getvalue()
    exif = Image.Exif()
    exif[0x010F], exif[0x0110], exif[0x0112], exif[0x0132] = shot.make, shot.model, 1, _exif_time(shot.local)
    inner = exif.get_ifd(0x8769)
    inner[0x9003] = inner[0x9004] = _exif_time(shot.local)
    inner[0x9010] = inner[0x9011] = inner[0x9012] = shot.offset
    inner[0x9291] = f"{shot.local.microsecond // 10000:02}"
    inner[0x829A], inner[0x829D], inner[0x8827] = 1 / 640, 5.6, 200
    inner[0xA431] = shot.serial
    picture.save(out, "JPEG", quality=quality, exif=exif)
    return out.getvalue()


def dng(picture: Image.Image, shot: Shot) -> bytes:
    """A DNG stand-in: preview of 480 pixels, mosaic (RGGB, 16 bit) of half the picture's size."""
    preview = io.BytesIO()
    small = picture.copy()
    small.thumbnail((480, 480))
    small.save(preview, "JPEG", quality=80)
    pixels = np.asarray(picture.resize((picture.width // 3, picture.height // 3))).astype(np.uint16) << 6
    mosaic = pixels[:, :, 1].copy()
    mosaic[0::2, 0::2], mosaic[1::2, 1::2] = pixels[0::2, 0::2, 0], pixels[1::2, 1::2, 2]
    when = _text(_exif_time(shot.local))
    exif = {
        0x9003: (_ASCII, when),
        0x9004: (_ASCII, when),
        0x9011: (_ASCII, _text(shot.offset)),
        0x9291: (_ASCII, _text(f"{shot.local.microsecond // 10000:02}")),
        0xA431: (_ASCII, _text(shot.serial)),
        0x829A: (_RATIONAL, struct.pack("<II", 1, 640)),
    }
    raw = {
        0x00FE: (_LONG, struct.pack("<I", 0)),
        0x0100: (_LONG, struct.pack("<I", mosaic.shape[1])),
        0x0101: (_LONG, struct.pack("<I", mosaic.shape[0])),
        0x0102: (_SHORT, struct.pack("<H", 16)),
        0x0103: (_SHORT, struct.pack("<H", 1)),
        0x0106: (_SHORT, struct.pack("<H", 32803)),
        0x0115: (_SHORT, struct.pack("<H", 1)),
        0x828D: (_SHORT, struct.pack("<HH", 2, 2)),
        0x828E: (_BYTE, bytes((0, 1, 1, 2))),
    }
    main = {
        0x00FE: (_LONG, struct.pack("<I", 1)),
        0x0100: (_LONG, struct.pack("<I", small.width)),
        0x0101: (_LONG, struct.pack("<I", small.height)),
        0x0103: (_SHORT, struct.pack("<H", 7)),
        0x010F: (_ASCII, _text(shot.make)),
        0x0110: (_ASCII, _text(shot.model)),
        0x0112: (_SHORT, struct.pack("<H", 1)),
        0x0132: (_ASCII, when),
        0xC612: (_BYTE, bytes((1, 4, 0, 0))),
        0xC614: (_ASCII, _text(f"{shot.make} {shot.model}")),
    }
    return _assemble(main, exif, raw, preview.getvalue(), mosaic.astype("<u2").tobytes())


def _text(words: str) -> bytes:
    return words.encode() + b"\0"


_Tags = dict[int, tuple[int, bytes]]
_UNIT = {_ASCII: 1, _SHORT: 2, _LONG: 4, _BYTE: 1, _UNDEFINED: 1, _RATIONAL: 8}


def _assemble(main: _Tags, exif: _Tags, raw: _Tags, preview: bytes, mosaic: bytes) -> bytes:
    """Lay out header, three directories with their values, preview and mosaic, and point them at each other."""

    def length(tags: _Tags, more: int) -> int:
        values = sum(len(data) + len(data) % 2 for _, data in tags.values() if len(data) > 4)
        return 2 + 12 * (len(tags) + more) + 4 + values

    exif_at = 8 + length(main, 4)
    raw_at = exif_at + length(exif, 0)
    preview_at = raw_at + length(raw, 3)
    mosaic_at = preview_at + len(preview) + len(preview) % 2
    rows = raw[0x0101]
    main = main | {
        0x0111: (_LONG, struct.pack("<I", preview_at)),
        0x0117: (_LONG, struct.pack("<I", len(preview))),
        0x014A: (_LONG, struct.pack("<I", raw_at)),
        0x8769: (_LONG, struct.pack("<I", exif_at)),
    }
    raw = raw | {
        0x0111: (_LONG, struct.pack("<I", mosaic_at)),
        0x0116: rows,
        0x0117: (_LONG, struct.pack("<I", len(mosaic))),
    }
    head = struct.pack("<2sHI", b"II", 42, 8)
    body = head + _directory(main, 8) + _directory(exif, exif_at) + _directory(raw, raw_at)
    return body + preview + b"\0" * (len(preview) % 2) + mosaic


def _directory(tags: _Tags, at: int) -> bytes:
    values_at = at + 2 + 12 * len(tags) + 4
    table, values = struct.pack("<H", len(tags)), b""
    for tag, (kind, data) in sorted(tags.items()):
        count = len(data) // _UNIT[kind]
        if len(data) <= 4:
            table += struct.pack("<HHI4s", tag, kind, count, data)
        else:
            table += struct.pack("<HHII", tag, kind, count, values_at + len(values))
            values += data + b"\0" * (len(data) % 2)
    return table + struct.pack("<I", 0) + values
