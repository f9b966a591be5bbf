"""An outline made from a folder that is there: its folders, and the files in it that are no captures."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.errors import SourceUnreadable
from jutrek.filing.names import legal, same_name
from jutrek.formats import MEDIA_SUFFIXES
from jutrek.jobs.blanks import CLIENT, JOB, TITLE
from jutrek.jobs.making import MARKER
from jutrek.jobs.outline import DEEPEST, MOST_LINES, escaped
from jutrek.jobs.versions import read_name

if TYPE_CHECKING:
    from jutrek.jobs.job import Job

LARGEST_STARTER = 64 * 1024 * 1024
"""Bytes of the largest file that becomes a starter."""
_MOST_STARTERS = 200
_INDENT = "    "
_YEAR = re.compile(r"(?:19|20)\d\d", re.ASCII)
_NUMBERED = re.compile(r"(\d{3,9})(?=[ _.-]|$)", re.ASCII)
USUAL_NAME = f"{{{JOB}}} {{{CLIENT}}} {{{TITLE}}}"
"""What an outline made from a folder calls its jobs until it is told otherwise."""


@dataclass(frozen=True, slots=True)
class Drawn:
    """An outline that was made from a folder.

    Attributes:
        text: of the outline.
        starters: where each starter is copied from, by the name that it gets beside the outline.
        left: how many files were left out, as captures, versions of others, hidden or large.
    """

    text: str
    starters: Mapping[str, str]
    left: int


def drawn_from(folder: str, above: Sequence[str], job: Job | None = None) -> Drawn:
    """The outline of a folder as it is, without its captures. Links are not followed.

    Args:
        folder: its absolute path.
        above: the folders of the library that it lies in.
        job: the one that it is of, whose number and words become blanks; None where it is of none.

    Raises:
        SourceUnreadable: when it can't be listed.
    """
    return _Drawing(folder, above, job).drawn()


class _Drawing:
    def __init__(self, folder: str, above: Sequence[str], job: Job | None) -> None:
        self._folder, self._above = folder, above
        self._values = _values(folder, job)
        self._starters: dict[str, str] = {}
        self._left = self._lines = 0
        self._lands = job.lands if job is not None else None

    def drawn(self) -> Drawn:
        top = [*("{year}" if _YEAR.fullmatch(one) else escaped(legal(one)) for one in self._above), USUAL_NAME]
        head = [f"# Made from the folder {legal(os.path.basename(self._folder))}.", "/".join(top)]
        return Drawn("\n".join([*head, *self._in("", 1)]) + "\n", self._starters, self._left)

    def _in(self, below: str, depth: int) -> Iterator[str]:
        try:
            with os.scandir(os.path.join(self._folder, below)) as found:
                entries = sorted(found, key=_in_order)
        except OSError as error:
            if below:
                return
            raise SourceUnreadable(self._folder, error) from error
        for entry in entries:
            name = entry.name
            if name.startswith(".") or self._lines >= MOST_LINES - 10:
                self._left += 1
                continue
            path = f"{below}/{name}" if below else name
            if entry.is_dir(follow_symlinks=False):
                lands = " : captures" if path == self._lands else ""
                self._lines += 1
                yield _INDENT * depth + self._with_blanks(legal(name)) + lands
                if depth < DEEPEST - 1:
                    yield from self._in(path, depth + 1)
            elif not entry.is_file(follow_symlinks=False) or not self._is_starter(entry):
                self._left += 1
            else:
                self._lines += 1
                yield f"{_INDENT * depth}{self._with_blanks(legal(name))} : from {self._kept(name, entry.path)}"

    def _is_starter(self, entry: os.DirEntry[str]) -> bool:
        name = entry.name
        if name == MARKER or os.path.splitext(name)[1].lower() in MEDIA_SUFFIXES or name.lower().endswith(".xmp"):
            return False
        if read_name(name) is not None or len(self._starters) >= _MOST_STARTERS:
            return False
        try:
            return entry.stat(follow_symlinks=False).st_size <= LARGEST_STARTER
        except OSError:
            return False

    def _kept(self, name: str, path: str) -> str:
        """The name that a starter gets beside the outline."""
        stem, dot, ending = legal(name.replace(" : ", " ")).rpartition(".")
        taken, number = {same_name(one) for one in (*self._starters, "outline.txt")}, 2
        wish = legal(name)
        while same_name(wish) in taken:
            wish, number = f"{stem or 'starter'}-{number}{dot}{ending}", number + 1
        self._starters[wish] = path
        return wish

    def _with_blanks(self, name: str) -> str:
        """A name with the number and the words of its job as blanks."""
        text = escaped(name)
        for value, piece in self._values:
            text = re.sub(rf"(?<![^\W_]){re.escape(escaped(value).lstrip('#'))}(?![^\W_])", piece, text)
        return text


def _values(folder: str, job: Job | None) -> list[tuple[str, str]]:
    """What of names becomes a blank, the longest first."""
    if job is not None and job.number:
        told = [(job.title, f"{{{TITLE}}}"), (job.client, f"{{{CLIENT}}}"), (job.number, f"{{{JOB}}}")]
        return [(value, piece) for value, piece in told if len(value) > 1]
    found = _NUMBERED.match(os.path.basename(folder))
    return [(found[1], f"{{{JOB}}}")] if found else []


def _in_order(entry: os.DirEntry[str]) -> tuple[object, ...]:
    """Folders first, and names in the order of people: 2 before 10."""
    parts = re.split(r"(\d+)", entry.name)
    return not entry.is_dir(follow_symlinks=False), *(int(one) if one.isdecimal() else one.casefold() for one in parts)
