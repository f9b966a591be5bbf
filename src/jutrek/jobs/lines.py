"""Moving the lines of an outline while it is written: in and out, up and down, each with all that lies in it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

STEP = 4
"""Spaces by which a line is moved in."""


class Lines(NamedTuple):
    """Lines of an outline, and which of them are chosen: the first, and the one behind the last, from 0."""

    lines: tuple[str, ...]
    first: int
    behind: int


def depth_of(line: str) -> int:
    """By how many spaces a line is moved in, a tab as far as it reaches."""
    return len(line[: len(line) - len(line.lstrip())].expandtabs(STEP))


def block_of(lines: Sequence[str], at: int) -> tuple[int, int]:
    """A line with all that lies in it: where it begins, and the line behind it."""
    end, depth = at + 1, depth_of(lines[at])
    if not lines[at].strip():
        return at, end
    while end < len(lines) and lines[end].strip() and depth_of(lines[end]) > depth:
        end += 1
    return at, end


def moved_in(lines: Sequence[str], first: int, behind: int) -> Lines:
    """Lines moved in by one step, with what lies in the last of them; no deeper than one below the line above."""
    behind = max(behind, block_of(lines, behind - 1)[1])
    above = next((depth_of(line) for line in reversed(lines[:first]) if line.strip()), None)
    if above is None or depth_of(lines[first]) > above:
        return Lines(tuple(lines), first, behind)
    return Lines(
        tuple(_by(line, STEP) if first <= at < behind else line for at, line in enumerate(lines)), first, behind
    )


def moved_out(lines: Sequence[str], first: int, behind: int) -> Lines:
    """Lines moved out by one step, with what lies in the last of them."""
    behind = max(behind, block_of(lines, behind - 1)[1])
    return Lines(
        tuple(_by(line, -STEP) if first <= at < behind else line for at, line in enumerate(lines)), first, behind
    )


def moved_block(lines: Sequence[str], at: int, to: int) -> Lines:
    """A line with all that lies in it put before line `to`; it lies as deep there as the line that it comes before.

    Into itself it can't go, nor above or below all lines.
    """
    first, behind = block_of(lines, at)
    to = max(0, min(len(lines), to))
    if first <= to <= behind:
        return Lines(tuple(lines), first, behind)
    block = list(lines[first:behind])
    rest = [*lines[:first], *lines[behind:]]
    place = to if to < first else to - (behind - first)
    beside = next((line for line in rest[place:] if line.strip()), None) if place < len(rest) else None
    if beside is None:
        beside = next((line for line in reversed(rest[:place]) if line.strip()), "")
    by = depth_of(beside) - depth_of(block[0])
    block = [_by(line, by) for line in block]
    return Lines((*rest[:place], *block, *rest[place:]), place, place + len(block))


def moved_up(lines: Sequence[str], at: int) -> Lines:
    """A line with all that lies in it put before what lies beside it above; the first of a folder stays."""
    first, behind = block_of(lines, at)
    depth = depth_of(lines[first])
    other = next(
        (one for one in range(first - 1, -1, -1) if lines[one].strip() and depth_of(lines[one]) <= depth), None
    )
    if other is None or depth_of(lines[other]) < depth:
        return Lines(tuple(lines), first, behind)
    made = (*lines[:other], *lines[first:behind], *lines[other:first], *lines[behind:])
    return Lines(made, other, other + behind - first)


def moved_down(lines: Sequence[str], at: int) -> Lines:
    """A line with all that lies in it put behind what lies beside it below; the last of a folder stays."""
    first, behind = block_of(lines, at)
    if behind >= len(lines) or not lines[behind].strip() or depth_of(lines[behind]) != depth_of(lines[first]):
        return Lines(tuple(lines), first, behind)
    end = block_of(lines, behind)[1]
    made = (*lines[:first], *lines[behind:end], *lines[first:behind], *lines[end:])
    return Lines(made, first + end - behind, end)


def with_line(lines: Sequence[str], at: int, text: str) -> Lines:
    """Lines with another one in the folder of a line; where that is a file, beside it."""
    at = max(0, min(at, len(lines) - 1))
    line = lines[at]
    is_file = " : from " in line or line.rstrip().endswith(": empty file")
    depth = depth_of(line) + (0 if is_file else STEP)
    behind = block_of(lines, at)[1]
    return Lines((*lines[:behind], " " * depth + text, *lines[behind:]), behind, behind + 1)


def _by(line: str, by: int) -> str:
    return " " * max(0, depth_of(line) + by) + line.lstrip() if line.strip() else line
