"""The certificate of a release: everything on a source, and where each file is at home.

*Safe to clear* is said only when every byte of the source is accounted for: home in every place, or declared unwanted
in so many words. What was not brought, could not be looked at or is of no known kind is named.
"""

from __future__ import annotations

import json
import os
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from jutrek.disk import FileStamp
from jutrek.errors import shown
from jutrek.words import counted

FORMAT = "jutrek-certificate"
VERSION = 2


class Where(NamedTuple):
    """Where a file is at home in a place.

    Attributes:
        place: its id.
        path: relative to the place.
        at: when its bytes were read back, UTC, ISO 8601.
        mtime_ns, inode, ctime_ns: which file it was then.
        direct: whether the reading back is sure to have reached the medium; None where that is not known any more.
        drive: the id of the archive drive that it is stored on, of one in the library; empty for the root.
    """

    place: str
    path: str
    at: str = ""
    mtime_ns: int = 0
    inode: int = 0
    ctime_ns: int = 0
    direct: bool | None = None
    drive: str = ""


@dataclass(frozen=True, slots=True)
class OnSource:
    """A file on the source.

    Attributes:
        path: its absolute path.
        size, mtime_ns: as it was read.
        full: its fingerprint (XXH3-128); empty where it could not be read.
        where: where it is at home.
        other: whether it is no picture, clip or sound.
        unwanted: who declared it unwanted and when, or by which house rule; empty where nobody did.
        why: what is the matter with it; empty where it is home everywhere.
        inode, ctime_ns: which file it is on the source.
    """

    path: str
    size: int
    mtime_ns: int
    full: bytes = b""
    where: tuple[Where, ...] = ()
    other: bool = False
    unwanted: str = ""
    why: str = ""
    inode: int = 0
    ctime_ns: int = 0

    @property
    def stamp(self) -> FileStamp:
        """How it was when it was read. Its metadata may have changed since."""
        return FileStamp(self.size, self.mtime_ns, self.inode)

    @property
    def is_home(self) -> bool:
        """Whether it was found in every place."""
        return not self.why

    @property
    def paths(self) -> dict[str, str]:
        """Its paths at home, by the ids of places."""
        return {one.place: one.path for one in self.where}


@dataclass(frozen=True, slots=True)
class NotLookedAt:
    """Something on the source that is no file, or cannot be entered: a link, a folder that is unreadable.

    Attributes:
        path: its absolute path.
        why: one sentence.
        unwanted: as of `OnSource`.
        apart: whether it is no part of the source: the library, or a place.
    """

    path: str
    why: str
    unwanted: str = ""
    apart: bool = False


@dataclass(frozen=True, slots=True)
class Certificate:
    """What a release found.

    Attributes:
        root, name: the source.
        at: when, UTC, ISO 8601.
        library, library_id: name and identity of the library.
        places: ids and names of where everything was looked for, the library first.
        away: names of places that were not connected.
        files: everything on the source.
        left: what could not be looked at.
        days: for how many days beyond its own a reading back counts, by house rule; 0 is that day only.
        same_disk: names of places that lie on the library's own disk.
    """

    root: str
    name: str
    at: str
    library: str
    library_id: str
    places: tuple[tuple[str, str], ...]
    away: tuple[str, ...]
    files: tuple[OnSource, ...]
    left: tuple[NotLookedAt, ...] = ()
    days: int = 0
    same_disk: tuple[str, ...] = ()

    @property
    def home(self) -> tuple[OnSource, ...]:
        """Files that are home everywhere."""
        return tuple(one for one in self.files if one.is_home)

    @property
    def missing(self) -> tuple[OnSource, ...]:
        """Captures, and files that could not be read, that are not, and that nobody declared unwanted."""
        return tuple(one for one in self.files if not one.is_home and not one.other and not one.unwanted)

    @property
    def others(self) -> tuple[OnSource, ...]:
        """Files of other kinds that are not home, and that nobody declared unwanted."""
        return tuple(one for one in self.files if not one.is_home and one.other and not one.unwanted)

    @property
    def unaccounted(self) -> tuple[NotLookedAt, ...]:
        """What could not be looked at, and that nobody declared unwanted."""
        return tuple(one for one in self.left if not one.unwanted and not one.apart)

    @property
    def unwanted(self) -> tuple[OnSource | NotLookedAt, ...]:
        """What somebody declared unwanted."""
        files = tuple(one for one in self.files if one.unwanted and not one.is_home)
        return (*files, *(one for one in self.left if one.unwanted))

    @property
    def open(self) -> int:
        """How many things keep the source from being safe to clear."""
        return len(self.missing) + len(self.others) + len(self.unaccounted)

    @property
    def size(self) -> int:
        """Bytes of what is home."""
        return sum(one.size for one in self.home)

    @property
    def oldest(self) -> str:
        """When the copy was read back that was read longest ago; empty where there is none."""
        return min((where.at for one in self.home for where in one.where), default="")

    @property
    def safe(self) -> bool:
        """Whether everything on the source is accounted for, and every capture is home in every place."""
        return bool(self.home) and not self.open and not self.away

    @property
    def verdict(self) -> str:
        """One sentence."""
        if self.away and not self.open:
            return f"Not safe to clear: {', '.join(map(shown, self.away))} could not be looked at."
        if self.open:
            return f"Not safe to clear: {self._what_is_open()}."
        if not self.home:
            return "There is nothing on it that could be home."
        where = " and ".join(shown(name) for _, name in self.places)
        more = f" {len(self.unwanted):,} more were declared unwanted, and stay." if self.unwanted else ""
        return f"Safe to clear: {self._all()} proven in {where}.{more}"

    def _all(self) -> str:
        return "the one file on it is" if len(self.home) == 1 else f"all {len(self.home):,} files are"

    def _what_is_open(self) -> str:
        others = len(self.others) + len(self.unaccounted)
        things = "1 thing was" if others == 1 else f"{others:,} things were"
        if not self.missing:
            return f"{things} not brought"
        lacking = {tuple(name for id_, name in self.places if id_ not in one.paths) for one in self.missing}
        names = next(iter(lacking))
        if len(lacking) == 1 and 0 < len(names) < len(self.places):
            lack = "lacks" if len(names) == 1 else "lack"
            words = (
                f"{' and '.join(map(shown, names))} {lack} {len(self.missing):,} of {counted(len(self.files), 'file')}"
            )
        else:
            are = "is" if len(self.missing) == 1 else "are"
            words = f"{len(self.missing):,} of {counted(len(self.files), 'file')} {are} not home everywhere"
        return f"{words}, and {things} not brought" if others else words

    def text(self) -> str:
        """The certificate for people."""
        moment = datetime.fromisoformat(self.at).astimezone()
        first = f"Certificate for {shown(self.name)}"
        if self.days:
            first += f". By house rule copies count that were read back up to {self.days} days before"
        same = set(self.same_disk)
        lines = [
            first,
            "",
            self.verdict,
            "",
            f"Made           {moment:%Y-%m-%d %H:%M:%S %z}",
            f"Source         {shown(self.root)}",
            f"Library        {shown(self.library)} ({self.library_id})",
            *(
                f"Backup         {shown(name)}{', on the same disk as the library' if name in same else ''}"
                for _, name in self.places[1:]
            ),
            *(f"Not connected  {shown(name)}" for name in self.away),
            f"Files          {len(self.files):,}, {sum(one.size for one in self.files):,} bytes",
            *([f"Oldest proof   {datetime.fromisoformat(self.oldest).astimezone():%Y-%m-%d %H:%M:%S %z}"] if self.oldest
              else []),
            "",
            "Every file was read from the source and hashed anew (XXH3-128), and found by content in the library and",
            "every backup. Each copy counts that was read back from its medium on the day of this certificate" + (
                f" or up to {self.days} days before," if self.days else ","),
            "and is the same file since, by size, times and inode.",
            *self._from_memory(),
            *self._lists(),
            "",
            "At home:",
        ]  # fmt: skip
        names = dict(self.places)
        for one in self.home:
            lines.append(f"  {one.full.hex()}  {one.size:>14,}  {shown(self.below(one.path))}")
            lines += [f"      {shown(names[place])}: {shown(path)}" for place, path, *_ in one.where]
        return "\n".join(lines) + "\n"

    def _from_memory(self) -> list[str]:
        count = sum(where.direct is False for one in self.home for where in one.where)
        words = f"{count:,} readings may have come from memory: their file systems refuse to read past it."
        return [words] if count else []

    def _lists(self) -> list[str]:
        lines: list[str] = []
        for title, some in (("Not home", self.missing), ("Not brought, of no known kind", self.others)):
            if some:
                lines += ["", f"{title}:", *(f"  {shown(self.below(one.path))}: {one.why}" for one in some)]
        if self.unaccounted:
            words = (f"  {shown(self.below(one.path))}: {one.why}" for one in self.unaccounted)
            lines += ["", "Not looked at:", *words]
        if self.others or self.unaccounted:
            lines += [
                "", "`jutrek bring … --along` brings such files along as they are; `jutrek unwanted add` declares them",
                "unwanted.",
            ]  # fmt: skip
        if self.unwanted:
            words = (f"  {shown(self.below(one.path))}: {one.unwanted}" for one in self.unwanted)
            lines += ["", "Unwanted:", *words]
        return lines

    def as_json(self) -> str:
        """The certificate for programs."""
        names = dict(self.places)
        files = [
            {
                "path": self.below(one.path), "size": one.size, "mtime_ns": one.mtime_ns, "xxh3_128": one.full.hex(),
                "home": one.is_home, "other": one.other, "unwanted": one.unwanted, "why": one.why,
                "where": [
                    {"place": where.place, "name": names[where.place], "path": where.path, "at": where.at,
                     "direct": where.direct}
                    for where in one.where
                ],
            }
            for one in self.files
        ]  # fmt: skip
        page = {
            "format": FORMAT, "version": VERSION, "safe": self.safe, "verdict": self.verdict, "at": self.at,
            "source": self.root, "name": self.name, "library": self.library, "library_id": self.library_id,
            "places": [
                {"id": place, "name": name, "same_disk": name in self.same_disk} for place, name in self.places
            ],
            "not_connected": list(self.away), "proof_days": self.days, "oldest_proof": self.oldest, "files": files,
            "left": [
                {"path": self.below(one.path), "why": one.why, "unwanted": one.unwanted, "apart": one.apart}
                for one in self.left
            ],
        }  # fmt: skip
        return json.dumps(page, indent=1)

    def below(self, path: str) -> str:
        """A path relative to the source."""
        return os.path.relpath(path, self.root)
