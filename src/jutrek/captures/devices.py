"""Devices: told by make, model and serial however they are spelt; one body or two; letters, colours and names."""

from __future__ import annotations

import re
import string
from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from itertools import pairwise

from jutrek.captures.capture import Capture, Device, counter_of
from jutrek.captures.zones import SOURCE
from jutrek.formats import DeviceFacts, Kind
from jutrek.sources import Medium, Source

_LONE_LETTER = re.compile(r"(?:^|[\s_\-])([A-Za-z])$")
_COMPANY = frozenset({
    "corporation", "corp", "company", "co", "ltd", "limited", "inc", "gmbh", "ag", "kk", "imaging", "electronics",
})  # fmt: skip
"""Words of a firm's name that its devices spell now and then."""
_WORD = re.compile(r"[^\W_]+")
_APART = "@"
"""Between a device's key and the source that sets it apart from a body of the same model."""
_SPLITS_LEAST = 3
_GOES_ON, _MOST_BODIES, _LEAST_OF_A_BODY, _TURNS = 60, 4, 5, 3
"""How far a counter goes on between two captures, and when rows of counters are taken for bodies."""


def device_key(facts: DeviceFacts | None, root: str) -> str:
    """A device's identity: make, model and serial as devices mean them, else the source's root.

    Case, spaces, signs and the words of a firm do not count, nor whether the model repeats the make.
    """
    if facts is None or not (facts.make or facts.model):
        return f"{SOURCE}{root}"
    return _key(facts.make, facts.model, facts.serial)


_KEYS: dict[tuple[str, str, str], str] = {}


def _key(make: str, model: str, serial: str) -> str:
    found = _KEYS.get((make, model, serial))
    if found is None:
        firm = [word for word in _WORD.findall(make.casefold()) if word not in _COMPANY]
        name = _WORD.findall(model.casefold())
        while firm and name and name[0] in (*firm, *_COMPANY) and len(name) > 1:
            name.pop(0)
        number = "".join(_WORD.findall(serial.casefold())).lstrip("0")
        found = "|".join((" ".join(firm), " ".join(name), number))
        if len(_KEYS) < 10_000:
            _KEYS[make, model, serial] = found
    return found


def told_apart(captures: Sequence[Capture], split: frozenset[str] = frozenset()) -> list[Capture]:
    """Tell which bodies the captures are of, where their files name only a model.

    A body that writes its serial into some files and not into others is one. Captures of one model without any serial
    that lie on several cards are of one body if their counters go on from card to card as time does, else of several.
    Those that lie together are of several bodies where counters far apart take turns, each going on by itself.

    Args:
        split: keys of devices that a person told to be another one on every source.
    """
    serials: dict[tuple[str, str], set[str]] = defaultdict(set)
    bare: dict[str, list[Capture]] = defaultdict(list)
    for capture in captures:
        model, _, serial = capture.device.rpartition("|")
        if serial:
            serials[model, capture.root].add(capture.device)
        elif model:
            bare[capture.device].append(capture)
    renamed: dict[tuple[str, str], str] = {}
    several: dict[str, str] = {}
    for key, own in bare.items():
        roots = {capture.root for capture in own}
        for root in roots:
            known = serials.get((key[:-1], root), set())
            if len(known) == 1:
                renamed[key, root] = next(iter(known))
        for root in roots - {root for device, root in renamed if device == key}:
            together = [one for one in own if one.root == root]
            for number, ids in enumerate(_interleaved(together), 1):
                several |= dict.fromkeys(ids, f"{key}{_APART}{root}#{number}")
        rest = sorted(roots - {root for _, root in renamed})
        if key not in split and len(rest) > 1 and _several_bodies([one for one in own if one.root in rest]):
            renamed |= {(key, root): f"{key}{_APART}{root}" for root in rest}
    out = []
    for capture in captures:
        key = several.get(capture.id) or renamed.get((capture.device, capture.root), capture.device)
        if key in split:
            key = f"{key}{_APART}{capture.root}"
        out.append(capture if key == capture.device else replace(capture, device=key))
    return out


def _several_bodies(captures: Sequence[Capture]) -> bool:
    """Whether captures of one model on several sources cannot be of one body that changed its card.

    Merged by time, the counter of one body never falls; that of two bodies jumps whenever the source changes.
    """
    shots: list[tuple[datetime, int, str]] = []
    for capture in captures:
        counter = counter_of(capture.id)
        if capture.moment is not None and capture.trusted and counter is not None:
            shots.append((capture.moment.local, counter, capture.root))
    shots.sort()
    switches = [(one, other) for one, other in pairwise(shots) if one[2] != other[2]]
    falls = sum(other[1] <= one[1] for one, other in switches)
    return len(switches) >= _SPLITS_LEAST and falls * 4 >= len(switches)


def _interleaved(captures: Sequence[Capture]) -> list[list[str]]:
    """Ids of captures of one model in one place, body by body; empty where they are of one.

    In the order of time each belongs to the row of counters that it goes on from. Where counters begin anew, a row ends
    and another one begins; only rows that take turns again and again are of bodies that were used side by side.
    """
    shots = sorted(
        (one.moment.local, counter, one.id)
        for one in captures
        if one.moment and one.trusted and (counter := counter_of(one.id)) is not None
    )
    rows: list[list[str]] = []
    first: list[int] = []
    last: list[int] = []
    turns, before = 0, -1
    for _, counter, id_ in shots:
        near = [(counter - ended, row) for row, ended in enumerate(last) if 0 <= counter - ended <= _GOES_ON]
        row = min(near)[1] if near else len(rows)
        if row == len(rows):
            if len(rows) == _MOST_BODIES:
                return []
            rows.append([])
            first.append(counter)
            last.append(counter)
        rows[row].append(id_)
        last[row] = counter
        turns += row != before
        before = row
    spans = sorted(zip(first, last, strict=True))
    apart = all(begin - end > _GOES_ON for (_, end), (begin, _) in pairwise(spans))
    fair = len(rows) > 1 and all(len(row) >= _LEAST_OF_A_BODY for row in rows)
    return rows if fair and apart and turns >= _TURNS * len(rows) else []


def main_device(captures: Iterable[Capture]) -> str | None:
    """The key of the device that made most of the captures, or None without captures."""
    counts = Counter(capture.device for capture in captures)
    return counts.most_common(1)[0][0] if counts else None


def assign(
    sources: Sequence[Source],
    captures: Mapping[str, Sequence[Capture]],
    known: Mapping[str, Device] | None = None,
) -> dict[str, Device]:
    """Give every device of an intake a letter and a colour.

    What the library knows of a device stays. Else a lone letter at the end of a card's name (`CARD_B`) is the letter
    that the person gave it, so it wins. A folder lends its initial. The rest take the first free letter.

    Args:
        sources: in the order of the board.
        captures: per source root.
        known: the library's devices, by key.

    Returns:
        Devices by key, main devices of the sources first.
    """
    known = known or {}
    wishes: dict[str, str] = {}
    for source in sources:
        key = main_device(captures.get(source.root, ()))
        if key is not None:
            wishes.setdefault(key, _wish(source))
    names = _names(sources, captures)
    keys = [*wishes, *(key for key in names if key not in wishes)]
    letters = _letters(keys, wishes, known)
    colours = {known[key].colour for key in keys if key in known}
    devices: dict[str, Device] = {}
    for key in keys:
        if key in known:
            devices[key] = replace(known[key], letter=letters[key])
            continue
        colour = next(number for number in range(len(keys) + len(colours) + 1) if number not in colours)
        colours.add(colour)
        devices[key] = Device(key, names[key], letters[key], colour)
    return devices


def _letters(keys: Sequence[str], wishes: Mapping[str, str], known: Mapping[str, Device]) -> dict[str, str]:
    """A letter for each device, none twice: the one it had, the one it is wished, or a free one."""
    letters: dict[str, str] = {}
    taken: set[str] = set()
    for had in ({key: one.letter for key, one in known.items()}, wishes):
        for key in keys:
            letter = had.get(key, "")
            if key not in letters and letter and letter not in taken:
                letters[key] = letter
                taken.add(letter)
    # A letter of a device that is not here today is not given away as long as there are others.
    kept = {device.letter for device in known.values()}
    for key in keys:
        if key not in letters:
            letters[key] = _free(taken | kept)
            taken.add(letters[key])
    return letters


def _wish(source: Source) -> str:
    lone = _LONE_LETTER.search(source.name)
    if lone:
        return lone[1].upper()
    initial = source.name[:1].upper()
    return initial if source.medium is Medium.FOLDER and initial in string.ascii_uppercase else ""


def _free(taken: set[str]) -> str:
    for letter in string.ascii_uppercase:
        if letter not in taken:
            return letter
    return next(f"A{number}" for number in range(2, 10_000) if f"A{number}" not in taken)


_ROLES = {Kind.STILL: "camera", Kind.CLIP: "video camera", Kind.SOUND: "recorder"}


def _names(sources: Sequence[Source], captures: Mapping[str, Sequence[Capture]]) -> dict[str, str]:
    names: dict[str, str] = {}
    for source in sources:
        for capture in captures.get(source.root, ()):
            if capture.device in names:
                continue
            facts = next((read.reading.device for read in capture.files if read.reading.device), None)
            words = f"{facts.make} {facts.model}".strip() if facts else ""
            if facts and facts.model.casefold().startswith(facts.make.casefold()):
                words = facts.model
            names[capture.device] = words or f"Unknown {_ROLES.get(capture.kind, 'device')}"
    return names


class Counters:
    """Captures of one device by the counters in their names: what lies before and behind one without a date."""

    def __init__(self, captures: Iterable[Capture]) -> None:
        """Take the captures whose date is trusted."""
        self._by_folder: dict[tuple[str, str], list[tuple[int, Capture]]] = defaultdict(list)
        for capture in captures:
            counter = counter_of(capture.id)
            if capture.trusted and counter is not None:
                self._by_folder[capture.device, _head(capture)].append((counter, capture))
        for own in self._by_folder.values():
            own.sort(key=lambda one: one[0])

    def around(self, first: Capture, last: Capture) -> tuple[Capture | None, Capture | None]:
        """The dated captures nearest before the first and behind the last by counter, under names of one kind."""
        low, high = counter_of(first.id), counter_of(last.id)
        own = self._by_folder.get((first.device, _head(first)), [])
        if low is None or high is None or not own:
            return None, None
        counters = [counter for counter, _ in own]
        before, behind = bisect_left(counters, low) - 1, bisect_left(counters, high + 1)
        return (own[before][1] if before >= 0 else None), (own[behind][1] if behind < len(own) else None)


def _head(capture: Capture) -> str:
    """What stands before the counter of a name."""
    name = capture.id.rpartition("/")[2]
    stem = name.rpartition(".")[0] or name
    return stem.rstrip(string.digits).casefold()
