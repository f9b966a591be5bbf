"""A library: a root folder with its own identity under `.jutrek/`.

Only who wants a library makes one; asking about a folder never does.
"""

from __future__ import annotations

import difflib
import os
import uuid
from dataclasses import dataclass
from typing import Any

from jutrek.disk import OWN_FOLDER, Tree, own
from jutrek.errors import LibraryMissing, NoLibrary, PageBroken, reason
from jutrek.library.pagefiles import toml_page

FORMAT = 1
_IDENTITY = own("library.toml")
_LONGEST_NAME = 1000
_OWN = _IDENTITY.folder


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
    def tree(self) -> Tree:
        """The folder in which everything of the library lies."""
        return Tree(self.root)

    @property
    def own(self) -> str:
        """The folder in which the library keeps its rules and journals, to be shown."""
        return os.path.join(self.root, OWN_FOLDER)

    @property
    def ledger_path(self) -> str:
        """Where this person's ledger of the library lies (XDG data folder)."""
        import platformdirs

        return os.path.join(platformdirs.user_data_dir("jutrek"), "ledgers", f"{self.id}.sqlite")


def open_library(path: str) -> Library:
    """Open a folder that is a library. Nothing is made or touched.

    Raises:
        LibraryMissing: when there is no such folder, or its identity cannot be read.
        NoLibrary: when it is a folder, and no library; the sentence names libraries near it.
    """
    root = _folder(path)
    tree = Tree(root)
    try:
        page = toml_page(tree, _IDENTITY)
        made_by, id_, name = _identity(page, tree.at(_IDENTITY))
    except (FileNotFoundError, NotADirectoryError) as error:
        raise NoLibrary(root, nearby(root)) from error
    except PageBroken as error:
        raise LibraryMissing(root, f"{error.what} ({error.path})") from error
    if made_by > FORMAT:
        raise LibraryMissing(root, "a newer Jutrek made it")
    return Library(root, id_, name or os.path.basename(root))


def _identity(page: dict[str, Any], path: str) -> tuple[int, str, str]:
    """The format, the id and the name that a page tells. Every command reads it: no model is loaded for three values.

    Raises:
        PageBroken: when one of them is none.
    """
    made_by, id_, name = page.get("format"), page.get("id"), page.get("name")
    if not isinstance(made_by, int) or isinstance(made_by, bool) or made_by < 0:
        raise PageBroken(path, "format: a whole number is wanted")
    if not isinstance(name, str) or len(name) > _LONGEST_NAME:
        raise PageBroken(path, f"name: a text of at most {_LONGEST_NAME} characters is wanted")
    try:
        return made_by, str(uuid.UUID(id_ if isinstance(id_, str) else "")), name
    except ValueError as error:
        raise PageBroken(path, "id: a UUID is wanted") from error


def new_library(path: str) -> Library:
    """Make a library of a folder, or open the one that it is. Nothing else in it is touched.

    Raises:
        LibraryMissing: when there is no such folder, or it cannot be written.
    """
    root = _folder(path)
    try:
        return open_library(root)
    except NoLibrary:
        try:
            _found(root)
        except OSError as error:
            raise LibraryMissing(root, reason(error)) from error
    return open_library(root)


def is_library(path: str) -> bool:
    """Whether a folder is a library."""
    try:
        return Tree(path).found(_IDENTITY) is not None
    except OSError:
        return False


_NEAR = 3


def nearby(root: str) -> list[str]:
    """Libraries near a folder that is none: above it, in it, or beside it under a name that is like its own."""
    above, found = root, []
    while above != os.path.dirname(above):
        above = os.path.dirname(above)
        found.append(above)
    parent, name = os.path.split(root)
    beside = difflib.get_close_matches(name, [one for one in _folders(parent) if one != name], n=_NEAR)
    found += [os.path.join(root, one) for one in _folders(root)] + [os.path.join(parent, one) for one in beside]
    return [one for one in found if is_library(one)][:_NEAR]


def _folders(path: str) -> list[str]:
    try:
        with os.scandir(path) as entries:
            return sorted(entry.name for entry in entries if entry.is_dir(follow_symlinks=False))
    except OSError:
        return []


def _folder(path: str) -> str:
    root = os.path.abspath(path)
    if not os.path.isdir(root):
        if os.path.exists(root):
            raise LibraryMissing(root, "it is not a folder; make one, or connect its drive, first")
        near = nearby(root)
        raise NoLibrary(root, near) if near else LibraryMissing(
            root, "there is no such folder; make it, or connect its drive, first"
        )  # fmt: skip
    return root


def _found(root: str) -> None:
    import tomlkit

    tree = Tree(root)
    tree.make_folders(_OWN)
    page = tomlkit.document()
    page.add(tomlkit.comment("This folder is a Jutrek library. The id tells its ledger; keep it with the library."))
    page.add("format", tomlkit.item(FORMAT))
    page.add("id", tomlkit.item(str(uuid.uuid4())))
    page.add("name", tomlkit.item(os.path.basename(root).encode("utf-8", "replace").decode()))
    try:
        tree.write_new(_IDENTITY, tomlkit.dumps(page).encode())
    except FileExistsError:
        return
