"""The chain through the lines of a library's journals, so that a torn or edited record is noticed.

Every line ends in a member `chain`: the first 32 hexadecimal digits of the SHA-256 over the chain of the line before,
and the line's own text without that member. The first line of a journal is chained to the last line of the journal
before it, which it names in `after`; the very first one to `START`. A line that a power loss tore is followed by an
entry `torn`, written by the start that found it, and is left out of the chain.
"""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, BinaryIO

from jutrek.disk import Inside, Tree

START = "0" * 32
_MEMBER = b', "chain": "'
_END = b'"}'
_LONG = len(_MEMBER) + len(START) + len(_END)


def link(previous: str, text: bytes) -> str:
    """The chain of a line: its text without the member, behind the chain of the line before."""
    return hashlib.sha256(previous.encode() + text).hexdigest()[: len(START)]


def chained(entry: Mapping[str, Any], previous: str) -> tuple[bytes, str]:
    """A whole line for an entry, and its chain."""
    text = json.dumps(entry).encode()
    chain = link(previous, text)
    return text[:-1] + _MEMBER + chain.encode() + _END + b"\n", chain


def chain_of(line: bytes) -> str | None:
    """The chain that a line bears; None where it is torn or bears none."""
    end = line[-len(_END) - len(START) - 1 :]
    if not line.endswith(_END + b"\n") or line[-_LONG - 1 : -len(end)] != _MEMBER:
        return None
    return end[: len(START)].decode("ascii", "replace")


@dataclass(frozen=True, slots=True)
class Break:
    """Where a record is not what was written.

    Attributes:
        line: its number in its journal, from 1; 0 for the journal as a whole.
        what: one sentence.
    """

    line: int
    what: str


LONGEST = 1024 * 1024
"""Bytes of the longest line that is read whole."""


def lines_of(file: BinaryIO) -> Iterator[bytes]:
    """The lines of a journal, with their ends. Of one that is longer than any of ours only the beginning is kept."""
    while line := file.readline(LONGEST + 1):
        yield line
        while len(line) > LONGEST and not line.endswith(b"\n"):
            line = file.readline(LONGEST + 1)


def breaks(lines: Sequence[bytes], before: str | None) -> tuple[list[Break], str | None]:
    """Look for breaks in one journal.

    Args:
        lines: of the journal, with their ends.
        before: the chain of the last line of the journal before it; None where that is not known.

    Returns:
        What was found, and the chain of its last line; None for a journal of an older Jutrek, which has none.
    """
    if not lines or not any(chain_of(line) for line in lines):
        return [], None
    found: list[Break] = []
    after = _after(lines[0])
    if after is not None and before is not None and after != before:
        found.append(Break(0, "The record before it is missing, or its end was changed."))
    previous = after or START
    for number, line in enumerate(lines, 1):
        chain = chain_of(line)
        if chain is None:
            if number == len(lines):
                found.append(Break(number, "The last line is torn."))
            elif not _says_torn(lines[number], number):
                found.append(Break(number, "The line is not one that Jutrek wrote."))
            continue
        if link(previous, line[: -_LONG - 1] + b"}") != chain:
            found.append(Break(number, "The line was changed after it was written, or one before it is missing."))
        previous = chain
    return found, previous


def last_chain(tree: Tree, path: Inside) -> tuple[str | None, bool]:
    """The chain of the last whole line of a journal (None where it has none), and whether a torn line follows it."""
    with tree.open_own(path) as file:
        size = os.fstat(file.fileno()).st_size
        for tail in (8192, size):
            file.seek(max(0, size - tail))
            lines = list(lines_of(file))
            for number, line in enumerate(reversed(lines)):
                if (chain := chain_of(line)) is not None:
                    return chain, number > 0
    return None, bool(lines) and not lines[-1].endswith(b"\n")


def _entry(line: bytes) -> dict[str, Any]:
    """A line as far as the chain looks into it; empty where it is none."""
    try:
        entry = json.loads(line)
    except (ValueError, RecursionError):
        return {}
    return entry if isinstance(entry, dict) else {}


def _after(line: bytes) -> str | None:
    after = _entry(line).get("after")
    return after if isinstance(after, str) else None


def _says_torn(line: bytes, number: int) -> bool:
    entry = _entry(line)
    return entry.get("entry") == "torn" and entry.get("line") == number
