"""`jutrek say`: what captures at home are, said anew. `jutrek devices`: what a library's devices are called."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.completing import devices
from jutrek.cli.keeping import opened
from jutrek.cli.library import LibraryOption, named, used_last
from jutrek.cli.options import AsJson
from jutrek.cli.taking_back import below_root
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import out
from jutrek.cli.telling import say as tell
from jutrek.errors import NotPossible, shown
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.library import Library

devices_app = typer.Typer(
    help="What a library's devices are called: letter, name, person, colour.", invoke_without_command=True
)
_Shoot = Annotated[str | None, typer.Option("--shoot", help="What the shoot was, and where: “survey @ bridge”.")]
_Place = Annotated[str | None, typer.Option("--place", help="Where it was.")]
_Person = Annotated[str | None, typer.Option("--person", help="Who made it.")]
_Job = Annotated[str | None, typer.Option("--job", help="The job's number.")]
_Client = Annotated[str | None, typer.Option("--client", help="For whom it was.")]
_Title = Annotated[str | None, typer.Option("--title", help="What the intake is called.")]


def say_command(
    paths: Annotated[list[str], typer.Argument(help="Files and folders of the library.", metavar="PATH…")],
    library: LibraryOption,
    shoot: _Shoot = None,
    place: _Place = None,
    person: _Person = None,
    job: _Job = None,
    client: _Client = None,
    title: _Title = None,
) -> None:
    """Say anew what captures at home are; '' takes something away. Nothing moves before `jutrek refile`."""
    from jutrek.transfer.saying import Words, say

    words = Words(shoot, place, person, job, client, title)
    if words == Words():
        raise typer.BadParameter("say something: --shoot, --place, --person, --job, --client or --title")
    with opened(library, surveyed=True) as (home, ledger):
        count = say(home, ledger, [below_root(home, path) for path in paths], words)
    more = " `jutrek refile` files them anew; `jutrek take-back` takes it back." if count else ""
    tell(f"Said of {counted(count, 'file')}.{more}")


@devices_app.callback()
def devices_command(
    context: typer.Context,
    library: Annotated[
        Path | None, typer.Option("--library", "-l", help="The library's root folder; else the one used last.")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """List the devices that a library knows."""
    from jutrek.library import known_devices, open_library

    if context.invoked_subcommand is not None:
        return
    library = used_last() if library is None else named(library)
    known = sorted(known_devices(open_library(str(library))).values(), key=lambda one: (len(one.letter), one.letter))
    if as_json:
        tell_json([asdict(one) for one in known], indent=1)
        return
    for one in known:
        out(one.letter, one.name, one.operator or "-", one.key)


@devices_app.command("set")
def set_device(
    device: Annotated[str, typer.Argument(help="Its letter, name or key.", autocompletion=devices)],
    library: LibraryOption,
    letter: Annotated[str | None, typer.Option("--letter", help="Another letter.")] = None,
    name: Annotated[str | None, typer.Option("--name", help="What to call it.")] = None,
    person: Annotated[str | None, typer.Option("--person", help="Who carries it; '' for nobody.")] = None,
    colour: Annotated[int | None, typer.Option("--colour", min=0, max=7, help="Its colour, by number.")] = None,
) -> None:
    """Call a device something else, or say who carries it: also of what it made and nobody said otherwise of."""
    from jutrek.desk.naming_devices import change_devices
    from jutrek.library import known_devices

    if (letter, name, person, colour) == (None, None, None, None):
        raise typer.BadParameter("say what to set: --letter, --name, --person or --colour")
    with opened(library, surveyed=True) as (home, ledger):
        known = list(known_devices(home).values())
        old = _named(home, device, known)
        new = replace(
            old,
            letter=old.letter if letter is None else _letter(letter, old, known),
            name=(name or "").strip() or old.name,
            operator=old.operator if person is None else " ".join(person.split()),
            colour=old.colour if colour is None else colour,
        )
        count = change_devices(home, ledger, [new])
    who = new.operator or "nobody"
    more = f" {counted(count, 'file at home is', 'files at home are')} said to be by {who}." if count else ""
    tell(f"{new.letter} · {new.name}, carried by {who}.{more} `jutrek refile` files anew.")


def _named(library: Library, text: str, known: Sequence[Device]) -> Device:
    """The one device that a letter, name or key means.

    Raises:
        NotPossible: when there is none, or more than one.
    """
    wanted = text.casefold()
    for field in ("letter", "name", "key"):
        found = [one for one in known if getattr(one, field).casefold() == wanted]
        if len(found) == 1:
            return found[0]
    there = ", ".join(f"{one.letter} · {one.name}" for one in known) or "none"
    raise NotPossible(library.root, f"there is no device {shown(text)}; there are: {shown(there)}")


def _letter(text: str, own: Device, known: Sequence[Device]) -> str:
    letter = text.strip().upper()
    if not letter.isalnum() or len(letter) > 2:
        raise typer.BadParameter(f"“{text}” is no letter")
    if taken := next((one for one in known if one.letter == letter and one.key != own.key), None):
        raise typer.BadParameter(f"{letter} is the letter of {taken.name}; give that one another letter first")
    return letter
