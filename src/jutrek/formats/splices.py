"""Splices: bytes of a file that are replaced by others, as many or not, while all around them stays as it is.

Where each stands is counted in the file as it is before. They are in order and do not overlap.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

from jutrek.formats.reading import Stretch

MAX_SPLICES = 32


class Splice(NamedTuple):
    """Bytes that are replaced by others.

    Attributes:
        offset: in the file before.
        old: what stands there; empty where something is put in.
        new: what stands there afterwards; empty where something is taken out.
    """

    offset: int
    old: bytes
    new: bytes

    @property
    def end(self) -> int:
        """Where in the file before what follows it begins."""
        return self.offset + len(self.old)


def in_place(splices: Sequence[Splice]) -> bool:
    """Whether nothing behind any of them moves."""
    return all(len(one.old) == len(one.new) for one in splices)


def grown(splices: Sequence[Splice]) -> int:
    """By how many bytes a file is longer afterwards."""
    return sum(len(one.new) - len(one.old) for one in splices)


def undone(splices: Sequence[Splice]) -> tuple[Splice, ...]:
    """What undoes them, counted in the file as it is afterwards."""
    found, moved = [], 0
    for one in splices:
        found.append(Splice(one.offset + moved, one.new, one.old))
        moved += len(one.new) - len(one.old)
    return tuple(found)


def trouble_with(splices: Sequence[Splice], payload: Sequence[Stretch]) -> str:
    """What is wrong with splices that are to leave a picture, clip or sound as it is; empty for nothing.

    Args:
        splices: as they come, perhaps from a page that somebody else wrote.
        payload: where the picture, clip or sound itself stands in the file before.
    """
    if len(splices) > MAX_SPLICES or any(one.offset < 0 or one.old == one.new for one in splices):
        return "What is to be changed in it is damaged."
    if any(one.end > other.offset or one.offset == other.offset for one, other in pairwise(splices)):
        return "What is to be changed in it is damaged."
    for one in splices:
        for part in payload:
            if one.offset < part.offset + part.size and part.offset < one.end:
                return "It stands within the picture, clip or sound itself."
            if not one.old and part.offset < one.offset < part.offset + part.size:
                return "It stands within the picture, clip or sound itself."
    return ""


class Spliced:
    """A file's bytes with others in place of some, as they come by."""

    def __init__(self, splices: Sequence[Splice]) -> None:
        self._left = deque(splices)
        self._at = self._skip = 0

    def take(self, block: bytes) -> Iterator[bytes]:
        """What becomes of the next bytes of the file before."""
        at = min(self._skip, len(block))
        self._skip -= at
        while self._left and self._left[0].offset < self._at + len(block):
            one = self._left.popleft()
            upto = one.offset - self._at
            yield block[at:upto]
            yield one.new
            at = upto + len(one.old)
            if at > len(block):
                self._skip, at = at - len(block), len(block)
        yield block[at:]
        self._at += len(block)

    def rest(self) -> Iterator[bytes]:
        """What is put in behind the last byte."""
        for one in self._left:
            yield one.new
        self._left.clear()


class _Piece(NamedTuple):
    """A stretch of a file that was kept from the first one (`start` there), or bytes that were put in (`start` -1)."""

    start: int
    size: int
    put: bytes = b""

    def cut(self, first: int, last: int) -> _Piece:
        """A part of it."""
        if self.start < 0:
            return _Piece(-1, last - first, self.put[first:last])
        return _Piece(self.start + first, last - first)


def chained(first: Sequence[Splice], second: Sequence[Splice], size: int) -> tuple[Splice, ...]:
    """Two steps as one: what makes of the first file what the second step makes of what the first one made.

    Args:
        first: splices of the first file.
        second: splices of what these make of it.
        size: of the first file in bytes.
    """
    gone = {one.offset: one.old for one in first if one.old}
    pieces = deque(_pieces(first, size))
    made: list[_Piece] = []
    at = 0
    for one in second:
        at += _move(pieces, made, one.offset - at)
        out: list[_Piece] = []
        at += _move(pieces, out, len(one.old))
        taken = 0
        for piece in out:
            if piece.start >= 0 and piece.size:
                gone[piece.start] = one.old[taken : taken + piece.size]
            taken += piece.size
        made.append(_Piece(-1, len(one.new), one.new))
    return tuple(one for one in _splices([*made, *pieces], gone, size) if one.old != one.new)


def _pieces(splices: Sequence[Splice], size: int) -> Iterator[_Piece]:
    at = 0
    for one in splices:
        yield _Piece(at, one.offset - at)
        yield _Piece(-1, len(one.new), one.new)
        at = one.end
    yield _Piece(at, size - at)


def _move(pieces: deque[_Piece], into: list[_Piece], count: int) -> int:
    """Move so many bytes from pieces to others. Returns how many there were."""
    moved = 0
    while pieces and moved < count:
        piece = pieces.popleft()
        take = min(piece.size, count - moved)
        into.append(piece.cut(0, take))
        moved += take
        if take < piece.size:
            pieces.appendleft(piece.cut(take, piece.size))
    return moved


def _splices(pieces: Sequence[_Piece], gone: dict[int, bytes], size: int) -> Iterator[Splice]:
    """What takes a file to these pieces; `gone` holds what is not kept of it."""
    at, put, end = 0, b"", _Piece(size, 0)
    for piece in (*pieces, end):
        if piece.start < 0:
            put += piece.put
        elif piece.size or piece is end:
            old = b""
            while at + len(old) < piece.start:
                old += gone[at + len(old)]
            if old or put:
                yield Splice(at, old, put)
            at, put = piece.start + piece.size, b""
