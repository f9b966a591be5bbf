"""`jutrek outbox`: folders that small copies of a view are kept in, for any sync program to carry away."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.completing import sentences
from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, pointed_at, say
from jutrek.errors import JutrekError, NotPossible, shown
from jutrek.outboxes.asked import Clips

if TYPE_CHECKING:
    from jutrek.desk.outboxes import Outbox
    from jutrek.outboxes.step import Synced

outbox_app = typer.Typer(
    help="Outboxes: folders of small copies, kept in step with a view. They are yours, not the library's.",
    no_args_is_help=True,
)  # fmt: skip

_MOST = 10
"""Sentences of one kind that are said at most."""
_Folder = Annotated[Path, typer.Argument(help="The folder.")]


class With(StrEnum):
    """What copies say of themselves, as it is asked for."""

    NOTHING = "nothing"
    DATES = "dates"
    KEYWORDS = "keywords"
    POSITIONS = "positions"
    OWNER = "owner"


@outbox_app.command("add")
def add_command(
    folder: Annotated[Path, typer.Argument(help="The folder; it is made where there is none.")],
    sentence: Annotated[
        list[str],
        typer.Argument(help="A shelf, a kept view, or a sentence such as: stills in 2026.", autocompletion=sentences),
    ],
    library: LibraryOption,
    longest: Annotated[int, typer.Option("--longest", help="Pixels of the longer side at most.")] = 2048,
    quality: Annotated[int, typer.Option("--quality", help="Of JPEGs, 1 to 95.")] = 85,
    clips: Annotated[Clips, typer.Option("--clips", help="What stands for a clip.")] = Clips.FRAME,
    says: Annotated[
        list[With] | None,
        typer.Option("--with", help="What copies say: dates where nothing is asked for. May be given several times."),
    ] = None,
    names: Annotated[str, typer.Option("--names", help="A pattern of their names; those at home without it.")] = "",
) -> None:
    """Keep small copies of a view in a folder: stills upright in sRGB, without positions and owner unless asked for.

    `jutrek outbox sync` fills it, `jutrek watch` keeps it in step. Nothing else in it is ever touched.
    """
    from jutrek.desk.outboxes import add_outbox
    from jutrek.outboxes.asked import Tells, asked
    from jutrek.views.walking import SentenceError

    wanted = set(says or [With.DATES])
    if With.NOTHING in wanted and len(wanted) > 1:
        raise typer.BadParameter("nothing and something can't both be said", param_hint="--with")
    tells = frozenset(Tells(one.value) for one in wanted - {With.NOTHING})
    like, text = asked(longest, quality, clips, tells, names), " ".join(sentence)
    try:
        entry, is_new = add_outbox(str(folder), str(library), text, like)
    except SentenceError as error:
        where = pointed_at(text, error.at)
        raise typer.BadParameter(f"no shelf, no kept view, and no sentence: {error}{where}") from error
    say(f"{shown(entry.root)} is {'an outbox' if is_new else 'an outbox as before'}: {shown(entry.holds)}.")
    say("`jutrek outbox sync` fills it now, `jutrek watch` keeps it in step.")


@outbox_app.command("list")
def list_command(as_json: AsJson = False) -> None:
    """List your outboxes, what they hold, and the libraries that it is from."""
    from jutrek.desk.outboxes import outboxes

    found, bad = outboxes()
    for one in found:
        if as_json:
            tell_json({
                "folder": one.root, "library": one.library, "view": one.view or None, "sentence": one.sentence or None,
                "longest": one.asked.longest, "quality": one.asked.quality, "clips": one.asked.clips.value,
                "with": sorted(tell.value for tell in one.asked.tells), "names": one.asked.names or None,
            })  # fmt: skip
        else:
            out(one.root, one.library, one.holds)
    for trouble in bad:
        complain(trouble)


@outbox_app.command("remove")
def remove_command(
    folder: _Folder,
    copies: Annotated[bool, typer.Option("--copies", help="Remove also the copies that Jutrek made in it.")] = False,
) -> None:
    """Keep a folder in step no longer. Nothing in it changes, unless its copies are to go, too."""
    from jutrek.desk.outbox_run import remove_with_copies
    from jutrek.desk.outboxes import outbox_at, outboxes, remove_outbox

    was = outbox_at(str(folder), outboxes()[0])
    if copies:
        say(f"{remove_with_copies(was.root, stop=stop_on_interrupt()):,} removed.")
    else:
        remove_outbox(was.root)
    say(f"{shown(was.root)} is no outbox any more; it held {shown(was.holds)}.")


@outbox_app.command("sync")
def sync_command(
    folder: Annotated[Path | None, typer.Argument(help="The folder; all of yours without one.")] = None,
    as_json: AsJson = False,
) -> None:
    """Bring outboxes in step with what they hold. Ctrl+C or SIGTERM ends it, and the next time goes on."""
    from jutrek.desk.outboxes import outbox_at, outboxes

    found, bad = outboxes()
    for trouble in bad:
        complain(trouble)
    if folder is not None:
        found = [outbox_at(str(folder), found)]
    if not found:
        raise NotPossible("jutrek outbox", "there is no outbox; `jutrek outbox add FOLDER SENTENCE` makes one")
    fine = [_sync(one, as_json=as_json) for one in found]
    raise typer.Exit(0 if all(fine) else 1)


def _sync(one: Outbox, *, as_json: bool) -> bool:
    """Bring one in step, and tell what came of it. Returns whether it is."""
    from jutrek.cli.planning import working
    from jutrek.desk.outbox_run import keep_in_step
    from jutrek.desk.outbox_watch import facts_of, told

    try:
        with working() as report:
            done = keep_in_step(one, stop=stop_on_interrupt(), report=report)
    except JutrekError as error:
        complain(str(error))
        return False
    if as_json:
        tell_json({"outbox": one.root, **facts_of(done)})
    else:
        say(f"{shown(one.root)}: {told(done)}")
    _explain(done)
    return not done.trouble and not done.stopped


def _list(sentences: Sequence[str]) -> None:
    """Say the first of some sentences, and how many more there are."""
    for one in sentences[:_MOST]:
        complain(one)
    if len(sentences) > _MOST:
        complain(f"So it is with {len(sentences) - _MOST:,} more.")


def _explain(done: Synced) -> None:
    """Say what has no copy, or stays though it is not wanted."""
    _list([f"{shown(path)} waits: {why}." for path, why in done.waits])
    _list([f"{shown(path)} has no copy: {why}." for path, why in done.cannot])
    _list([f"{shown(name)} was changed by somebody else, and stays as it is." for name in done.stays])
    if done.trouble:
        complain(done.trouble)
    elif done.stopped:
        complain("It was ended. The next time goes on where it was.")
