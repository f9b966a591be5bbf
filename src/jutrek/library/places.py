"""Places: where else a library's files are kept, each with the same tree: backups, and archive drives.

`LIBRARY/.jutrek/places.toml` lists the backups, which mirror everything; `drives.toml` the archive drives, which have
what is stored away on them. Each bears `PLACE/.jutrek/place.toml`, or `drive.toml`, with an identity that stays with it
wherever it is mounted. A place that is not connected is known all the same.
"""

from __future__ import annotations

import contextlib
import os
import uuid
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from jutrek.disk import OWN_FOLDER, Inside, Tree, own, patiently
from jutrek.errors import PageBroken, PlaceUnusable, SourceRefused, reason
from jutrek.library.identity import is_library
from jutrek.library.pagefiles import tables_text
from jutrek.sources import mounts

if TYPE_CHECKING:
    from jutrek.library.identity import Library

LIBRARY = ""
"""The id under which the library itself counts as a place."""


class _Use(NamedTuple):
    """What places are for.

    Attributes:
        mark: the page that each of them bears.
        list: the library's page of them, `table` what its tables are called.
        note, about: what these pages say of themselves, the list and the mark.
        word: what one is called.
    """

    mark: Inside
    list: Inside
    table: str
    note: str
    about: str
    word: str


_BACKUPS = _Use(
    own("place.toml"), own("places.toml"), "place",
    "Where else the files of this library are kept. Names may be edited by hand; the ids tell the drives.",
    "This folder holds copies of a Jutrek library. The id tells its drive; keep it with the copies.",
    "backup",
)  # fmt: skip
_DRIVES = _Use(
    own("drive.toml"), own("drives.toml"), "drive",
    "Where folders of this library are stored away. Names may be edited by hand; the ids tell the drives.",
    "This folder holds what is stored away of a Jutrek library. The id tells the drive; keep it with the files.",
    "archive drive",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Place:
    """A destination of copies.

    Attributes:
        id: a UUID that stays with it wherever it is mounted; empty for the library itself.
        name: what to call it.
        root: its absolute path, when it was last seen.
        below: its path below the top of its medium, by which it is found under another mount point.
        library: the id of the library that it is of; empty for the library itself.
        archive: whether it is an archive drive: what lies there lies nowhere else in the library.
    """

    id: str
    name: str
    root: str
    below: str = "."
    library: str = ""
    archive: bool = False

    @property
    def tree(self) -> Tree:
        """The folder in which everything of the place lies."""
        return Tree(self.root)

    @property
    def own(self) -> str:
        """The folder in which Jutrek keeps what belongs to the place."""
        return os.path.join(self.root, OWN_FOLDER)


def as_place(library: Library) -> Place:
    """The library as a place."""
    return Place(LIBRARY, library.name, library.root)


def known_places(library: Library) -> tuple[Place, ...]:
    """The backups of a library, as its list has them.

    An entry that is damaged is a place all the same, that nobody knows and that is never connected: what is said to be
    in every place is not said while one of them cannot be told.
    """
    return _with_damaged(library, _BACKUPS)


def known_drives(library: Library) -> tuple[Place, ...]:
    """The archive drives of a library, as its list has them. A damaged entry is one that is never connected."""
    return _with_damaged(library, _DRIVES)


def _with_damaged(library: Library, use: _Use) -> tuple[Place, ...]:
    good, bad = _listed(library, use)
    return (*good, *(Place(f"damaged-{number}", why, "", library=library.id) for number, why in enumerate(bad, 1)))


def damaged_places(library: Library) -> Sequence[str]:
    """A sentence for every entry of the lists of backups and archive drives that is damaged."""
    return [*_listed(library, _BACKUPS)[1], *_listed(library, _DRIVES)[1]]


def _listed(library: Library, use: _Use) -> tuple[list[Place], list[str]]:
    with contextlib.suppress(OSError):
        if library.tree.found(use.list) is None:
            # Most have no such page: then no model is loaded to check one.
            return [], []
    from jutrek.library import pages

    found, bad = pages.listed(pages.LISTED_PLACE, library.tree, use.list, use.table)
    places = [
        Place(one["id"], one["name"], one["root"], one.get("below", "."), library.id, use is _DRIVES) for one in found
    ]
    return places, bad


def add_place(library: Library, path: str, name: str = "") -> Place:
    """Keep copies in a folder from now on. It gets an identity; nothing else in it is touched.

    Raises:
        PlaceUnusable: when it is no folder, cannot be written, is a library, lies in this one or has it in it, or
            belongs to another library, or is an archive drive.
    """
    return _add(library, path, name, _BACKUPS)


def add_drive(library: Library, path: str, name: str = "") -> Place:
    """Know a folder as an archive drive from now on. It gets an identity; nothing else in it is touched.

    Raises:
        PlaceUnusable: as for a backup, or when it is one.
    """
    return _add(library, path, name, _DRIVES)


def _add(library: Library, path: str, name: str, use: _Use) -> Place:
    root = os.path.abspath(path)
    _check(library, root, use)
    try:
        if Tree(root).found(use.mark) is None:
            _mark(library, root, use)
        ids = _identity(root, use)
    except PageBroken as error:
        raise PlaceUnusable(root, f"its mark is damaged ({error.what})") from error
    except OSError as error:
        raise PlaceUnusable(root, reason(error)) from error
    if ids[1] != library.id:
        raise PlaceUnusable(root, "it holds copies of another library")
    top = _top_of(root)
    listed = _whole_list(library, use)
    name = name or next((one.name for one in listed if one.id == ids[0]), "") or os.path.basename(root) or root
    place = Place(ids[0], name, root, os.path.relpath(root, top), library.id, use is _DRIVES)
    _keep(library, [*(one for one in listed if one.id != place.id), place], use)
    return place


def forget_place(library: Library, id_: str) -> None:
    """Keep no more copies in a place. What lies there stays there.

    Raises:
        PlaceUnusable: when the list cannot be written.
    """
    _keep(library, [place for place in _whole_list(library, _BACKUPS) if place.id != id_], _BACKUPS)


def forget_drive(library: Library, id_: str) -> None:
    """Know an archive drive no more. What lies there stays there.

    Raises:
        PlaceUnusable: when the list cannot be written.
    """
    _keep(library, [drive for drive in _whole_list(library, _DRIVES) if drive.id != id_], _DRIVES)


def keep_drive(library: Library, drive: Place) -> None:
    """Keep what an archive drive is called, and where it was seen last.

    Raises:
        PlaceUnusable: when the list cannot be written.
    """
    known = _whole_list(library, _DRIVES)
    _keep(library, [drive if one.id == drive.id else one for one in known], _DRIVES)


def _whole_list(library: Library, use: _Use) -> list[Place]:
    """The list as it is, to be written anew. One that is damaged is not: what it said would be lost."""
    good, bad = _listed(library, use)
    if bad:
        raise PlaceUnusable(library.root, f"its list of {use.word}s has to be put right first. {' '.join(bad)}")
    return good


def connected(place: Place, mounts: Iterable[str] = ()) -> Place | None:
    """A place where it is now: where it was last seen, or below another mount point; None where it is not connected.

    Args:
        mounts: the tops of media that are mounted now.
    """
    roots, use = [place.root, *(os.path.normpath(os.path.join(mount, place.below)) for mount in mounts)], _use_of(place)
    for root in roots if place.root else ():
        # One that does not answer is not there; nor may any other mount of this machine hold up who asks.
        with contextlib.suppress(OSError, PageBroken):
            if patiently(root, partial(_identity, root, use)) == (place.id, place.library):
                return replace(place, root=root)
    return None


def drives_here(library: Library) -> list[Place]:
    """The archive drives that are connected, where they are now. Where a library has none, nothing is asked."""
    known = known_drives(library)
    tops = [mount.point for mount in mounts()] if known else []
    return [here for one in known if (here := connected(one, tops)) is not None]


def _use_of(place: Place) -> _Use:
    return _DRIVES if place.archive else _BACKUPS


def _check(library: Library, root: str, use: _Use) -> None:
    if not os.path.isdir(root):
        raise PlaceUnusable(root, "there is no such folder; make it, or connect its drive, first")
    if is_library(root):
        raise PlaceUnusable(root, "it is a library itself")
    above = os.path.dirname(root)
    while use is _DRIVES and above != os.path.dirname(above):
        if is_library(above):
            raise PlaceUnusable(root, f"it lies in the library {above}")
        above = os.path.dirname(above)
    real, home = os.path.realpath(root), os.path.realpath(library.root)
    if f"{real}/".startswith(f"{home}/") or f"{home}/".startswith(f"{real.rstrip('/')}/"):
        raise PlaceUnusable(root, "it lies in the library, or the library in it")
    other = _BACKUPS if use is _DRIVES else _DRIVES
    for one in _listed(library, other)[0]:
        there = os.path.realpath(one.root)
        if f"{real}/".startswith(f"{there}/") or f"{there}/".startswith(f"{real.rstrip('/')}/"):
            raise PlaceUnusable(root, f"it is the {other.word} {one.name}, or lies in it, or has it in it")
    with contextlib.suppress(OSError):
        if Tree(root).found(other.mark) is not None:
            raise PlaceUnusable(root, f"it is marked as {'a' if use is _DRIVES else 'an'} {other.word}")


def _mark(library: Library, root: str, use: _Use) -> None:
    import tomlkit

    tree = Tree(root)
    tree.make_folders(use.mark.folder)
    page = tomlkit.document()
    page.add(tomlkit.comment(use.about))
    page.update({"format": 1, "id": str(uuid.uuid4()), "library": library.id})
    with contextlib.suppress(FileExistsError):
        tree.write_new(use.mark, tomlkit.dumps(page).encode())


def _identity(root: str, use: _Use) -> tuple[str, str]:
    """The ids of a place and of its library.

    Raises:
        OSError: when it is no place.
        PageBroken: when its mark is damaged.
    """
    from jutrek.library import pages
    from jutrek.library.pagefiles import toml_page

    tree = Tree(root)
    page = pages.checked(pages.PLACE_MARK, toml_page(tree, use.mark), tree.at(use.mark))
    return page["id"], page["library"]


def _top_of(path: str) -> str:
    """The mount point above a path."""
    while not os.path.ismount(path):
        path = os.path.dirname(path)
    return path


def _keep(library: Library, places: Iterable[Place], use: _Use) -> None:
    texts = ({"id": one.id, "name": one.name, "root": one.root, "below": one.below} for one in places)
    tables = ({key: text.encode("utf-8", "replace").decode() for key, text in one.items()} for one in texts)
    try:
        library.tree.write_own(use.list, tables_text(use.note, use.table, tables))
    except OSError as error:
        raise PlaceUnusable(library.root, f"its list of {use.word}s can't be written: {reason(error)}") from error


def apart(source: str, library: Library, places: Iterable[str] = ()) -> frozenset[str]:
    """Check that a source is not the library's own, nor an archive drive of it, and tell which folders to leave out.

    Args:
        places: the roots of its other places, which a source must not be either.

    Returns:
        Paths of the library and of places as seen from the source, where they lie inside it.

    Raises:
        SourceRefused: when the source is the library or a place, or lies inside one.
    """
    real_source, inside = os.path.realpath(source), set()
    drives = (drive.root for drive in known_drives(library) if drive.root)
    for root in (library.root, *places, *drives):
        real_root = os.path.realpath(root)
        if real_source == real_root or real_source.startswith(real_root + os.sep):
            raise SourceRefused(source, root)
        if real_root.startswith(real_source.rstrip(os.sep) + os.sep):
            inside.add(os.path.join(source, os.path.relpath(real_root, real_source)))
    return frozenset(inside)
