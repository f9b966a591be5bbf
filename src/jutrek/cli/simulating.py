"""`jutrek simulate card`: cards that appear, are slow, fail and are pulled, to try and to show."""

from __future__ import annotations

import re
import sys
from pathlib import Path
from typing import Annotated

import typer

from jutrek.cli.telling import complain, say
from jutrek.errors import SourceUnreadable

simulate_app = typer.Typer(help="Simulated hardware, to try what real cards do.", no_args_is_help=True)

_SPEED = re.compile(r"([\d.]+)\s*([kMG]?)B(?:/s)?", re.IGNORECASE)
_FACTORS = {"": 1, "k": 10**3, "m": 10**6, "g": 10**9}


@simulate_app.command("card")
def card_command(
    names: Annotated[list[str], typer.Argument(help="Cards of the demo, such as A; or folders.")],
    at: Annotated[Path, typer.Option("--at", help="Where the demo lies.")] = Path("demo-data"),
    slow: Annotated[str | None, typer.Option("--slow", help="How fast it reads at most.", metavar="20MB/s")] = None,
    fail_at: Annotated[
        str | None, typer.Option("--fail-at", help="After which share a spot cannot be read.", metavar="40%")
    ] = None,
    pull_at: Annotated[
        str | None, typer.Option("--pull-at", help="After which share it is pulled.", metavar="60%")
    ] = None,
    library: Annotated[
        Path | None, typer.Option("--library", "-l", help="The library of the window; else the demo's.")
    ] = None,
    run: Annotated[
        str | None, typer.Option("--run", help="Another command that is to see the cards; {} is the first one.")
    ] = None,
) -> None:
    """Put cards into a simulated reader, and open the window that sees them appear."""
    import shlex

    try:
        from jutrek.simulate.reader import Reader, Troubles
    except (ImportError, OSError) as error:
        complain(f"the simulated reader needs `pip install jutrek[simulate]` and fuse3 ({error}).")
        raise typer.Exit(3) from error
    try:
        troubles = Troubles(_speed(slow), _share(fail_at), _share(pull_at))
    except ValueError as error:
        raise typer.BadParameter(str(error)) from error
    with Reader() as reader:
        mounts = []
        for name in names:
            folder = Path(name) if "/" in name or Path(name).is_dir() else at / f"Card {name}"
            try:
                mounts.append(reader.put_in(str(folder), folder.name, troubles).mount)
            except SourceUnreadable as error:
                raise typer.BadParameter(f"{error} `jutrek demo --build-only` makes the demo's cards.") from error
        say(f"In the reader: {', '.join(mounts)}")
        home = str(library or at / "Velmora line archive")
        command = shlex.split(run.replace("{}", shlex.quote(mounts[0]))) if run else []
        code = reader.serve_while(command or [sys.executable, "-m", "jutrek", "app", "--library", home])
    raise typer.Exit(code)


def _speed(text: str | None) -> int:
    if text is None:
        return 0
    found = _SPEED.fullmatch(text.strip())
    if not found:
        raise ValueError(f"A speed is written like 20MB/s, not “{text}”.")
    return int(float(found[1]) * _FACTORS[found[2].lower()])


def _share(text: str | None) -> float | None:
    if text is None:
        return None
    try:
        share = float(text.strip().rstrip("%")) / 100
    except ValueError:
        share = -1.0
    if not 0 <= share <= 1:
        raise ValueError(f"A share is written like 40%, not “{text}”.")
    return share
