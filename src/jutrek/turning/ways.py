"""Ways to turn, and what becomes of an orientation (Exif 2.32, tag 0x0112: 1 to 8)."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple


class Way(StrEnum):
    """Which way a picture is turned: to the left, to the right, half around, or to how it is stored."""

    LEFT = "left"
    RIGHT = "right"
    HALF = "half"
    UPRIGHT = "upright"

    @property
    def back(self) -> Way:
        """The way that undoes it; of `UPRIGHT` there is none."""
        return {Way.LEFT: Way.RIGHT, Way.RIGHT: Way.LEFT}.get(self, self)


class Matrix(NamedTuple):
    """Where a point of a stored picture is shown: x to the right and y down, `x' = a x + c y`, `y' = b x + d y`."""

    a: int
    b: int
    c: int
    d: int

    def after(self, first: Matrix) -> Matrix:
        """What comes of another one, and this one behind it."""
        return Matrix(
            self.a * first.a + self.c * first.b, self.b * first.a + self.d * first.b,
            self.a * first.c + self.c * first.d, self.b * first.c + self.d * first.d,
        )  # fmt: skip


SAME = Matrix(1, 0, 0, 1)
OF_WAY = {
    Way.LEFT: Matrix(0, -1, 1, 0), Way.RIGHT: Matrix(0, 1, -1, 0), Way.HALF: Matrix(-1, 0, 0, -1)
}  # fmt: skip
_OF_ORIENTATION = {
    1: SAME, 2: Matrix(-1, 0, 0, 1), 3: Matrix(-1, 0, 0, -1), 4: Matrix(1, 0, 0, -1),
    5: Matrix(0, 1, 1, 0), 6: Matrix(0, 1, -1, 0), 7: Matrix(0, -1, -1, 0), 8: Matrix(0, -1, 1, 0),
}  # fmt: skip
_ORIENTATIONS = {matrix: value for value, matrix in _OF_ORIENTATION.items()}


def turned(orientation: int, way: Way) -> int:
    """What an orientation becomes."""
    if way is Way.UPRIGHT:
        return 1
    return _ORIENTATIONS[OF_WAY[way].after(_OF_ORIENTATION[orientation])]
