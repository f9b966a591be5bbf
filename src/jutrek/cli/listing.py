"""`jutrek list` and `jutrek view`: what a library holds, said as a sentence; and sentences that are kept."""

from __future__ import annotations

import gc
import os
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from typing import TYPE_CHECKING, Annotated, Any

import typer

from jutrek.cli.completing import sentences, views
from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, page, pointed_at, say
from jutrek.errors import NotPossible, shown
from jutrek.views.by import By
from jutrek.views.orders import Order
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.desk.looking_at import Look
    from jutrek.views.columns import Columns
    from jutrek.views.conditions import Condition

view_app = typer.Typer(help="Views that are kept: sentences with a name, always current.", no_args_is_help=True)

_Words = Annotated[
    list[str] | None,
    typer.Argument(
        help="What is wanted, such as: stills by Arlen in May 2026 without keywords. All where nothing is said.",
        autocompletion=sentences, metavar="[SENTENCE]",
    ),
]  # fmt: skip
_Name = Annotated[str, typer.Argument(help="What the view is called.", autocompletion=views)]


def list_command(
    library: LibraryOption,
    sentence: _Words = None,
    view: Annotated[
        str,
        typer.Option("--view", help="The kept view of this name; a sentence narrows it further.", autocompletion=views),
    ] = "",
    count: Annotated[bool, typer.Option("--count", help="Only how many there are.")] = False,
    by: Annotated[By | None, typer.Option("--by", help="How many there are of each.")] = None,
    order: Annotated[Order, typer.Option("--order", help="In which order.")] = Order.MOMENT,
    as_json: AsJson = False,
) -> None:
    """List the captures that a sentence says, in the order of shooting: paths in the library. Nothing is changed."""
    from jutrek.library import open_library
    from jutrek.views.conditions import Some, Sort, both

    wanted = understood(" ".join(sentence or ()))
    if view:
        from jutrek.views.kept import view_called

        home = open_library(str(library))
        kept = view_called(home, view)
        if kept.trouble:
            raise NotPossible(home.root, f"the kept view “{kept.name}” is no sentence: {kept.trouble}")
        wanted = both(understood(kept.sentence), wanted)
    with looked_at(library, wanted, *((Some(Sort.PLACE),) if by is By.PLACE else ())) as look:
        _tell(look, wanted, order, count=count, by=by, as_json=as_json)


@contextmanager
def looked_at(path: os.PathLike[str], *views: Condition) -> Iterator[Look]:
    """A library, with its columns current with the disk. What is damaged besides is complained of.

    Args:
        path: the library's.
        views: what will be asked of them, as for `desk.looking_at`.
    """
    from jutrek.desk.looking_at import looked_at as looked

    with no_garbage(), _Bar() as report, looked(str(path), views, stop=stop_on_interrupt(), report=report) as look:
        for trouble in look.troubles:
            complain(trouble)
        yield look


@contextmanager
def no_garbage() -> Iterator[None]:
    """Half of the time would go into looking for garbage, of which there is none before columns are built."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


class _Bar(ExitStack):
    """A bar on a terminal, made when there is something to show: most often there is nothing to wait for."""

    _show: Callable[[str, int, int], None] | None = None

    def __call__(self, what: str, done: int, total: int) -> None:
        if self._show is None:
            from jutrek.cli.planning import working

            self._show = self.enter_context(working())
        self._show(what, done, total)


def understood(text: str) -> Condition:
    """What a sentence says that was typed.

    Raises:
        BadParameter: where it is none, pointed at.
    """
    from jutrek.views.sentence import parse
    from jutrek.views.walking import SentenceError

    try:
        return parse(text)
    except SentenceError as error:
        raise typer.BadParameter(f"{error}{pointed_at(text, error.at)}", param_hint="SENTENCE") from error


def _tell(look: Look, wanted: Condition, order: Order, *, count: bool, by: By | None, as_json: bool) -> None:
    import numpy as np

    from jutrek.desk.looking_at import rows_of
    from jutrek.views.counting import counted as counts_of
    from jutrek.views.saying import sentence

    columns, rows = look.columns, rows_of(look, wanted)
    if by is not None:
        mask = np.zeros(columns.count, bool)
        mask[rows] = True
        for value, number in counts_of(columns, mask, by).items():
            if as_json:
                tell_json({"by": by.value, "value": value or None, "count": number})
            else:
                out(number, value or "(none)")
        return
    if count:
        tell_json({"count": len(rows)}) if as_json else out(len(rows))
        return
    if order is not Order.MOMENT:
        from jutrek.views.by_hand import orders_of
        from jutrek.views.ordering import ordered

        rows = ordered(columns, rows, order, orders_of(look.home, columns, look.ledger))
    if as_json:
        where = _on_drives(look, as_json=True)
        for row in rows.tolist():
            tell_json({**_told(columns, row), "drive": where.get(columns.drive_of(row))})
    elif len(rows):
        _tell_paths(look, rows.tolist())
    say(f"{counted(len(rows), 'capture')}: {sentence(wanted)}.")


def _tell_paths(look: Look, rows: list[int]) -> None:
    """Print a path for each row; of what is stored away also on which drive it is."""
    columns = look.columns
    paths = columns.paths(rows)
    if columns.drive[rows].any():
        where = _on_drives(look)
        for row, path in zip(rows, paths, strict=True):
            drive = columns.drive_of(row)
            out(path, where[drive]) if drive else out(path)
        return
    lines = "\n".join(paths)
    if lines.count("\n") >= len(paths):
        lines = "\n".join(one.replace("\n", "\\n") for one in paths)
    page(lines)


def _on_drives(look: Look, *, as_json: bool = False) -> dict[str, Any]:
    """On which archive drive something lies, and whether that is here, by the drive's id."""
    from collections import defaultdict

    from jutrek.library import drives_here, known_drives

    here = {drive.id for drive in drives_here(look.home)}
    names = {drive.id: drive.name for drive in known_drives(look.home)}
    if as_json:
        return {id_: {"name": name, "connected": id_ in here} for id_, name in names.items()}
    words = {id_: f"on {shown(name)}{'' if id_ in here else ', away'}" for id_, name in names.items()}
    return defaultdict(lambda: "on a drive that is known no more", words)


def _told(columns: Columns, row: int) -> dict[str, Any]:
    """A capture as other programs read it."""
    from jutrek.formats import Offset, Precision, Timestamp
    from jutrek.views.columns import KINDS, NO_OFFSET, TRUSTS, Names
    from jutrek.views.standing import standing_of

    names, when = columns.names, columns.when(row)
    moment = None
    if when is not None:
        precision, offset = Precision(int(columns.precision[row])), int(columns.offset[row])
        moment = {
            "local": Timestamp(when, precision).iso(), "offset": None if offset == NO_OFFSET else str(Offset(offset)),
            "precision": precision.name.lower(), "trust": TRUSTS[columns.trust[row]],
        }  # fmt: skip
    return {
        "path": columns.path(row), "companions": columns.companions(row), "kind": KINDS[columns.kind[row]],
        "format": names[Names.FORMAT][columns.format[row]] or None, "moment": moment,
        "device": names[Names.DEVICE][columns.device[row]] or None,
        "lens": names[Names.LENS][columns.lens[row]] or None,
        "likely": names[Names.LIKELY][columns.likely[row]] or None,
        "keywords": list(columns.words(row)), "mark": names[Names.MARK][columns.mark[row]] or None,
        "folder": names[Names.FOLDER][columns.folder[row]], "copies": int(columns.copies[row]),
        "standing": standing_of(columns.states(row)), "size": int(columns.size[row]),
    }  # fmt: skip


@view_app.command("keep")
def keep_command(
    name: _Name,
    sentence: Annotated[list[str], typer.Argument(help="What it shows.", autocompletion=sentences)],
    library: LibraryOption,
    group: Annotated[str, typer.Option("--group", help="The group that it stands in.")] = "",
) -> None:
    """Keep a sentence under a name, in the library, so that every station has it."""
    from jutrek.library import open_library
    from jutrek.views.kept import keep_view, view_called

    home = open_library(str(library))
    text = " ".join(sentence)
    understood(text)
    before = keep_view(home, name, text, group)
    say(f"Kept: “{view_called(home, name).name}” shows {view_called(home, name).sentence}.")
    if before is not None:
        say(f"Before it showed: {before.sentence}.")


@view_app.command("list")
def list_views(library: LibraryOption, as_json: AsJson = False) -> None:
    """List the kept views, each with how many captures it shows now."""
    from jutrek.library import open_library
    from jutrek.views.kept import kept_views
    from jutrek.views.narrowing import held
    from jutrek.views.sentence import parse

    kept, bad = kept_views(open_library(str(library)))
    views = {one.name: parse(one.sentence) for one in kept if not one.trouble}
    with looked_at(library, *views.values()) as look:
        for one in kept:
            number = None if one.trouble else int(held(look.columns, views[one.name], look.shelves).sum())
            if as_json:
                tell_json({"name": one.name, "sentence": one.sentence, "group": one.group or None, "count": number})
            else:
                out("–" if number is None else number, one.name, one.sentence, one.group)
            if one.trouble:
                complain(f"the kept view “{one.name}”: {one.trouble}")
    for trouble in bad:
        complain(trouble)


@view_app.command("remove")
def remove_command(name: _Name, library: LibraryOption) -> None:
    """Keep a view no longer. What it showed stays where it is."""
    from jutrek.library import open_library
    from jutrek.views.kept import remove_view

    was = remove_view(open_library(str(library)), name)
    say(f"“{was.name}” is kept no longer. It showed: {was.sentence}.")


@view_app.command("weeks")
def weeks_command(year: Annotated[int, typer.Argument(help="A year, such as 2026.")], library: LibraryOption) -> None:
    """Keep a view for each week of a year, by ISO 8601: a week belongs to the year of its Thursday."""
    from jutrek.library import open_library
    from jutrek.views.kept import keep_weeks

    made, there = keep_weeks(open_library(str(library)), year)
    say(f"{counted(made, 'week')} of {year} kept{f'; {there} were there already' if there else ''}.")
