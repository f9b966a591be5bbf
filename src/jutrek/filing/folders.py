"""The names that are taken in a library's folders, on disk and by the plan in the making."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Iterable
from functools import lru_cache
from itertools import count
from typing import NamedTuple

from jutrek.errors import LibraryMissing, reason
from jutrek.filing.names import MAX_BYTES, MAX_PATH, ROOM_FOR_A_COUNT, same_name, shortened, stem_of, units


class Ends(NamedTuple):
    """What the names of a capture's files carry behind their stem, extension included.

    Attributes:
        endings: as written, in the order of the files.
        keys: in the form in which names are compared.
        longest: bytes of the longest in UTF-8.
        alike: whether two of them make one name.
        inner: what is left of those with more than an extension: names of other stems begin with the stem and this.
    """

    endings: tuple[str, ...]
    keys: tuple[str, ...]
    longest: int
    alike: bool
    inner: tuple[str, ...]


@lru_cache(maxsize=1 << 12)
def ends_of(endings: tuple[str, ...]) -> Ends:
    """The ends of some endings, at least one; captures have them from a small stock."""
    keys = tuple(map(same_name, endings))
    inner = {stem_of(f"x{key}")[1:] for key in keys} - {""}
    longest = max(len(ending.encode("utf-8", "replace")) for ending in endings)
    return Ends(endings, keys, longest, len(set(keys)) < len(keys), tuple(sorted(inner)))


class Also(NamedTuple):
    """Where further files of a capture go, under the same stem: the folder, and what their names carry behind it."""

    folder: str
    ends: Ends


class _Taken:
    """What is taken in one folder.

    Attributes:
        stems: of all names; two captures never share one.
        folders: how its folders are spelt, by the form in which names are compared.
        counts: the first count behind a stem that may be free: the ones below it are known to be taken.
        room: bytes for a stem and its ending.
    """

    __slots__ = ("_bearers", "_coming", "_names", "counts", "folders", "room", "stems")

    def __init__(self, folder: str) -> None:
        self.stems: set[str] = set()
        self.folders: dict[str, str] = {}
        self.counts: dict[str, int] = {}
        self.room = min(MAX_BYTES, MAX_PATH - units(folder) - 1) - ROOM_FOR_A_COUNT
        self._names: set[str] = set()
        self._coming: list[tuple[str, Ends]] = []
        self._bearers: Counter[str] | None = None

    def note(self, name: str, *, is_folder: bool) -> None:
        """Something lies there."""
        key = same_name(name)
        self.names.add(key)
        self.stems.add(stem_of(key))
        if is_folder:
            self.folders.setdefault(key, name)

    def give_back(self, keys: Iterable[str], stem: str) -> None:
        """Count names as free, and their stems and `stem` as far as no other name has them."""
        names, bearers = self.names, self.bearers
        given = [key for key in keys if key in names]
        names.difference_update(given)
        bearers.subtract(map(stem_of, given))
        self.stems.difference_update(one for one in {stem, *map(stem_of, given)} if bearers[one] <= 0)

    @property
    def bearers(self) -> Counter[str]:
        """How many names have each stem; counted when somebody asks, and kept up from then on."""
        if self._bearers is None:
            self._bearers = Counter(map(stem_of, self.names))
        return self._bearers

    @property
    def names(self) -> set[str]:
        """All names that are taken. They are put together when somebody asks, which is seldom."""
        for key, ends in self._coming:
            self._names.update(key + ending for ending in ends.keys)
        self._coming.clear()
        return self._names

    def has(self, key: str, ends: Ends) -> bool:
        """Whether a stem is taken, or the stem of one of the names that it would make."""
        return key in self.stems or any(key + one in self.stems for one in ends.inner)

    def take(self, key: str, ends: Ends) -> None:
        self._coming.append((key, ends))
        self.stems.add(key)
        if self._bearers is not None:
            self._bearers.update(stem_of(key + ending) for ending in ends.keys)
        if ends.inner:
            self.stems.update([key + one for one in ends.inner])


class Folders:
    """The folders of a library, each listed once when it is first asked for."""

    def __init__(self, root: str, stored: Iterable[str] = ()) -> None:
        """
        Args:
            root: of the library; empty for one that holds nothing yet.
            stored: paths of files that lie on archive drives: their names are taken, too.
        """
        self._root = root
        self._stored: dict[str, dict[str, bool]] = {}
        for path in stored:
            folder, is_folder = path, False
            while folder:
                folder, _, name = folder.rpartition("/")
                names = self._stored.setdefault(folder, {})
                if is_folder and name in names:
                    break
                names[name], is_folder = is_folder, True
        self._taken: dict[str, _Taken] = {}
        self._spelt: dict[str, str] = {"": ""}

    def spelt(self, folder: str) -> str:
        """A folder as it is spelt on disk, or was first spelt in this plan: case and form do not make another one.

        Where a file bears its name, the folder gets a number.
        """
        known = self._spelt.get(folder)
        if known is None:
            parent, _, name = folder.rpartition("/")
            above = self.spelt(parent)
            taken = self._of(above)
            for wish in (name if number == 1 else f"{name}_{number}" for number in count(1)):
                key = same_name(wish)
                if key in taken.folders or key not in taken.names:
                    break
            taken.names.add(key)
            taken.stems.add(stem_of(key))
            known = self._spelt[folder] = os.path.join(above, taken.folders.setdefault(key, wish))
        return known

    def spell(self, folder: str) -> None:
        """Spell a folder as it is given from now on, whatever the disk says. The one above it is spelt first."""
        parent, _, name = folder.rpartition("/")
        self._of(self.spelt(parent)).folders[same_name(name)] = name

    def has(self, folder: str, stem: str, ends: Ends) -> bool:
        """Whether a stem is taken in a folder, or the stem of one of the names that it would make."""
        return self._of(folder).has(same_name(stem), ends)

    def shares(self, folder: str, stem: str, own: Iterable[str]) -> bool:
        """Whether other names in a folder have a stem, besides a capture's own ones."""
        key = same_name(stem)
        return self._of(folder).bearers[key] > sum(stem_of(same_name(name)) == key for name in own)

    def room(self, folder: str, ends: Ends) -> int:
        """Bytes for a stem that leave room for a count and the longest ending, within a name's and a path's limits."""
        return self._of(folder).room - ends.longest

    def take(
        self,
        folder: str,
        stem: str,
        ends: Ends,
        tails: Callable[[], Iterable[str]] = tuple,
        also: Also | None = None,
    ) -> str:
        """Take a stem that nothing in a folder has yet.

        Args:
            folder: as `spelt` tells it.
            stem: the wish.
            ends: what the names of the files carry behind the stem.
            tails: what to put behind a wish that is taken, in this order; then it is counted from 2 on.
            also: another folder in which it must be free, too, and is taken.
        """
        taken = self._taken.get(folder) or self._of(folder)
        room = taken.room - ends.longest
        other = self._of(also.folder) if also else None
        if other is not None and also:
            room = min(room, other.room - also.ends.longest)
        if len(stem) * 4 > room:
            stem = shortened(stem, room)
        key = same_name(stem)
        if other is not None and also:
            further = also.ends
            stem, key = _free(taken, stem, tails, lambda one: taken.has(one, ends) or other.has(one, further))
            other.take(key, further)
        elif key in taken.stems or (ends.inner and taken.has(key, ends)):
            stem, key = _free(taken, stem, tails, lambda one: taken.has(one, ends))
        taken.take(key, ends)
        return stem

    def take_beside(self, folder: str, stem: str, ending: str) -> bool:
        """Take one name beside files of the same stem; False when just that name is taken."""
        taken, name = self._of(folder), stem + ending
        if same_name(name) in taken.names or len(name.encode("utf-8", "replace")) > MAX_BYTES:
            return False
        taken.take(same_name(stem), ends_of((ending,)))
        return True

    def give_back(self, paths: Iterable[str], stem: str) -> None:
        """Count names as free that a capture on disk bears, since it is the one that is named anew."""
        by_folder: dict[str, list[str]] = {}
        for path in paths:
            folder, _, name = path.rpartition("/")
            by_folder.setdefault(folder, []).append(same_name(name))
        for folder, keys in by_folder.items():
            self._of(folder).give_back(keys, same_name(stem))

    def _of(self, folder: str) -> _Taken:
        taken = self._taken.get(folder)
        if taken is None:
            taken = self._taken[folder] = _Taken(folder)
            if self._root:
                self._list(folder, taken)
            for name, is_folder in sorted(self._stored.get(folder, {}).items()):
                taken.note(name, is_folder=is_folder)
        return taken

    def _list(self, folder: str, taken: _Taken) -> None:
        try:
            with os.scandir(os.path.join(self._root, folder)) as entries:
                for entry in sorted(entries, key=lambda entry: entry.name):
                    taken.note(entry.name, is_folder=entry.is_dir())
        except (FileNotFoundError, NotADirectoryError):
            return
        except OSError as error:
            raise LibraryMissing(os.path.join(self._root, folder), reason(error)) from error


def _free(
    taken: _Taken, stem: str, tails: Callable[[], Iterable[str]], is_taken: Callable[[str], bool]
) -> tuple[str, str]:
    """A stem that is free, the wish or one made of it, and the form in which it is compared."""
    first = same_name(stem)
    if not is_taken(first):
        return stem, first
    for tail in tails():
        key = same_name(stem + tail)
        if not is_taken(key):
            return stem + tail, key
    for number in count(taken.counts.get(first, 2)):
        key = same_name(f"{stem}_{number}")
        if not is_taken(key):
            break
    taken.counts[first] = number + 1
    return f"{stem}_{number}", key
