"""Building TIFF structures: directories, nested ones, values and data that they point to.

Follows TIFF 6.0 section 2 and BigTIFF. Directories come first and data last, as cameras lay them out.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

BYTE, ASCII, SHORT, LONG, RATIONAL, UNDEFINED, SIGNED_SHORT, LONG8 = 1, 2, 3, 4, 5, 7, 8, 16
_LETTERS = {SHORT: "H", LONG: "I", LONG8: "Q"}
_UNITS = {BYTE: 1, ASCII: 1, SHORT: 2, LONG: 4, RATIONAL: 8, UNDEFINED: 1, SIGNED_SHORT: 2, LONG8: 8}


@dataclass(frozen=True, slots=True)
class Value:
    """A value: its TIFF type and its numbers or bytes."""

    type: int
    content: tuple[int, ...] | bytes

    def packed(self, order: str) -> bytes:
        """Its bytes in a byte order (`<` or `>`)."""
        if isinstance(self.content, bytes):
            return self.content
        letter = _LETTERS.get(self.type, "I")
        return struct.pack(f"{order}{len(self.content)}{letter}", *self.content)


@dataclass(frozen=True, slots=True)
class Blob:
    """Data behind the directories; the tag holds where they stand."""

    content: bytes


Ifd = dict[int, "Value | Blob | list[Ifd]"]
"""A directory: tags with values, data, or directories of their own."""


def text(words: str, kind: int = ASCII) -> Value:
    """Text with its NUL."""
    return Value(kind, words.encode() + b"\0")


def short(*numbers: int) -> Value:
    """16-bit numbers."""
    return Value(SHORT, numbers)


def long(*numbers: int) -> Value:
    """32-bit numbers."""
    return Value(LONG, numbers)


def rational(*pairs: tuple[int, int]) -> Value:
    """Fractions."""
    return Value(RATIONAL, tuple(number for pair in pairs for number in pair))


def build(
    chain: Sequence[Ifd], *, order: str = "<", big: bool = False, magic: bytes = b"", after: bytes = b""
) -> bytes:
    """A TIFF structure.

    Args:
        chain: directories that follow one another.
        order: the byte order, `<` or `>`.
        big: BigTIFF, with 64-bit offsets.
        magic: the first four bytes, where they are not TIFF's own.
        after: bytes between the header and the first directory, where makers leave a mark.
    """
    layout = _Layout(order, big, after)
    for ifd in chain:
        layout.place(ifd)
    return layout.written(chain, magic)


@dataclass(slots=True)
class _Layout:
    order: str
    big: bool
    after: bytes
    at: int = 0
    tables: dict[int, int] = field(default_factory=dict)
    placed: list[Ifd] = field(default_factory=list)
    blobs: list[Blob] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.at = (16 if self.big else 8) + len(self.after)

    @property
    def word(self) -> int:
        return LONG8 if self.big else LONG

    def place(self, ifd: Ifd) -> None:
        """Give a directory its place, then its long values and inner directories."""
        self.tables[id(ifd)] = self.at
        self.placed.append(ifd)
        self.at += (8 + 20 * len(ifd) + 8) if self.big else (2 + 12 * len(ifd) + 4)
        for value in ifd.values():
            if isinstance(value, Value):
                size = len(value.packed(self.order))
                self.at += size + size % 2 if size > (8 if self.big else 4) else 0
            elif isinstance(value, Blob):
                self.blobs.append(value)
            elif len(value) > 1:
                self.at += len(value) * (8 if self.big else 4)
        for value in ifd.values():
            if isinstance(value, list):
                for inner in value:
                    self.place(inner)

    def written(self, chain: Sequence[Ifd], magic: bytes) -> bytes:
        """The whole structure."""
        places: dict[int, int] = {}
        end = self.at
        for blob in self.blobs:
            places[id(blob)] = end
            end += len(blob.content) + len(blob.content) % 2
        out = bytearray(end)
        first = self.tables[id(chain[0])]
        mark = magic or {"<": b"II", ">": b"MM"}[self.order] + struct.pack(self.order + "H", 43 if self.big else 42)
        header = struct.pack(self.order + "HHQ", 8, 0, first) if self.big else struct.pack(self.order + "I", first)
        out[: 4 + len(header) + len(self.after)] = mark + header + self.after
        following = {id(one): self.tables[id(other)] for one, other in pairwise(chain)}
        for ifd in self.placed:
            self._write(out, ifd, places, following.get(id(ifd), 0))
        for blob in self.blobs:
            at = places[id(blob)]
            out[at : at + len(blob.content)] = blob.content
        return bytes(out)

    def _write(self, out: bytearray, ifd: Ifd, places: dict[int, int], following: int) -> None:
        inline = 8 if self.big else 4
        counter, entry, last = ("Q", "HHQ8s", "Q") if self.big else ("H", "HHI4s", "I")
        at = self.tables[id(ifd)]
        values_at = at + (8 + 20 * len(ifd) + 8 if self.big else 2 + 12 * len(ifd) + 4)
        struct.pack_into(self.order + counter, out, at, len(ifd))
        at += struct.calcsize(self.order + counter)
        for tag, value in sorted(ifd.items()):
            kind, data = self._data(value, places)
            count = len(data) // _UNITS[kind]
            if len(data) > inline:
                out[values_at : values_at + len(data)] = data
                data, values_at = struct.pack(self.order + last, values_at), values_at + len(data) + len(data) % 2
            struct.pack_into(self.order + entry, out, at, tag, kind, count, data)
            at += struct.calcsize(self.order + entry)
        struct.pack_into(self.order + last, out, at, following)

    def _data(self, value: Value | Blob | list[Ifd], places: dict[int, int]) -> tuple[int, bytes]:
        if isinstance(value, Value):
            return value.type, value.packed(self.order)
        offsets = (places[id(value)],) if isinstance(value, Blob) else tuple(self.tables[id(ifd)] for ifd in value)
        return self.word, Value(self.word, offsets).packed(self.order)
