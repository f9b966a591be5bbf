"""Which library a command is about: the one that is named, else the one that was used last."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Annotated

import typer

from jutrek.cli.completing import is_completing, libraries
from jutrek.cli.telling import say


def used_last() -> Path:
    """The library that was used last; it is said which one that is.

    Raises:
        typer.BadParameter: when none was.
    """
    from jutrek.desk.settings import last_library

    root = last_library()
    if is_completing():
        return Path(root)
    if not root:
        raise typer.BadParameter("say which library: --library", param_hint="--library")
    say(f"Library: {root}, the one used last.")
    return Path(root)


def named(path: Path) -> Path:
    """A library that was named; it is the one used last from now on."""
    from jutrek.desk.settings import last_library, remember_library
    from jutrek.library import is_library

    root = os.path.abspath(path)
    if not is_completing() and root != last_library() and is_library(root):
        remember_library(root)
    return path


LibraryOption = Annotated[
    Path,
    typer.Option(
        "--library", "-l", help="The library's root folder; else the one used last.", default_factory=used_last,
        show_default=False, callback=named, autocompletion=libraries,
    ),
]  # fmt: skip
