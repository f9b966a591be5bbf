"""The columns of a library, built from its ledger: first of its files, then of the captures that they make."""

from __future__ import annotations

import os
import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from jutrek.captures import SAME_PRESS, Device
from jutrek.filing.facts import words_and_place
from jutrek.filing.names import same_name, stem_and_tail
from jutrek.filing.rules import UNFILED_FOLDER, HouseRules
from jutrek.formats import TAKEN_OFF, Kind, Precision, format_of, kind_by_suffix
from jutrek.library.home import State as Found
from jutrek.library.knowledge import KnownFile
from jutrek.library.marks import FOLDER_SIDECAR, HouseMark, mark_said
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
    ragged,
)
from jutrek.views.conditions import State
from jutrek.views.guessing import guess
from jutrek.views.told import day_of_text, days_of, place_of_text, stamps_of, words_of_text
from jutrek.whereabouts import Whereabouts

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.library.knowledge import Knowledge

    Ints = NDArray[np.int64]

_RANK = {Kind.STILL: 0, Kind.CLIP: 1, Kind.SOUND: 2, Kind.SIDECAR: 3, Kind.OTHER: 4, "": 4}
_BESIDE = frozenset({Kind.SIDECAR.value, Kind.OTHER.value, ""})
_PLAIN = re.compile(r"[^._()~]*(?:_\d[^._()~]*)*\.[^._()~]+")
"""Names of which nothing but the extension is taken off for what a capture's files have in common."""
_EDITED = re.compile(r"edit|proxy|[ \-]\d{1,3}\.", re.IGNORECASE)
_MOST_FORMATS = 64
_BESIDE_OTHERS = (Names.MEANING, Names.FOLDER_MARK)
_PRECISIONS = {0: 0, 4: Precision.YEAR, 7: Precision.MONTH, 10: Precision.DAY, 16: Precision.MINUTE,
               19: Precision.SECOND}  # fmt: skip
_FOUND = {Found.PROVEN: State.PROVEN, Found.CHANGED: State.CHANGED, Found.ROTTED: State.DAMAGED,
          Found.UNREADABLE: State.DAMAGED}  # fmt: skip


def built(
    knowledge: Knowledge,
    rules: HouseRules,
    devices: Mapping[str, Device],
    whereabouts: Whereabouts | None = None,
    marks: Sequence[HouseMark] = (),
) -> Columns:
    """The columns of all captures at home, and of those that were set aside or are gone.

    Args:
        knowledge: what the ledger knows of files.
        rules: the house's.
        devices: by their keys.
        whereabouts: names positions; without it only towns have names.
        marks: the house's.
    """
    # What was not read yet, or cannot be, is what its extension says; and what a ledger has may be anything.
    own, gone = ([_with_kind(one) for one in some] for some in (knowledge.files, knowledge.gone))
    of_folders = {one.path: one.label for one in own if one.path.rpartition("/")[2] == FOLDER_SIDECAR}
    own = [one for one in own if one.path not in of_folders] if of_folders else own
    aside = [KnownFile(path, size, kind=_kind_of(path)) for path, size in knowledge.aside]
    files, behind = [*own, *gone, *aside], len(own) + len(gone)
    missed = [tuple(len(own) + number for number in one) for one in _captures(gone)]
    captures = [*_captures(own), *missed, *((behind + number,) for number in range(len(aside)))]
    if not captures:
        return _none()
    builder = _Builder(files, captures, rules, devices, whereabouts or Whereabouts(), marks)
    away = [bit_of(State.GONE)] * len(missed) + [bit_of(State.ASIDE)] * len(aside)
    builder.states[len(captures) - len(away) :] = away
    return builder.done({path.rpartition("/")[0]: label for path, label in of_folders.items() if label.strip()})


def _with_kind(known: KnownFile) -> KnownFile:
    return known if known.kind in KINDS else known._replace(kind=_kind_of(known.path))


def _kind_of(path: str) -> str:
    return kind_by_suffix(os.path.splitext(path)[1]).value


def _none() -> Columns:
    empty: dict[str, Any] = {name: np.zeros(int(column.more == 1), column.dtype) for name, column in COLUMNS.items()}
    return Columns(**empty, names=dict.fromkeys(Names, ("",)))


# ---- which files make a capture


def _captures(files: Sequence[KnownFile]) -> list[tuple[int, ...]]:
    """Files that are ordered by path, tied by folder, name and date: of each capture the numbers of its files."""
    piles: dict[tuple[str, str], list[int]] = defaultdict(list)
    for number, known in enumerate(files):
        folder, _, name = known.path.rpartition("/")
        if _PLAIN.fullmatch(name) and not _EDITED.search(name):
            stem = name[: name.rindex(".")]
        else:
            stem = stem_and_tail(name)[0]
        piles[folder, stem.lower() if stem.isascii() else same_name(stem)].append(number)
    made: list[tuple[int, ...]] = []
    for pile in piles.values():
        if len(pile) > 1:
            made += _tied(pile, files)
        elif files[pile[0]].kind not in (Kind.OTHER, ""):
            made.append((pile[0],))
    return made


class _Member(NamedTuple):
    """A file of several of one name."""

    number: int
    kind: str
    tail: str
    when: datetime | None
    name: str


def _tied(pile: Iterable[int], files: Sequence[KnownFile]) -> list[tuple[int, ...]]:
    """The captures of files of one name: what was shot at another time is one of its own."""
    members = []
    for number in pile:
        known = files[number]
        name = known.path.rpartition("/")[2]
        when = _time(known.moment or known.taken)
        members.append(_Member(number, known.kind, stem_and_tail(name)[1], when, name))
    members.sort(key=lambda one: _order(one, files[one.number]))
    made: list[list[_Member]] = []
    for one in members:
        host = _named_by(one, made) or next((group for group in made if _belongs(one, group[0])), None)
        if host is not None:
            host.append(one)
        elif one.kind not in (Kind.OTHER, ""):
            made.append([one])
    return [tuple(one.number for one in group) for group in made]


def _named_by(one: _Member, made: Iterable[list[_Member]]) -> list[_Member] | None:
    """The capture of the file whose whole name a file bears that says something of it: `P1.MP4` of `P1.MP4.xmp`."""
    if one.kind not in _BESIDE:
        return None
    whole = os.path.splitext(one.name)[0]
    return next((group for group in made if any(member.name == whole for member in group)), None)


def _order(one: _Member, known: KnownFile) -> tuple[int, bool, bool, int, str]:
    return _RANK[known.kind], "_proxy" in one.tail, not format_of(known.format).raw, len(one.tail), known.path


def _belongs(one: _Member, host: _Member) -> bool:
    if one.kind in _BESIDE or one.tail != host.tail or one.when is None or host.when is None:
        return True
    return abs(one.when - host.when) <= SAME_PRESS


def _time(iso: str) -> datetime | None:
    """A local time that is told to the minute at least."""
    try:
        return datetime.fromisoformat(iso) if len(iso) >= 16 else None
    except ValueError:
        return None


# ---- columns


class _Codes:
    """A list of names in the making; the empty one is 0."""

    def __init__(self) -> None:
        self._codes = {"": 0}

    def of(self, name: str) -> int:
        """The code of a name."""
        return self._codes.setdefault(name, len(self._codes))

    def of_all(self, names: Iterable[str]) -> Ints:
        """The codes of names."""
        known = self._codes
        return np.array([known.setdefault(name, len(known)) for name in names], np.int64)

    @property
    def names(self) -> tuple[str, ...]:
        """All names by their codes."""
        return tuple(self._codes)


class _Builder:
    """Columns in the making: of files, and of the captures that they make, whose files follow one another."""

    def __init__(
        self,
        files: Sequence[KnownFile],
        captures: Sequence[tuple[int, ...]],
        rules: HouseRules,
        devices: Mapping[str, Device],
        whereabouts: Whereabouts,
        marks: Sequence[HouseMark],
    ) -> None:
        self._house_marks = marks
        self._begins, self._devices, self._whereabouts = rules.day_begins, devices, whereabouts
        self._captures = captures
        self._starts = np.zeros(len(captures), np.int64)
        np.cumsum([len(one) for one in captures[:-1]], out=self._starts[1:])
        self._files = [files[number] for capture in captures for number in capture]
        self._of = dict(zip(KnownFile._fields, zip(*self._files, strict=True), strict=True))
        self._firsts = self._starts
        self._codes = {names: _Codes() for names in Names}
        self._dated = self._dates()
        self.states = self._states()

    def done(self, folder_marks: Mapping[str, str]) -> Columns:
        """The columns, in the order of shooting.

        Args:
            folder_marks: the labels of folders that have one.
        """
        folders = [one.path.rpartition("/")[0] for one in map(self._files.__getitem__, self._firsts.tolist())]
        single = {
            **self._dated, **self._facts(), "state": self.states,
            "folder": self._codes[Names.FOLDER].of_all(folders),
            "drive": self._codes[Names.DRIVE].of_all(self._files[at].drive for at in self._firsts.tolist()),
            "size": np.add.reduceat(self._column("size"), self._starts),
            "changed": np.maximum.reduceat(self._column("mtime_ns"), self._starts),
            "copies": np.minimum(np.minimum.reduceat(self._column("copies"), self._starts), 255),
            "proved": self._proved(),
        }  # fmt: skip
        order = self._order(single["moment"], single["folder"])
        rows = order.tolist()
        count = len(rows)
        words = self._keywords()
        keyword_starts = np.zeros(count + 1, np.int64)
        np.cumsum([len(words[row]) for row in rows], out=keyword_starts[1:])
        names = [[os.fsencode(self._files[at].path.rpartition("/")[2]) for at in self._members(row)] for row in rows]
        name_starts, name_bytes = ragged((one[0] for one in names), count)
        beside_starts, beside_bytes = ragged((b"".join(name + b"\0" for name in one[1:]) for one in names), count)
        return Columns(
            **{name: values[order].astype(COLUMNS[name].dtype) for name, values in single.items()},
            keyword_starts=keyword_starts,
            keywords=np.fromiter((code for row in rows for code in words[row]), np.int32),
            name_starts=name_starts, name_bytes=name_bytes, beside_starts=beside_starts, beside_bytes=beside_bytes,
            names={
                Names.FOLDER_MARK: self._of_folders(folder_marks), Names.MEANING: self._meanings,
                **{one: codes.names for one, codes in self._codes.items() if one not in _BESIDE_OTHERS},
            },
        )  # fmt: skip

    def _order(self, moment: Ints, folder: Ints) -> Ints:
        """By moment, then by folder and path; what has no moment comes last."""
        shot = np.where(moment == NEVER, np.iinfo(np.int64).max, moment)
        paths = self._codes[Names.FOLDER].names
        rank = np.empty(len(paths), np.int64)
        rank[sorted(range(len(paths)), key=paths.__getitem__)] = np.arange(len(paths))
        return np.lexsort((np.arange(len(moment)), rank[folder], shot))

    def _members(self, capture: int) -> range:
        start = int(self._starts[capture])
        return range(start, start + len(self._captures[capture]))

    def _column(self, name: str) -> Ints:
        return np.array(self._of[name], np.int64)

    def _first(self, known: NDArray[np.bool_]) -> Ints:
        """Of each capture its first file of which something is known; -1 where there is none."""
        count = len(self._files)
        found = np.minimum.reduceat(np.where(known, np.arange(count), count), self._starts)
        return np.where(found < count, found, -1)

    def _said(self, values: Ints) -> Ints:
        """Of each capture the first value of its files that is not 0."""
        first = self._first(values != 0)
        return np.where(first >= 0, values[first], 0)

    # ---- when

    def _dates(self) -> dict[str, Ints]:
        moments, taken = self._of["moment"], self._of["taken"]
        by_moment = self._first(np.array([bool(one) for one in moments]))
        teller = np.where(by_moment >= 0, by_moment, self._first(np.array([bool(one) for one in taken])))
        is_filed = by_moment >= 0
        tellers = [self._files[at] if at >= 0 else None for at in teller.tolist()]
        texts = [(one.moment or one.taken) if one else "" for one in tellers]
        stamps = stamps_of(texts)
        dated = stamps != NEVER
        lengths = map(len, texts)
        precision = np.array([_PRECISIONS.get(one, Precision.SUBSECOND) for one in lengths], np.int64) * dated
        trusts = [TRUSTS.index(one.trust) if one and one.trust in TRUSTS else 1 for one in tellers]
        offsets = [
            one.offset if one and one.offset is not None and one.taken == text else NO_OFFSET
            for one, text in zip(tellers, texts, strict=True)
        ]
        return {
            "moment": stamps, "precision": precision,
            "trust": np.where(dated, np.where(is_filed, TRUSTS.index("sure"), np.array(trusts)), 0),
            "offset": np.where(dated, np.array(offsets, np.int64), NO_OFFSET), "day": days_of(stamps, dated),
            "filed": self._filed(stamps, precision, [one.day if one else "" for one in tellers]),
        }  # fmt: skip

    def _filed(self, stamps: Ints, precision: Ints, days: Sequence[str]) -> Ints:
        """The day that each is filed under: as it was filed, else by when the house's days begin."""
        begins = int(self._begins.total_seconds() * 1_000_000)
        known = precision >= Precision.DAY
        moved = np.where(precision >= Precision.MINUTE, stamps - np.where(known, begins, 0), stamps)
        found = days_of(moved, known)
        numbers = {day: day_of_text(day) for day in set(days) if len(day) == 10}
        told = np.array([numbers.get(day, NO_DAY) for day in days], np.int64)
        return np.where(known & (told != NO_DAY), told, found)

    # ---- what

    def _facts(self) -> dict[str, NDArray[Any]]:
        of, firsts = self._of, self._firsts
        formats = np.minimum(self._codes[Names.FORMAT].of_all(of["format"]), _MOST_FORMATS - 1)
        kinds = np.array([KINDS.index(one or "other") for one in of["kind"]], np.int64)
        called = [self._called(key, model) for key, model in zip(of["device"], of["model"], strict=True)]
        latitude, longitude = (np.array(of[name], float) for name in ("latitude", "longitude"))
        place = self._first(~np.isnan(latitude) & ~np.isnan(longitude))
        north, east = (np.where(place >= 0, values[place], np.nan) for values in (latitude, longitude))
        own_kind = np.repeat(kinds[firsts], np.diff([*self._starts.tolist(), len(kinds)]))
        is_track = np.array(["_tr" in path for path in of["path"]])
        lengths = np.where((kinds == own_kind) & ~is_track, self._column("milliseconds"), 0)
        named = (
            (Names.PERSON, of["operator"]), (Names.LENS, of["lens"]), (Names.SHOOT, of["shoot"]),
            (Names.SAID, of["said"]), (Names.DEVICE, called),
        )  # fmt: skip
        return {
            "kind": kinds[firsts], "format": formats[firsts],
            "formats": np.bitwise_or.reduceat(np.uint64(1) << formats.astype(np.uint64), self._starts),
            "rating": self._said_beside(self._column("rating") != 0, self._column("rating")), "mark": self._marks(),
            "likely": self._guesses(),
            "pixels": np.minimum(self._column("pixels")[firsts], np.iinfo(np.int32).max),
            "length": np.add.reduceat(lengths, self._starts),
            "latitude": north, "longitude": east, "place": self._places(north, east),
            **{names.value: self._said(self._codes[names].of_all(values)) for names, values in named},
        }  # fmt: skip

    def _guesses(self) -> Ints:
        """The codes of what captures likely are by their primaries, if no photographs."""
        return self._codes[Names.LIKELY].of_all(
            guess(one.kind, one.format, one.path.rpartition("/")[2], one.model, one.lens, _size(one))
            for one in map(self._files.__getitem__, self._firsts.tolist())
        )

    def _said_beside(self, said: NDArray[np.bool_], values: Ints) -> Ints:
        """Of each capture what is said of it: by a sidecar first, which was written later than the file, else by it."""
        beside = self._first(said & np.array([kind == Kind.SIDECAR for kind in self._of["kind"]]))
        at = np.where(beside >= 0, beside, self._first(said))
        return np.where(at >= 0, values[at], 0)

    def _marks(self) -> Ints:
        """The codes of marks. One of the house is called by its letter, whichever way its label says it."""
        labels = self._of["label"]
        letters = {label: self._letter(label) for label in set(labels)}
        codes = self._codes[Names.MARK].of_all(letters[label] for label in labels)
        meanings = {mark.letter: mark.meaning for mark in self._house_marks}
        self._meanings = tuple(meanings.get(name, "") for name in self._codes[Names.MARK].names)
        return self._said_beside(np.array([label != "" for label in labels]), codes)

    def _letter(self, label: str) -> str:
        mark = mark_said(self._house_marks, label) if label.strip() else None
        return mark.letter if mark is not None else label.strip()

    def _of_folders(self, marks: Mapping[str, str]) -> tuple[str, ...]:
        """The marks of folders by their codes, also of such that hold no capture themselves."""
        self._codes[Names.FOLDER].of_all(sorted(marks))
        return tuple(self._letter(marks.get(name, "")) for name in self._codes[Names.FOLDER].names)

    def _places(self, latitudes: NDArray[np.float64], longitudes: NDArray[np.float64]) -> Ints:
        """Where captures were: as said of their shoot or intake, or as written in them, else by their positions."""
        said = {text: words_and_place(text)[1] for text in set(self._of["shoot"])}
        of_intake = {text: place_of_text(text) for text in set(self._of["intake"])}
        codes = self._codes[Names.PLACE]
        told = self._said(codes.of_all(
            said[shoot] or of_intake[intake] or written
            for shoot, intake, written in zip(self._of["shoot"], self._of["intake"], self._of["place"], strict=True)
        ))  # fmt: skip
        by_position = codes.of_all(self._whereabouts.names(latitudes, longitudes))
        return np.where(told != 0, told, by_position)

    def _proved(self) -> Ints:
        """The days of the oldest proofs that stand; of what has files without one, none."""
        numbers = {text: day_of_text(text[:10]) for text in set(self._of["proved"])}
        days = [
            numbers[at] if found == Found.PROVEN else NO_DAY
            for at, found in zip(self._of["proved"], self._of["found"], strict=True)
        ]
        return np.minimum.reduceat(np.array(days, np.int64), self._starts)

    def _called(self, key: str, model: str) -> str:
        """What a device is called: as the house has it, with its letter, else as its files say."""
        device = self._devices.get(key)
        if device is None:
            return model
        return f"{device.letter} {device.name}" if device.letter else device.name

    def _keywords(self) -> list[tuple[int, ...]]:
        """Of each capture the codes of its keywords, each once; what stands beside it is how they are spelt, and says
        which of its files' do not count any more."""
        codes, read = self._codes[Names.KEYWORD], dict[str, dict[str, int]]()
        off: dict[str, frozenset[str]] = {}
        for text in set(self._of["keywords"]):
            words = words_of_text(text)
            read[text] = {one.casefold(): codes.of(one) for one in words if not one.startswith(TAKEN_OFF)}
            off[text] = frozenset(one[1:].casefold() for one in words if one.startswith(TAKEN_OFF))
        alone = {text: tuple(words.values()) for text, words in read.items()}
        kinds, texts = self._of["kind"], self._of["keywords"]
        found: list[tuple[int, ...]] = []
        for members in map(self._members, range(len(self._captures))):
            if len(members) == 1:
                found.append(alone[texts[members[0]]])
                continue
            beside = [texts[at] for at in members if kinds[at] == Kind.SIDECAR]
            own: dict[str, int] = {}
            for text in beside:
                own |= read[text]
            without = frozenset[str]().union(*(off[text] for text in beside))
            for at in members:
                if kinds[at] != Kind.SIDECAR:
                    for word, code in read[texts[at]].items():
                        if word not in without:
                            own.setdefault(word, code)
            found.append(tuple(own.values()))
        return found

    def _states(self) -> Ints:
        of, starts = self._of, self._starts
        found = np.array([bit_of(_FOUND[one]) if one in _FOUND else 0 for one in of["found"]], np.int64)
        proven = bit_of(State.PROVEN)
        states = np.bitwise_or.reduceat(found & ~proven, starts) | np.bitwise_and.reduceat(found & proven, starts)
        states = states | np.bitwise_or.reduceat(self._column("moved") * bit_of(State.MOVED), starts)
        contents = [tuple(_contents(one)) for one in self._files]
        alike = Counter(key for keys in contents for key in keys)
        firsts = self._firsts.tolist()
        twice = [any(alike[key] > 1 for key in contents[at]) for at in firsts]
        unfiled = [self._files[at].path.startswith(f"{UNFILED_FOLDER}/") for at in firsts]
        doubtful = self._dated["trust"] == TRUSTS.index("doubtful")
        stored = [bool(self._files[at].drive) for at in firsts]
        for state, holds in (
            (State.DOUBLED, twice),
            (State.UNFILED, unfiled),
            (State.DOUBTFUL, doubtful),
            (State.STORED, stored),
        ):
            states = np.where(np.array(holds), states | bit_of(state), states)

        return np.asarray(states, np.int64)


def _size(known: KnownFile) -> tuple[int, int]:
    """Width and height in pixels."""
    return (known.width, known.pixels // known.width) if known.width > 0 else (0, 0)


def _contents(known: KnownFile) -> Iterable[tuple[int, bytes]]:
    """What tells that a file is the same as another one: its bytes, and its picture or sound without metadata."""
    if known.kind in _BESIDE:
        return
    if known.quick:
        yield known.size, known.quick
    if known.payload and known.print:
        yield -known.payload, known.print
