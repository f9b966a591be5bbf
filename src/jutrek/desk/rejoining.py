"""What was filed as one capture stays one, also where somebody moved or renamed some of its files, or rules part them.

It is known by what files were filed by: the same original name in the same folder of the card, the same moment and
device. That joins files of one stem that lie in different folders, and whatever was moved or renamed by hand.
"""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from jutrek.captures import Capture, turn
from jutrek.filing.facts import below
from jutrek.filing.names import same_name, stem_and_tail
from jutrek.formats import Kind
from jutrek.library import Filed

_BESIDE = frozenset({Kind.SIDECAR, Kind.OTHER})
_RECORDED = frozenset({Kind.CLIP, Kind.SOUND})
_Key = tuple[str, ...]


def rejoined(captures: Sequence[Capture], filed: Mapping[str, Filed], given: Mapping[str, str]) -> list[Capture]:
    """Captures of a library with those made one that were filed as one.

    Args:
        captures: as they are tied by where they lie.
        filed: by what files were filed, by path relative to the library.
        given: which paths files were given that somebody moved or renamed since.
    """
    if given:
        captures = [part for one in captures for part in _apart(one, filed, given)]
    piles: dict[_Key, list[int]] = defaultdict(list)
    for number, capture in enumerate(captures):
        for key in _keys(capture, filed, given):
            piles[key].append(number)
    first = list(range(len(captures)))
    for pile in piles.values():
        if len(set(pile)) > 1 and _fit_together([captures[number] for number in dict.fromkeys(pile)], given):
            root = min(_root(first, number) for number in pile)
            for number in pile:
                first[_root(first, number)] = root
    together: dict[int, list[Capture]] = defaultdict(list)
    for number, capture in enumerate(captures):
        together[_root(first, number)].append(capture)
    return [pile[0] if len(pile) == 1 else _as_one(pile, given) for pile in together.values()]


def _apart(capture: Capture, filed: Mapping[str, Filed], given: Mapping[str, str]) -> Iterator[Capture]:
    """A capture without what was filed as another one, and only came to lie under its name by hand; and that."""
    paths = [below(read.file.path, capture.root) for read in capture.files]
    keys = [_original(filed.get(path)) for path in paths]
    by_hand = {number for number, path in enumerate(paths) if path in given and keys[number] is not None}
    if len(paths) == 1 or not by_hand or len({key for key in keys if key is not None}) < 2:
        yield capture
        return
    own = next((key for number, key in enumerate(keys) if key is not None and number not in by_hand), None)
    own = own or next(key for key in keys if key is not None)
    piles: dict[_Key, list[int]] = defaultdict(list)
    for number, key in enumerate(keys):
        piles[key if number in by_hand and key is not None else own].append(number)
    for numbers in piles.values():
        files = tuple(capture.files[number] for number in numbers)
        tails = tuple(capture.tails[number] for number in numbers) if capture.tails else ()
        moment = capture.moment if capture.dated_by in numbers else files[0].moment
        yield replace(capture, files=files, tails=tails, tied=(), dated_by=0, moment=moment)


def _original(record: Filed | None) -> _Key | None:
    """What all files of one press that came from one folder have in common; None where it is not known."""
    if record is None or not record.moment or not record.original:
        return None
    return "original", _common(record.original), record.moment, record.device


def _root(first: Sequence[int], number: int) -> int:
    while first[number] != number:
        number = first[number]
    return number


def _keys(capture: Capture, filed: Mapping[str, Filed], given: Mapping[str, str]) -> Iterator[_Key]:
    """What a capture has in common with others that were filed as one with it."""
    for read in capture.files:
        path = below(read.file.path, capture.root)
        record = filed.get(path)
        if record is None or not record.moment:
            continue
        if (key := _original(record)) is not None:
            yield key
        name = given.get(path, path)
        if given and (read.reading.kind in _RECORDED or stem_and_tail(os.path.basename(name))[1]):
            # Parts of a recording, tracks and proxies bore other names on their card.
            yield "given", _common(name), record.moment, record.device


def _common(path: str) -> str:
    """The folder of a path, and the stem that all files of its capture have in common."""
    folder, name = os.path.split(path)
    return same_name(os.path.join(folder, stem_and_tail(name)[0]))


def _fit_together(pile: Sequence[Capture], given: Mapping[str, str]) -> bool:
    """Whether captures of one key can be one: of one stem in different folders, or moved by hand.

    Two files of one kind of extension are no companions: then they are different captures.
    """
    files = [(read, below(read.file.path, capture.root)) for capture in pile for read in capture.files]
    ends = [_end(given.get(path, path)) for _, path in files]
    if len(set(ends)) < len(ends):
        return False
    stems = {same_name(stem_and_tail(os.path.basename(path))[0]) for _, path in files}
    return len(stems) == 1 or any(path in given for _, path in files)


def _end(path: str) -> str:
    """What a name carries behind its common stem."""
    name = os.path.basename(path)
    return name[len(stem_and_tail(name)[0]) :].casefold()


def _as_one(pile: Sequence[Capture], given: Mapping[str, str]) -> Capture:
    """One capture of some: parts in their order, a raw before what was developed of it, sidecars last."""
    pile = sorted(
        pile, key=lambda one: (one.kind in (Kind.SIDECAR, Kind.OTHER), _tail(one, 0, given), turn(one.primary))
    )
    files = tuple(read for one in pile for read in one.files)
    tails = tuple(_tail(one, number, given) for one in pile for number in range(len(one.files)))
    return replace(pile[0], files=files, tails=tails if any(tails) else (), tied=())


def _tail(capture: Capture, number: int, given: Mapping[str, str]) -> str:
    if capture.tails:
        return capture.tails[number]
    path = below(capture.files[number].file.path, capture.root)
    return stem_and_tail(os.path.basename(given.get(path, path)))[1]
