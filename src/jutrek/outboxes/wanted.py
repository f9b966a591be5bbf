"""What an outbox is to hold: of each capture of its view what it is copied from, what the copy is called, and says."""

from __future__ import annotations

import math
import os
import threading
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.disk import FileStamp
from jutrek.errors import FileTrouble, Stopped
from jutrek.filing.names import legal, shortened, stem_of
from jutrek.filing.pattern import NAME, parse
from jutrek.filing.writing import Columns as Written
from jutrek.filing.writing import stems_from, write
from jutrek.formats import Kind, Precision
from jutrek.library.fingerprint import quick
from jutrek.outboxes.asked import Asked, Tells
from jutrek.outboxes.record import Of
from jutrek.outboxes.telling import Words
from jutrek.views.columns import KINDS, NO_OFFSET, Columns, bit_of
from jutrek.views.conditions import State
from jutrek.views.facts import facts_at

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.filing.pieces import Setting
    from jutrek.library import HomeFile
    from jutrek.library.ledger import Ledger
    from jutrek.library.stored import Lying

_ROOM = 200
"""Bytes of a copy's name without its ending."""
_GONE, _ASIDE = bit_of(State.GONE), bit_of(State.ASIDE)


class Wanted(NamedTuple):
    """A copy that is wanted.

    Attributes:
        path: of its original, relative to the library.
        at: where that lies now, absolute; empty where it can't be read now.
        why: it can't; empty where it can.
        of: what it is made of; None where that is not known, as it can't be read.
        kind: of its original.
        beside: the absolute paths of the original's other files.
        stem: of its name.
        suffix: of its name, with the dot.
        how: it is made, as `Asked.made_as`.
        words: what it says; who owns it, where that is asked for, is read when it is made.
        said: all that it says, in short.
    """

    path: str
    at: str
    why: str
    of: Of | None
    kind: Kind
    beside: tuple[str, ...]
    stem: str
    suffix: str
    how: str
    words: Words
    said: str


def wanted_of(
    columns: Columns,
    rows: NDArray[np.int64],
    asked: Asked,
    setting: Setting,
    ledger: Ledger,
    lies: Lying,
    *,
    stop: threading.Event,
) -> list[Wanted]:
    """The copies that are wanted of captures, in their order. Of what is set aside, and of sounds, there are none.

    Files whose content is not known yet are looked at.

    Args:
        columns: of the library.
        rows: of the captures.
        asked: what copies are to be like.
        setting: what the house calls months and kinds.
        ledger: the library's, open.
        lies: where its files lie.
        stop: ends it when it is set.

    Raises:
        Stopped: when `stop` was set.
    """
    kept = [row for row in rows.tolist() if not columns.state[row] & _ASIDE and _copied(columns, row, asked)]
    paths, stems = columns.paths(kept), _stems(columns, kept, asked, setting)
    known = ledger.of_paths(paths)
    prints: list[tuple[str, FileStamp, bytes]] = []
    made = []
    try:
        for row, path, stem in zip(kept, paths, stems, strict=True):
            if stop.is_set():
                raise Stopped
            gone = bool(columns.state[row] & _GONE)
            at, why, of = _looked_at(path, gone=gone, known=known.get(path), lies=lies, prints=prints)
            kind = Kind(KINDS[columns.kind[row]])
            as_kind = asked.kind_of(kind)
            assert as_kind is not None
            words = words_of(columns, row, asked.tells)
            owned = f" {int(columns.changed[row])}" if Tells.OWNER in asked.tells else ""
            made.append(Wanted(
                path, at, why, of, kind, tuple(map(lies.at, columns.companions(row))), stem,
                ".jpg" if as_kind is Kind.STILL else ".mp4", asked.made_as(as_kind), words, f"{words.key}{owned}",
            ))  # fmt: skip
    finally:
        ledger.put_quick(prints)
    return made


def _copied(columns: Columns, row: int, asked: Asked) -> bool:
    return asked.kind_of(Kind(KINDS[columns.kind[row]])) is not None


def _stems(columns: Columns, rows: Sequence[int], asked: Asked, setting: Setting) -> list[str]:
    """What copies are called without their endings, as every file system takes it."""
    stems = [shortened(legal(stem_of(columns.name(row))), _ROOM) for row in rows]
    if not asked.names:
        return stems
    facts = [facts_at(columns, row) for row in rows]
    texts = stems_from(write(parse(asked.names, NAME), Written(facts, setting)).texts)
    return [shortened(text, _ROOM) or stem for text, stem in zip(texts, stems, strict=True)]


def _looked_at(
    path: str, *, gone: bool, known: HomeFile | None, lies: Lying, prints: list[tuple[str, FileStamp, bytes]]
) -> tuple[str, str, Of | None]:
    """Where an original lies, why it can't be read, and what it is now, or was last."""
    last = None
    if known is not None and known.quick is not None:
        last = Of(path, known.size, known.quick.hex(), known.mtime_ns)
    if gone:
        return "", "it is gone from home", last
    if lies.is_away(path):
        return "", "its archive drive is away", last
    at = lies.at(path)
    try:
        status = os.stat(at, follow_symlinks=False)
        if last is not None and (last.size, last.mtime_ns) == (status.st_size, status.st_mtime_ns):
            return at, "", last
        content = quick(at)
    except (OSError, FileTrouble):
        return "", "it can't be read now", last
    prints.append((path, FileStamp.seen(status), content))
    return at, "", Of(path, status.st_size, content.hex(), status.st_mtime_ns)


def words_of(columns: Columns, row: int, tells: frozenset[Tells]) -> Words:
    """What a copy of a capture says, but for who owns it."""
    words = Words()
    if Tells.DATES in tells and (when := columns.when(row)) is not None:
        offset = int(columns.offset[row])
        precision = Precision(int(columns.precision[row]) or Precision.YEAR)
        words = words._replace(taken=when, precision=precision, offset=None if offset == NO_OFFSET else offset)
    if Tells.KEYWORDS in tells:
        words = words._replace(keywords=columns.words(row))
    latitude, longitude = float(columns.latitude[row]), float(columns.longitude[row])
    if Tells.POSITIONS in tells and math.isfinite(latitude) and math.isfinite(longitude):
        words = words._replace(position=(round(latitude, 5), round(longitude, 5)))
    return words
