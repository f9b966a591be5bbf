"""Looks: perceptual fingerprints of pictures, 64 bits each, that survive what copies go through.

A picture is made grey and as small as 32 × 32; the signs of its 8 × 8 lowest frequencies (discrete cosine transform,
type II) are its **look**. Signs do not change with brightness and contrast, and hardly with size and compression.
Turning and mirroring permute the frequencies and change signs by a rule, so the eight looks of a picture that is turned
or mirrored follow from one (`turned`). For pictures that were cut or framed, a picture has further looks: of five parts
of itself, and of what is within its frame. A **grain** tells of blocks instead of frequencies: whether each of 8 × 8 is
lighter than the median; it is a second witness where looks are close.

Bit `8 v + u` of a look is the sign of frequency u across and v down; bit 0 is always 0.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from PIL import Image

SIDE = 32
_LOW = 8
_CUT = 0.05
"""How much narrower and lower the parts are that stand for a picture that was cut."""
_FRAME_CONTRAST = 6.0
"""Grey levels within which a line of pixels counts as of one colour."""
_MOST_FRAME = 0.2
_FLAT = 3.0
"""Standard deviation of grey levels below which a picture shows nothing that it could be told by."""

Box = tuple[float, float, float, float]
"""A part of a picture: left, top, right, bottom as shares of its width and height."""
WHOLE: Box = (0.0, 0.0, 1.0, 1.0)
PARTS: tuple[Box, ...] = (
    (_CUT / 2, _CUT / 2, 1 - _CUT / 2, 1 - _CUT / 2),
    (0.0, 0.0, 1 - _CUT, 1 - _CUT),
    (_CUT, 0.0, 1.0, 1 - _CUT),
    (0.0, _CUT, 1 - _CUT, 1.0),
    (_CUT, _CUT, 1.0, 1.0),
)


class Looks(NamedTuple):
    """What a picture looks like.

    Attributes:
        look: of the whole picture.
        grain: of the whole picture.
        within: of what its frame encloses; the look itself where it has no frame.
        parts: of `PARTS`.
    """

    look: int
    grain: int
    within: int
    parts: tuple[int, ...]

    def as_bytes(self) -> bytes:
        """Eight bytes for each, little-endian."""
        return np.array([self.look, self.grain, self.within, *self.parts], "<u8").tobytes()


def _cosines() -> NDArray[np.float32]:
    v, x = np.arange(_LOW)[:, None], np.arange(SIDE)[None, :]
    rows = np.cos(np.pi * (2 * x + 1) * v / (2 * SIDE)) * np.sqrt(2 / SIDE)
    rows[0] /= np.sqrt(2)
    return np.asarray(rows, np.float32)


_DCT = _cosines()
_BITS = (np.uint64(1) << np.arange(64, dtype=np.uint64)).astype(np.uint64)


def looks_of(grey: Image.Image) -> Looks | None:
    """The looks of a picture.

    Args:
        grey: the picture, upright, mode `L`; anything from 64 pixels on will do.

    Returns:
        Its looks, or None of a picture of one colour.
    """
    pixels = np.asarray(grey, np.float32)
    if pixels.std() < _FLAT:
        return None
    frame = framed(pixels)
    boxes = [WHOLE, *([] if frame == WHOLE else [frame]), *PARTS]
    small = np.stack([_small(grey, box) for box in boxes])
    looks = _signs(small)
    within = looks[0] if frame == WHOLE else looks[1]
    return Looks(looks[0], _grain(small[0]), within, tuple(looks[-len(PARTS) :]))


def _small(grey: Image.Image, box: Box) -> NDArray[np.float32]:
    from PIL import Image

    width, height = grey.size
    part = box[0] * width, box[1] * height, box[2] * width, box[3] * height
    return np.asarray(grey.resize((SIDE, SIDE), Image.Resampling.BOX, box=part), np.float32)


def _signs(small: NDArray[np.float32]) -> list[int]:
    """The looks of pictures of 32 × 32, shape (n, 32, 32)."""
    frequencies = _DCT @ small @ _DCT.T
    signs = (frequencies > 0).reshape(len(small), 64)
    signs[:, 0] = False
    return [int(word) for word in (signs * _BITS).sum(axis=1, dtype=np.uint64)]


def _grain(small: NDArray[np.float32]) -> int:
    blocks = small.reshape(_LOW, SIDE // _LOW, _LOW, SIDE // _LOW).mean(axis=(1, 3))
    return int(((blocks > np.median(blocks)).reshape(64) * _BITS).sum(dtype=np.uint64))


def framed(pixels: NDArray[np.float32]) -> Box:
    """What a frame of one colour encloses; the whole picture where it has none.

    Args:
        pixels: grey levels 0..255, shape (height, width).
    """
    height, width = pixels.shape
    left, right = _edges(pixels.T, width)
    top, bottom = _edges(pixels, height)
    if not (left or top or right or bottom):
        return WHOLE
    return left / width, top / height, 1 - right / width, 1 - bottom / height


def _edges(lines: NDArray[np.float32], count: int) -> tuple[int, int]:
    """How many lines at either end are of the colour of the outermost one, as far as frames go."""
    most = int(count * _MOST_FRAME)
    plain = [_plain(side, most) for side in (lines[:most], lines[::-1][:most])]
    return (0, 0) if max(plain) >= most else (plain[0], plain[1])


def _plain(side: NDArray[np.float32], most: int) -> int:
    near = np.abs(side - np.median(side[0])).max(axis=1) < _FRAME_CONTRAST
    return most if near.all() else int(np.argmin(near))


# ---- turned and mirrored --------------------------------------------------------------------------------------------

_AT = np.arange(64)
_ACROSS = np.uint64(sum(1 << int(bit) for bit in _AT if bit % 8 % 2))
_DOWN = np.uint64(sum(1 << int(bit) for bit in _AT if bit // 8 % 2))
TURNS = 8
"""Ways to turn and mirror: bit 0 mirrors left and right, bit 1 up and down, bit 2 then swaps rows and columns."""


def turned(looks: NDArray[np.uint64], way: int) -> NDArray[np.uint64]:
    """The looks that pictures have when they are turned or mirrored in one of the eight ways; shape as given."""
    found = looks.copy()
    if way & 1:
        found ^= _ACROSS
    if way & 2:
        found ^= _DOWN
    return _swapped(found) if way & 4 else found


def _swapped(words: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """Transpose 8 × 8 bits (by exchanging blocks of 1, 2 and 4)."""
    for shift, mask in ((7, 0x00AA00AA00AA00AA), (14, 0x0000CCCC0000CCCC), (28, 0x00000000F0F0F0F0)):
        step, part = np.uint64(shift), np.uint64(mask)
        swap = (words ^ (words >> step)) & part
        words = words ^ swap ^ (swap << step)
    return words


def turn(picture: Image.Image, way: int) -> Image.Image:
    """A picture turned or mirrored in one of the eight ways."""
    from PIL import Image

    steps = (Image.Transpose.FLIP_LEFT_RIGHT, Image.Transpose.FLIP_TOP_BOTTOM, Image.Transpose.TRANSPOSE)
    for bit, step in enumerate(steps):
        if way & 1 << bit:
            picture = picture.transpose(step)
    return picture
