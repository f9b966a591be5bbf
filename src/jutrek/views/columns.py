"""A library's captures as columns: one row for each, in the order of shooting, those without a date last.

Values that come again are codes into lists of names; what a column cannot tell has a value of its own, told below.
"""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import date, datetime, timedelta
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.formats import Kind
from jutrek.views.conditions import State

if TYPE_CHECKING:
    from numpy.typing import NDArray

NEVER = np.iinfo(np.int64).min
"""The moment of what has none."""
NO_DAY = np.iinfo(np.int32).min
NO_OFFSET = np.iinfo(np.int16).min
TRUSTS = ("", "doubtful", "likely", "sure")
"""What the codes of trust mean: none, or as `captures.Trust` spells them, which is not imported to show columns."""
KINDS = tuple(kind.value for kind in Kind)
STATES = tuple(State)
"""The bits of the column of states, the lowest first."""
_EPOCH = datetime(1970, 1, 1)


class Names(StrEnum):
    """Lists of names that codes lead into. Code 0 is the empty name: not known.

    Archive drives are told by their ids. Of marks of the house the name is their letter, and what they mean stands
    under the same code in a list of its own. So do the marks of folders.
    """

    FORMAT = "format"
    DEVICE = "device"
    PERSON = "person"
    LENS = "lens"
    SHOOT = "shoot"
    PLACE = "place"
    FOLDER = "folder"
    FOLDER_MARK = "folder mark"
    MARK = "mark"
    MEANING = "meaning"
    SAID = "said"
    DRIVE = "drive"
    LIKELY = "likely"
    KEYWORD = "keyword"


class Column(NamedTuple):
    """How a column is laid out: its type, and how many values beyond one a row it has; None for any number."""

    dtype: type[np.generic]
    more: int | None = 0


COLUMNS: Mapping[str, Column] = {
    "moment": Column(np.int64), "precision": Column(np.uint8), "trust": Column(np.uint8), "offset": Column(np.int16),
    "day": Column(np.int32), "filed": Column(np.int32), "kind": Column(np.uint8), "formats": Column(np.uint64),
    "format": Column(np.uint8), "device": Column(np.int32), "person": Column(np.int32), "lens": Column(np.int32),
    "shoot": Column(np.int32), "place": Column(np.int32), "folder": Column(np.int32), "mark": Column(np.int32),
    "said": Column(np.int32), "drive": Column(np.int32), "likely": Column(np.int32),
    "rating": Column(np.int8), "pixels": Column(np.int32), "length": Column(np.int64), "size": Column(np.int64),
    "changed": Column(np.int64),
    "latitude": Column(np.float32), "longitude": Column(np.float32), "copies": Column(np.uint8),
    "proved": Column(np.int32), "state": Column(np.uint16), "keyword_starts": Column(np.int64, 1),
    "keywords": Column(np.int32, None), "name_starts": Column(np.int64, 1), "name_bytes": Column(np.uint8, None),
    "beside_starts": Column(np.int64, 1),
    "beside_bytes": Column(np.uint8, None),
}  # fmt: skip
"""Of each column how it is laid out; the fields of `Columns` are called the same."""


@dataclass(frozen=True, slots=True, eq=False)
class Columns:
    """The captures of a library.

    Attributes:
        moment: microseconds since 1970 of the local time; `NEVER` without a date.
        precision: of the moment, as `Precision`; 0 without one.
        trust: index into `TRUSTS`.
        offset: local time minus UTC in minutes; `NO_OFFSET` where unknown.
        day: days since 1970 of the moment; `NO_DAY` without one. Of a month or year its first day.
        filed: likewise, of the day that it is filed under by the house.
        kind: index into `KINDS`.
        formats: a bit for each format among its files, by its code.
        format: the code of its primary's.
        device, person, lens, shoot, place, folder, mark, said, drive: codes; `said` is what was written of it in words.
        likely: the code of what it likely is, if no photograph.
        rating: 1 to 5; 0 where it has none.
        pixels: of its primary; 0 where unknown.
        length: in milliseconds; 0 for stills.
        size: bytes of all its files.
        changed: when the one of its files that was changed last was, nanoseconds since 1970, UTC.
        latitude, longitude: in degrees; NaN where unknown.
        copies: how many backups have a proven copy of it whole.
        proved: days since 1970 of the oldest proof of its files at home; `NO_DAY` where one has none that stands.
        state: a bit for each of `STATES`.
        keywords: codes, those of a row from its start to the next one's.
        name_bytes: names of the primaries, as the file system has them; likewise.
        beside_bytes: names of the other files, each with a zero byte behind it; likewise.
        names: the lists of names, by which codes they are for.
    """

    moment: NDArray[np.int64]
    precision: NDArray[np.uint8]
    trust: NDArray[np.uint8]
    offset: NDArray[np.int16]
    day: NDArray[np.int32]
    filed: NDArray[np.int32]
    kind: NDArray[np.uint8]
    formats: NDArray[np.uint64]
    format: NDArray[np.uint8]
    device: NDArray[np.int32]
    person: NDArray[np.int32]
    lens: NDArray[np.int32]
    shoot: NDArray[np.int32]
    place: NDArray[np.int32]
    folder: NDArray[np.int32]
    mark: NDArray[np.int32]
    said: NDArray[np.int32]
    drive: NDArray[np.int32]
    likely: NDArray[np.int32]
    rating: NDArray[np.int8]
    pixels: NDArray[np.int32]
    length: NDArray[np.int64]
    size: NDArray[np.int64]
    changed: NDArray[np.int64]
    latitude: NDArray[np.float32]
    longitude: NDArray[np.float32]
    copies: NDArray[np.uint8]
    proved: NDArray[np.int32]
    state: NDArray[np.uint16]
    keyword_starts: NDArray[np.int64]
    keywords: NDArray[np.int32]
    name_starts: NDArray[np.int64]
    name_bytes: NDArray[np.uint8]
    beside_starts: NDArray[np.int64]
    beside_bytes: NDArray[np.uint8]
    names: Mapping[Names, tuple[str, ...]]

    @property
    def count(self) -> int:
        """How many captures there are."""
        return len(self.moment)

    @property
    def nbytes(self) -> int:
        """Bytes of all columns."""
        return sum(getattr(self, field.name).nbytes for field in fields(self) if field.name != "names")

    def name(self, row: int) -> str:
        """The name of a capture's primary."""
        return os.fsdecode(self.name_bytes[self.name_starts[row] : self.name_starts[row + 1]].tobytes())

    def path(self, row: int) -> str:
        """The path of its primary, relative to the library."""
        return os.path.join(self.names[Names.FOLDER][self.folder[row]], self.name(row))

    def drive_of(self, row: int) -> str:
        """The id of the archive drive that a capture is stored on; empty for the root."""
        return str(self.names[Names.DRIVE][self.drive[row]])

    def row_of(self, path: str) -> int:
        """The row of a capture by the path of its primary; -1 where there is none."""
        folder, _, name = path.rpartition("/")
        names = self.names[Names.FOLDER]
        if folder not in names:
            return -1
        rows = np.flatnonzero(self.folder == names.index(folder)).tolist()
        return next((row for row in rows if self.name(row) == name), -1)

    def rows_of(self, paths: Iterable[str]) -> dict[str, int]:
        """The rows of captures at home by the paths of any of their files; those of none are left out."""
        wanted: dict[str, dict[bytes, str]] = defaultdict(dict)
        for path in paths:
            folder, _, name = path.rpartition("/")
            wanted[folder][os.fsencode(name)] = path
        of_code = [wanted.get(folder) for folder in self.names[Names.FOLDER]]
        asked = np.array([one is not None for one in of_code], bool)
        away = bit_of(State.GONE) | bit_of(State.ASIDE)
        whole, starts = self.name_bytes.tobytes(), self.name_starts.tolist()
        others, more = self.beside_bytes.tobytes(), self.beside_starts.tolist()
        found: dict[str, int] = {}
        rows = np.flatnonzero(asked[self.folder] & (self.state & away == 0))
        for row, code in zip(rows.tolist(), self.folder[rows].tolist(), strict=True):
            names = of_code[code]
            if names is None:
                continue
            if (own := whole[starts[row] : starts[row + 1]]) in names:
                found[names[own]] = row
            if more[row] != more[row + 1]:
                beside = others[more[row] : more[row + 1]].split(b"\0")
                found.update((names[name], row) for name in beside if name in names)
        return found

    def paths(self, rows: Sequence[int] | NDArray[np.int64]) -> list[str]:
        """The paths of the primaries of many captures."""
        folders = [f"{one}/" if one else "" for one in self.names[Names.FOLDER]]
        whole, starts = self.name_bytes.tobytes(), self.name_starts.tolist()
        places = self.folder.tolist()
        if whole.isascii():
            names = whole.decode("ascii")
            return [folders[places[row]] + names[starts[row] : starts[row + 1]] for row in rows]
        return [folders[places[row]] + os.fsdecode(whole[starts[row] : starts[row + 1]]) for row in rows]

    def companions(self, row: int) -> list[str]:
        """The paths of a capture's other files."""
        names = self.beside_bytes[self.beside_starts[row] : self.beside_starts[row + 1]].tobytes().split(b"\0")
        folder = self.names[Names.FOLDER][self.folder[row]]
        return [os.path.join(folder, os.fsdecode(one)) for one in names[:-1]]

    def words(self, row: int) -> tuple[str, ...]:
        """A capture's keywords."""
        codes = self.keywords[self.keyword_starts[row] : self.keyword_starts[row + 1]]
        return tuple(self.names[Names.KEYWORD][code] for code in codes)

    def when(self, row: int) -> datetime | None:
        """The moment of a capture, local time; None without one."""
        stamp = int(self.moment[row])
        return None if stamp == NEVER else _EPOCH + timedelta(microseconds=stamp)

    def marked(self, rows: Sequence[int], name: str, meaning: str = "") -> Columns:
        """The same with a mark on some captures; without a name it is taken off."""
        names, meanings = self.names[Names.MARK], self.names[Names.MEANING]
        if name not in names:
            names, meanings = (*names, name), (*meanings, meaning)
        mark = self.mark.copy()
        mark[np.asarray(rows, np.int64)] = names.index(name)
        return replace(self, mark=mark, names={**self.names, Names.MARK: names, Names.MEANING: meanings})

    def states(self, row: int) -> tuple[State, ...]:
        """What has become of a capture."""
        return tuple(state for bit, state in enumerate(STATES) if self.state[row] >> bit & 1)


def bit_of(state: State) -> int:
    """The bit of a state."""
    return 1 << STATES.index(state)


def day_number(day: date) -> int:
    """A day as the columns of days have it."""
    return day.toordinal() - _EPOCH.toordinal()


def day_of(number: int) -> date:
    """The day of a number."""
    return date.fromordinal(number + _EPOCH.toordinal())


def ragged(texts: Iterable[bytes], count: int) -> tuple[NDArray[np.int64], NDArray[np.uint8]]:
    """Texts behind one another, and where each of them starts; `count` of them."""
    kept = list(texts)
    starts = np.zeros(count + 1, np.int64)
    np.cumsum(np.fromiter(map(len, kept), np.int64, count), out=starts[1:])
    return starts, np.frombuffer(b"".join(kept), np.uint8)
