"""`jutrek rules show|set|check|try`: a library's house rules on the command line."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from jutrek.cli.completing import pieces, rule_keys
from jutrek.cli.library import LibraryOption
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import out, page, pointed_at, say

if TYPE_CHECKING:
    from jutrek.desk.trying import Trial

rules_app = typer.Typer(help="Show, change, check and try the house rules of a library.", no_args_is_help=True)


@rules_app.command("show")
def show(library: LibraryOption) -> None:
    """Print the rules as the file that the library keeps; a redirect exports them."""
    from jutrek.cli.planning import house_of
    from jutrek.filing.rulebook import rules_text

    page(rules_text(house_of(str(library))))


@rules_app.command("set")
def set_rules(
    library: LibraryOption,
    changes: Annotated[
        list[str] | None,
        typer.Argument(help="Rules by table and key.", metavar="[filing.layout=…]…", autocompletion=rule_keys),
    ] = None,
    source: Annotated[
        Path | None,
        typer.Option("--from", help="Another library, or a file of rules, to copy all rules from.", exists=True),
    ] = None,
) -> None:
    """Keep rules in the library, such as filing.name="{date}_{time}_{letter}" or days.start=05:00.

    Schemes are numbered from 1: scheme.new.kinds='["sound"]' begins one, scheme.1.layout=… changes it,
    scheme.1= drops it. So are captions, for what is said of some captures: caption.new.words='["yard"]'.
    """
    from jutrek.cli.planning import house_of
    from jutrek.filing.rulebook import keep_rules, rules_at
    from jutrek.filing.rulepage import PageError, page_of, rules_of
    from jutrek.library import open_library

    if not changes and source is None:
        raise typer.BadParameter("give rules to set, or --from")
    wanted = page_of(rules_at(str(source)) if source is not None else house_of(str(library)))
    before = {table: len(wanted[table]) for table in ("scheme", "caption")}
    for change in changes or ():
        _set(wanted, change, before)
    try:
        rules = rules_of(wanted)
    except PageError as error:
        where = ".".join(str(part + 1 if isinstance(part, int) else part) for part in error.where)
        found: Any = wanted
        for part in error.where if error.at is not None else ():
            found = found[part]
        raise typer.BadParameter(f"{where}: {error}{pointed_at(found, error.at)}") from error
    keep_rules(open_library(str(library)), rules)
    say("The rules are kept. What is home stays where it is; `jutrek refile` files it anew.")


def _set(page: dict[str, Any], change: str, before: Mapping[str, int]) -> None:
    """Set one rule on a page, its value read as TOML where it is more than words.

    Args:
        before: how many schemes and captions the page had at first: all that is said of a new one is of the same.
    """
    where, sign, value = change.partition("=")
    table, dot, key = where.strip().partition(".")
    if sign and table in ("scheme", "caption"):
        _set_scheme(table, page[table], key, value, before[table])
        return
    if not sign or not dot or not isinstance(page.get(table), dict) or key not in page[table]:
        known = [f"{name}.{own}" for name, keys in page.items() if isinstance(keys, dict) for own in keys]
        raise typer.BadParameter(f"“{change}” names no rule; there are: {', '.join(known)}.")
    page[table][key] = value if isinstance(page[table][key], str) else _value(value)


def _value(text: str) -> Any:
    """A value as TOML; where it is none, the text, which the page then finds wrong in its own words."""
    import tomllib

    try:
        return tomllib.loads(f"value = {text}")["value"]
    except tomllib.TOMLDecodeError:
        return text


_LISTS = frozenset({("scheme", "kinds"), ("caption", "kinds"), ("caption", "words")})
"""What of such a table is a list."""


def _set_scheme(table: str, schemes: list[dict[str, Any]], where: str, value: str, before: int) -> None:
    """Begin, change or drop a scheme, or what is said of some captures."""
    number, dot, key = where.partition(".")
    if number == "new" and dot:
        if len(schemes) <= before:
            schemes.append({})
        number = str(len(schemes))
    if not number.isdecimal() or not 1 <= int(number) <= len(schemes):
        raise typer.BadParameter(f"there is no {table} {number}; there are {len(schemes)}, and “new” begins one")
    if not dot:
        if value:
            raise typer.BadParameter(
                f"{table}.{number}= drops that {table}; its rules are {table}.{number}.device and others"
            )
        del schemes[int(number) - 1]
        return
    schemes[int(number) - 1][key] = _value(value) if (table, key) in _LISTS else value


@rules_app.command("check")
def check(
    what: Annotated[Path, typer.Argument(help="A library, or a file of rules.", exists=True)],
) -> None:
    """Say whether rules can be used; if not, the line and what is wrong there."""
    from jutrek.filing.rulebook import rules_at

    rules = rules_at(str(what))
    out(f"These rules can be used. Layout: {rules.layout} · name: {rules.name}")


@rules_app.command("try")
def try_rules(
    library: LibraryOption,
    sources: Annotated[
        list[Path] | None,
        typer.Argument(help="Cards or folders to try on; else what lies in the library.", exists=True),
    ] = None,
    layout: Annotated[
        str | None, typer.Option("--layout", help="A pattern of folders to try.", autocompletion=pieces)
    ] = None,
    name: Annotated[
        str | None, typer.Option("--name", help="A pattern of file names to try.", autocompletion=pieces)
    ] = None,
    describe: Annotated[
        list[str] | None, typer.Option("--describe", help="What a day's shoots were.", metavar="DAY=WORDS")
    ] = None,
    say: Annotated[list[str] | None, typer.Option("--say", help="What the intake is for.", metavar="job=WORDS")] = None,
    tree: Annotated[bool, typer.Option("--tree", help="Print the folders that the rules would make.")] = False,
) -> None:
    """Show what rules would make of captures. Nothing is kept, copied or moved."""
    from jutrek.cli.choices import parse_choices
    from jutrek.cli.planning import house_of
    from jutrek.desk.trying import Bench

    choices = parse_choices(house_of(str(library)), layout=layout, name=name, describe=describe, say=say)
    trial = Bench(_facts(sources, str(library), choices)).tried(choices.rules)
    if trial is not None:
        _print(trial, tree=tree)


def _facts(sources: list[Path] | None, library_path: str, choices: Any) -> list[Any]:
    from jutrek.cli.planning import check_days, read_sources, story_of, working
    from jutrek.desk.intake import make_captures
    from jutrek.desk.library_captures import read_library
    from jutrek.filing.planner import all_facts
    from jutrek.library import open_library, survey
    from jutrek.library.ledger import Ledger
    from jutrek.transfer import recover

    stop, library = stop_on_interrupt(), open_library(library_path)
    with working() as report:
        if sources:
            founds = read_sources([str(path) for path in sources], library, stop=stop, report=report)
            story, _ = story_of(founds, make_captures(founds, choices.rules), library, choices)
            check_days(choices, story)
            return all_facts(story.captures, story.wishes)
        with Ledger(library.ledger_path) as ledger:
            recover(library, ledger)
            survey(library, ledger, stop=stop)
            words = "Reading the library"
            home = read_library(
                library, ledger, choices.rules, stop=stop, report=lambda done, total: report(words, done, total)
            )
            return list(home.facts)


def _print(trial: Trial, *, tree: bool) -> None:
    if tree:
        print_tree(trial)
    else:
        for number in range(len(trial.rows)):
            row = trial.row(number)
            out(row.source, row.folder or ".", row.name, *([row.note] if row.note else []))
    if tally := trial.tally:
        say(
            f"{tally.fit_words} · {tally.clash} got a suffix · {tally.undated} without a date · "
            f"{tally.odd} shortened or with signs replaced · longest path {tally.longest}"
        )


def print_tree(trial: Trial) -> None:
    """Print folders with the captures in them, each below the one that it is in."""
    for path, count in trial.tree:
        out(f"{'  ' * path.count('/')}{path.rpartition('/')[2] or '.'}  {count}")
