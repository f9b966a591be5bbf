"""What lies in a library, as captures with all that is known of them: for re-filing, and to try rules on.

Dates, devices, shoots and original names are those that files were filed by, as the ledger keeps them; of what Jutrek
did not file, what the files say.
"""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import TYPE_CHECKING

from jutrek.captures import (
    RUNGS,
    Capture,
    Device,
    Moment,
    ReadFile,
    Said,
    Trust,
    decided,
    filing_day,
    order,
    stacked,
    tied,
)
from jutrek.desk.rejoining import rejoined
from jutrek.disk import TEMPORARY
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.filing import HouseRules
from jutrek.filing.facts import Facts, below, owner_of, words_and_place
from jutrek.filing.names import TAIL
from jutrek.filing.placing import placed
from jutrek.filing.refiling import Given
from jutrek.formats import Kind, Precision, read
from jutrek.library import Filed, Library, known_devices
from jutrek.library.spots import spots_of
from jutrek.sources import SourceFile, scan
from jutrek.whereabouts import Whereabouts

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


@dataclass(frozen=True, slots=True)
class LibraryCaptures:
    """The captures of a library, in the order of shooting.

    Attributes:
        facts: of every capture.
        known: ids of the captures that Jutrek filed.
        given: what is known of their names.
    """

    facts: tuple[Facts, ...] = ()
    known: frozenset[str] = frozenset()
    given: Given = Given()  # noqa: RUF009 (immutable)

    def years(self) -> list[int]:
        """The years that captures are filed under."""
        return sorted({one.day.year for one in self.facts if one.day is not None})


def read_library(
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    *,
    stop: threading.Event,
    report: Callable[[int, int], None],
) -> LibraryCaptures:
    """Read every file of a library. Nothing is changed.

    Args:
        report: told the number of files read, and of all files.

    Raises:
        Stopped: when `stop` was set.
    """
    files = list(_files(library, stop, report))
    ladder = [RUNGS[name] for name in rules.trust]
    moments = decided([Said(one.file.root, one.file.path, one.reading) for one in files], ladder=ladder)
    dated = (replace(one, moment=moment) for one, moment in zip(files, moments, strict=True))
    filed, devices = ledger.all_filed(), known_devices(library)
    given = Given(ledger.numbers(), ledger.given())
    whole = rejoined(list(_whole(tied(dated, alone=True))), filed, given.paths)
    captures = [_as_filed(one, filed) for one in whole if one.kind is not Kind.OTHER]
    ordered = stacked(sorted(captures, key=order))
    records = {one.id: _record(one, filed) for one in ordered}
    places = placed(((_shoot_of(one, records[one.id]), one) for one in ordered), Whereabouts(spots_of(library)[0]))
    facts = tuple(_with_place(_facts(one, records[one.id], devices, rules), places.get(one.id, "")) for one in ordered)
    return LibraryCaptures(facts, frozenset(one for one, record in records.items() if record is not None), given)


def _shoot_of(capture: Capture, record: Filed | None) -> tuple[str, str]:
    """What a capture belongs to: its day and shoot, as it was filed; else its day by the clock."""
    if record is not None:
        return record.day, record.shoot
    return (capture.moment.local.date().isoformat() if capture.moment else capture.id), ""


def _with_place(facts: Facts, by_position: str) -> Facts:
    """Facts with what the position is called, where nobody said a place."""
    return facts._replace(place=by_position, by_position=True) if by_position and not facts.place else facts


def _files(library: Library, stop: threading.Event, report: Callable[[int, int], None]) -> Iterable[ReadFile]:
    found = [
        one
        for one in scan(library.root, leave_out=frozenset({library.own}))
        if isinstance(one, SourceFile) and _is_a_part(one, library)
    ]
    for number, file in enumerate(found):
        if stop.is_set():
            raise Stopped
        report(number, len(found))
        try:
            reading = read(file.path)
        except SourceUnreadable:
            continue
        yield ReadFile(file, reading, None)
    report(len(found), len(found))


def _is_a_part(file: SourceFile, library: Library) -> bool:
    parts = below(file.path, library.root).split(os.sep)
    return not parts[-1].startswith(TEMPORARY) and not any(part.startswith(".Trash") for part in parts)


def _record(capture: Capture, filed: Mapping[str, Filed]) -> Filed | None:
    found = (filed.get(below(read.file.path, capture.root)) for read in capture.files)
    return next((one for one in found if one is not None), None)


def _whole(captures: Sequence[Capture]) -> Iterable[Capture]:
    """Join what only its tail tells apart: the parts of a recording, its tracks, its proxy, their sidecars."""
    piles: dict[tuple[str, str], list[tuple[str, Capture]]] = defaultdict(list)
    for capture in captures:
        folder, name = os.path.split(capture.id)
        stem = os.path.splitext(name)[0]
        found = TAIL.search(stem)
        tail = found[1] if found else ""
        piles[folder, stem.removesuffix(tail).casefold()].append((tail, capture))
    for pile in piles.values():
        if len(pile) == 1 and (not pile[0][0] or pile[0][1].tails):
            yield pile[0][1]
        else:
            yield from _joined(pile)


_BESIDE = frozenset({Kind.SIDECAR, Kind.OTHER})


def _joined(pile: list[tuple[str, Capture]]) -> Iterable[Capture]:
    """One capture of what has one stem but for tails. Of several that have none, only the first can be its main one."""
    pile.sort(key=lambda one: (one[1].kind in _BESIDE, "_proxy" in one[0], len(one[0]), one[0]))
    together = [pile[0]]
    apart: list[tuple[str, Capture]] = []
    for tail, capture in pile[1:]:
        (together if tail or capture.kind in _BESIDE else apart).append((tail, capture))
    files = tuple(read for _, one in together for read in one.files)
    tails = tuple(own for tail, one in together for own in one.tails or (tail,) * len(one.files))
    yield replace(pile[0][1], files=files, tails=tails, tied=())
    yield from (capture for _, capture in apart)


_PRECISIONS = {4: Precision.YEAR, 7: Precision.MONTH, 10: Precision.DAY, 16: Precision.MINUTE, 19: Precision.SECOND}


def _as_filed(capture: Capture, filed: Mapping[str, Filed]) -> Capture:
    """A capture with the moment and the device that it was filed by."""
    record = _record(capture, filed)
    if record is None or not record.moment:
        return capture
    text = record.moment
    precision = _PRECISIONS.get(len(text), Precision.SUBSECOND)
    local = datetime.fromisoformat(text + "0001-01-01"[len(text) :] if len(text) < 10 else text)
    offset = capture.moment.offset if capture.moment and capture.moment.local == local else None
    moment = Moment(local, offset, precision, Trust.SURE, -1, "As it was filed.", shift=record.shift)
    return replace(capture, moment=moment, device=record.device or capture.device)


def _facts(capture: Capture, record: Filed | None, devices: Mapping[str, Device], rules: HouseRules) -> Facts:
    moment = capture.moment
    day: date | None = None
    if record is not None and record.day:
        day = date.fromisoformat(record.day)
    elif moment is not None and moment.precision >= Precision.DAY:
        day = filing_day(moment.local, moment.precision, rules.day_begins)
    own = below(capture.id, capture.root)
    if record is None:
        who = owner_of(capture) if rules.owners else ""
        return Facts(capture, day, device=devices.get(capture.device), operator=who, original=own)
    words, place = words_and_place(record.shoot)
    said = dict(record.said)
    wording = capture.primary.reading.wording
    place = place or said.get("place", "") or (wording.place if wording else "")
    device = devices.get(capture.device)
    who = record.operator or (owner_of(capture) if rules.owners else "")
    return Facts(capture, day, words, place, device, who, said, record.original or own)
