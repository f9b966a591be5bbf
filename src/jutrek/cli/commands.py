"""Every command, by what it is for. The module of one is loaded when it is called, not before."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from importlib import import_module
from typing import Annotated, Any

import typer
from typer.core import TyperGroup

from jutrek import __version__
from jutrek.cli.telling import out

GROUPS = {
    "Before anything moves": {
        "read": "reading.read_command",
        "plan": "intake.plan_command",
        "find": "doubling.find_command",
        "rules": "ruling.rules_app",
    },
    "Bringing home": {
        "bring": "intake.bring_command",
        "finish": "keeping.finish_command",
        "prove": "proving.prove_command",
        "clear": "proving.clear_command",
        "eject": "proving.eject_command",
        "drives": "proving.drives_command",
        "unwanted": "missing.unwanted_app",
        "inbox": "inboxes.inbox_app",
        "watch": "inboxes.watch_command",
    },
    "What is home": {
        "list": "listing.list_command",
        "view": "listing.view_app",
        "shelf": "shelving.shelf_app",
        "spots": "spots.spots_app",
        "say": "saying.say_command",
        "devices": "saying.devices_app",
        "refile": "refiling.refile_command",
        "tidy": "tidying.tidy_app",
        "sortings": "sorting.sortings_app",
        "short": "sorting.short_app",
        "mark": "marking.mark_command",
        "marks": "marking.marks_app",
        "caption": "captioning.caption_command",
        "keywords": "captioning.keywords_app",
        "turn": "turning.turn_command",
        "counters": "counting.counters_app",
        "outside": "outside.outside_command",
        "adopt": "doubling.adopt_command",
        "doubles": "doubling.doubles_command",
        "outbox": "outboxes.outbox_app",
        "library": "missing.library_app",
    },
    "Jobs": {
        "start": "jobs.start_command",
        "jobs": "jobs.jobs_app",
        "next": "jobs.next_command",
        "outline": "jobs.outline_app",
    },
    "Keeping it": {
        "backups": "keeping.backups_app",
        "store": "storing.store_command",
        "fetch": "storing.fetch_command",
        "archive": "storing.archive_app",
        "catch-up": "keeping.catch_up_command",
        "check": "keeping.check_command",
        "weekly": "weekly.weekly_command",
        "gone": "missing.gone_command",
    },
    "What was done": {
        "journal": "keeping.journal_command",
        "report": "keeping.report_command",
        "take-back": "taking_back.take_back_command",
    },
    "The window, and trying things": {
        "app": "window.app_command",
        "demo": "window.demo_command",
        "simulate": "simulating.simulate_app",
    },
}
"""Modules of this package, each with a function, or an app of several, by the command's name."""
COMMANDS = {name: where for group in GROUPS.values() for name, where in group.items()}
EXAMPLES = (
    ("jutrek plan CARD -l PICTURES", "where everything would land, and why; nothing is copied"),
    ("jutrek bring CARD", "bring it home; the library used last is meant where none is named"),
    ("jutrek prove CARD", "prove that all on the card is home"),
    ("jutrek say 2026/05/survey --shoot 'Bridge survey'", "what captures are, said anew"),
    ("jutrek take-back", "what could be taken back; a number behind it does it"),
)


class Grouped(TyperGroup):
    """A command of many others, listed by what they are for."""

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Write the groups, and examples behind them."""
        for title, names in GROUPS.items():
            with formatter.section(title):
                formatter.write_dl([(name, self.commands[name].get_short_help_str(64)) for name in names])
        with formatter.section("Examples"):
            for line, about in EXAMPLES:
                formatter.write(f"  {line}\n      {about}\n")


def app_of(names: Iterable[str] = COMMANDS) -> typer.Typer:
    """The program with some of its commands, or with all."""
    app = typer.Typer(
        cls=Grouped,
        help="Jutrek brings camera and recorder files home: dated, named, proven.",
        no_args_is_help=True,
        add_completion=True,
        pretty_exceptions_enable=False,
        rich_markup_mode=None,
    )
    app.callback()(_main)
    for name in names:
        module, _, attribute = COMMANDS[name].partition(".")
        part = getattr(import_module(f"jutrek.cli.{module}"), attribute)
        if isinstance(part, typer.Typer):
            app.add_typer(part, name=name)
        else:
            app.command(name)(part)
    return app


@cache
def command_of(names: tuple[str, ...]) -> Any:
    """The program with some of its commands, ready to be called; made once."""
    return typer.main.get_command(app_of(names))


def _show_version(wanted: bool) -> None:
    if wanted:
        out(f"Jutrek {__version__}")
        raise typer.Exit


def _main(
    _: Annotated[
        bool, typer.Option("--version", callback=_show_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """Jutrek brings camera and recorder files home: dated, named, proven."""
