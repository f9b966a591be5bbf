"""Places: where else a library's files are kept, each mirrored with the same tree.

`LIBRARY/.jutrek/places.toml` lists them; each bears `PLACE/.jutrek/place.toml` with an identity that stays with it
wherever it is mounted. A place that is not connected is known all the same.
"""

from __future__ import annotations

import contextlib
import os
import uuid
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

from jutrek.disk import OWN_FOLDER, Tree, own, patiently
from jutrek.errors import PageBroken, PlaceUnusable, reason
from jutrek.library.identity import is_library
from jutrek.library.pagefiles import tables_text

if TYPE_CHECKING:
    from jutrek.library.identity import Library

LIBRARY = ""
"""The id under which the library itself counts as a place."""
_MARK_PAGE, _LIST = own("place.toml"), own("places.toml")
_NOTE = "Where else the files of this library are kept. Names may be edited by hand; the ids tell the drives."
_MARK = "This folder holds copies of a Jutrek library. The id tells its drive; keep it with the copies."


@dataclass(frozen=True, slots=True)
class Place:
    """A destination of copies.

    Attributes:
        id: a UUID that stays with it wherever it is mounted; empty for the library itself.
        name: what to call it.
        root: its absolute path, when it was last seen.
        below: its path below the top of its medium, by which it is found under another mount point.
        library: the id of the library that it is of; empty for the library itself.
    """

    id: str
    name: str
    root: str
    below: str = "."
    library: str = ""

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
    """The places of a library besides itself, as its list has them.

    An entry that is damaged is a place all the same, that nobody knows and that is never connected: what is said to be
    in every place is not said while one of them cannot be told.
    """
    good, bad = _listed(library)
    return (*good, *(Place(f"damaged-{number}", why, "", library=library.id) for number, why in enumerate(bad, 1)))


def damaged_places(library: Library) -> Sequence[str]:
    """A sentence for every entry of the list of places that is damaged."""
    return _listed(library)[1]


def _listed(library: Library) -> tuple[list[Place], list[str]]:
    from jutrek.library import pages

    found, bad = pages.listed(pages.LISTED_PLACE, library.tree, _LIST, "place")
    return [Place(one["id"], one["name"], one["root"], one.get("below", "."), library.id) for one in found], bad


def add_place(library: Library, path: str, name: str = "") -> Place:
    """Keep copies in a folder from now on. It gets an identity; nothing else in it is touched.

    Raises:
        PlaceUnusable: when it is no folder, cannot be written, is a library, lies in this one or has it in it, or
            belongs to another library.
    """
    root = os.path.abspath(path)
    _check(library, root)
    try:
        if Tree(root).found(_MARK_PAGE) is None:
            _mark(library, root)
        ids = _identity(root)
    except PageBroken as error:
        raise PlaceUnusable(root, f"its mark is damaged ({error.what})") from error
    except OSError as error:
        raise PlaceUnusable(root, reason(error)) from error
    if ids[1] != library.id:
        raise PlaceUnusable(root, "it holds copies of another library")
    top = _top_of(root)
    place = Place(ids[0], name or os.path.basename(root) or root, root, os.path.relpath(root, top), library.id)
    known = [one for one in _whole_list(library) if one.id != place.id]
    _keep(library, [*known, place])
    return place


def forget_place(library: Library, id_: str) -> None:
    """Keep no more copies in a place. What lies there stays there.

    Raises:
        PlaceUnusable: when the list cannot be written.
    """
    _keep(library, [place for place in _whole_list(library) if place.id != id_])


def _whole_list(library: Library) -> list[Place]:
    """The list as it is, to be written anew. One that is damaged is not: what it said would be lost."""
    good, bad = _listed(library)
    if bad:
        raise PlaceUnusable(library.root, f"its list of backups has to be put right first. {' '.join(bad)}")
    return good


def connected(place: Place, mounts: Iterable[str] = ()) -> Place | None:
    """A place where it is now: where it was last seen, or below another mount point; None where it is not connected.

    Args:
        mounts: the tops of media that are mounted now.
    """
    roots = [place.root, *(os.path.normpath(os.path.join(mount, place.below)) for mount in mounts)]
    for root in roots if place.root else ():
        # One that does not answer is not there; nor may any other mount of this machine hold up who asks.
        with contextlib.suppress(OSError, PageBroken):
            if patiently(root, partial(_identity, root)) == (place.id, place.library):
                return replace(place, root=root)
    return None


def _check(library: Library, root: str) -> None:
    if not os.path.isdir(root):
        raise PlaceUnusable(root, "there is no such folder; make it, or connect its drive, first")
    if is_library(root):
        raise PlaceUnusable(root, "it is a library itself")
    real, home = os.path.realpath(root), os.path.realpath(library.root)
    if f"{real}/".startswith(f"{home}/") or f"{home}/".startswith(f"{real.rstrip('/')}/"):
        raise PlaceUnusable(root, "it lies in the library, or the library in it")


def _mark(library: Library, root: str) -> None:
    import tomlkit

    tree = Tree(root)
    tree.make_folders(_MARK_PAGE.folder)
    page = tomlkit.document()
    page.add(tomlkit.comment(_MARK))
    page.update({"format": 1, "id": str(uuid.uuid4()), "library": library.id})
    with contextlib.suppress(FileExistsError):
        tree.write_new(_MARK_PAGE, tomlkit.dumps(page).encode())


def _identity(root: str) -> tuple[str, str]:
    """The ids of a place and of its library.

    Raises:
        OSError: when it is no place.
        PageBroken: when its mark is damaged.
    """
    from jutrek.library import pages
    from jutrek.library.pagefiles import toml_page

    tree = Tree(root)
    page = pages.checked(pages.PLACE_MARK, toml_page(tree, _MARK_PAGE), tree.at(_MARK_PAGE))
    return page["id"], page["library"]


def _top_of(path: str) -> str:
    """The mount point above a path."""
    while not os.path.ismount(path):
        path = os.path.dirname(path)
    return path


def _keep(library: Library, places: Iterable[Place]) -> None:
    texts = ({"id": one.id, "name": one.name, "root": one.root, "below": one.below} for one in places)
    tables = ({key: text.encode("utf-8", "replace").decode() for key, text in one.items()} for one in texts)
    try:
        library.tree.write_own(_LIST, tables_text(_NOTE, "place", tables))
    except OSError as error:
        raise PlaceUnusable(library.root, f"its list of backups can't be written: {reason(error)}") from error
