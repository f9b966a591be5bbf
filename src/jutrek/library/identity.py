"""A library: a root folder with its own identity under `.jutrek/`."""

from __future__ import annotations

import os
import tomllib
import uuid
from collections.abc import Iterable
from dataclasses import dataclass

from jutrek.disk import sync_folder, write_new
from jutrek.errors import LibraryMissing, SourceRefused, reason

OWN_FOLDER = ".jutrek"
HASH_LISTS = "ascmhl"
"""The folder of hash lists, whose name is laid down by their specification."""
FORMAT = 1


@dataclass(frozen=True, slots=True)
class Library:
    """A library that can be used.

    Attributes:
        root: its absolute path.
        id: a UUID that stays with the library wherever it is mounted.
        name: what to call it.
    """

    root: str
    id: str
    name: str

    @property
    def own(self) -> str:
        """The folder in which the library keeps its rules and journals."""
        return os.path.join(self.root, OWN_FOLDER)

    @property
    def ledger_path(self) -> str:
        """Where this person's ledger of the library lies (XDG data folder)."""
        import platformdirs

        return os.path.join(platformdirs.user_data_dir("jutrek"), "ledgers", f"{self.id}.sqlite")


def open_library(path: str) -> Library:
    """Open a folder as a library; one that is none yet is given an identity. Nothing else in it is touched.

    Raises:
        LibraryMissing: when there is no such folder, or it cannot be written.
    """
    root = os.path.abspath(path)
    if not os.path.isdir(root):
        what = "it is not a folder" if os.path.exists(root) else "there is no such folder"
        raise LibraryMissing(root, f"{what}; make it, or connect its drive, first")
    identity = os.path.join(root, OWN_FOLDER, "library.toml")
    try:
        if not os.path.exists(identity):
            _found(root, identity)
        with open(identity, "rb") as file:
            entries = tomllib.load(file)
        if int(entries["format"]) > FORMAT:
            raise LibraryMissing(root, "a newer Jutrek made it")
        return Library(root, str(uuid.UUID(entries["id"])), str(entries.get("name") or os.path.basename(root)))
    except OSError as error:
        raise LibraryMissing(root, reason(error)) from error
    except (tomllib.TOMLDecodeError, KeyError, ValueError, TypeError) as error:
        raise LibraryMissing(root, f"{identity} is damaged ({error})") from error


def _found(root: str, identity: str) -> None:
    import tomlkit

    own = os.path.dirname(identity)
    if not os.path.isdir(own):
        os.mkdir(own)
        sync_folder(root)
    page = tomlkit.document()
    page.add(tomlkit.comment("This folder is a Jutrek library. The id tells its ledger; keep it with the library."))
    page.add("format", tomlkit.item(FORMAT))
    page.add("id", tomlkit.item(str(uuid.uuid4())))
    page.add("name", tomlkit.item(os.path.basename(root).encode("utf-8", "replace").decode()))
    try:
        write_new(identity, tomlkit.dumps(page).encode())
    except FileExistsError:
        return


def apart(source: str, library: Library, places: Iterable[str] = ()) -> frozenset[str]:
    """Check that a source is not the library's own, and tell which folders of it to leave out.

    Args:
        places: the roots of its other places, which a source must not be either.

    Returns:
        Paths of the library and of places as seen from the source, where they lie inside it.

    Raises:
        SourceRefused: when the source is the library or a place, or lies inside one.
    """
    real_source, inside = os.path.realpath(source), set()
    for root in (library.root, *places):
        real_root = os.path.realpath(root)
        if real_source == real_root or real_source.startswith(real_root + os.sep):
            raise SourceRefused(source, root)
        if real_root.startswith(real_source.rstrip(os.sep) + os.sep):
            inside.add(os.path.join(source, os.path.relpath(real_root, real_source)))
    return frozenset(inside)
