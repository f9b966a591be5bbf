"""`jutrek prove`, `clear`, `drives`, `eject`: what becomes of a card once all on it is home."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.completing import places
from jutrek.cli.keeping import DONE, NOT_ALL, UNUSABLE, opened
from jutrek.cli.library import LibraryOption
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import complain, out, page, raw_json, say
from jutrek.errors import DriveTrouble, NotPossible, SourceUnreadable, reason, shown
from jutrek.words import counted

if TYPE_CHECKING:
    import threading

    from jutrek.desk.places import Places
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.certificate import Certificate

_Source = Annotated[Path, typer.Argument(help="A card or folder.", exists=True, file_okay=False)]
_Again = Annotated[bool, typer.Option("--read-back", help="Read every copy once more, also if it was read today.")]
_Without = Annotated[
    list[str] | None,
    typer.Option("--without", help="A backup that needs none of it.", metavar="BACKUP", autocompletion=places),
]


def prove_command(
    source: _Source,
    library: LibraryOption,
    again: _Again = False,
    without: _Without = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the certificate as JSON.")] = False,
    eject: Annotated[bool, typer.Option("--eject", help="If it is safe, eject it: it may be pulled then.")] = False,
) -> None:
    """Prove afresh that all on a card is home, whatever it is called there. The certificate is printed, and kept."""
    from jutrek.desk.places import places_of
    from jutrek.transfer.release import keep_certificate

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger):
        places = places_of(home).without(without or ())
        certificate = certify(source, home, ledger, places, again=again, stop=stop)
        try:
            path = keep_certificate(certificate, home)
        except OSError as error:
            raise NotPossible(home.root, f"the certificate can't be kept: {reason(error)}") from error
    raw_json(certificate.as_json()) if as_json else page(certificate.text())
    say(certificate.verdict)
    say(f"Kept as {path}")
    if eject and certificate.safe:
        eject_command(source)
    raise typer.Exit(DONE if certificate.safe else NOT_ALL)


def certify(
    source: Path, home: Library, ledger: Ledger, places: Places, *, again: bool, stop: threading.Event
) -> Certificate:
    """Prove a source, with a bar on a terminal.

    Args:
        source: the card or folder.
        home: the library.
        ledger: its ledger, open.
        places: those that are known.
        again: whether all copies are read once more.
        stop: ends the work when it is set.

    Raises:
        SourceUnreadable: when it cannot be listed.
    """
    from jutrek.cli.planning import house_of, working
    from jutrek.sources import known_source
    from jutrek.transfer.release import release

    try:
        known = known_source(str(source))
    except OSError as error:
        raise SourceUnreadable(str(source), error) from error
    rules = house_of(home.root)

    def begin(size: int, copies: int) -> None:
        say(f"Reading {size / 1e6:,.1f} MB of {known.name}, and {copies / 1e6:,.1f} MB of its copies once more.")

    with working() as report:
        return release(
            known, home, ledger, places.here, away=places.away, again=again, days=rules.proof_days,
            unwanted=rules.unwanted, stop=stop, begin=begin,
            report=lambda done, total: report("Proving", done, total),
        )  # fmt: skip


def clear_command(
    source: _Source,
    library: LibraryOption,
    trash: Annotated[bool, typer.Option("--trash", help="Into the trash of the medium, instead of for good.")] = False,
    files: Annotated[
        int | None,
        typer.Option("--files", min=0, help="Clear it: how many files go, as the command says without this."),
    ] = None,
    again: _Again = False,
    without: _Without = None,
) -> None:
    """Clear a card of what is proven in the library and every backup. Without --files it only says what would go."""
    from jutrek.desk.places import places_of
    from jutrek.transfer.clearing import Way, clear
    from jutrek.transfer.release import keep_certificate

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger):
        places = places_of(home).without(without or ())
        certificate = certify(source, home, ledger, places, again=again, stop=stop)
        going = 0 if certificate.away else len(certificate.home)
        way = Way.TRASH if trash else Way.REMOVE
        for one in certificate.home if going else ():
            out("goes", one.path)
        for file in (*certificate.missing, *certificate.others):
            out("stays", file.path, file.why)
        for thing in certificate.unaccounted:
            out("stays", thing.path, thing.why)
        for unwanted in certificate.unwanted:
            out("stays", unwanted.path, unwanted.unwanted)
        say(certificate.verdict)
        if going:
            oldest = datetime.fromisoformat(certificate.oldest).astimezone()
            say(f"Every copy was read back from its medium; the oldest proof is of {oldest:%Y-%m-%d %H:%M}.")
        if not going:
            say("Nothing goes: nothing on it is proven home in the library and every backup.")
            raise typer.Exit(DONE if certificate.safe else NOT_ALL)
        if files != going:
            how = "into its trash" if trash else "for good"
            say(f"Nothing is removed yet. --files {going} clears {counted(going, 'file')} {how}.")
            raise typer.Exit(DONE if files is None else NOT_ALL)
        keep_certificate(certificate, home)
        cleared = clear(certificate, home, ledger, places.here, way, stop=stop)
    for path, why in cleared.stayed:
        say(f"stays: {shown(path)}: {why}")
    say(f"{counted(cleared.gone, 'file')} gone ({cleared.bytes / 1e6:,.1f} MB), {len(cleared.stayed)} stay.")
    raise typer.Exit(DONE if cleared.gone == going else NOT_ALL)


def drives_command() -> None:
    """List the cards and drives that are connected."""
    from jutrek.sources import drives_now

    for one in drives_now():
        out(one.title, one.mount or "not mounted", one.filesystem, f"{one.size / 1e9:,.1f} GB", one.name)


def eject_command(path: Annotated[Path, typer.Argument(help="Anything on the card or drive.")]) -> None:
    """Write out what is left, and unmount a card or drive: it may be pulled then."""
    from jutrek.sources import drive_at, let_go

    drive = drive_at(str(path))
    if drive is None:
        complain(f"{shown(path)} is on no card or drive that comes and goes.")
        raise typer.Exit(UNUSABLE)
    try:
        say(let_go(drive))
    except DriveTrouble as error:
        complain(error)
        raise typer.Exit(UNUSABLE) from error
