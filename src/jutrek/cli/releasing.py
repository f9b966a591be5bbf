"""`jutrek release`, `clear`, `drives`, `eject`: what becomes of a card once all on it is home."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.keeping import DONE, NOT_ALL, UNUSABLE, LibraryOption, opened
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.errors import DriveTrouble, PlanUnusable, SourceUnreadable, reason, shown

if TYPE_CHECKING:
    import threading

    from jutrek.desk.keeping import Places
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.certificate import Certificate

_Source = Annotated[Path, typer.Argument(help="A card or folder.", exists=True, file_okay=False)]
_Again = Annotated[bool, typer.Option("--read-back", help="Read the copies back once more, too.")]
_Without = Annotated[
    list[str] | None, typer.Option("--without", help="A place that needs none of it.", metavar="PLACE")
]


def release_command(
    source: _Source,
    library: LibraryOption,
    again: _Again = False,
    without: _Without = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the certificate as JSON.")] = False,
    eject: Annotated[bool, typer.Option("--eject", help="If it is safe, unmount it and let it go.")] = False,
) -> None:
    """Prove afresh that all on a card is home, whatever it is called there. The certificate is printed, and kept."""
    from jutrek.desk.keeping import places_of
    from jutrek.transfer.release import keep_certificate

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger):
        places = places_of(home).without(without or ())
        certificate = certify(source, home, ledger, places, again=again, stop=stop)
        try:
            path = keep_certificate(certificate, home)
        except OSError as error:
            raise PlanUnusable(home.root, f"the certificate can't be kept: {reason(error)}") from error
    sys.stdout.write(certificate.as_json() + "\n" if as_json else certificate.text())
    sys.stderr.write(f"{certificate.verdict}\nKept as {shown(path)}\n")
    if eject and certificate.safe:
        eject_command(source)
    raise typer.Exit(DONE if certificate.safe else NOT_ALL)


def certify(
    source: Path, home: Library, ledger: Ledger, places: Places, *, again: bool, stop: threading.Event
) -> Certificate:
    """Prove a source, with a bar on a terminal.

    Raises:
        SourceUnreadable: when it cannot be listed.
    """
    from jutrek.cli.planning import working
    from jutrek.sources import known_source
    from jutrek.transfer.release import release

    try:
        known = known_source(str(source))
    except OSError as error:
        raise SourceUnreadable(str(source), error) from error
    with working() as report:
        return release(
            known, home, ledger, places.here, away=places.away, again=again, stop=stop,
            report=lambda done, total: report("Proving", done, total),
        )  # fmt: skip


def clear_command(
    source: _Source,
    library: LibraryOption,
    trash: Annotated[bool, typer.Option("--trash", help="Into the trash of the medium, instead of for good.")] = False,
    files: Annotated[
        int | None, typer.Option("--files", help="Clear it: how many files go, as the command says without this.")
    ] = None,
    again: _Again = False,
    without: _Without = None,
) -> None:
    """Clear a card of what is proven home in every place. Without --files it only says what would go."""
    from jutrek.desk.keeping import places_of
    from jutrek.transfer.clearing import Way, clear
    from jutrek.transfer.release import keep_certificate

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger):
        places = places_of(home).without(without or ())
        certificate = certify(source, home, ledger, places, again=again, stop=stop)
        going = 0 if certificate.away else len(certificate.home)
        way = Way.TRASH if trash else Way.REMOVE
        for one in certificate.home if going else ():
            sys.stdout.write(f"goes\t{shown(one.path)}\n")
        for one in (*certificate.missing, *certificate.others):
            sys.stdout.write(f"stays\t{shown(one.path)}\t{one.why}\n")
        sys.stderr.write(f"{certificate.verdict}\n")
        if files is None or files != going:
            how = "into its trash" if trash else "for good"
            sys.stderr.write(f"Nothing is removed yet. --files {going} clears {going} files {how}.\n")
            raise typer.Exit(DONE if files is None else NOT_ALL)
        keep_certificate(certificate, home)
        cleared = clear(certificate, home, places.here, way, stop=stop)
    for path, why in cleared.stayed:
        sys.stderr.write(f"stays: {shown(path)}: {why}\n")
    sys.stderr.write(f"{cleared.gone} files gone ({cleared.bytes / 1e6:,.1f} MB), {len(cleared.stayed)} stay.\n")
    raise typer.Exit(DONE if cleared.gone == going else NOT_ALL)


def drives_command() -> None:
    """List the cards and drives that are connected."""
    from jutrek.sources import drives_now

    for one in drives_now():
        where = shown(one.mount) or "not mounted"
        sys.stdout.write(f"{shown(one.title)}\t{where}\t{one.filesystem}\t{one.size / 1e9:,.1f} GB\t{one.name}\n")


def eject_command(path: Annotated[Path, typer.Argument(help="Anything on the card or drive.")]) -> None:
    """Write out what is left, unmount a card or drive, and let it go."""
    from jutrek.sources import drive_at, let_go

    drive = drive_at(str(path))
    if drive is None:
        sys.stderr.write(f"jutrek: {shown(path)} is on no card or drive that comes and goes.\n")
        raise typer.Exit(UNUSABLE)
    try:
        sys.stderr.write(f"{let_go(drive)}\n")
    except DriveTrouble as error:
        sys.stderr.write(f"jutrek: {error}\n")
        raise typer.Exit(UNUSABLE) from error
