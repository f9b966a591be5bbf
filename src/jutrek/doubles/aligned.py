"""Comparing two pictures by laying one over the other, once their looks are close.

Looks only say that two pictures may be the same. Here one is shifted and stretched until it lies on the other (a few
steps of Gauss and Newton, as Lucas and Kanade register images), light and contrast are evened out, and what is left is
looked at block by block: in copies of one picture nearly every block agrees, whatever was done to the file; in
pictures of one place taken one after the other many do not, since people, clouds and the camera moved.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from jutrek.doubles.looks import WHOLE, Box

if TYPE_CHECKING:
    from PIL import Image

SIDE = 96
_STEPS = ((2.5, 6), (1.0, 5))
"""Blurring (standard deviation in pixels) and steps: coarse first."""
_BLOCK = 8
_MARGIN = 4
_NOISE = 3.0
"""Grey levels that compression and noise leave."""
_SHARE = 0.3
"""How much of a block's own contrast may differ."""
_EVEN = 3.0
_WHITE = 250.0
_SHOWN = 0.47
"""How far from the middle two pictures are compared: at their rims a frame may be left."""
_MOST_MOVED = 0.14
_SOFT = 0.7
_PLAIN = 0.95
"""An agreement from which on nothing needs to be shifted."""
SAME = 0.9
"""From this agreement on, two pictures are the same one."""


class Agreement(NamedTuple):
    """How far two pictures agree once they lie on one another.

    Attributes:
        share: of the blocks, weighted by how much there is to see in them, 0..1.
        moved: how far the one had to be shifted or stretched, as a share of its size.
    """

    share: float
    moved: float

    @property
    def same(self) -> bool:
        """Whether they are the same picture."""
        return self.share >= SAME


def agreement(one: Image.Image, other: Image.Image, box: Box = WHOLE, other_box: Box = WHOLE) -> Agreement:
    """Lay two grey pictures over one another, and tell how far they agree.

    Args:
        one, other: mode `L`, upright, the other already turned as the first.
        box, other_box: which parts are thought to show the same.
    """
    first, second = _patch(one, box), _patch(other, other_box)
    sharp, sharp_2 = _blurred(first, _SOFT), _blurred(second, _SOFT)
    warp = np.zeros(4)
    as_it_is = Agreement(_agreeing(sharp, sharp_2, warp), 0.0)
    if as_it_is.share >= _PLAIN:
        return as_it_is
    for blur, steps in _STEPS:
        warp = _laid(_blurred(first, blur), _blurred(second, blur), warp, steps)
        if np.abs(warp).max() > _MOST_MOVED:
            return as_it_is
    return max(as_it_is, Agreement(_agreeing(sharp, sharp_2, warp), float(np.abs(warp).max())))


def _patch(picture: Image.Image, box: Box) -> NDArray[np.float32]:
    from PIL import Image

    width, height = picture.size
    part = box[0] * width, box[1] * height, box[2] * width, box[3] * height
    return np.asarray(picture.resize((SIDE, SIDE), Image.Resampling.BILINEAR, box=part), np.float32)


def _blurred(pixels: NDArray[np.float32], sigma: float) -> NDArray[np.float32]:
    from scipy.ndimage import gaussian_filter

    blurred: NDArray[np.float32] = gaussian_filter(pixels, sigma)
    return blurred


_MIDDLE = (SIDE - 1) / 2
_AT = (np.arange(SIDE, dtype=np.float64) - _MIDDLE) / SIDE
"""Where pixels are, from -0.5 to 0.5."""


def _warped(pixels: NDArray[np.float32], warp: NDArray[np.float64]) -> NDArray[np.float32]:
    """Pixels shifted (`warp[0]` across, `warp[2]` down) and stretched (`warp[1]`, `warp[3]`), as shares of the side."""
    from scipy.ndimage import affine_transform

    scale = np.array([1 + warp[3], 1 + warp[1]])
    offset = np.array([warp[2], warp[0]]) * SIDE + _MIDDLE - scale * _MIDDLE
    moved: NDArray[np.float32] = affine_transform(pixels, scale, offset, order=1, mode="nearest")
    return moved


def _laid(
    first: NDArray[np.float32], second: NDArray[np.float32], warp: NDArray[np.float64], steps: int
) -> NDArray[np.float64]:
    """The warp that lays the second on the first; light and contrast are solved for at the same time."""
    inner = slice(_MARGIN, SIDE - _MARGIN)
    x, y = _AT[None, inner], _AT[inner, None]
    still = first[inner, inner].ravel().astype(np.float64)
    for _ in range(steps):
        moved = _warped(second, warp)
        slopes = np.gradient(moved)
        down, across = slopes[0][inner, inner] * SIDE, slopes[1][inner, inner] * SIDE
        columns = [across, across * x, down, down * y, moved[inner, inner], np.ones_like(across)]
        system = np.stack([column.ravel() for column in columns], axis=1).astype(np.float64)
        # What does not fit, such as words laid over, weighs less.
        solved = _solved(system, still, np.ones_like(still))
        left = np.abs(system @ solved - still)
        solved = _solved(system, still, 1 / np.maximum(left, max(float(np.median(left)), 1.0)))
        gain = solved[4] if abs(solved[4]) > 0.2 else 1.0
        change = np.clip(solved[:4] / gain, -0.05, 0.05)
        warp = warp + change
        if np.abs(change).max() < 2e-4 or np.abs(warp).max() > _MOST_MOVED:
            break
    return warp


def _solved(
    system: NDArray[np.float64], wanted: NDArray[np.float64], weight: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Weighted least squares by the normal equations; a hint of a ridge keeps them solvable where nothing is seen."""
    weighted = system * weight[:, None]
    solved = np.linalg.solve(system.T @ weighted + np.eye(system.shape[1]), weighted.T @ wanted)
    return np.asarray(solved, np.float64)


def _agreeing(first: NDArray[np.float32], second: NDArray[np.float32], warp: NDArray[np.float64]) -> float:
    """The share of blocks that agree, within what both show."""
    moved = _warped(second, warp)
    across, down = np.abs(_AT[None, :]), np.abs(_AT[:, None])
    shown = (across <= _SHOWN) & (np.abs(_AT[None, :] * (1 + warp[1]) + warp[0]) <= _SHOWN)
    shown = shown & (down <= _SHOWN) & (np.abs(_AT[:, None] * (1 + warp[3]) + warp[2]) <= _SHOWN)
    # What is white in one of them only was overexposed when it was made lighter, and says nothing.
    shown = shown & ((first >= _WHITE) == (moved >= _WHITE))
    if not shown.any():
        return 0.0
    gain, level = _light(first[shown], moved[shown])
    moved = moved * gain + level
    count = SIDE // _BLOCK

    def blocks(pixels: NDArray[np.float32]) -> NDArray[np.float32]:
        parted = pixels.reshape(count, _BLOCK, count, _BLOCK).swapaxes(1, 2)
        return parted.reshape(count * count, -1)

    within = blocks(shown)
    inside = within.mean(axis=1) > 0.6
    differs = np.sqrt((blocks((first - moved) ** 2) * within).sum(axis=1) / np.maximum(within.sum(axis=1), 1))
    detail = blocks(first).std(axis=1)
    agrees = differs <= np.maximum(_NOISE, _SHARE * detail)
    weight = (np.minimum(detail, 25.0) + _EVEN) * inside
    return float((agrees * weight).sum() / max(float(weight.sum()), 1e-6))


def _light(first: NDArray[np.float32], second: NDArray[np.float32]) -> tuple[float, float]:
    """Gain and level that even the light out. What was laid over one of them weighs less and less."""
    gain, level = 1.0, float(np.median(first) - np.median(second))
    for _ in range(6):
        left = np.abs(first - gain * second - level)
        weight = 1 / np.maximum(left, max(float(np.median(left)), 0.5))
        weight /= weight.sum()
        mean, mean_2 = float(weight @ first), float(weight @ second)
        spread = float(weight @ (second - mean_2) ** 2)
        gain = float(weight @ ((first - mean) * (second - mean_2))) / max(spread, 1.0)
        gain = float(np.clip(gain, 0.5, 2.0))
        level = mean - gain * mean_2
    return gain, level
