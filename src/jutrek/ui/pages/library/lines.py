"""Where captures stand that are shown in groups of lines: by arithmetic, whatever their number."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from PySide6.QtCore import QRect, QSize

if TYPE_CHECKING:
    from numpy.typing import NDArray


class Group(NamedTuple):
    """Captures that stand together below a title: which of all of them."""

    title: tuple[int | None, str]
    first: int
    captures: int


class Lines:
    """Groups of cells, all alike, side by side in lines; a title above each group where titles have a height."""

    def __init__(self, groups: Sequence[Group], columns: int, cell: QSize, title: int) -> None:
        """
        Args:
            groups: in their order; they follow one another without a gap.
            columns: how many cells stand side by side.
            cell: the size of each in pixels.
            title: the height of titles in pixels; 0 for none.
        """
        self.groups, self.columns, self.cell, self.title = tuple(groups), max(1, columns), cell, title
        self._firsts: NDArray[np.int64] = np.array([one.first for one in groups], np.int64)
        self.count = sum(one.captures for one in groups)
        tops, offsets, top, used, high = [], [], 0, 0, 0
        for one in groups:
            # What fits beside the group before stands there: most days of a quiet month are small.
            if used and used + one.captures > self.columns:
                top, used = top + high, 0
            tops.append(top)
            offsets.append(used)
            lines = -(-one.captures // self.columns)
            high = title + lines * cell.height()
            used = used + one.captures if lines == 1 else self.columns
        self.height = top + high
        """Of all lines, in pixels."""
        self._tops: NDArray[np.int64] = np.array(tops, np.int64)
        self._offsets: NDArray[np.int64] = np.array(offsets, np.int64)

    def group_of(self, at: int) -> int:
        """The number of the group that a capture stands in."""
        return int(np.searchsorted(self._firsts, at, side="right")) - 1

    def box(self, at: int) -> QRect:
        """Where a capture's cell is, in pixels from the first title on."""
        number = self.group_of(at)
        line, column = divmod(at - self.groups[number].first, self.columns)
        column += int(self._offsets[number])
        top = int(self._tops[number]) + self.title + line * self.cell.height()
        return QRect(column * self.cell.width(), top, self.cell.width(), self.cell.height())

    def title_box(self, number: int, width: int) -> QRect:
        """Where the title of a group is, as wide as its captures, or as all where it is alone in its line."""
        left, top = int(self._offsets[number]) * self.cell.width(), int(self._tops[number])
        after = number + 1
        if after < len(self.groups) and self._tops[after] == top:
            return QRect(left, top, self.groups[number].captures * self.cell.width() - 10, self.title)
        return QRect(left, top, width - left, self.title)

    def groups_in(self, top: int, bottom: int) -> range:
        """The groups that touch a stretch of height."""
        if not self.groups:
            return range(0)
        above = int(np.searchsorted(self._tops, top, side="right")) - 1
        first = int(np.searchsorted(self._tops, self._tops[max(0, above)], side="left"))
        return range(first, int(np.searchsorted(self._tops, bottom, side="right")))

    def cells_in(self, area: QRect) -> Iterator[int]:
        """The captures whose cells touch an area."""
        wide, high = self.cell.width(), self.cell.height()
        left, right = max(0, area.left()) // wide, min(self.columns - 1, area.right() // wide)
        for number in self.groups_in(area.top(), area.bottom()):
            group, begin = self.groups[number], int(self._tops[number]) + self.title
            offset = int(self._offsets[number])
            lines = -(-group.captures // self.columns)
            for line in range(max(0, (area.top() - begin) // high), min(lines, (area.bottom() - begin) // high + 1)):
                for column in range(left, right + 1):
                    at = line * self.columns + column - offset
                    if 0 <= at < group.captures and (line or column >= offset):
                        yield group.first + at

    def at(self, x: int, y: int) -> int | None:
        """The capture whose cell is at a point."""
        return next(self.cells_in(QRect(x, y, 1, 1)), None)

    def moved(self, at: int, by: int) -> int:
        """The capture so many lines below another one, in the same column as far as there is one; or itself.

        Args:
            at: the capture.
            by: lines down; negative for up.
        """
        box, step = self.box(at), self.cell.height() if by > 0 else -self.cell.height()
        x, found = box.center().x(), at
        for _ in range(abs(by)):
            y = self.box(found).center().y() + step
            # Titles stand between lines; the line above or below may be shorter.
            while 0 <= y < self.height and (nearest := self._nearest(x, y)) is None:
                y += step // 3
            if not 0 <= y < self.height:
                break
            found = nearest if nearest is not None else found
        return found

    def _nearest(self, x: int, y: int) -> int | None:
        """The capture at a point, or the last one before it in that line; None where none is at that height."""
        line = list(self.cells_in(QRect(0, y, x + 1, 1)))
        return line[-1] if line else next(self.cells_in(QRect(0, y, self.columns * self.cell.width(), 1)), None)
