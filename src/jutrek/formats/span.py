"""The one door to bytes: every reader of camera and recorder files reads through a `Span`.

A span knows where it ends and checks before it reads, so that a length of 2**64-1 costs nothing. It raises
only `BrokenFile`. A file carries a budget: a reader that would read more than `READ_LIMIT` bytes in all is
stopped, however the file leads it around.
"""

from __future__ import annotations

import os
import struct
from typing import Any

from jutrek.errors import BrokenFile
from jutrek.formats.reading import Stretch

HEAD = 16 * 1024
"""Bytes read at once when a file is opened: metadata of most stills lies within them."""
BLOCK = 4096
"""Bytes read around a small request beyond the head."""
READ_LIMIT = 4 * 1024 * 1024
"""Bytes that reading one file's metadata may cost, in all."""
NOWHERE = -1
"""The origin of bytes that do not stand in the file as they are, because they were unpacked."""


class FileBytes:
    """Bytes of an open file, by position. The first `HEAD` bytes and the last block are kept."""

    __slots__ = ("_block", "_block_at", "_fd", "_hidden", "_limit", "cost", "head", "size")

    def __init__(self, fd: int, size: int, *, limit: int | None = READ_LIMIT, hidden: Stretch | None = None) -> None:
        """
        Args:
            fd: the file's descriptor.
            size: its size in bytes.
            limit: how many bytes may be read in all; None for any number.
            hidden: a stretch that is read as blanks; None for none.
        """
        self._fd = fd
        self._limit = limit if limit is not None else size * 4
        self.size = size
        self._block = b""
        self._block_at = 0
        self._hidden = hidden
        self.head = self._read(min(HEAD, size), 0)
        self.cost = len(self.head)

    def at(self, position: int, count: int) -> bytes:
        """Return `count` bytes from `position`, fewer if the file shrank meanwhile."""
        if position + count <= len(self.head):
            return self.head[position : position + count]
        into = position - self._block_at
        if 0 <= into and into + count <= len(self._block):
            return self._block[into : into + count]
        want = max(count, min(BLOCK, self.size - position))
        if self.cost + want > self._limit:
            raise BrokenFile(position, f"metadata within {self._limit} bytes", "more")
        self._block = self._read(want, position)
        self._block_at = position
        self.cost += len(self._block)
        return self._block[:count]

    def _read(self, count: int, position: int) -> bytes:
        data = os.pread(self._fd, count, position)
        if self._hidden is not None:
            first = min(max(self._hidden.offset - position, 0), len(data))
            last = min(max(self._hidden.offset + self._hidden.size - position, 0), len(data))
            data = data[:first] + b" " * (last - first) + data[last:]
        return data


class Span:
    """A bounded stretch of bytes. Offsets are relative to its start; nothing beyond its end can be read.

    `origin` is where in the file its first byte stands, or `NOWHERE`.
    """

    __slots__ = ("_file", "_memory", "_start", "origin", "size")

    def __init__(
        self, source: FileBytes | bytes, start: int = 0, size: int | None = None, origin: int = NOWHERE
    ) -> None:
        """
        Args:
            source: the file, or bytes in memory.
            start: its first byte in there.
            size: in bytes; None: up to the end.
            origin: where in the file bytes in memory stand, if they do.
        """
        if isinstance(source, bytes):
            self._file, self._memory, whole = None, source, len(source)
            self.origin = origin
        else:
            self._file, self._memory, whole = source, b"", source.size
            self.origin = start
        self._start = start
        self.size = whole - start if size is None else size

    def read(self, offset: int, count: int) -> bytes:
        """Return exactly `count` bytes from `offset`.

        Raises:
            BrokenFile: when they do not all lie within the span, or the file is shorter than it said.
        """
        if offset < 0 or count < 0 or offset + count > self.size:
            raise self._beyond(offset, count)
        at = self._start + offset
        data = self._memory[at : at + count] if self._file is None else self._file.at(at, count)
        if len(data) != count:
            raise BrokenFile(self.where(offset), f"{count} bytes", f"{len(data)}")
        return data

    def held(self) -> bytes | None:
        """All bytes of the span where they are in memory anyway and begin at their start; else None."""
        if self._file is None:
            whole = self._memory
        elif self._file.size == len(self._file.head):
            whole = self._file.head
        else:
            return None
        return whole if self._start == 0 and self.size == len(whole) else None

    def upto(self, offset: int, count: int) -> bytes:
        """Return `count` bytes from `offset`, or fewer where the span ends before."""
        return self.read(offset, max(0, min(count, self.size - offset))) if offset >= 0 else b""

    def unpack(self, form: struct.Struct, offset: int) -> tuple[Any, ...]:
        """Unpack a fixed structure at `offset`."""
        return form.unpack(self.read(offset, form.size))

    def part(self, offset: int, count: int) -> Span:
        """A span within this one.

        Raises:
            BrokenFile: when it does not lie within this span.
        """
        if offset < 0 or count < 0 or offset + count > self.size:
            raise self._beyond(offset, count)
        start = self._start + offset
        if self._file is not None:
            return Span(self._file, start, count)
        return Span(self._memory, start, count, NOWHERE if self.origin == NOWHERE else self.origin + offset)

    def rest(self, offset: int) -> Span:
        """The span from `offset` to the end of this one."""
        return self.part(offset, self.size - offset)

    def file_part(self, offset: int, count: int) -> Span:
        """A span of the whole file, for formats that point from the inside to anywhere.

        Raises:
            BrokenFile: when it does not lie within the file, or these bytes are not of a file.
        """
        if self._file is None:
            raise BrokenFile(self.origin, "bytes of the file", "unpacked ones")
        return Span(self._file).part(offset, count)

    def loaded(self, offset: int, count: int) -> Span:
        """A span within this one whose bytes are read into memory at once: for parts that are read all over."""
        return Span(self.read(offset, count), origin=self.where(offset))

    def where(self, offset: int) -> int:
        """Where in the file the byte at `offset` stands; `NOWHERE` where it does not stand in it as it is."""
        return NOWHERE if self.origin == NOWHERE else self.origin + offset

    def _beyond(self, offset: int, count: int) -> BrokenFile:
        left = max(self.size - max(offset, 0), 0)
        return BrokenFile(self.where(max(offset, 0)), f"{count} bytes", f"{left} left")
