"""Captures that follow on one another: the parts of one long recording, and the frames of a burst."""

from __future__ import annotations

import os
import re
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime, timedelta

from jutrek.captures.capture import Capture, counter_of
from jutrek.formats import Kind, Precision

_IN_PARTS = re.compile(r"^([A-Za-z]{2,4})(\d{2})(\d{4})$")
"""Names that count the part before the recording, such as `VX020034`: part 2 of recording 34."""
_SEAM = timedelta(seconds=1.6)
"""How far a part may begin from where the one before it ended: containers count whole seconds."""
_FULL = (2**30, 2**31, 2**32, 2_000_000_000, 4_000_000_000)
"""Bytes at which devices begin another file: what file systems and containers hold, less what is kept in reserve."""
_RESERVE, _MINUTE, _EQUAL = 0.06, 60.0, 0.15
_WITHIN = timedelta(seconds=1)
_RECORDINGS = frozenset({Kind.CLIP, Kind.SOUND})


def chaptered(captures: Iterable[Capture]) -> list[Capture]:
    """Join the parts of recordings that were cut by size or time: one capture, its files in order.

    Parts are of one device and folder, and are told by a common identifier, by names that count parts, or by one
    beginning where the other ended under the next counter, if that one was full: by its size, by whole minutes, or by
    a length that comes again.
    """
    kept: list[Capture] = []
    folders: dict[tuple[str, str, Kind], list[Capture]] = defaultdict(list)
    for capture in captures:
        if capture.kind in _RECORDINGS and capture.moment is not None:
            folders[capture.device, os.path.dirname(capture.id), capture.kind].append(capture)
        else:
            kept.append(capture)
    for together in folders.values():
        together.sort(key=_turn)
        chain = [together[0]]
        for capture in together[1:]:
            was_cut = len(chain) > 1 and _is_cut(chain[-2], chain[-1])
            if _goes_on(chain[-1], capture, was_cut=was_cut):
                chain.append(capture)
                continue
            kept.append(_joined(chain))
            chain = [capture]
        kept.append(_joined(chain))
    return kept


def _numbers(capture: Capture) -> tuple[int, int]:
    """Recording and part as the name counts them; the whole counter and 0 where it counts no parts."""
    stem = os.path.splitext(os.path.basename(capture.id))[0]
    found = _IN_PARTS.match(stem)
    return (int(found[3]), int(found[2])) if found else (counter_of(capture.id) or 0, 0)


def _turn(capture: Capture) -> tuple[int, int, str]:
    return *_numbers(capture), capture.id


def _tie(capture: Capture) -> str:
    return next((tie.value for tie in capture.primary.reading.ties if tie.kind == "chapter"), "")


def _goes_on(one: Capture, other: Capture, *, was_cut: bool) -> bool:
    if one.moment is None or other.moment is None:
        return False
    if _tie(one) or _tie(other):
        return _tie(one) == _tie(other)
    (recording, part), (next_recording, next_part) = _numbers(one), _numbers(other)
    start, length = one.moment.local, timedelta(seconds=one.duration)
    pause = other.moment.local - start - length
    if part and next_part:
        steps = next_part - part
        same = recording == next_recording and 1 <= steps <= 9
        return same and (other.moment.local == start or -_SEAM <= pause <= length * 1.5 * (steps - 1) + _SEAM)
    # Where a device dates a clip by its end, the ends lie as far apart as the second part is long.
    to_end = other.moment.local - timedelta(seconds=other.duration) - start
    follows = next_recording == recording + 1 and one.duration > 0 and (was_cut or _is_full(one) or _is_cut(one, other))
    return follows and (abs(pause) <= _SEAM or abs(to_end) <= _SEAM < length)


def _is_full(one: Capture) -> bool:
    """Whether a device would have begun another file there. A quick finger begins another recording anywhere."""
    size, duration = one.primary.file.size, one.primary.reading.duration
    by_time = duration >= _MINUTE - _EQUAL and abs(duration - round(duration / _MINUTE) * _MINUTE) <= _EQUAL
    return by_time or any(limit * (1 - _RESERVE) <= size <= limit for limit in _FULL)


def _is_cut(one: Capture, other: Capture) -> bool:
    """Whether two recordings are equally long to a fraction of a second, as no finger makes them."""
    return abs(one.primary.reading.duration - other.primary.reading.duration) <= _EQUAL


def _joined(chain: Sequence[Capture]) -> Capture:
    if len(chain) == 1:
        return chain[0]
    first = chain[0]
    numbers = [_numbers(capture)[1] for capture in chain]
    parts = numbers if all(numbers) else list(range(1, len(chain) + 1))
    tails = tuple(
        f"_p{part}{tail}"
        for part, capture in zip(parts, chain, strict=True)
        for tail in capture.tails or ("",) * len(capture.files)
    )
    tied: list[str] = []
    for part, capture in zip(parts, chain, strict=True):
        own = capture.tied or ("",) * len(capture.files)
        tied += [why or (f"part {part} of one recording" if part != parts[0] else "") for why in own]
    missing = sorted(set(range(1, parts[-1] + 1)) - set(parts))
    which = f"{'Part' if len(missing) == 1 else 'Parts'} {', '.join(map(str, missing))}"
    note = (f"{which} of this recording {'is' if len(missing) == 1 else 'are'} missing.",) if missing else ()
    return replace(
        first,
        files=tuple(read for capture in chain for read in capture.files),
        tails=tails,
        tied=tuple(tied),
        notes=(*(note for capture in chain for note in capture.notes), *note),
    )


def stacked(captures: Sequence[Capture]) -> list[Capture]:
    """Mark the frames of bursts: stills of one device within a second of one another, or with one identifier.

    Args:
        captures: in the order of shooting.
    """
    last: dict[str, tuple[Capture, datetime]] = {}
    stacks: dict[str, str] = {}
    for capture in captures:
        if capture.kind is not Kind.STILL or capture.moment is None or capture.moment.precision < Precision.SECOND:
            continue
        before = last.get(capture.device)
        if before is not None and _one_burst(before[0], before[1], capture, capture.moment.local):
            stacks[capture.id] = stacks.setdefault(before[0].id, before[0].id)
        last[capture.device] = capture, capture.moment.local
    return [replace(capture, stack=stacks[capture.id]) if capture.id in stacks else capture for capture in captures]


def _one_burst(one: Capture, at: datetime, other: Capture, then: datetime) -> bool:
    marks = [tie.value for capture in (one, other) for tie in capture.primary.reading.ties if tie.kind == "burst"]
    return then - at < _WITHIN or (len(marks) == 2 and marks[0] == marks[1])
