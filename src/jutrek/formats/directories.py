"""TIFF structures: byte order, image file directories and their values, wherever such a structure stands.

Follows TIFF 6.0 section 2 (header, image file directories, types) and BigTIFF (magic 43: 64-bit offsets and counts).
Directories may loop and point anywhere: visited offsets are remembered and counted.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from functools import lru_cache
from typing import NamedTuple

from jutrek.errors import BrokenFile
from jutrek.formats.span import Span

MAX_DIRECTORIES = 24
MAX_ENTRIES = 2000
MAX_TEXT = 4096
MAX_NUMBERS = 8192

_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8}
_INTEGERS = {1: "B", 3: "H", 4: "I", 8: "h", 9: "i", 13: "I", 16: "Q", 17: "q", 18: "Q"}
_TEXTS = frozenset({1, 2, 7, 129})


class Entry(NamedTuple):
    """A directory entry: its type, how many values it has, and where its value stands within the TIFF structure."""

    type: int
    many: int
    at: int


Directory = dict[int, Entry]


class Forms(NamedTuple):
    """The layout of directories in one byte order and width."""

    order: str
    inline: int
    counter: struct.Struct
    word: struct.Struct
    entry: struct.Struct


@lru_cache(maxsize=4)
def _forms(order: str, big: bool) -> Forms:
    if big:
        return Forms(order, 8, struct.Struct(order + "Q"), struct.Struct(order + "Q"), struct.Struct(order + "HHQQ"))
    return Forms(order, 4, struct.Struct(order + "H"), struct.Struct(order + "I"), struct.Struct(order + "HHII"))


@lru_cache(maxsize=256)
def _form(layout: str) -> struct.Struct:
    return struct.Struct(layout)


class Tiff:
    """A TIFF structure: directories by offset, values by tag."""

    def __init__(self, span: Span, order: str, *, big: bool = False, first: int = 0) -> None:
        """A structure whose byte order (`<` or `>`) and first directory are known already; see `opened`."""
        self.span = span
        self.order = order
        self.first = first
        self.big = big
        self._forms = _forms(order, big)
        self._seen: set[int] = set()

    @staticmethod
    def opened(span: Span) -> Tiff:
        """Read the header. The magic number is not looked at: makers of raws use their own.

        Raises:
            BrokenFile: when it is not a TIFF header.
        """
        head = span.read(0, 8)
        if head[:2] == b"II":
            order = "<"
        elif head[:2] == b"MM":
            order = ">"
        else:
            raise BrokenFile(span.origin, "a TIFF byte order", repr(head[:2]))
        forms = _forms(order, False)
        if forms.counter.unpack(head[2:4])[0] != 43:
            return Tiff(span, order, first=forms.word.unpack(head[4:8])[0])
        wide = _forms(order, True)
        return Tiff(span, order, big=True, first=wide.word.unpack(span.read(8, 8))[0])

    def chain(self, offset: int) -> Iterator[Directory]:
        """Directories from `offset` on, until the chain ends, loops or grows too long."""
        while offset and offset not in self._seen and len(self._seen) < MAX_DIRECTORIES:
            self._seen.add(offset)
            entries, offset = self._directory(offset)
            yield entries

    def one(self, offset: int) -> Directory:
        """The single directory at `offset`; empty when it was visited before."""
        return next(self.chain(offset), {})

    def _directory(self, offset: int) -> tuple[Directory, int]:
        span, forms = self.span, self._forms
        (count,) = span.unpack(forms.counter, offset)
        if count > MAX_ENTRIES:
            raise BrokenFile(span.where(offset), f"at most {MAX_ENTRIES} entries", str(count))
        width, inline, sizes = forms.entry.size, forms.inline, _SIZES
        at = offset + forms.counter.size
        table = span.read(at, count * width)
        end = at + len(table)
        at -= inline
        entries: Directory = {}
        for tag, kind, many, value in forms.entry.iter_unpack(table):
            at += width
            entries[tag] = Entry(kind, many, at if sizes.get(kind, 1) * many <= inline else value)
        following = span.unpack(forms.word, end)[0] if end + forms.word.size <= span.size else 0
        return entries, following

    def raw(self, entries: Directory, tag: int, limit: int) -> bytes:
        """The bytes of a value of bytes or text; none where absent, longer than `limit` or outside the file."""
        entry = entries.get(tag)
        if entry is None or entry.type not in _TEXTS or not 0 < entry.many <= limit:
            return b""
        try:
            return self.span.read(entry.at, entry.many)
        except BrokenFile:
            return b""

    def text(self, entries: Directory, tag: int) -> str:
        """A text value up to its first NUL, stripped; empty where absent or outside the file."""
        if tag not in entries:
            return ""
        data = self.raw(entries, tag, MAX_TEXT)
        return data.partition(b"\0")[0].decode("utf-8", "replace").strip()

    def number(self, entries: Directory, tag: int, default: int = 0) -> int:
        """The first integer of a value; `default` where absent or outside the file."""
        numbers = self.numbers(entries, tag, 1) if tag in entries else ()
        return numbers[0] if numbers else default

    def numbers(self, entries: Directory, tag: int, limit: int = MAX_NUMBERS) -> tuple[int, ...]:
        """Up to `limit` integers of a value; none where absent or outside the file."""
        entry = entries.get(tag)
        letter = _INTEGERS.get(entry.type) if entry else None
        if entry is None or letter is None or entry.many < 1:
            return ()
        try:
            return self.span.unpack(_form(f"{self.order}{min(entry.many, limit)}{letter}"), entry.at)
        except BrokenFile:
            return ()

    def rationals(self, entries: Directory, tag: int, count: int) -> tuple[float, ...] | None:
        """`count` rationals, or None where they are absent, outside the file or divided by zero."""
        entry = entries.get(tag)
        if entry is None or entry.type not in (5, 10) or entry.many < count:
            return None
        letter = "I" if entry.type == 5 else "i"
        try:
            values = self.span.unpack(_form(f"{self.order}{2 * count}{letter}"), entry.at)
        except BrokenFile:
            return None
        pairs = list(zip(values[::2], values[1::2], strict=True))
        return tuple(a / b for a, b in pairs) if all(b for _, b in pairs) else None
