"""`jutrek take-back`: undoing runs of the journal."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.keeping import DONE, NOT_ALL, RunArgument, end_of, opened
from jutrek.cli.library import LibraryOption
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import out, say
from jutrek.errors import NotPossible
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.library import Library


def take_back_command(
    library: LibraryOption,
    run: RunArgument = "",
    only: Annotated[
        list[str] | None,
        typer.Option("--only", help="A file or folder as it lies now; the rest stays.", metavar="PATH"),
    ] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only say what would happen.")] = False,
    empty: Annotated[
        bool, typer.Option("--empty", help="Put all that was taken back into the system's trash.")
    ] = False,
) -> None:
    """Take a run back: an intake's files are put away, moves are undone. A taking back can be taken back itself.

    Without a run it only says which one could be taken back, and what that would do.
    """
    from jutrek.cli.planning import watching
    from jutrek.desk.places import places_of
    from jutrek.desk.records import newest, run_named
    from jutrek.desk.taking_back import done_words, folders_of, made_again, plan_of_taking_back, take_back, told_of
    from jutrek.transfer.journal import number_of
    from jutrek.transfer.taking_back import empty_taken_back

    stop = stop_on_interrupt()
    with opened(library) as (home, ledger):
        if empty:
            try:
                count = empty_taken_back(home)
            except OSError as error:
                raise NotPossible(home.root, f"the trash can't take it: {error}") from error
            say(f"What {counted(count, 'run')} had brought is in the trash.")
            return
        wanted = run_named(home, run) if run else newest(home, lambda one: one.can_take_back, "could be taken back").run
        told_only = told_of(home, wanted)
        words, paths = done_words(home, wanted), [below_root(home, path) for path in only or ()]
        plan, left = plan_of_taking_back(home, wanted, paths)
        folders, stay_there = folders_of(home, wanted)
        left += stay_there
        if dry_run or not run:
            for folder in folders:
                out(folder.old, folder.new)
            for row in plan.rows:
                out(below_root(home, row.source), row.destination or "")
            for sentence in left:
                say(f"would stay: {sentence}")
            if again := made_again(home, wanted):
                for path in again:
                    out(path)
                say(f"{counted(len(again), 'folder')} would be made again.")
            elif folders or stay_there:
                say(f"{counted(len(folders), 'folder')} would be moved back, {len(left)} would stay.")
            else:
                _say_files(words, len(plan.rows), len(left), told_only)
            say(f"`jutrek take-back {number_of(wanted) or wanted}` takes that run back.")
            raise typer.Exit(NOT_ALL if left else DONE)
        some = frozenset(below_root(home, row.source) for row in plan.rows) if paths else frozenset()
        with watching("Taking back") as listener:
            outcome, left = take_back(home, ledger, wanted, places_of(home), stop=stop, listener=listener, only=some)
    for sentence in left:
        say(f"stays: {sentence}")
    stay = len(left) + len(outcome.failed)
    one, many = ("folder is", "folders are") if folders or stay_there else ("file is", "files are")
    told = f"{counted(outcome.home, one, many)} {words}, {counted(stay, 'stays', 'stay')} as before."
    end_of(outcome, told if told_only is None else "", short=bool(left))


def _say_files(words: str, files: int, left: int, told: int | None) -> None:
    """Say what files would be; of a run that only told something of them so many."""
    if told is None:
        say(f"{counted(files, 'file')} would be {words}, {left} would stay as they are.")
    else:
        say(f"{counted(told, 'file')} would be {words}, but for those of which something was said since.")


def below_root(library: Library, path: str) -> str:
    """A path relative to the library, however it was given."""
    return os.path.relpath(path, library.root) if os.path.isabs(path) else os.path.normpath(path)
