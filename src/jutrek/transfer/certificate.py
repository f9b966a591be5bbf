"""The certificate of a release: what is on a source, and where each file is at home."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass
from datetime import datetime

from jutrek.errors import shown

FORMAT = "jutrek-certificate"
VERSION = 1


@dataclass(frozen=True, slots=True)
class OnSource:
    """A file on the source.

    Attributes:
        path: its absolute path.
        size, mtime_ns: as it was read.
        full: its fingerprint (XXH3-128); empty where it could not be read.
        where: its paths in places, by their ids.
        other: whether it is no capture, and was never to come home.
        why: what is the matter with it; empty where it is home everywhere.
    """

    path: str
    size: int
    mtime_ns: int
    full: bytes = b""
    where: tuple[tuple[str, str], ...] = ()
    other: bool = False
    why: str = ""

    @property
    def is_home(self) -> bool:
        """Whether it was found in every place."""
        return not self.why


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
        left: links and other things that are no files, with reasons.
        again: whether copies were read back once more.
    """

    root: str
    name: str
    at: str
    library: str
    library_id: str
    places: tuple[tuple[str, str], ...]
    away: tuple[str, ...]
    files: tuple[OnSource, ...]
    left: tuple[tuple[str, str], ...] = ()
    again: bool = False

    @property
    def home(self) -> tuple[OnSource, ...]:
        """Files that are home everywhere."""
        return tuple(one for one in self.files if one.is_home)

    @property
    def missing(self) -> tuple[OnSource, ...]:
        """Files that are not."""
        return tuple(one for one in self.files if not one.is_home and not one.other)

    @property
    def others(self) -> tuple[OnSource, ...]:
        """Files that are no captures."""
        return tuple(one for one in self.files if one.other)

    @property
    def size(self) -> int:
        """Bytes of what is home."""
        return sum(one.size for one in self.home)

    @property
    def safe(self) -> bool:
        """Whether every capture on the source is home in every place."""
        return bool(self.home) and not self.missing and not self.away

    @property
    def verdict(self) -> str:
        """One sentence."""
        where = " and ".join(shown(name) for _, name in self.places)
        if self.away and not self.missing:
            return f"Not safe to clear: {', '.join(map(shown, self.away))} could not be looked at."
        lacking = {tuple(name for id_, name in self.places if id_ not in dict(one.where)) for one in self.missing}
        if len(lacking) == 1 and 0 < len(names := next(iter(lacking))) < len(self.places):
            who = " and ".join(map(shown, names))
            lack = "lacks" if len(names) == 1 else "lack"
            return f"Not safe to clear: {who} {lack} {len(self.missing):,} of {len(self.files):,} files."
        if self.missing:
            return f"Not safe to clear: {len(self.missing):,} of {len(self.files):,} files are not home everywhere."
        if not self.home:
            return "There is nothing on it that could be home."
        more = f" {len(self.others):,} other files on it are no captures, and stay." if self.others else ""
        return f"Safe to clear: all {len(self.home):,} files are proven in {where}.{more}"

    def text(self) -> str:
        """The certificate for people."""
        moment = datetime.fromisoformat(self.at).astimezone()
        how = "its copies were read back once more" if self.again else "its copies were read back when they came home"
        lines = [
            f"Certificate for {shown(self.name)}",
            "",
            self.verdict,
            "",
            f"Made           {moment:%Y-%m-%d %H:%M:%S %z}",
            f"Source         {shown(self.root)}",
            f"Library        {shown(self.library)} ({self.library_id})",
            *(f"Place          {shown(name)}" for _, name in self.places[1:]),
            *(f"Not connected  {shown(name)}" for name in self.away),
            f"Files          {len(self.files):,}, {sum(one.size for one in self.files):,} bytes",
            "",
            "Every file was read from the source and hashed anew (XXH3-128), and found by content in every place;",
            f"{how}, and are unchanged since by size and time.",
        ]
        for title, some in (("Not home", self.missing), ("No captures", self.others)):
            if some:
                lines += ["", f"{title}:", *(f"  {shown(self._below(one))}: {one.why}" for one in some)]
        if self.left:
            lines += ["", "Not looked at:", *(f"  {shown(path)}: {why}" for path, why in self.left)]
        names = dict(self.places)
        lines += ["", "At home:"]
        for one in self.home:
            lines.append(f"  {one.full.hex()}  {one.size:>14,}  {shown(self._below(one))}")
            lines += [f"      {shown(names[place])}: {shown(path)}" for place, path in one.where]
        return "\n".join(lines) + "\n"

    def as_json(self) -> str:
        """The certificate for programs."""
        names = dict(self.places)
        files = [
            {
                "path": self._below(one), "size": one.size, "mtime_ns": one.mtime_ns, "xxh3_128": one.full.hex(),
                "home": one.is_home, "other": one.other, "why": one.why,
                "where": [{"place": place, "name": names[place], "path": path} for place, path in one.where],
            }
            for one in self.files
        ]  # fmt: skip
        page = {
            "format": FORMAT, "version": VERSION, "safe": self.safe, "verdict": self.verdict, "at": self.at,
            "source": self.root, "name": self.name, "library": self.library, "library_id": self.library_id,
            "places": [{"id": place, "name": name} for place, name in self.places], "not_connected": list(self.away),
            "read_back_again": self.again, "files": files, "left": [list(one) for one in self.left],
        }  # fmt: skip
        return json.dumps(page, indent=1)

    def _below(self, one: OnSource) -> str:
        return os.path.relpath(one.path, self.root)
