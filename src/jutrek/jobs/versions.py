"""Working files: which of them are versions of one, and what the next is called.

A version is told by a part of the name: `v` and digits, between `_`, `-`, `.`, spaces, or an end; of several the last.
Right before it or behind it may stand the initials of who worked on it: two to four letters, in capitals unless the
house knows them. All that is left of the name, with its extension, is what the versions have in common: the title, the
task, the program.

    winter-depot_RK_v06.otio      boiler test-grade-v03-LM.svg      sound mix v1.wav
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from typing import NamedTuple

from jutrek.filing.names import MAX_BYTES, legal, same_name, shortened

_PARTS = re.compile(r"([ _.-]+)")
_VERSION = re.compile(r"[vV](\d{1,5})")
_INITIALS = re.compile(r"[^\W\d_]{2,4}")
_SAYS_NOTHING = re.compile(
    r"(?:^(?:copy|kopie|copie)[ _-]+(?:of|von|de)[ _-]+)|"
    r"(?:[ _.-]+(?:really|very|final+e?|finished|latest|newest|new|copy|kopie|copie|"
    r"(?:final|new|copy|kopie|latest)[ _-]?\d{1,3})$)|(?:[ _-]*\(\d{1,3}\)$)",
    re.IGNORECASE,
)
"""Words that are to tell a version and do not: the next one is newer than the final one."""
USUAL_DIGITS = 2


@dataclass(frozen=True, slots=True)
class Named:
    """A name as it is read.

    Attributes:
        before: what stands before version and initials.
        join: what joins the parts of the name.
        initials: who worked on it; empty where nobody is told.
        first: whether the initials stand before the version.
        number: of the version.
        digits: how many it is written with.
        behind: what stands behind, but for the extension.
        suffix: the extension.
    """

    before: str
    join: str
    initials: str
    first: bool
    number: int
    digits: int
    behind: str
    suffix: str

    @property
    def key(self) -> tuple[str, str, str]:
        """What all versions of a file have in common."""
        return same_name(self.before), same_name(self.behind), same_name(self.suffix)

    @property
    def title(self) -> str:
        """What the file is called without its version."""
        return f"{self.before}{self.behind}" or self.suffix.lstrip(".")

    def of_number(self, number: int, initials: str = "") -> str:
        """The name of another version.

        Args:
            number: of that version.
            initials: who works on it; empty for those of this one.
        """
        who = initials or self.initials
        version = f"v{number:0{self.digits}}"
        parts = [who, version] if self.first or not self.initials else [version, who]
        told = self.join.join(part for part in parts if part)
        rest = f"{self.join if self.before else ''}{told}{self.behind}{self.suffix}"
        return f"{shortened(self.before, MAX_BYTES - len(rest.encode()))}{rest}"


def read_name(name: str, known: Collection[str] = ()) -> Named | None:
    """Read the name of a working file; None where it tells no version.

    Args:
        name: with its extension.
        known: initials that the house knows, also in small letters.
    """
    stem, suffix = _split(name)
    pieces = _PARTS.split(stem)
    words, joins = pieces[::2], pieces[1::2]
    at = max((number for number, word in enumerate(words) if _VERSION.fullmatch(word)), default=None)
    if at is None:
        return None
    digits = words[at][1:]
    who, first = _initials(words, at, frozenset(one.casefold() for one in known))
    begin = at - 1 if who is not None and first else at
    end = at + 1 if who is not None and not first else at
    before = "".join(part for number, part in enumerate(pieces) if number < 2 * begin - 1) if begin else ""
    behind = "".join(pieces[2 * end + 1 :])
    join = joins[begin - 1] if begin else joins[end] if end < len(joins) else "_"
    return Named(before, join, who or "", first, int(digits), len(digits), behind, suffix)


def _split(name: str) -> tuple[str, str]:
    """A name's stem and extension; a version behind the last dot is none."""
    stem, dot, ending = name.rpartition(".")
    if not stem or _VERSION.fullmatch(ending) or not ending or " " in ending or len(ending) > 12:
        return name, ""
    return stem, f"{dot}{ending}"


def _initials(words: list[str], at: int, known: frozenset[str]) -> tuple[str | None, bool]:
    """The initials beside a version, and whether they stand before it. The title itself is none."""
    for number, first in ((at - 1, True), (at + 1, False)):
        if not (0 <= number < len(words)) or (first and number == 0 and at == len(words) - 1):
            continue
        word = words[number]
        if _INITIALS.fullmatch(word) and (word.isupper() or word.casefold() in known):
            return word, first
    return None, True


class Version(NamedTuple):
    """A version of a working file.

    Attributes:
        path: relative to the library, or absolute.
        named: its name as it is read.
        mtime_ns: its time of last change.
        size: in bytes.
    """

    path: str
    named: Named
    mtime_ns: int = 0
    size: int = 0

    @property
    def name(self) -> str:
        """Its name."""
        return self.path.rpartition("/")[2]


@dataclass(frozen=True, slots=True)
class Line:
    """The versions of one working file in a folder.

    Attributes:
        folder: that they lie in.
        versions: by number, of one number the older ones first.
    """

    folder: str
    versions: tuple[Version, ...]

    @property
    def newest(self) -> Version:
        """The version of the highest number; of several the one that was changed last."""
        return self.versions[-1]

    @property
    def title(self) -> str:
        """What the file is called without its version."""
        return self.newest.named.title

    @property
    def twice(self) -> tuple[int, ...]:
        """Numbers that two versions have."""
        numbers = [one.named.number for one in self.versions]
        return tuple(sorted({one for one in numbers if numbers.count(one) > 1}))

    def next_name(self, taken: Iterable[str], initials: str = "") -> str:
        """The name of the next version, which nobody has.

        Args:
            taken: the names in the folder.
            initials: who works on it; empty for those of the newest.
        """
        names = {same_name(one) for one in taken}
        number = self.newest.named.number + 1
        while same_name(name := self.newest.named.of_number(number, initials)) in names:
            number += 1
        return name


def lines_of(files: Iterable[tuple[str, int, int]], known: Collection[str] = ()) -> list[Line]:
    """Working files by what their versions have in common, those changed last first.

    Args:
        files: path, size in bytes, time of last change (ns).
        known: initials that the house knows.
    """
    found: dict[tuple[str, tuple[str, str, str]], list[Version]] = {}
    for path, size, mtime_ns in files:
        folder, _, name = path.rpartition("/")
        named = read_name(name, known)
        if named is not None and not name.startswith("."):
            found.setdefault((folder, named.key), []).append(Version(path, named, mtime_ns, size))
    lines = [
        Line(folder, tuple(sorted(own, key=lambda one: (one.named.number, one.mtime_ns, one.path))))
        for (folder, _), own in found.items()
    ]
    return sorted(lines, key=lambda line: (-max(one.mtime_ns for one in line.versions), line.folder, line.title))


class Vague(NamedTuple):
    """A file whose name is to tell a version and does not.

    Attributes:
        path: of it.
        proposed: a name that does, and that nobody has.
    """

    path: str
    proposed: str


def vague_among(paths: Collection[str], lines: Iterable[Line], initials: str = "") -> Iterator[Vague]:
    """Files called “final”, “final2”, “copy of” and the like, each with the name that would tell.

    Args:
        paths: of all files.
        lines: of those of them that tell a version.
        initials: who is at work; empty for nobody.
    """
    names: dict[str, set[str]] = {}
    for path in paths:
        folder, _, name = path.rpartition("/")
        names.setdefault(folder, set()).add(name)
    by_key = {(line.folder, line.newest.named.key[0], line.newest.named.key[2]): line for line in lines}
    for path in sorted(paths):
        folder, _, name = path.rpartition("/")
        stem, suffix = _split(name)
        bare, named = stem, read_name(name)
        while (shorter := _SAYS_NOTHING.sub("", bare, count=1).strip(" _.-")) != bare and shorter:
            bare = shorter
        if bare == stem.strip(" _.-") or name.startswith("."):
            continue
        inner = read_name(f"{bare}{suffix}") if named is not None else None
        key = inner.before if inner is not None else bare
        line = by_key.get((folder, same_name(key), same_name(suffix)))
        if line is not None:
            proposed = line.next_name(names[folder], initials)
        else:
            proposed = _free(Named(legal(key), "_", initials, True, 0, USUAL_DIGITS, "", suffix), names[folder])
        # Two that lie side by side are not proposed one name.
        names[folder].add(proposed)
        yield Vague(path, proposed)


def _free(named: Named, taken: Collection[str]) -> str:
    names, number = {same_name(one) for one in taken}, 1
    while same_name(name := named.of_number(number)) in names:
        number += 1
    return name
