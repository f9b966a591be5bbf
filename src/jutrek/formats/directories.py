"""TIFF structures: byte order, image file directories and their values, wherever such a structure stands.

Follows TIFF 6.0 section 2 (header, image file directories, types) and BigTIFF (magic 43: 64-bit offsets and counts).
Directories may loop and point anywhere: visited offsets are remembered and counted.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from collections.abc import Set as AbstractSet
from functools import lru_cache
from typing import NamedTuple

from jutrek.errors import BrokenFile
from jutrek.formats.span import NOWHERE, Span

MAX_DIRECTORIES = 24
MAX_ENTRIES = 2000
MAX_TEXT = 4096
MAX_NUMBERS = 8192

_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8}
_INTEGERS = {1: "B", 3: "H", 4: "I", 8: "h", 9: "i", 13: "I", 16: "Q", 17: "q", 18: "Q"}
_ORDERS = {b"II": "<", b"MM": ">"}
_TEXTS = frozenset({1, 2, 7, 129})


Entry = tuple[int, int, int, int]
"""A directory entry as it stands: tag, type, number of values, and the word that is their place or the values."""
Directory = dict[int, Entry]


class Forms(NamedTuple):
    """The layout of directories in one byte order and width."""

    inline: int
    counter: struct.Struct
    word: struct.Struct
    entry: struct.Struct
    pair: struct.Struct


@lru_cache(maxsize=4)
def _forms(order: str, big: bool) -> Forms:
    inline, layouts = (8, ("Q", "Q", "HHQQ")) if big else (4, ("H", "I", "HHII"))
    counter, word, entry = (struct.Struct(order + layout) for layout in layouts)
    return Forms(inline, counter, word, entry, struct.Struct(order + "II"))


@lru_cache(maxsize=256)
def _form(layout: str) -> struct.Struct:
    return struct.Struct(layout)


@lru_cache(maxsize=1024)
def _decoded(data: bytes) -> str:
    """Text up to its first NUL, stripped. Makes, models and offsets come again with every file of a device."""
    return data.partition(b"\0")[0].decode("utf-8", "replace").strip()


class Tiff:
    """A TIFF structure: directories by offset, values by tag."""

    def __init__(self, span: Span, order: str, *, big: bool = False, first: int = 0) -> None:
        """A structure whose byte order (`<` or `>`) and first directory are known already; see `opened`.

        Args:
            span: the structure.
            order: `<` or `>`.
            big: whether it is a BigTIFF.
            first: offset of the first directory.
        """
        self.span = span
        self.order = order
        self.first = first
        self.big = big
        self._forms = _forms(order, big)
        self._held = span.held()
        self._seen: set[int] = set()

    @staticmethod
    def opened(span: Span) -> Tiff:
        """Read the header. The magic number is not looked at: makers of raws use their own.

        Raises:
            BrokenFile: when it is not a TIFF header.
        """
        head = span.read(0, 8)
        order = _ORDERS.get(head[:2])
        if order is None:
            raise BrokenFile(span.origin, "a TIFF byte order", repr(head[:2]))
        magic, first = _form(order + "2xHI").unpack(head)
        if magic != 43:
            return Tiff(span, order, first=first)
        return Tiff(span, order, big=True, first=_form(order + "Q").unpack(span.read(8, 8))[0])

    def chain(self, offset: int) -> Iterator[Directory]:
        """Directories from `offset` on, until the chain ends, loops or grows too long."""
        while offset and offset not in self._seen and len(self._seen) < MAX_DIRECTORIES:
            self._seen.add(offset)
            entries, end = self._directory(offset)
            is_last = end + self._forms.word.size > self.span.size
            offset = 0 if is_last else self.span.unpack(self._forms.word, end)[0]
            yield entries

    def one(self, offset: int) -> Directory:
        """The single directory at `offset`; empty when it was visited before."""
        if not offset or offset in self._seen or len(self._seen) >= MAX_DIRECTORIES:
            return {}
        self._seen.add(offset)
        return self._directory(offset)[0]

    def _directory(self, offset: int) -> tuple[Directory, int]:
        """A directory, and where the offset of the one that follows it stands."""
        forms = self._forms
        (count,) = forms.counter.unpack(self._read(offset, forms.counter.size))
        if count > MAX_ENTRIES:
            raise BrokenFile(self.span.where(offset), f"at most {MAX_ENTRIES} entries", str(count))
        at = offset + forms.counter.size
        table = self._read(at, count * forms.entry.size)
        end = at + len(table)
        return {entry[0]: entry for entry in forms.entry.iter_unpack(table)}, end

    def stands(self, offset: int, tag: int) -> int:
        """Where in the file the value of a tag stands that fits into its entry; `NOWHERE` where that can't be told.

        Args:
            offset: of the directory.
            tag: of the entry.
        """
        forms = self._forms
        (count,) = forms.counter.unpack(self._read(offset, forms.counter.size))
        at = offset + forms.counter.size
        table = self._read(at, min(count, MAX_ENTRIES) * forms.entry.size)
        for number, entry in enumerate(forms.entry.iter_unpack(table)):
            if entry[0] == tag:
                return self.span.where(at + (number + 1) * forms.entry.size - forms.word.size)
        return NOWHERE

    def _read(self, offset: int, count: int) -> bytes:
        """Like the span's own reading, and shorter where its bytes are held in memory anyway."""
        if self._held is not None and 0 <= offset <= len(self._held) - count:
            return self._held[offset : offset + count]
        return self.span.read(offset, count)

    def _first(self, entry: Entry, size: int) -> bytes:
        """The first `size` bytes of a value: of its word where the value fits into it, else of what the word points to.

        Fewer where they lie outside the structure.
        """
        _, kind, many, word = entry
        if many * _SIZES.get(kind, 1) <= self._forms.inline:
            return self._forms.word.pack(word)[:size]
        if self._held is not None:
            return self._held[word : word + size]
        try:
            return self.span.read(word, size)
        except BrokenFile:
            return b""

    def raw(self, entries: Directory, tag: int, limit: int) -> bytes:
        """The bytes of a value of bytes or text; none where absent, longer than `limit` or outside the file."""
        entry = entries.get(tag)
        if entry is None or entry[1] not in _TEXTS or not 0 < entry[2] <= limit:
            return b""
        return self._first(entry, entry[2])

    def texts(self, entries: Directory, tags: AbstractSet[int]) -> dict[int, str]:
        """The text values among `tags` that a directory has, as `text` gives them."""
        found: dict[int, str] = {}
        held, inline = self._held, self._forms.inline
        for tag in entries.keys() & tags:
            entry = entries[tag]
            _, kind, many, word = entry
            if kind in _TEXTS and 0 < many <= MAX_TEXT:
                is_far = held is not None and many > inline
                found[tag] = _decoded(held[word : word + many] if held and is_far else self._first(entry, many))
        return found

    def text(self, entries: Directory, tag: int) -> str:
        """A text value up to its first NUL, stripped; empty where absent or outside the file."""
        entry = entries.get(tag)
        if entry is None:
            return ""
        return _decoded(self.raw(entries, tag, MAX_TEXT))

    def number(self, entries: Directory, tag: int, default: int = 0) -> int:
        """The first integer of a value; `default` where absent or outside the file."""
        entry = entries.get(tag)
        if entry is None:
            return default
        if entry[1] == 4 and entry[2] == 1 and not self.big:
            return entry[3]
        if entry[1] == 3 and entry[2] == 1 and not self.big:
            return entry[3] & 0xFFFF if self.order == "<" else entry[3] >> 16
        numbers = self.numbers(entries, tag, 1)
        return numbers[0] if numbers else default

    def numbers(self, entries: Directory, tag: int, limit: int = MAX_NUMBERS) -> tuple[int, ...]:
        """Up to `limit` integers of a value; none where absent or outside the file."""
        entry = entries.get(tag)
        letter = _INTEGERS.get(entry[1]) if entry else None
        if entry is None or letter is None or entry[2] < 1:
            return ()
        many = min(entry[2], limit)
        size = many * _SIZES[entry[1]]
        data = self._first(entry, size)
        return _form(f"{self.order}{many}{letter}").unpack(data) if len(data) == size else ()

    def rationals(self, entries: Directory, tag: int, count: int) -> tuple[float, ...] | None:
        """`count` rationals, or None where they are absent, outside the file or divided by zero."""
        entry = entries.get(tag)
        if entry is None or entry[1] not in (5, 10) or entry[2] < count:
            return None
        size = 8 * count
        data = self._first(entry, size)
        if len(data) != size:
            return None
        values = _form(f"{self.order}{2 * count}{'I' if entry[1] == 5 else 'i'}").unpack(data)
        pairs = list(zip(values[::2], values[1::2], strict=True))
        return tuple(a / b for a, b in pairs) if all(b for _, b in pairs) else None

    def fraction(self, entries: Directory, tag: int) -> float:
        """A single rational; 0.0 where absent, outside the file or divided by zero."""
        entry = entries.get(tag)
        if entry is None or entry[1] != 5 or self.big or self._held is None or entry[3] + 8 > len(self._held):
            return (self.rationals(entries, tag, 1) or (0.0,))[0]
        over, under = self._forms.pair.unpack_from(self._held, entry[3])
        return over / under if under else 0.0

    def stretch(self, entries: Directory, tag: int) -> tuple[int, int] | None:
        """Where a value that does not fit into its entry stands: offset within the structure, and size in bytes."""
        entry = entries.get(tag)
        if entry is None:
            return None
        size = entry[2] * _SIZES.get(entry[1], 1)
        return (entry[3], size) if size > self._forms.inline else None
