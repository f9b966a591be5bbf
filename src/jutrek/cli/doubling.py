"""`jutrek adopt`, `jutrek doubles` and `jutrek find`: known by content, from scripts."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.keeping import DONE, NOT_ALL, opened
from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import out, say
from jutrek.doubles.degrees import Degree
from jutrek.errors import SourceUnreadable
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.sources import SourceFile

_Library = Annotated[Path, typer.Argument(help="The library's root folder.")]


def adopt_command(library: _Library) -> None:
    """Look at every file of a library once, so that doubles are known. What is unchanged is not read again."""
    from jutrek.cli.planning import working
    from jutrek.doubles.learning import learn
    from jutrek.library import survey

    stop = stop_on_interrupt()
    with opened(library, make=True) as (home, ledger), working() as report:
        found = survey(home, ledger, stop=stop, report=lambda seen: report("Looking through the library", seen, 0))
        looked = learn(home, ledger, stop=stop, report=lambda done, total: report("Looking at files", done, total))
    say(
        f"{home.name}: {counted(found.files, 'file')}, {looked} looked at; {found.new} new, {found.changed} changed, "
        f"{found.moved} moved outside, {found.gone} gone."
    )


def doubles_command(
    library: _Library,
    degree: Annotated[Degree | None, typer.Option("--degree", help="Only this degree; else all of them.")] = None,
    as_json: AsJson = False,
) -> None:
    """List what a library has more than once, with the file that is proposed to stay. Nothing is changed."""
    from jutrek.cli.planning import working
    from jutrek.doubles.groups import find_groups
    from jutrek.doubles.learning import learn
    from jutrek.library import survey
    from jutrek.library.kept import kept_beside

    stop = stop_on_interrupt()
    with opened(library) as (home, ledger), working() as report:
        survey(home, ledger, stop=stop)
        learn(home, ledger, stop=stop, report=lambda done, total: report("Looking at files", done, total))
        degrees = (degree,) if degree else tuple(Degree)
        groups = find_groups(
            home, ledger, degrees=degrees, settled=kept_beside(home), stop=stop, report=report
        )  # fmt: skip
    for group in groups:
        paths = [one.path for one in group.files]
        if as_json:
            line = {"degree": group.degree.value, "files": paths, "keeper": group.keeper, "why": group.why}
            tell_json(line)
        else:
            out(group.degree, f"keep {group.keeper}", group.why)
            for path in paths:
                if path != group.keeper:
                    out("", "", path)
    free = sum(group.free for group in groups if group.degree is not Degree.ALIKE)
    count = "1 group" if len(groups) == 1 else f"{len(groups)} groups"
    say(f"{count} of doubles; without those that look alike {free / 1e6:,.1f} MB would come free.")


def find_command(
    paths: Annotated[list[Path], typer.Argument(help="Files or folders.", exists=True)],
    library: LibraryOption,
    only_bytes: Annotated[
        bool, typer.Option("--bytes", help="Only exactly the same: nothing of the library has to be looked at before.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """“Do I have this?”: tell for each file where it is in the library. Ends with 0 when all is home, else with 1."""
    from jutrek.cli.planning import working
    from jutrek.doubles.comparing import Standing
    from jutrek.doubles.finding import find
    from jutrek.doubles.learning import learn

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger), working() as report:
        if not only_bytes:
            learn(home, ledger, stop=stop, report=lambda done, total: report("Looking at files", done, total))
        files = list(_files(paths, home))
        answers = find(files, home, ledger, only_bytes=only_bytes, stop=stop, report=report)
    for one in answers:
        if as_json:
            line = {"path": one.path, "standing": one.standing.value, "at": list(one.at)}
            tell_json(line)
        else:
            out(one.standing, one.path, ", ".join(one.at))
    raise typer.Exit(DONE if all(one.standing is Standing.HOME for one in answers) else NOT_ALL)


def _files(paths: list[Path], library: Library) -> Iterator[SourceFile]:
    """The files that are asked about; of folders all that is in them."""
    from jutrek.library import apart
    from jutrek.sources import Left, SourceFile, scan

    for path in paths:
        whole = os.path.abspath(path)
        if os.path.isdir(whole):
            yield from (one for one in scan(whole, leave_out=apart(whole, library)) if not isinstance(one, Left))
            continue
        try:
            status = os.stat(whole)
        except OSError as error:
            raise SourceUnreadable(whole, error) from error
        yield SourceFile(whole, os.path.dirname(whole), status.st_size, status.st_mtime_ns)
