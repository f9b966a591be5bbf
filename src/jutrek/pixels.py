"""The room for decoded pixels: one for the whole program, so that no card can take all memory.

What a picture needs is told from its header before anything is decoded. Who decodes takes that much of the room, and
waits until it is free; a picture that needs more than there is at all is not decoded. A file is brought home all the
same: only its picture is not shown.
"""

from __future__ import annotations

import contextlib
import ctypes
import io
import os
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, BinaryIO, NamedTuple

from jutrek.errors import TooLargeToShow

if TYPE_CHECKING:
    from av import VideoCodecContext
    from PIL import Image

ROOM = 400_000_000
"""Bytes that all pictures that are being decoded may need together."""
_HANGS = 5.0
"""Seconds without work after which who decodes is taken to wait for a medium that hangs, and takes nobody's room."""
_A_MOMENT = 0.5
_MMAP_THRESHOLD = -3
"""`M_MMAP_THRESHOLD`; setting it keeps it from growing."""
_LARGE_PIECE = 4_000_000

_WIDE = {"1": 1, "L": 1, "P": 1, "LA": 4, "PA": 4, "I;16": 6, "I;16B": 6, "I;16L": 6, "I;16N": 6}
"""Bytes that a pixel has in memory, by Pillow's mode; 4 in all others."""
_FACTORS = {"HEIF": 2.0, "AVIF": 2.5, "WEBP": 4.2, "TIFF": 2.0, "GIF": 6.5}
"""How many times its pixels a decoder holds, where it is not once (measured, and rounded up)."""
_COEFFICIENTS = 6
"""Bytes that a pixel of a progressive JPEG has while it is decoded, however small it is wanted: two for each part."""
_MOST = 500_000_000
"""Pixels that are decoded at most: more take many seconds, however small they are wanted."""
_WALKED, _ALONE = 16, 4
"""Frames that a decoder of clips holds while it walks from one to the next (measured), and while it decodes only those
that stand for themselves."""
_THREADS = 2
_LEAST_BITS = 12
"""That a pixel of a clip has, whatever its header tells: four of grey for one of each colour."""


class _Share:
    """What one thread has of a room, and when it was seen to work last."""

    def __init__(self, size: int) -> None:
        self.size = size
        self._clock = time.pthread_getcpuclockid(threading.get_ident())
        self._worked, self._at = time.clock_gettime(self._clock), time.monotonic()

    def counts(self, now: float) -> bool:
        """Whether it does not hang. Asked only while its thread lives."""
        worked = time.clock_gettime(self._clock)
        if worked != self._worked:
            self._worked, self._at = worked, now
        return now - self._at < _HANGS


class Room:
    """Bytes that are shared by all who decode. From any thread.

    Attributes:
        most: how many there are.
    """

    def __init__(self, most: int) -> None:
        self.most = most
        self._taken: list[_Share] = []
        self._more = threading.Condition()

    @contextmanager
    def taken(self, size: int) -> Iterator[None]:
        """Have some bytes of it, as soon as they are free.

        Raises:
            TooLargeToShow: when it never has that many.
        """
        if size > self.most:
            raise TooLargeToShow
        mine = _Share(size)
        with self._more:
            while self._in_use() + size > self.most:
                self._more.wait(_A_MOMENT)
            self._taken.append(mine)
        try:
            yield
        finally:
            with self._more:
                self._taken.remove(mine)
                self._more.notify_all()

    def _in_use(self) -> int:
        now = time.monotonic()
        return sum(share.size for share in self._taken if share.counts(now))


room = Room(ROOM)
"""That of the program."""


def _give_back_what_is_freed() -> None:
    """Have large pieces of memory go back to the system as soon as they are freed (`mallopt(3)`).

    Else glibc keeps, for each thread that decodes, as much as its largest picture took.
    """
    with contextlib.suppress(AttributeError):
        ctypes.CDLL(None).mallopt(_MMAP_THRESHOLD, _LARGE_PIECE)


_give_back_what_is_freed()


def of_still(picture: Image.Image, whole: tuple[int, int], size: tuple[int, int], file: BinaryIO) -> int:
    """The bytes that decoding a picture takes at most.

    Args:
        picture: opened, and not decoded; of a JPEG, at the size that was asked for.
        whole: its size before that, in pixels.
        size: what it is wanted for, in pixels.
        file: what it is read from. Some decoders read all of it first.

    Raises:
        TooLargeToShow: when it would take too long.
    """
    if whole[0] * whole[1] > _MOST:
        raise TooLargeToShow
    wide = _WIDE.get(picture.mode, 4)
    count = picture.width * picture.height
    need = count * wide * _FACTORS.get(picture.format or "", 1.0) + min(count, size[0] * size[1] * 4) * 4
    if picture.info.get("progressive"):
        need += whole[0] * whole[1] * _COEFFICIENTS
    if picture.format in ("HEIF", "AVIF", "WEBP") or isinstance(file, io.BytesIO):
        need += file.seek(0, os.SEEK_END)
    return int(need)


class Decoding(NamedTuple):
    """How a frame of a clip is decoded.

    Attributes:
        size: the bytes that it takes at most.
        alone: whether only frames are decoded that stand for themselves: walking from one to the next has no room.
    """

    size: int
    alone: bool


def of_clip(codec: VideoCodecContext, *, alone: bool = False) -> Decoding:
    """How a frame of a clip is decoded, as its header tells.

    Args:
        codec: opened; it is told.
        alone: whether a frame that stands for itself is wanted in any case.
    """
    bits = codec.format.padded_bits_per_pixel if codec.format is not None else 0
    frame = codec.width * codec.height * max(bits, _LEAST_BITS) // 8
    alone = alone or frame * _WALKED > room.most
    if not codec.is_open:
        # Threads that take whole frames would hold some more each.
        codec.thread_type, codec.thread_count = "SLICE", _THREADS
    if alone:
        codec.skip_frame = "NONKEY"
    return Decoding(frame * (_ALONE if alone else _WALKED), alone)


def of_every_frame(codec: VideoCodecContext) -> int:
    """The bytes of the room that decoding a clip takes, frame by frame: all there are where it needs some more.

    Args:
        codec: opened; it is told.

    Raises:
        TooLargeToShow: when it needs more than twice of what there is.
    """
    alone = of_clip(codec, alone=True).size
    codec.skip_frame = "DEFAULT"
    need = alone // _ALONE * _WALKED
    if need > 2 * room.most:
        raise TooLargeToShow
    return min(need, room.most)
