"""Building ISO-BMFF and QuickTime files: boxes, movie headers, tracks and what cameras put beside them.

Follows ISO/IEC 14496-12 and the QuickTime File Format Specification.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping
from datetime import datetime


def box(name: bytes, *parts: bytes) -> bytes:
    """A box."""
    body = b"".join(parts)
    return struct.pack(">I4s", 8 + len(body), name) + body


def full(name: bytes, *parts: bytes, version: int = 0) -> bytes:
    """A box with version and flags."""
    return box(name, struct.pack(">I", version << 24), *parts)


def brand(name: bytes, *others: bytes) -> bytes:
    """`ftyp`."""
    return box(b"ftyp", name, bytes(4), *(others or (name,)))


def since_1904(when: datetime) -> int:
    """Seconds from 1904-01-01."""
    return int((when - datetime(1904, 1, 1)).total_seconds())


def movie_header(seconds: int, *, length: int = 4000, version: int = 0) -> bytes:
    """An `mvhd` with a scale of 1000, dated by seconds since 1904."""
    form = ">B3xQQIQ" if version else ">B3xIIII"
    return box(b"mvhd", struct.pack(form, version, seconds, 0, 1000, length), bytes(80))


def user_text(name: bytes, words: str) -> bytes:
    """QuickTime international text."""
    data = words.encode()
    return box(name, struct.pack(">HH", len(data), 0), data)


def key_list(texts: Mapping[str, str]) -> bytes:
    """Metadata with a key list, handler `mdta`."""
    keys = b"".join(box(b"mdta", f"com.velmora.quicktime.{key}".encode()) for key in texts)
    items = b"".join(
        box(struct.pack(">I", number + 1), box(b"data", struct.pack(">II", 1, 0), words.encode()))
        for number, words in enumerate(texts.values())
    )
    handler = box(b"hdlr", bytes(8), b"mdta", bytes(13))
    return box(b"meta", handler, full(b"keys", struct.pack(">I", len(texts)), keys), box(b"ilst", items))


def track(
    handler: bytes, entry: bytes, *, seconds: int = 0, at: int = 0, size: int = 0, picture: tuple[int, int] = (0, 0)
) -> bytes:
    """A track of one chunk with one sample.

    Args:
        handler: the kind of its media.
        entry: its sample description, a box.
        seconds: since 1904.
        at: where in the file the sample stands.
        size: of the sample in bytes.
        picture: width and height.
    """
    header = full(b"tkhd", bytes(72), struct.pack(">II", picture[0] << 16, picture[1] << 16))
    media = full(b"mdhd", struct.pack(">IIIIHH", seconds, 0, 25_000, 100_000, 0, 0))
    table = box(
        b"stbl",
        full(b"stsd", struct.pack(">I", 1), entry),
        full(b"stts", struct.pack(">III", 1, 100, 1000)),
        full(b"stsz", struct.pack(">II", size, 1)),
        full(b"stco", struct.pack(">II", 1, at)),
    )
    return box(
        b"trak", header, box(b"mdia", media, full(b"hdlr", bytes(4), handler, bytes(13)), box(b"minf", table))
    )  # fmt: skip


def clip(*header: bytes, name: bytes = b"isom", media: bytes = bytes(64)) -> bytes:
    """A file with its `moov` behind the media, which begin at byte 28."""
    return brand(name, name) + box(b"mdat", media) + box(b"moov", *header)


MEDIA_AT = 28
"""Where the media of `clip` begin."""
