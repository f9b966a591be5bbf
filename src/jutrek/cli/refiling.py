"""`jutrek refile`: what lies in a library, filed anew by its house rules."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.library import LibraryOption
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, raw_json, say
from jutrek.cli.telling import out as tell
from jutrek.disk import chosen
from jutrek.errors import NotPossible, PlanUnusable, RunTrouble, Stopped, reason
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.desk.refiling import Refiler
    from jutrek.filing import Plan
    from jutrek.filing.refiling import Scope
    from jutrek.transfer import Outcome

DONE, NOT_ALL, UNUSABLE = 0, 1, 3


def refile_command(
    library: LibraryOption,
    year: Annotated[int, typer.Option("--year", min=0, help="Only what is filed under a year.")] = 0,
    folder: Annotated[str, typer.Option("--folder", help="Only what lies in a folder of the library.")] = "",
    without: Annotated[
        list[str] | None,
        typer.Option("--without", help="A file or folder of the library to leave out.", metavar="PATH"),
    ] = None,
    since: Annotated[
        datetime | None,
        typer.Option("--since", help="Only what is filed under this day or a later one.", formats=["%Y-%m-%d"]),
    ] = None,
    only: Annotated[str, typer.Option("--only", help="Make anew only `folders`, or only `names`.")] = "",
    strangers: Annotated[
        bool, typer.Option("--also-foreign", help="Also what Jutrek did not file; its folders may say more.")
    ] = False,
    by_hand: Annotated[
        bool, typer.Option("--hand-named", help="Make also those names anew that somebody gave by hand.")
    ] = False,
    go: Annotated[bool, typer.Option("--go", help="Move the files; without it the plan is only shown.")] = False,
    out: Annotated[Path | None, typer.Option("--out", "-o", help="Write the plan to a file.")] = None,
    plan: Annotated[
        Path | None, typer.Option("--plan", "-p", help="Carry out a plan that was saved.", exists=True, dir_okay=False)
    ] = None,
    take_back: Annotated[bool, typer.Option("--take-back", help="Take the last re-filing back.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON for other programs.")] = False,
) -> None:
    """File anew what lies in the library: a plan of moves, carried out with --go, that can be taken back."""
    from jutrek.filing.refiling import Scope

    if only not in ("", "folders", "names"):
        raise typer.BadParameter("--only takes `folders` or `names`")
    if sum((plan is not None, take_back, out is not None)) > 1:
        raise typer.BadParameter("choose one of --plan, --out and --take-back")
    scope = Scope(
        year, folder, folders=only != "names", names=only != "folders", strangers=strangers,
        without=tuple(without or ()), since=since.date() if since else None, by_hand=by_hand,
    )  # fmt: skip
    raise typer.Exit(_Refiling(str(library), as_json=as_json).run(scope, plan, out, take_back=take_back, go=go))


class _Refiling:
    def __init__(self, library: str, *, as_json: bool) -> None:
        self._path, self._as_json = library, as_json
        self._stop = stop_on_interrupt()

    def run(self, scope: Scope, saved: Path | None, out: Path | None, *, take_back: bool, go: bool) -> int:
        from jutrek.cli.planning import house_of, tell_troubles, working
        from jutrek.desk.refiling import Refiler
        from jutrek.library import open_library
        from jutrek.library.ledger import Ledger
        from jutrek.transfer import recover

        library, rules = open_library(self._path), house_of(self._path)
        with Ledger(library.ledger_path) as ledger:
            tell_troubles(library, recover(library, ledger))
            refiler = Refiler(library, ledger)
            with working() as report:
                if take_back:
                    planned = refiler.plan_taking_back()
                elif saved is not None:
                    planned = refiler.use(_saved(saved))
                else:
                    planned = refiler.plan(rules, scope, self._stop, report)
            for words in planned.left:
                say(f"stays: {words}")
            for path in planned.kept:
                say(f"keeps the name that it was given by hand: {path}")
            if out is not None:
                try:
                    tree, name = chosen(str(out))
                    tree.write_own(name, (planned.plan.as_json() + "\n").encode())
                except OSError as error:
                    raise NotPossible(str(out), f"it could not be written: {reason(error)}") from error
            if go or take_back or saved is not None:
                return self._go(refiler) or (NOT_ALL if planned.left else DONE)
            if out is None:
                self._show(planned.plan)
            return DONE

    def _show(self, plan: Plan) -> None:
        from jutrek.desk.refiling import shown_move

        if self._as_json:
            raw_json(plan.as_json())
            return
        for number in range(len(plan.rows)):
            old, new = shown_move(plan, number)
            tell(old, new)
        say(f"{counted(len(plan.rows), 'file')} would move. --go moves them; that can be taken back.")

    def _go(self, refiler: Refiler) -> int:
        from jutrek.cli.planning import watching
        from jutrek.transfer import Done

        def on_done(done: Done) -> None:
            if self._as_json:
                entry = {"from": done.row.source, "to": done.row.destination, "moved": done.home, "why": done.why}
                tell_json(entry)
            if not done.home:
                say(f"not moved: {done.why}")

        with watching("Moving", on_done) as listener:
            outcome = refiler.go(self._stop, listener)
        return self._sum_up(outcome)

    def _sum_up(self, outcome: Outcome) -> int:
        left = len(outcome.done) - outcome.home
        back = " `jutrek refile --take-back` moves them back." if outcome.home else ""
        say(f"{counted(outcome.home, 'file')} moved, {left} not.{back}")
        if outcome.trouble is not None:
            complain(outcome.trouble)
        if isinstance(outcome.trouble, RunTrouble) and not isinstance(outcome.trouble, Stopped):
            return UNUSABLE
        return NOT_ALL if left else DONE


def _saved(path: Path) -> Plan:
    from jutrek.filing import from_json

    try:
        return from_json(path.read_text(encoding="utf-8"), str(path))
    except (OSError, UnicodeDecodeError) as error:
        words = reason(error) if isinstance(error, OSError) else "it is not text"
        raise PlanUnusable(str(path), words) from error
