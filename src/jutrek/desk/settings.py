"""What Jutrek remembers for this person between two starts (XDG configuration folder)."""

from __future__ import annotations

import os
import tomllib

import platformdirs
import tomlkit

from jutrek.disk import chosen, have_folder


def _path() -> str:
    return os.path.join(platformdirs.user_config_dir("jutrek"), "settings.toml")


def last_library() -> str:
    """The library that was used last, or an empty string. Damaged settings count as none."""
    try:
        with open(_path(), "rb") as file:
            return str(tomllib.load(file).get("library", ""))
    except (OSError, ValueError, RecursionError, AttributeError):
        return ""


def remember_library(root: str) -> None:
    """Remember the library for the next start. A folder that cannot be written is no trouble of the person's."""
    page = tomlkit.document()
    page.add("library", tomlkit.item(os.fsencode(root).decode("utf-8", "replace")))
    tree, name = chosen(_path())
    try:
        have_folder(tree.root).write_own(name, tomlkit.dumps(page).encode())
    except OSError:
        return
