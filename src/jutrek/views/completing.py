"""What may come next in a sentence: its words, and what devices, keywords and folders are called."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from jutrek.views.conditions import Sort
from jutrek.views.sentence import understand
from jutrek.views.tokens import quoted

_LAST_WORD = re.compile(r"[^\s\"“”]*$")
MOST = 60


class Completion(NamedTuple):
    """What may stand in a sentence from a character on."""

    start: int
    text: str


def completions(text: str, names: Mapping[Sort, Sequence[str]]) -> list[Completion]:
    """What the last word of a text may become, or what may follow it.

    Args:
        text: up to where somebody types.
        names: what there is of each sort, those wanted most first.
    """
    found = dict.fromkeys(_found(text, names))
    return list(found)[:MOST]


def _found(text: str, names: Mapping[Sort, Sequence[str]]) -> Iterator[Completion]:
    last = _LAST_WORD.search(text)
    start = last.start() if last else len(text)
    before, part = text[:start], text[start:].casefold()
    read = understand(before)
    if read.begun is not None:
        # A name that goes on: “by Arlen M” may become “by Arlen M2”.
        begun, sort = read.begun[0].strip(), read.begun[1]
        whole = f"{begun} {part}".strip().casefold()
        at = before.rstrip().rfind(begun)
        opening = before[:at].endswith(('"', "“"))
        for name in names.get(sort, ()):
            if name.casefold().startswith(whole) and name.casefold() != whole:
                yield Completion(at - opening, quoted(name))
        if opening:
            # Within quotation marks nothing but the name goes on.
            return
    for wanted in read.wanted:
        if isinstance(wanted, Sort):
            for name in names.get(wanted, ()):
                if name and name.casefold().startswith(part):
                    yield Completion(start, quoted(name))
    for wanted in read.wanted:
        if not isinstance(wanted, Sort) and wanted.casefold().startswith(part) and wanted.casefold() != part:
            yield Completion(start, wanted)
