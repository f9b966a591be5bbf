"""What is said of captures, for whichever face asks: written beside them, renamed everywhere, and what many share."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from jutrek.desk.saying import ToBeSaid, own_words
from jutrek.desk.sidecars import AWAY, Described, Sidecars
from jutrek.disk import inside
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.library.spots import spots_of
from jutrek.transfer import Listener
from jutrek.transfer.into_files import packet_in
from jutrek.transfer.word_lists import ListChange
from jutrek.views.columns import Names
from jutrek.whereabouts import Whereabouts
from jutrek.wording.caption import Caption, move_keyword, with_caption
from jutrek.wording.completing import Completer
from jutrek.wording.keywords import Change
from jutrek.wording.listed import words_of
from jutrek.wording.own import Own
from jutrek.wording.packet import Packet
from jutrek.wording.places import PLACES, place_fields, place_words, says_place
from jutrek.wording.properties import Field
from jutrek.wording.spelling import Branch, key
from jutrek.wording.tree import WordTree

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.views.columns import Columns

_NEAR, _NEAR_WORDS = 2000, 12
"""So many neighbours are looked at for keywords, and so many of those are offered."""
_ALIKE = 64
"""So many ways are remembered in which captures speak: those of one card mostly say the same, or nothing."""
_READ_AT_MOST = 300
"""Of so many captures it is read what they say besides keywords: more of them nobody looks through."""


def caption_captures(
    columns: Columns,
    rows: Iterable[int],
    wanted: Caption,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    words: ListChange | None = None,
) -> Described:
    """Say something of captures. Hash lists and backups follow by `sidecars.follow`.

    Args:
        columns: of the library's captures.
        rows: which of them.
        wanted: what is said.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set.
        listener: hears how it goes on.
        words: what becomes of the house's list of keywords besides.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal can't be written.
        Stopped: when it was stopped before anything was written.
    """
    listener = listener or Listener()
    meant = ToBeSaid(columns, rows, library, ledger, stop, listener)

    @lru_cache(_ALIKE)
    def said(old: bytes, words: tuple[str, ...], fields: tuple[tuple[Field, str], ...]) -> bytes:
        return with_caption(old, wanted, Own(words, dict(fields)))

    return meant.say(
        lambda old, own, _: said(old, own.keywords, tuple(own.fields.items())), _act_of(wanted), words
    )  # fmt: skip


def _act_of(wanted: Caption) -> str:
    """What is said, in a few words, for the journal."""
    change = wanted.keywords
    parts = [f"keyword {branch[-1]}" for branch in change.add]
    parts += [f"no keyword {word}" for word in change.remove]
    parts += ["other keywords" if change.add else "no keywords"] if change.instead else []
    parts += [one.word if value else f"no {one.word}" for one, value in wanted.fields.items()]
    more = f" and {len(parts) - 3} more" if len(parts) > 3 else ""
    return f"said: {', '.join(parts[:3])}{more}"


def place_captures(
    columns: Columns,
    rows: Iterable[int],
    library: Library,
    ledger: Ledger,
    *,
    as_words: bool = False,
    stop: threading.Event,
    listener: Listener | None = None,
) -> Described:
    """Say where captures were by their positions; where something is said of that already it stays.

    Args:
        as_words: whether it becomes keywords, too.

    Other arguments and errors as of `caption_captures`.
    """
    listener, rows = listener or Listener(), list(rows)
    tree = words_of(library)
    where = Whereabouts(spots_of(library)[0]).locations(
        columns.latitude[rows].astype(float), columns.longitude[rows].astype(float)
    )
    located = {row: one for row, one in zip(rows, where, strict=True) if one.name}

    def how(old: bytes, own: Own, row: int) -> bytes:
        packet = Packet(old) if old else None
        said = says_place(own.fields) or (packet is not None and any(packet.text(one.value) for one in PLACES))
        fields = {} if said else place_fields(located[row])
        branches = place_words(located[row], tree) if as_words else []
        return with_caption(old, Caption(Change(tuple(branches)), fields), own)

    done = ToBeSaid(columns, located, library, ledger, stop, listener).say(how, "said: where they were")
    if not done.why and len(located) < len(rows):
        nowhere = "Of some no position is known, or it has no name."
        return replace(done, why="" if done.run else nowhere)
    return done


# ---- a keyword everywhere


def rows_with(columns: Columns, word: str) -> list[int]:
    """The captures that have a keyword, whichever way it is spelt."""
    codes = [code for code, name in enumerate(columns.names[Names.KEYWORD]) if key(name) == key(word)]
    rows = np.repeat(np.arange(columns.count), np.diff(columns.keyword_starts))
    found: list[int] = np.unique(rows[np.isin(columns.keywords, codes)]).tolist() if codes else []
    return found


def move_everywhere(
    columns: Columns,
    old: Branch,
    new: Branch,
    library: Library,
    ledger: Ledger,
    *,
    alone: bool,
    stop: threading.Event,
    listener: Listener | None = None,
    words: ListChange | None = None,
) -> Described:
    """Let a keyword be called otherwise, stand elsewhere, be another one or go, on all captures: one run.

    Args:
        old, new, alone: as of `Keywords.move`.
        words: what becomes of the house's list of keywords.

    Other arguments and errors as of `caption_captures`.
    """
    listener = listener or Listener()
    meant = ToBeSaid(columns, rows_with(columns, old[-1]), library, ledger, stop, listener)
    act = f"keyword {old[-1]} is {' > '.join(new)}" if new else f"keyword {old[-1]} goes"
    return meant.say(lambda was, own, _: move_keyword(was, old, new, own, alone=alone), act, words)


def used(columns: Columns) -> dict[str, int]:
    """How many captures at home have each keyword, those of most captures first; spelt as most of them do."""
    here = np.repeat(columns.state & AWAY == 0, np.diff(columns.keyword_starts))
    counts = np.bincount(columns.keywords[here], minlength=len(columns.names[Names.KEYWORD]))
    names, found = columns.names[Names.KEYWORD], dict[str, list[tuple[int, str]]]()
    for code in np.flatnonzero(counts).tolist():
        if names[code]:
            found.setdefault(key(names[code]), []).append((int(counts[code]), names[code]))
    summed = {max(ways)[1]: sum(count for count, _ in ways) for ways in found.values()}
    return dict(sorted(summed.items(), key=lambda one: (-one[1], key(one[0]))))


# ---- what many share


@dataclass(frozen=True, slots=True)
class Shared:
    """What captures say, together.

    Attributes:
        captures: how many they are.
        words: of each keyword how many have it.
        fields: of each field what they say, each value with how many say it; those that say nothing under the empty
            one. None where they are too many to be read.
    """

    captures: int = 0
    words: Mapping[str, int] = field(default_factory=dict)
    fields: Mapping[Field, Mapping[str, int]] | None = None

    @property
    def common(self) -> list[str]:
        """Keywords that all have."""
        return [word for word, count in self.words.items() if count == self.captures]

    @property
    def some(self) -> list[tuple[str, int]]:
        """Keywords that only some have, and how many."""
        return [(word, count) for word, count in self.words.items() if count < self.captures]


@dataclass(frozen=True, slots=True)
class Around:
    """What helps to caption captures.

    Attributes:
        tree: the house's keywords.
        completer: finds keywords by what is typed.
        near: keywords that others in their folders have and not all of them, those of most first.
    """

    tree: WordTree = field(default_factory=WordTree)
    completer: Completer | None = None
    near: Sequence[str] = ()


def around(columns: Columns, rows: Sequence[int], tree: WordTree) -> Around:
    """What helps to caption captures; `tree` holds the house's keywords."""
    meant = np.asarray(rows, np.int64)
    beside = np.isin(columns.folder, np.unique(columns.folder[meant]))
    beside[meant] = False
    near = Counter(word for row in np.flatnonzero(beside).tolist()[:_NEAR] for word in columns.words(row))
    return Around(tree, Completer(tree, used(columns)), [word for word, _ in near.most_common(_NEAR_WORDS)])


def shared(columns: Columns, rows: Sequence[int], library: Library, stop: threading.Event) -> Shared:
    """What captures have in common, and what only some have.

    Raises:
        Stopped: when `stop` was set.
    """
    counts: Counter[str] = Counter()
    spelt: dict[str, str] = {}
    for row in rows:
        for word in columns.words(row):
            spelt.setdefault(key(word), word)
            counts[key(word)] += 1
    words = {spelt[known]: count for known, count in counts.items()}
    if len(rows) > _READ_AT_MOST:
        return Shared(len(rows), words)
    fields: dict[Field, Counter[str]] = {one: Counter() for one in Field}
    sidecars = Sidecars(library, columns)
    for row in rows:
        if stop.is_set():
            raise Stopped
        for one, value in fields_of(columns, row, library, sidecars).items():
            fields[one][value] += 1
    return Shared(len(rows), words, fields)


def fields_of(columns: Columns, row: int, library: Library, sidecars: Sidecars) -> dict[Field, str]:
    """What a capture says in each field: beside it, else in it."""
    if columns.state[row] & AWAY:
        return dict.fromkeys(Field, "")
    own, packet = own_words(columns, [row], library), None
    try:
        if sidecars.has(row):
            packet = Packet(library.tree.read_own(inside(sidecars.of(row))))
        elif told := packet_in(library.tree.at(inside(columns.path(row)))):
            packet = Packet(told)
    except (OSError, ValueError, SourceUnreadable):
        packet = None
    return {
        one: packet.text(one.value) if packet is not None and packet.has(one.value) else own.fields.get(one, "")
        for one in Field
    }
