"""Places: where else a library's files are kept, each mirrored with the same tree.

`LIBRARY/.jutrek/places.toml` lists them; each bears `PLACE/.jutrek/place.toml` with an identity that stays with it
wherever it is mounted. A place that is not connected is known all the same.
"""

from __future__ import annotations

import contextlib
import os
import tomllib
import uuid
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from jutrek.disk import sync_folder, write_new, write_own
from jutrek.errors import PlaceUnusable, reason
from jutrek.library.identity import OWN_FOLDER

if TYPE_CHECKING:
    from jutrek.library.identity import Library

LIBRARY = ""
"""The id under which the library itself counts as a place."""
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
    """

    id: str
    name: str
    root: str
    below: str = "."

    @property
    def own(self) -> str:
        """The folder in which Jutrek keeps what belongs to the place."""
        return os.path.join(self.root, OWN_FOLDER)


def as_place(library: Library) -> Place:
    """The library as a place."""
    return Place(LIBRARY, library.name, library.root)


def known_places(library: Library) -> tuple[Place, ...]:
    """The places of a library besides itself, as its list has them. A list that is missing or damaged is empty."""
    try:
        with open(_list(library), "rb") as file:
            tables = tomllib.load(file).get("place", [])
        return tuple(
            Place(str(uuid.UUID(one["id"])), str(one["name"]), str(one["root"]), str(one.get("below", ".")))
            for one in tables
        )
    except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError, KeyError, ValueError, TypeError, AttributeError):
        return ()


def add_place(library: Library, path: str, name: str = "") -> Place:
    """Keep copies in a folder from now on. It gets an identity; nothing else in it is touched.

    Raises:
        PlaceUnusable: when it is no folder, cannot be written, is a library, lies in this one or has it in it, or
            belongs to another library.
    """
    root = os.path.abspath(path)
    _check(library, root)
    identity = os.path.join(root, OWN_FOLDER, "place.toml")
    try:
        if not os.path.exists(identity):
            _mark(library, root, identity)
        entries = _identity(root)
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise PlaceUnusable(
            root, reason(error) if isinstance(error, OSError) else f"its mark is damaged ({error})"
        ) from error
    if entries["library"] != library.id:
        raise PlaceUnusable(root, "it holds copies of another library")
    top = _top_of(root)
    place = Place(entries["id"], name or os.path.basename(root) or root, root, os.path.relpath(root, top))
    known = [one for one in known_places(library) if one.id != place.id]
    _keep(library, [*known, place])
    return place


def forget_place(library: Library, id_: str) -> None:
    """Keep no more copies in a place. What lies there stays there.

    Raises:
        PlaceUnusable: when the list cannot be written.
    """
    _keep(library, [place for place in known_places(library) if place.id != id_])


def connected(place: Place, mounts: Iterable[str] = ()) -> Place | None:
    """A place where it is now: where it was last seen, or below another mount point; None where it is not connected.

    Args:
        mounts: the tops of media that are mounted now.
    """
    roots = [place.root, *(os.path.normpath(os.path.join(mount, place.below)) for mount in mounts)]
    for root in roots:
        with contextlib.suppress(OSError, ValueError, KeyError, TypeError):
            if _identity(root)["id"] == place.id:
                return replace(place, root=root)
    return None


def _check(library: Library, root: str) -> None:
    if not os.path.isdir(root):
        raise PlaceUnusable(root, "there is no such folder; make it, or connect its drive, first")
    if os.path.exists(os.path.join(root, OWN_FOLDER, "library.toml")):
        raise PlaceUnusable(root, "it is a library itself")
    real, home = os.path.realpath(root), os.path.realpath(library.root)
    if f"{real}/".startswith(f"{home}/") or f"{home}/".startswith(f"{real.rstrip('/')}/"):
        raise PlaceUnusable(root, "it lies in the library, or the library in it")


def _mark(library: Library, root: str, identity: str) -> None:
    import tomlkit

    own = os.path.dirname(identity)
    if not os.path.isdir(own):
        os.mkdir(own)
        sync_folder(root)
    page = tomlkit.document()
    page.add(tomlkit.comment(_MARK))
    page.update({"format": 1, "id": str(uuid.uuid4()), "library": library.id})
    with contextlib.suppress(FileExistsError):
        write_new(identity, tomlkit.dumps(page).encode())


def _identity(root: str) -> dict[str, str]:
    """The ids of a place and of its library. Raises OSError, ValueError, KeyError or TypeError where it is none."""
    with open(os.path.join(root, OWN_FOLDER, "place.toml"), "rb") as file:
        entries = tomllib.load(file)
    return {name: str(uuid.UUID(entries[name])) for name in ("id", "library")}


def _top_of(path: str) -> str:
    """The mount point above a path."""
    while not os.path.ismount(path):
        path = os.path.dirname(path)
    return path


def _keep(library: Library, places: Iterable[Place]) -> None:
    import tomlkit

    page, tables = tomlkit.document(), tomlkit.aot()
    page.add(tomlkit.comment(_NOTE))
    for place in places:
        table = tomlkit.table()
        texts = {"id": place.id, "name": place.name, "root": place.root, "below": place.below}
        table.update({key: text.encode("utf-8", "replace").decode() for key, text in texts.items()})
        tables.append(table)
    page.add("place", tables)
    try:
        write_own(_list(library), tomlkit.dumps(page).encode())
    except OSError as error:
        raise PlaceUnusable(library.root, f"its list of places can't be written: {reason(error)}") from error


def _list(library: Library) -> str:
    return os.path.join(library.own, "places.toml")
