"""Boxes with where they begin, for what is written between them (ISO/IEC 14496-12 4.2)."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from typing import NamedTuple

from jutrek.formats.boxes import U32, U64
from jutrek.formats.span import Span

_HEAD = struct.Struct(">I4s")
_MAX_BOXES = 2000


class Box(NamedTuple):
    """A box: its type, where in the span it begins, the size of its head, and its whole size."""

    name: bytes
    offset: int
    head: int
    size: int

    @property
    def body(self) -> int:
        """Where what it holds begins."""
        return self.offset + self.head

    @property
    def end(self) -> int:
        """Where the next one begins."""
        return self.offset + self.size


def boxes_in(span: Span, start: int, end: int) -> list[Box]:
    """The boxes of a stretch, up to where one does not fit, or reaches to the end without saying how far."""
    return list(_boxes(span, start, end))


def _boxes(span: Span, offset: int, end: int) -> Iterator[Box]:
    for _ in range(_MAX_BOXES):
        if offset + 8 > end:
            return
        size, name = span.unpack(_HEAD, offset)
        head = 8
        if size == 1:
            size, head = span.unpack(U64, offset + 8)[0], 16
        if size < head or offset + size > end:
            return
        yield Box(name, offset, head, size)
        offset += size


def boxed(name: bytes, body: bytes) -> bytes:
    """A box."""
    return U32.pack(8 + len(body)) + name + body
