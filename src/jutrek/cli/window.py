"""`jutrek app` and `demo`: the window."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from jutrek.cli.telling import complain, say


def app_command(
    folders: Annotated[
        list[Path] | None, typer.Argument(help="Sources to begin with.", exists=True, file_okay=False)
    ] = None,
    library: Annotated[
        Path | None, typer.Option("--library", "-l", help="The library; else the one used last.")
    ] = None,
) -> None:
    """Open the window."""
    _needs_screen()
    from jutrek.ui.app.start import run_window

    sys.exit(run_window([str(path) for path in folders or ()], str(library) if library else None))


def demo_command(
    at: Annotated[Path, typer.Option("--at", help="Where the demo lies, or is to be made.")] = Path("demo-data"),
    picture: Annotated[Path | None, typer.Option("--picture", help="Write a picture of the window, and end.")] = None,
    build_only: Annotated[
        bool, typer.Option("--build-only", help="Make the demo's cards and library, and end.")
    ] = False,
    mess: Annotated[
        bool, typer.Option("--mess", help="Instead ten years of pictures that nobody sorted: sort them by hand.")
    ] = False,
) -> None:
    """Open the window on the made-up story that comes with Jutrek."""
    from jutrek.demo import build, build_mess
    from jutrek.desk.furnishing import furnish
    from jutrek.library import new_library

    if mess:
        pile = build_mess(str(at / "Old pictures"), lambda what: say(f"Making the demo: {what} …"))
        new_library(pile)
        _show([], pile, picture, build_only=build_only)
        return
    scenario = build(str(at), lambda what: say(f"Making the demo: {what} …"))
    furnish(scenario.library, scenario.place)
    _show(list(scenario.sources), scenario.library, picture, build_only=build_only)


def _show(sources: list[str], library: str, picture: Path | None, *, build_only: bool) -> None:
    """Open the window on what was made, or write a picture of it."""
    if build_only:
        return
    if picture is None:
        _needs_screen()
    from jutrek.ui.app.start import picture_of_window, run_window

    if picture is not None:
        picture_of_window(sources, library, str(picture))
        return
    sys.exit(run_window(sources, library))


def _needs_screen() -> None:
    """End with a sentence where a window cannot be shown; Qt would abort."""
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        complain("There is no screen here. `jutrek plan` and `jutrek bring` do the same job.")
        raise typer.Exit(2)
