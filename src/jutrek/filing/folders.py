"""The names that are taken in a library's folders, on disk and by the plan in the making."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from itertools import chain, count

from jutrek.errors import LibraryMissing, reason
from jutrek.filing.names import MAX_BYTES, MAX_PATH, ROOM_FOR_A_COUNT, same_name, shortened, stem_of, units


class _Taken:
    """What is taken in one folder: names of files and folders, stems of files, and how its folders are spelt."""

    __slots__ = ("folders", "names", "stems")

    def __init__(self) -> None:
        self.names: set[str] = set()
        self.stems: set[str] = set()
        self.folders: dict[str, str] = {}

    def has(self, stem: str, endings: Iterable[str]) -> bool:
        """Whether a stem is taken, or one of the names that it would make."""
        key = same_name(stem)
        return key in self.stems or any(same_name(stem + ending) in self.names for ending in endings)

    def take(self, stem: str, endings: Iterable[str]) -> None:
        for ending in endings:
            name = same_name(stem + ending)
            self.names.add(name)
            self.stems.add(stem_of(name))
        self.stems.add(same_name(stem))


class Folders:
    """The folders of a library, each listed once when it is first asked for."""

    def __init__(self, root: str) -> None:
        """
        Args:
            root: of the library; empty for one that holds nothing yet.
        """
        self._root = root
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

    def has(self, folder: str, stem: str, endings: Sequence[str]) -> bool:
        """Whether a stem is taken in a folder, or one of the names that it would make."""
        return self._of(folder).has(stem, endings)

    def room(self, folder: str, endings: Sequence[str]) -> int:
        """Bytes for a stem that leave room for a count and the longest ending, within a name's and a path's limits."""
        longest = max(len(ending) if ending.isascii() else len(ending.encode("utf-8", "replace")) for ending in endings)
        return min(MAX_BYTES, MAX_PATH - units(folder) - 1) - longest - ROOM_FOR_A_COUNT

    def take(self, folder: str, stem: str, endings: Sequence[str], tails: Sequence[str] = ()) -> str:
        """Take a stem that nothing in a folder has yet.

        Args:
            folder: as `spelt` tells it.
            stem: the wish.
            endings: what the names of the files carry behind the stem, extension included.
            tails: what to put behind a wish that is taken, in this order; then it is counted from 2 on.
        """
        taken = self._of(folder)
        room = self.room(folder, endings)
        wish = fitting = shortened(stem, room) if len(stem) * 4 > room else stem
        if taken.has(fitting, endings):
            for tail in chain(tails, (f"_{number}" for number in count(2))):
                fitting = wish + tail
                if not taken.has(fitting, endings):
                    break
        taken.take(fitting, endings)
        return fitting

    def take_beside(self, folder: str, stem: str, ending: str) -> bool:
        """Take one name beside files of the same stem; False when just that name is taken."""
        taken, name = self._of(folder), stem + ending
        if same_name(name) in taken.names or len(name.encode("utf-8", "replace")) > MAX_BYTES:
            return False
        taken.take(stem, (ending,))
        return True

    def give_back(self, folder: str, stem: str, endings: Iterable[str]) -> None:
        """Count names as free that a capture on disk bears, since it is the one that is named anew."""
        taken = self._of(folder)
        taken.names.difference_update(same_name(stem + ending) for ending in endings)
        taken.stems.discard(same_name(stem))
        taken.stems.difference_update(stem_of(same_name(stem + ending)) for ending in endings)

    def _of(self, folder: str) -> _Taken:
        taken = self._taken.get(folder)
        if taken is None:
            taken = self._taken[folder] = _Taken()
            if self._root:
                self._list(folder, taken)
        return taken

    def _list(self, folder: str, taken: _Taken) -> None:
        try:
            with os.scandir(os.path.join(self._root, folder)) as entries:
                for entry in sorted(entries, key=lambda entry: entry.name):
                    key = same_name(entry.name)
                    taken.names.add(key)
                    taken.stems.add(stem_of(key))
                    if entry.is_dir():
                        taken.folders.setdefault(key, entry.name)
        except (FileNotFoundError, NotADirectoryError):
            return
        except OSError as error:
            raise LibraryMissing(os.path.join(self._root, folder), reason(error)) from error
