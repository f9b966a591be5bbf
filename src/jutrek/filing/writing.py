"""Writing a pattern for very many captures at once, piece by piece.

A pattern is written in columns: each of its pieces for all captures, then put together. Columns are kept, so that a
pattern that is being typed costs only what is new in it.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from datetime import date
from functools import lru_cache
from itertools import repeat
from typing import NamedTuple, Protocol

from jutrek.filing.facts import Facts
from jutrek.filing.names import legal, legal_folder, shortened
from jutrek.filing.pattern import Optional, Pattern, Piece
from jutrek.filing.pieces import COUNTER_SIGN, PIECES, Setting, Write, writer
from jutrek.formats import Precision

_LONGEST_VALUE = 160
"""Bytes that one piece may take in a name."""
_EMPTY = "\x00"
"""Stands where a piece outside of optional parts has no value: what joins it goes with it."""
_ROUND_EMPTY = re.compile("[-_ .,]*(?:\x00[-_ .,]*)+")
_ODD = re.compile(
    r'[<>:"/\\|?*\x00\x02-\x1f\x7f]|^[. ]|[. ]$|'
    r"^(?:con|prn|aux|nul|con(?:in|out)\$|clock\$|(?:com|lpt)[0-9¹²³]) *(?:\.|$)",
    re.IGNORECASE,
)
"""What a name cannot have in it, or at its ends; the sign of a counter becomes a number."""
_ODD_SIGNS = re.compile(r'[<>:"/\\|?*\x00\x02-\x09\x0b-\x1f\x7f]')
_ODD_AT_ENDS = ("\n.", "\n ", ".\n", " \n", "\n\n", "\ncon", "\nprn", "\naux", "\nnul", "\ncom", "\nlpt", "\nclock$")


class Column(NamedTuple):
    """Values of one piece for all captures.

    Attributes:
        values: legal in a name, empty where there is none.
        odd: the numbers of captures whose value had to be changed to be legal.
        gaps: whether any value is empty.
    """

    values: Sequence[str]
    odd: frozenset[int]
    gaps: bool


class Columns:
    """The columns of some captures, made when they are first asked for."""

    def __init__(self, facts: Sequence[Facts], setting: Setting) -> None:
        self.facts, self._setting = facts, setting
        self._columns: dict[Piece, Column] = {}
        self._days: list[tuple[date, Precision] | None] | None = None

    def __len__(self) -> int:
        return len(self.facts)

    def of(self, piece: Piece) -> Column:
        """The column of a piece. Of a counter it holds the sign that its number will take the place of."""
        column = self._columns.get(piece)
        if column is None:
            write, setting = writer(piece.name, piece.form), self._setting
            if piece.name == "counter":
                column = Column([write(facts, setting) for facts in self.facts], frozenset(), False)
            elif PIECES[piece.name].by_day and "%" not in piece.form:
                column = self._by_day(write)
            else:
                raw = [write(facts, setting) for facts in self.facts]
                values = [value and as_value(value) for value in raw]
                odd: frozenset[int] = frozenset()
                if values != raw:
                    odd = frozenset(at for at, (one, other) in enumerate(zip(raw, values, strict=True)) if one != other)
                column = Column(values, odd, not all(values))
            self._columns[piece] = column
        return column

    def _by_day(self, write: Write) -> Column:
        """A column of a piece that is the same for all captures of a day."""
        if self._days is None:
            filed = self._setting.filed
            self._days = [
                (facts.day if filed and facts.day else moment.local.date(), moment.precision) if moment else None
                for facts, moment in ((one, one.capture.moment) for one in self.facts)
            ]
        known = {
            day: as_value(write(facts, self._setting))
            for day, facts in dict(zip(self._days, self.facts, strict=True)).items()
        }
        return Column([known[day] for day in self._days], frozenset(), not all(known.values()))


@lru_cache(maxsize=1 << 16)
def as_value(value: str) -> str:
    """A value as it may stand in a name: no separators of folders, no forbidden signs, not too long."""
    text = " ".join(value.split())
    if not text.isascii() or _ODD.search(text):
        text = legal(f"x{text}x")[1:-1]
    return shortened(text, _LONGEST_VALUE)


class Written(NamedTuple):
    """A pattern written for all captures, and the numbers of those where a value had to be changed."""

    texts: list[str]
    odd: frozenset[int]


class Table(Protocol):
    """What a pattern is written from: a column for each of its pieces."""

    def __len__(self) -> int:
        """How many values each column has."""

    def of(self, piece: Piece) -> Column:
        """The column of a piece."""


def write(pattern: Pattern, columns: Table) -> Written:
    """Write a pattern. The texts still hold the slashes of folders, and signs for counters and for empty pieces."""
    cells: list[Iterable[str]] = []
    odd: set[int] = set()
    for part in pattern.parts:
        if isinstance(part, str):
            cells.append(repeat(part))
        elif isinstance(part, Piece):
            column = columns.of(part)
            odd |= column.odd
            cells.append([value or _EMPTY for value in column.values] if column.gaps else column.values)
        else:
            cells.append(_optional(part, columns, odd))
    cells.append(repeat("", len(columns)))
    return Written(list(map("".join, zip(*cells, strict=False))), frozenset(odd))


def _optional(part: Optional, columns: Table, odd: set[int]) -> list[str]:
    cells: list[Iterable[str]] = []
    gaps: list[Sequence[str]] = []
    for one in part.parts:
        if isinstance(one, str):
            cells.append(repeat(one))
            continue
        column = columns.of(one)
        odd |= column.odd
        cells.append(column.values)
        if column.gaps:
            gaps.append(column.values)
    cells.append(repeat("", len(columns)))
    texts: Iterable[str] = map("".join, zip(*cells, strict=False))
    if not gaps:
        return list(texts)
    for values in gaps:
        texts = [text if value else "" for text, value in zip(texts, values, strict=True)]
    return list(texts)


def folder_of(text: str) -> str:
    """The legal folder of a written layout; empty for the library's root."""
    if _EMPTY in text:
        text = "/".join(_closed(part) for part in text.split("/"))
    return legal_folder(text)


def stems_from(texts: Sequence[str]) -> list[str]:
    """The legal stems of written names. They are looked at as one text first: mostly all are legal as they are."""
    whole = "\n".join(["", *texts, ""]).lower()
    is_fine = whole.isascii() and whole.count("\n") == len(texts) + 1 and not _ODD_SIGNS.search(whole)
    if is_fine and not any(odd in whole for odd in _ODD_AT_ENDS):
        return list(texts)
    return [stem_from(text) for text in texts]


def stem_from(text: str) -> str:
    """The legal stem of a written name, counters still in it; empty where nothing is left of it."""
    if _EMPTY in text:
        text = _closed(text)
    if not _ODD.search(text) and (text.isascii() or (text.isprintable() and unicodedata.is_normalized("NFC", text))):
        return text
    if COUNTER_SIGN not in text:
        return legal(text) if text.strip(". ") else ""
    return COUNTER_SIGN.join(legal(f"x{part}x")[1:-1] if part else "" for part in text.split(COUNTER_SIGN))


def _closed(text: str) -> str:
    """A text in which the gaps of empty pieces are closed: one joiner stays between two pieces, none at the ends."""

    def close(found: re.Match[str]) -> str:
        if not found.start() or found.end() == len(text):
            return ""
        joiners = found[0].replace(_EMPTY, " ").split()
        return joiners[0] if joiners else " " if " " in found[0].replace(_EMPTY, "") else ""

    return _ROUND_EMPTY.sub(close, text)
