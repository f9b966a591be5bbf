"""`jutrek inbox` and `jutrek watch`: folders that phones and sync programs fill, without a window."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, say
from jutrek.errors import NotPossible, shown

if TYPE_CHECKING:
    from jutrek.desk.happened import Happened, Tell
    from jutrek.desk.inboxes import WatchedFolder
    from jutrek.desk.outboxes import Outbox

inbox_app = typer.Typer(
    help="Inboxes: folders that phones and sync programs fill. They are yours, not the library's.",
    no_args_is_help=True,
)  # fmt: skip

_Folder = Annotated[Path, typer.Argument(help="The folder.")]


@inbox_app.command("add")
def add_command(
    folder: _Folder,
    library: LibraryOption,
    by_itself: Annotated[
        bool, typer.Option("--by-itself", help="Bring home what is not doubtful, whatever the house rule says.")
    ] = False,
) -> None:
    """Watch a folder: jutrek watch sees what comes there, and brings it home as the house rules say."""
    from jutrek.desk.inboxes import add_inbox
    from jutrek.filing.rulebook import load_rules
    from jutrek.library import open_library

    is_new = add_inbox(str(folder), str(library), by_itself=by_itself)
    home = open_library(str(library))
    rules = load_rules(home).rules
    does = {
        "ask": "waits to be asked about", "by-itself": "comes home by itself", "leave": "is left",
    }["by-itself" if by_itself else rules.arrivals.value]  # fmt: skip
    clears = {"never": "nothing goes from it", "trash": "what is proven home goes into the trash"}
    gone = clears.get(rules.cleared.value, "what is proven home goes for good")
    say(f"{shown(folder)} is {'an inbox' if is_new else 'an inbox as before'} of {shown(home.name)}.")
    say(f"What comes there {does}; {gone}. `jutrek watch` does it.")


@inbox_app.command("list")
def list_command(as_json: AsJson = False) -> None:
    """List your inboxes, and the libraries that they belong to."""
    from jutrek.desk.inboxes import inboxes

    found, bad = inboxes()
    for one in found:
        if as_json:
            tell_json({"folder": one.root, "library": one.library, "by-itself": one.by_itself})
        else:
            out(one.root, one.library, "by itself" if one.by_itself else "by the house rule")
    for trouble in bad:
        complain(trouble)


@inbox_app.command("remove")
def remove_command(folder: _Folder) -> None:
    """Watch a folder no longer. Nothing in it changes."""
    from jutrek.desk.inboxes import remove_inbox

    was = remove_inbox(str(folder))
    say(f"{shown(was.root)} is no inbox any more; it belonged to {shown(was.library)}.")


def watch_command(
    library: Annotated[
        Path | None, typer.Option("--library", "-l", help="Only the inboxes and outboxes of this library; else all.")
    ] = None,
    once: Annotated[bool, typer.Option("--once", help="Bring home what rests now, fill outboxes, and end.")] = False,
    service: Annotated[
        bool, typer.Option("--service", help="Have your own systemd do it from now on, whenever you are there.")
    ] = False,
    no_service: Annotated[bool, typer.Option("--no-service", help="Have it done so no more.")] = False,
    as_json: AsJson = False,
) -> None:
    """Watch your inboxes, bring home what rests in them, and fill your outboxes. Ctrl+C or SIGTERM ends it, safely."""
    from jutrek.desk.inbox_watch import InboxWatcher, watch
    from jutrek.desk.outbox_watch import OutboxWatcher

    if service or no_service:
        _serve(wanted=service)
        return
    entries, outboxes = _entries(library)

    def tell(one: Happened) -> None:
        if as_json:
            tell_json({"event": one.event, one.what: one.folder, "words": one.words, **one.facts})
        else:
            say(one.words)

    stop = stop_on_interrupt()

    def watchers(tell: Tell) -> list[InboxWatcher | OutboxWatcher]:
        # Inboxes first: outboxes may show what comes from them.
        return [
            *(InboxWatcher(one, tell, stop) for one in entries),
            *(OutboxWatcher(one, tell, stop) for one in outboxes),
        ]

    if not once:
        raise typer.Exit(0 if watch(watchers, tell, stop) else 1)
    made = watchers(tell)
    for watcher in made:
        watcher.once()
    raise typer.Exit(1 if any(one.failed for one in made) else 0)


def _entries(library: Path | None) -> tuple[list[WatchedFolder], list[Outbox]]:
    from jutrek.desk.inboxes import inboxes
    from jutrek.desk.outboxes import outboxes
    from jutrek.library import open_library

    (found, bad), (kept, more) = inboxes(), outboxes()
    for trouble in [*bad, *more]:
        complain(trouble)
    wanted = open_library(str(library)).root if library is not None else ""
    entries = [one for one in found if not wanted or one.library == wanted]
    own = [one for one in kept if not wanted or one.library == wanted]
    if not entries and not own:
        raise NotPossible(
            wanted or "jutrek watch",
            "there is no inbox and no outbox; `jutrek inbox add FOLDER` or `jutrek outbox add FOLDER` makes one",
        )
    return entries, own


def _serve(*, wanted: bool) -> None:
    from jutrek.desk.watch_service import end_watching, is_watching, keep_watching

    if not wanted:
        was = is_watching()
        end_watching()
        say("Your inboxes are watched by systemd no more." if was else "Your inboxes were not watched by systemd.")
    elif keep_watching():
        say("Your inboxes are watched from now on, whenever you are there.")
    else:
        say("Your inboxes are watched from your next session on.")
