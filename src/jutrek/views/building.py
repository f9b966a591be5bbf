"""The columns of a library, built from its ledger."""

from __future__ import annotations

import json
import os
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime, timedelta
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.captures import Device, filing_day
from jutrek.filing.names import same_name, stem_and_tail
from jutrek.filing.rules import UNFILED_FOLDER, HouseRules
from jutrek.formats import Kind, Precision, format_of, kind_by_suffix
from jutrek.library.home import State as Found
from jutrek.views.columns import (
    COLUMNS,
    KINDS,
    NEVER,
    NO_DAY,
    NO_OFFSET,
    TRUSTS,
    Columns,
    Names,
    bit_of,
    day_number,
    precision_of,
    ragged,
    stamp_of,
)
from jutrek.views.conditions import State

if TYPE_CHECKING:
    from jutrek.library.knowledge import Knowledge, KnownFile

_TOGETHER = timedelta(seconds=10)
"""How far apart files of one name may have been shot that are one capture."""
_RANK = {Kind.STILL: 0, Kind.CLIP: 1, Kind.SOUND: 2, Kind.SIDECAR: 3, Kind.OTHER: 4}
_BESIDE = frozenset({Kind.SIDECAR, Kind.OTHER})
_MOST_FORMATS = 64


class _File(NamedTuple):
    """A file with what its name and date say."""

    known: KnownFile
    kind: Kind
    tail: str
    when: datetime | None


class _Capture(NamedTuple):
    """A file and those that belong to it, itself first."""

    files: tuple[_File, ...]
    moment: str


def built(knowledge: Knowledge, rules: HouseRules, devices: Mapping[str, Device]) -> Columns:
    """The columns of all captures at home, and of those that were set aside or are gone.

    Args:
        knowledge: what the ledger knows of files.
        rules: the house's.
        devices: by their keys.
    """
    builder = _Builder(rules, devices, knowledge)
    for capture in _captures(knowledge.files):
        builder.add(capture)
    for path, size in knowledge.gone:
        builder.add_away(path, size, State.GONE)
    for path, size in knowledge.aside:
        builder.add_away(path, size, State.ASIDE)
    return builder.done()


def _captures(files: Iterable[KnownFile]) -> Iterator[_Capture]:
    """Files that are ordered by path, tied by folder, name and date."""
    folder, piles = "", defaultdict[str, list[_File]](list)
    for known in files:
        own, _, name = known.path.rpartition("/")
        if own != folder:
            for pile in piles.values():
                yield from _tied(pile)
            folder, piles = own, defaultdict(list)
        stem, tail = stem_and_tail(name)
        kind = Kind(known.kind) if known.kind else Kind.OTHER
        piles[same_name(stem)].append(_File(known, kind, tail, _time(known.moment or known.taken)))
    for pile in piles.values():
        yield from _tied(pile)


def _tied(pile: list[_File]) -> Iterator[_Capture]:
    """The captures of files of one name: what was shot at another time is one of its own."""
    if len(pile) > 1:
        pile.sort(key=_order)
    made: list[list[_File]] = []
    for one in pile:
        host = next((group for group in made if _belongs(one, group[0])), None)
        if host is not None:
            host.append(one)
        elif one.kind is not Kind.OTHER:
            made.append([one])
    for group in made:
        moment = next((one.known.moment for one in group if one.known.moment), "")
        yield _Capture(tuple(group), moment or next((one.known.taken for one in group if one.known.taken), ""))


def _order(one: _File) -> tuple[int, bool, bool, int, str]:
    raw = format_of(one.known.format).raw
    return _RANK[one.kind], "_proxy" in one.tail, not raw, len(one.tail), one.known.path


def _belongs(one: _File, host: _File) -> bool:
    if one.kind in _BESIDE or one.tail != host.tail or one.when is None or host.when is None:
        return True
    return abs(one.when - host.when) <= _TOGETHER


def _time(iso: str) -> datetime | None:
    """A local time that is told to the minute at least."""
    return datetime.fromisoformat(iso) if len(iso) >= 16 else None


class _Codes:
    """A list of names in the making; the empty one is 0."""

    def __init__(self) -> None:
        self._codes = {"": 0}

    def of(self, name: str) -> int:
        """The code of a name."""
        return self._codes.setdefault(name, len(self._codes))

    @property
    def names(self) -> tuple[str, ...]:
        """All names by their codes."""
        return tuple(self._codes)


class _Builder:
    """Columns in the making."""

    def __init__(self, rules: HouseRules, devices: Mapping[str, Device], knowledge: Knowledge) -> None:
        self._begins, self._devices, self._knowledge = rules.day_begins, devices, knowledge
        self._codes = {names: _Codes() for names in Names}
        single = [name for name, column in COLUMNS.items() if column.more == 0]
        self._rows: dict[str, list[float]] = {name: [] for name in single}
        self._keywords: list[tuple[int, ...]] = []
        self._texts: list[bytes] = []
        self._beside: list[bytes] = []
        alike = Counter(key for known in knowledge.files for key in set(_contents(known)))
        self._twice = frozenset(key for key, count in alike.items() if count > 1)

    def add(self, capture: _Capture) -> None:
        """Add a capture that is at home."""
        first = capture.files[0].known
        folder, _, name = first.path.rpartition("/")
        self._name(folder, name, [one.known.path.rpartition("/")[2] for one in capture.files[1:]])
        self._date(capture)
        self._facts(capture, folder)
        self._put("size", sum(one.known.size for one in capture.files))
        self._put("copies", min(255, *(one.known.copies for one in capture.files)))
        self._put("state", self._state(capture, folder))

    def add_away(self, path: str, size: int, state: State) -> None:
        """Add something of which no file is there any more, or which was set aside."""
        folder, _, name = path.rpartition("/")
        self._name(folder, name, [])
        kind = KINDS.index(kind_by_suffix(os.path.splitext(name)[1]).value)
        nothing = {"moment": NEVER, "offset": NO_OFFSET, "day": NO_DAY, "filed": NO_DAY, "latitude": np.nan,
                   "longitude": np.nan, "kind": kind, "size": size,
                   "folder": self._codes[Names.FOLDER].of(folder), "state": bit_of(state)}  # fmt: skip
        for column in self._rows:
            self._put(column, nothing.get(column, 0))
        self._keywords.append(())

    def _put(self, column: str, value: float) -> None:
        self._rows[column].append(value)

    def _name(self, folder: str, name: str, beside: Sequence[str]) -> None:
        self._texts.append(os.fsencode(name))
        self._beside.append(b"".join(os.fsencode(one) + b"\0" for one in beside))

    def _date(self, capture: _Capture) -> None:
        first = next((one.known for one in capture.files if one.known.moment), None)
        teller = first or next((one.known for one in capture.files if one.known.taken), None)
        if teller is None or not capture.moment:
            values = (NEVER, 0, 0, NO_OFFSET, NO_DAY, NO_DAY)
        else:
            text = capture.moment
            precision = precision_of(text)
            local = datetime.fromisoformat(text + "0001-01-01"[len(text) :] if len(text) < 10 else text)
            day = day_number(local.date())
            trust = "sure" if first is not None else teller.trust
            agrees = teller.offset is not None and teller.taken == text
            values = (
                stamp_of(local), precision, TRUSTS.index(trust) if trust in TRUSTS else 1,
                teller.offset if agrees and teller.offset is not None else NO_OFFSET, day,
                self._filed(teller, local, precision),
            )  # fmt: skip
        for column, value in zip(("moment", "precision", "trust", "offset", "day", "filed"), values, strict=True):
            self._put(column, value)

    def _filed(self, teller: KnownFile, local: datetime, precision: Precision) -> int:
        """The day that it is filed under: as it was filed, else by when the house's days begin."""
        if len(teller.day) == 10:
            return day_number(date.fromisoformat(teller.day))
        return day_number(filing_day(local, precision, self._begins)) if precision >= Precision.DAY else NO_DAY

    def _facts(self, capture: _Capture, folder: str) -> None:
        files = [one.known for one in capture.files]
        first = files[0]
        code = {names: self._codes[names].of for names in Names}
        formats = [min(code[Names.FORMAT](one.format), _MOST_FORMATS - 1) for one in files]
        place = next((one for one in files if one.latitude is not None and one.longitude is not None), None)
        device = next((one.device for one in files if one.device), "")
        model = next((one.model for one in files if one.model), "")
        values = {
            "kind": KINDS.index(capture.files[0].kind.value), "format": formats[0],
            "formats": sum(1 << one for one in set(formats)), "device": code[Names.DEVICE](self._called(device, model)),
            "person": code[Names.PERSON](next((one.operator for one in files if one.operator), "")),
            "lens": code[Names.LENS](next((one.lens for one in files if one.lens), "")),
            "shoot": code[Names.SHOOT](next((one.shoot for one in files if one.shoot), "")),
            "folder": code[Names.FOLDER](folder),
            "mark": code[Names.MARK](next((one.label for one in files if one.label), "")),
            "said": code[Names.SAID](" · ".join(dict.fromkeys(one.said for one in files if one.said))),
            "rating": next((one.rating for one in files if one.rating), 0),
            "pixels": min(first.pixels, np.iinfo(np.int32).max),
            "length": sum(one.milliseconds for one in files if one.kind == first.kind and "_tr" not in one.path),
            "latitude": np.nan if place is None else place.latitude,
            "longitude": np.nan if place is None else place.longitude,
        }  # fmt: skip
        for column, value in values.items():
            self._put(column, value or 0)
        words = dict.fromkeys(word for one in files if one.keywords for word in json.loads(one.keywords))
        self._keywords.append(tuple(code[Names.KEYWORD](word) for word in words))

    def _called(self, key: str, model: str) -> str:
        """What a device is called: as the house has it, with its letter, else as its files say."""
        device = self._devices.get(key)
        if device is None:
            return model
        return f"{device.letter} {device.name}" if device.letter else device.name

    def _state(self, capture: _Capture, folder: str) -> int:
        files = [one.known for one in capture.files]
        found = [State.PROVEN] if all(one.found == Found.PROVEN for one in files) else []
        found += [State.DOUBLED] if any(key in self._twice for key in _contents(files[0])) else []
        found += [State.UNFILED] if (folder + "/").startswith(f"{UNFILED_FOLDER}/") else []
        found += [State.CHANGED] if any(one.found == Found.CHANGED for one in files) else []
        found += [State.MOVED] if any(one.moved for one in files) else []
        found += [State.DAMAGED] if any(one.found in (Found.ROTTED, Found.UNREADABLE) for one in files) else []
        found += [State.DOUBTFUL] if self._rows["trust"][-1] == 1 else []
        return sum(map(bit_of, found))

    def done(self) -> Columns:
        """The columns, in the order of shooting."""
        count = len(self._texts)
        single = {name: np.array(values, COLUMNS[name].dtype) for name, values in self._rows.items()}
        moment = single["moment"]
        shot = np.where(moment == NEVER, np.iinfo(np.int64).max, moment)
        names = {names: codes.names for names, codes in self._codes.items()}
        paths = self._codes[Names.FOLDER].names
        rank = np.empty(len(paths), np.int64)
        rank[sorted(range(len(paths)), key=paths.__getitem__)] = np.arange(len(paths))
        order = np.lexsort((np.arange(count), rank[single["folder"]], shot)) if count else np.zeros(0, np.int64)
        rows = order.tolist()
        name_starts, name_bytes = ragged((self._texts[row] for row in rows), count)
        beside_starts, beside_bytes = ragged((self._beside[row] for row in rows), count)
        keyword_starts = np.zeros(count + 1, np.int64)
        np.cumsum(np.fromiter((len(self._keywords[row]) for row in rows), np.int64, count), out=keyword_starts[1:])
        keywords = np.fromiter((code for row in rows for code in self._keywords[row]), np.int32)
        return Columns(
            **{name: values[order] for name, values in single.items()}, keyword_starts=keyword_starts,
            keywords=keywords, name_starts=name_starts, name_bytes=name_bytes, beside_starts=beside_starts,
            beside_bytes=beside_bytes, names=names,
        )  # fmt: skip


def _contents(known: KnownFile) -> Iterator[tuple[int, bytes]]:
    """What tells that a file is the same as another one: its bytes, and its picture or sound without metadata."""
    if known.kind in (Kind.SIDECAR, Kind.OTHER, ""):
        return
    if known.quick:
        yield known.size, known.quick
    if known.payload and known.print:
        yield -known.payload, known.print
