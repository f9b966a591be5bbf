"""What Jutrek remembers for this person between two starts (XDG configuration folder)."""

from __future__ import annotations

import hashlib
import os
import tomllib
from collections.abc import Mapping
from typing import Any

import platformdirs

from jutrek.desk.finding import uses_of, uses_text
from jutrek.disk import chosen, have_folder


def _path() -> str:
    return os.path.join(platformdirs.user_config_dir("jutrek"), "settings.toml")


def _read() -> dict[str, Any]:
    """All that is remembered. Damaged settings count as none."""
    try:
        with open(_path(), "rb") as file:
            return tomllib.load(file)
    except (OSError, ValueError, RecursionError):
        return {}


def _remember(**entries: str) -> None:
    """Remember more. A folder that cannot be written is no trouble of the person's."""
    import tomlkit

    page = tomlkit.document()
    for key, value in {**_read(), **entries}.items():
        if isinstance(value, str):
            page.add(key, tomlkit.item(value))
    tree, name = chosen(_path())
    try:
        have_folder(tree.root).write_own(name, tomlkit.dumps(page).encode())
    except OSError:
        return


def last_library() -> str:
    """The library that was used last, or an empty string."""
    return str(_read().get("library", ""))


def remember_library(root: str) -> None:
    """Remember the library for the next start."""
    _remember(library=os.fsencode(root).decode("utf-8", "replace"))


def last_size() -> int:
    """In which size small pictures were shown last, counted from the smallest."""
    size = str(_read().get("pictures", ""))
    return int(size) if size.isascii() and size.isdigit() and len(size) < 3 else 0


def last_library_size() -> int | None:
    """In which size the Library page showed pictures last, counted from the smallest; None where it never was."""
    size = str(_read().get("library-pictures", ""))
    return int(size) if size.isascii() and size.isdigit() and len(size) < 3 else None


def remember_library_size(size: int) -> None:
    """Remember the size of the Library page's pictures."""
    _remember(**{"library-pictures": str(size)})


def remember_size(size: int) -> None:
    """Remember the size of small pictures."""
    _remember(pictures=str(size))


def last_trunk(library: str) -> str:
    """The folder of a library up to which folders were hidden last, relative to it; empty where none were."""
    return str(_read().get(_trunk_of(library), ""))


def remember_trunk(library: str, folder: str) -> None:
    """Remember up to which folder those of a library are hidden."""
    _remember(**{_trunk_of(library): os.fsencode(folder).decode("utf-8", "replace")})


def _trunk_of(library: str) -> str:
    return f"trunk-{hashlib.sha256(os.fsencode(library)).hexdigest()[:16]}"


def last_uses() -> dict[str, float]:
    """How much each thing that can be done was used."""
    return uses_of(str(_read().get("uses", "")))


def remember_uses(uses: Mapping[str, float]) -> None:
    """Remember how much each was."""
    _remember(uses=uses_text(uses))


def last_window() -> tuple[str, str]:
    """How the window was when it was closed last: its geometry, as text of the window's own, and the page's key."""
    found = _read()
    return str(found.get("window", "")), str(found.get("page", ""))


def remember_window(geometry: str, page: str) -> None:
    """Remember how the window is."""
    _remember(window=geometry, page=page)
