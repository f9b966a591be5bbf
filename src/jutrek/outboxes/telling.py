"""What copies say of themselves: in JPEGs by Exif 2.32 and XMP (ISO 16684-1), in clips by the time of their making.

A copy is made without a word; words are put around its picture afterwards, so that other words need no other picture.
"""

from __future__ import annotations

import hashlib
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, NamedTuple

from jutrek.formats import Offset, Precision, Timestamp
from jutrek.transfer.sidecars import Said, with_words

if TYPE_CHECKING:
    from PIL import Image

_EXIF, _GPS = 0x8769, 0x8825
_TAKEN, _FRACTION, _OFFSET = 0x9003, 0x9291, 0x9011
_ARTIST, _COPYRIGHT = 0x013B, 0x8298
_NORTH, _LATITUDE, _EAST, _LONGITUDE = 1, 2, 3, 4
_XMP = b"http://ns.adobe.com/xap/1.0/\0"
_SEGMENT = 65_533
"""Bytes that a segment of a JPEG holds at most (ITU-T T.81, B.1.1.4)."""
_APP0, _APP1, _SCAN = 0xE0, 0xE1, 0xDA


class Words(NamedTuple):
    """What a copy says; nothing where all of it is empty.

    Attributes:
        taken: when it was shot, local time.
        precision: of that.
        offset: of that from UTC, in minutes; None where unknown.
        keywords: in their order.
        position: latitude and longitude in degrees.
        creator, rights: who made it, under which rights.
    """

    taken: datetime | None = None
    precision: Precision = Precision.SECOND
    offset: int | None = None
    keywords: tuple[str, ...] = ()
    position: tuple[float, float] | None = None
    creator: str = ""
    rights: str = ""

    @property
    def key(self) -> str:
        """All of it, in short."""
        return hashlib.sha256(repr((*self,)).encode("utf-8", "surrogateescape")).hexdigest()[:16]

    @property
    def mtime_ns(self) -> int | None:
        """The time that a copy's file has: when its original was shot; None for the time of its making."""
        moment = self._utc()
        return None if moment is None else round((moment - _EPOCH).total_seconds()) * 1_000_000_000

    def of_clip(self) -> dict[str, str]:
        """What a clip says, by FFmpeg's names."""
        moment = self._utc()
        if moment is None or self.precision < Precision.SECOND:
            return {}
        return {"creation_time": moment.strftime("%Y-%m-%dT%H:%M:%SZ")}

    def _utc(self) -> datetime | None:
        """When it was shot; where the offset is not known, local time stands for UTC, as in most devices."""
        if self.taken is None:
            return None
        return self.taken.replace(tzinfo=UTC) - timedelta(minutes=self.offset or 0)


_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def dressed(jpeg: bytes, words: Words) -> bytes:
    """A JPEG that says these words, and none besides; its picture stays as it is, byte by byte.

    Args:
        jpeg: one that was made here, whatever it says.
        words: what it is to say.

    Raises:
        ValueError: when it is no JPEG.
    """
    head, rest = _parted(jpeg)
    segments = [_segment(part) for part in (_exif(words), _packet(words)) if part]
    return b"".join([head, *segments, rest])


def _parted(jpeg: bytes) -> tuple[bytes, bytes]:
    """A JPEG without what it says: what stands before the place for that, and what stands behind it."""
    if jpeg[:2] != b"\xff\xd8":
        raise ValueError("no JPEG")
    at, head = 2, jpeg[:2]
    others: list[bytes] = []
    while True:
        if len(jpeg) < at + 4 or jpeg[at] != 0xFF:
            raise ValueError("a JPEG that is cut off")
        marker, size = jpeg[at + 1], int.from_bytes(jpeg[at + 2 : at + 4], "big")
        if marker == _SCAN:
            return head, b"".join([*others, jpeg[at:]])
        if marker == _APP0 and not others:
            head += jpeg[at : at + 2 + size]
        elif marker != _APP1:
            others.append(jpeg[at : at + 2 + size])
        at += 2 + max(2, size)


def _segment(data: bytes) -> bytes:
    return b"\xff\xe1" + (len(data) + 2).to_bytes(2, "big") + data


def _exif(words: Words) -> bytes:
    from PIL import Image

    exif = Image.Exif()
    if words.taken is not None and words.precision >= Precision.SECOND:
        own = exif.get_ifd(_EXIF)
        own[_TAKEN] = words.taken.strftime("%Y:%m:%d %H:%M:%S")
        if words.taken.microsecond:
            own[_FRACTION] = f"{words.taken.microsecond:06}".rstrip("0")
        if words.offset is not None:
            own[_OFFSET] = str(Offset(words.offset))
    if words.position is not None:
        _place(exif, words.position)
    # Exif has no letters but ASCII: all others stand in the packet alone.
    for tag, text in ((_ARTIST, words.creator), (_COPYRIGHT, words.rights)):
        if text and text.isascii() and text.isprintable() and len(text) < 1000:
            exif[tag] = text
    says = len(exif) or any(exif.get_ifd(one) for one in (_EXIF, _GPS))
    return exif.tobytes() if says else b""


def _place(exif: Image.Exif, position: tuple[float, float]) -> None:
    gps = exif.get_ifd(_GPS)
    for reference, tag, degrees, signs in (
        (_NORTH, _LATITUDE, position[0], "NS"), (_EAST, _LONGITUDE, position[1], "EW"),
    ):  # fmt: skip
        left = abs(degrees)
        whole, minutes = int(left), left % 1 * 60
        gps[reference] = signs[degrees < 0]
        gps[tag] = (float(whole), float(int(minutes)), round(minutes % 1 * 60, 3))


def _packet(words: Words) -> bytes:
    date = ""
    if words.taken is not None:
        offset = Offset(words.offset) if words.offset is not None else ""
        date = f"{Timestamp(words.taken, words.precision).iso()}{offset if words.precision >= Precision.SECOND else ''}"
    said = Said(creator=words.creator, rights=words.rights, keywords=words.keywords, date=date)
    while said:
        # What stands in a file has no declaration of its own (part 3, section 1.1.3).
        packet = _XMP + with_words(b"", said).partition(b"?>\n")[2]
        if len(packet) <= _SEGMENT:
            return packet
        # Nobody means thousands of keywords, or a name of 60,000 letters.
        kept = said.keywords[: len(said.keywords) // 2]
        said = said._replace(keywords=kept) if said.keywords else said._replace(creator="", rights="")
    return b""
