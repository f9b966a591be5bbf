"""Filling the blanks of patterns: the job's number, the house's own blanks, the day of the start, a device."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime
from types import MappingProxyType
from typing import TYPE_CHECKING

from jutrek.filing import dates
from jutrek.filing.names import MAX_BYTES, legal, shortened
from jutrek.filing.pattern import Pattern, Piece
from jutrek.filing.pieces import COUNTER_SIGN, WORD_FORMS
from jutrek.filing.writing import Column, as_value, folder_of, write
from jutrek.formats import Precision

if TYPE_CHECKING:
    from jutrek.captures import Device

_DAY: Mapping[tuple[str, str], dates.WriteDate] = MappingProxyType({
    ("year", ""): dates.year,
    ("month", ""): dates.month, ("month", "name"): dates.month_name, ("month", "short"): dates.month_short,
    ("day", ""): dates.day, ("date", ""): dates.whole,
    ("weekday", ""): dates.weekday_name, ("weekday", "name"): dates.weekday_name,
    ("weekday", "short"): dates.weekday_short, ("weekday", "number"): dates.weekday_number,
    ("week", ""): dates.week, ("week-year", ""): dates.week_year,
})  # fmt: skip
DAYS = frozenset(name for name, _ in _DAY)
"""Pieces of patterns that tell the day on which a job starts."""
OF_DEVICE: Mapping[str, Callable[[Device], str]] = MappingProxyType({
    "device": lambda device: device.name, "letter": lambda device: device.letter,
    "operator": lambda device: device.operator,
})  # fmt: skip
"""What a device gives to a line that is made for each."""
COUNTED = "counter"


@dataclass(frozen=True, slots=True)
class Filled:
    """What blanks are filled with.

    Attributes:
        values: what was filled in, by the names of blanks.
        day: on which the job starts.
        language: of the names of months and weekdays.
        device: the one that a line is made for; None for all others.
    """

    values: Mapping[str, str]
    day: date
    language: str = "en"
    device: Device | None = None

    def __len__(self) -> int:
        """One value each: see `filing.writing.Table`."""
        return 1

    def of(self, piece: Piece) -> Column:
        """The value of a piece, as it may stand in a name."""
        raw = self.text(piece)
        value = raw if piece.name == COUNTED else raw and as_value(raw)
        return Column([value], frozenset() if raw == value else frozenset([0]), not value)

    def text(self, piece: Piece) -> str:
        """The value of a piece, as it was filled in; empty where it was not."""
        if piece.name == COUNTED:
            return COUNTER_SIGN
        if self.device is not None and piece.name in ("device", "letter"):
            return _in_form(OF_DEVICE[piece.name](self.device), piece.form)
        if piece.name in DAYS:
            local = datetime(self.day.year, self.day.month, self.day.day)
            if "%" in piece.form:
                return dates.in_directives(piece.form, local, Precision.DAY, self.language)
            return _DAY[piece.name, piece.form](local, Precision.DAY, self.language)
        return _in_form(self.values.get(piece.name, ""), piece.form)

    def for_device(self, device: Device) -> Filled:
        """The same for a line that is made for a device."""
        return replace(self, device=device)


def _in_form(text: str, form: str) -> str:
    return WORD_FORMS[form](text) if form else text


def folder_filled(pattern: Pattern, filled: Filled) -> str:
    """A layout with its blanks filled: folders that every file system takes; empty where nothing is left of it."""
    return folder_of(write(pattern, filled).texts[0])


def name_filled(pattern: Pattern, filled: Filled, *, is_file: bool = False) -> str:
    """A name with its blanks filled, as every file system takes it; empty where nothing is left of it.

    Args:
        pattern: the name.
        filled: what the blanks hold.
        is_file: whether what stands behind its last dot is kept where the name has to be cut.
    """
    text = write(pattern, filled).texts[0]
    # One name is a folder's path of one part, and its gaps are closed alike; an extension joins nothing.
    stem, dot, ending = text.rpartition(".") if is_file else (text, "", "")
    if not stem:
        stem, dot, ending = text, "", ""
    name = folder_of(stem.replace("/", "_"))
    if not name:
        return ""
    ending = legal(ending, hidden=True) if ending else ""
    room = MAX_BYTES - len(f"{dot}{ending}".encode())
    return legal(f"{shortened(name, room)}{dot}{ending}") if ending else shortened(legal(name), MAX_BYTES)


def plain_filled(pattern: Pattern, filled: Filled) -> str:
    """The text of a pattern with its blanks filled, a counter as its sign: for what is no name yet."""
    return write(pattern, filled).texts[0].replace("\0", "")
