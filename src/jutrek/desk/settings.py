"""What Jutrek remembers for this person between two starts (XDG configuration folder)."""

from __future__ import annotations

import os
import tomllib

import platformdirs
import tomlkit


def _path() -> str:
    return os.path.join(platformdirs.user_config_dir("jutrek"), "settings.toml")


def last_library() -> str:
    """The library that was used last, or an empty string. Damaged settings count as none."""
    try:
        with open(_path(), "rb") as file:
            return str(tomllib.load(file).get("library", ""))
    except (OSError, tomllib.TOMLDecodeError):
        return ""


def remember_library(root: str) -> None:
    """Remember the library for the next start. A folder that cannot be written is no trouble of the person's."""
    page = tomlkit.document()
    page.add("library", tomlkit.item(os.fsencode(root).decode("utf-8", "replace")))
    temporary = f"{_path()}.new"
    try:
        os.makedirs(os.path.dirname(temporary), exist_ok=True)
        with open(temporary, "w", encoding="utf-8") as file:
            file.write(tomlkit.dumps(page))
        os.replace(temporary, _path())
    except OSError:
        return
