"""`jutrek caption` and `jutrek keywords`: what is said of captures, and the house's list of keywords."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.completing import keywords, libraries
from jutrek.cli.keeping import opened
from jutrek.cli.library import LibraryOption, named, used_last
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, say
from jutrek.cli.tidying import NOT_ALL, House, Paths, That, meant, ready
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.desk.captioning import Shared
    from jutrek.desk.keyword_acts import KeywordAct, KeywordList
    from jutrek.desk.sidecars import Described
    from jutrek.transfer.one_run import Written

keywords_app = typer.Typer(
    help="The house's keywords: listed with how many captures have each, and changed everywhere."
)

_Keyword = Annotated[str, typer.Argument(help="A keyword; or with what it stands under.", autocompletion=keywords)]
_Look = Annotated[bool, typer.Option("--look", help="Only say what would happen.")]
_Words = list[str] | None
_Text = str | None


def caption_command(
    library: LibraryOption,
    paths: Paths = None,
    add: Annotated[
        _Words, typer.Option("--add", metavar="KEYWORD", help="A keyword that is added.", autocompletion=keywords)
    ] = None,
    remove: Annotated[
        _Words, typer.Option("--remove", metavar="KEYWORD", help="A keyword taken off.", autocompletion=keywords)
    ] = None,
    instead: Annotated[bool, typer.Option("--instead", help="What is added takes the place of all others.")] = False,
    title: Annotated[
        _Text, typer.Option("--title", help="What it is called; '' takes it off, as of all these.")
    ] = None,
    describe: Annotated[_Text, typer.Option("--describe", help="What is to be seen.")] = None,
    creator: Annotated[_Text, typer.Option("--creator", help="Who made it.")] = None,
    rights: Annotated[_Text, typer.Option("--rights", help="Under which rights it is.")] = None,
    usage: Annotated[_Text, typer.Option("--usage", help="What it may be used for.")] = None,
    credit: Annotated[_Text, typer.Option("--credit", help="Whom to name beside it.")] = None,
    source: Annotated[_Text, typer.Option("--source", help="Where it comes from.")] = None,
    job: Annotated[_Text, typer.Option("--job", help="The job's number.")] = None,
    place: Annotated[_Text, typer.Option("--place", help="Where it was.")] = None,
    where: Annotated[bool, typer.Option("--where", help="Say where each was, by its position.")] = False,
    where_words: Annotated[bool, typer.Option("--where-keywords", help="The same, and as keywords.")] = False,
    that: That = "",
    as_json: AsJson = False,
) -> None:
    """Say something of captures, beside them or in their files; without an option, print what they say."""
    from jutrek.desk.captioning import caption_captures, place_captures, shared
    from jutrek.desk.keyword_acts import KeywordList
    from jutrek.wording.caption import Caption
    from jutrek.wording.keywords import Change
    from jutrek.wording.properties import Field

    texts = {
        Field.TITLE: title, Field.DESCRIPTION: describe, Field.CREATOR: creator, Field.RIGHTS: rights,
        Field.USAGE: usage, Field.CREDIT: credit, Field.SOURCE: source, Field.JOB: job, Field.PLACE: place,
    }  # fmt: skip
    fields = {field: text for field, text in texts.items() if text is not None}
    with ready(library) as house:
        rows = rows_of(house, *meant(house, paths or [], that))
        listed = KeywordList(house.home, house.columns)
        branches = listed.meant(add or ())
        wanted = Caption(Change(branches, tuple(remove or ()), instead), fields)
        stop = stop_on_interrupt()
        if where or where_words:
            if wanted:
                raise typer.BadParameter("--where stands alone: say the rest in a call of its own")
            placed = place_captures(
                house.columns, rows, house.home, house.ledger, as_words=where_words, stop=stop
            )  # fmt: skip
            _end(house, placed, as_json=as_json)
        if not wanted:
            _show(shared(house.columns, rows, house.home, stop), as_json=as_json)
            return
        done = caption_captures(
            house.columns, rows, wanted, house.home, house.ledger, stop=stop, words=listed.growing(branches)
        )
        _end(house, done, as_json=as_json)


def rows_of(house: House, folders: list[str], rows: list[int]) -> list[int]:
    """Rows of captures, and those of all that lie in folders."""
    import numpy as np

    from jutrek.filing.facts import lies_in
    from jutrek.views.columns import Names

    names = house.columns.names[Names.FOLDER]
    within = np.array([any(lies_in(name, one) for one in folders) for name in names], bool)
    return [*rows, *np.flatnonzero(within[house.columns.folder]).tolist()]


def _show(said: Shared, *, as_json: bool) -> None:
    fields = {one.word: dict(values) for one, values in (said.fields or {}).items() if any(values)}
    if as_json:
        tell_json({"captures": said.captures, "keywords": dict(said.words), "fields": fields})
        return
    say(f"{counted(said.captures, 'capture')}.")
    for word, count in sorted(said.words.items(), key=lambda one: -one[1]):
        out("keyword", word, f"{count:,}")
    for name, values in fields.items():
        for value, count in values.items():
            if value:
                out(name, value, f"{count:,}")
    if said.fields is None:
        say("They are too many for what they say besides to be read.")


def _end(house: House, done: Described, *, as_json: bool) -> None:
    """Let lists and backups follow, say what came of it, and leave with a code that says how it went."""
    from jutrek.desk.places import places_of
    from jutrek.desk.sidecars import follow
    from jutrek.transfer.journal import number_of

    behind = follow(done.written, house.home, house.ledger, places_of(house.home), stop=stop_on_interrupt())
    if as_json:
        tell_json({"run": done.run, "captures": done.captures, "same": done.same, "why": done.why})
    for why in filter(None, (done.why, behind)):
        complain(why)
    back = f" `jutrek take-back {number_of(done.run) or done.run}` takes it back." if done.run else ""
    already = f" {counted(done.same, 'capture')} said so already." if done.same else ""
    say(f"{counted(done.captures, 'capture says', 'captures say')} it now.{already}{back}")
    raise typer.Exit(NOT_ALL if done.why or behind else 0)


# ---- the list


@keywords_app.callback(invoke_without_command=True)
def list_command(
    context: typer.Context,
    library: Annotated[
        Path | None,
        typer.Option(
            "--library", "-l", help="The library's root folder.", autocompletion=libraries, show_default=False
        ),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """List the house's keywords, and those that captures have besides."""
    from jutrek.desk.captioning import used
    from jutrek.desk.keyword_acts import KeywordList
    from jutrek.wording.spelling import key

    if context.invoked_subcommand is not None:
        return
    with ready(named(library) if library is not None else used_last()) as house:
        counts = {key(word): (word, count) for word, count in used(house.columns).items()}
        listed = KeywordList(house.home, house.columns)
        for number, entry in enumerate(listed.tree.entries):
            count = counts.pop(key(entry.word), ("", 0))[1]
            if as_json:
                branch = list(listed.tree.branch(number))
                tell_json({"keyword": branch, "synonyms": list(entry.synonyms), "captures": count})
            else:
                also = f" = {' = '.join(entry.synonyms)}" if entry.synonyms else ""
                out(f"{'  ' * entry.depth}{entry.word}{also}", f"{count:,}")
        if counts and listed.tree.entries and not as_json:
            say("Not in the list:")
        for word, count in counts.values():
            tell_json({"keyword": [word], "listed": False, "captures": count}) if as_json else out(word, f"{count:,}")
    for trouble in listed.tree.troubles:
        complain(trouble)


@keywords_app.command("rename")
def rename_command(
    old: _Keyword,
    new: Annotated[str, typer.Argument(help="What it is to be called.")],
    library: LibraryOption,
    look: _Look = False,
    as_json: AsJson = False,
) -> None:
    """Call a keyword otherwise, in the list and on all captures."""
    _everywhere(library, lambda listed: listed.renaming(old, new), look=look, as_json=as_json)


@keywords_app.command("move")
def move_command(
    keyword: _Keyword,
    library: LibraryOption,
    under: Annotated[str, typer.Option("--under", help="What it is to stand under; else nothing.")] = "",
    look: _Look = False,
    as_json: AsJson = False,
) -> None:
    """Let a keyword stand under another one, in the list and on all captures."""
    _everywhere(library, lambda listed: listed.moving(keyword, under), look=look, as_json=as_json)


@keywords_app.command("merge")
def merge_command(
    keyword: _Keyword,
    into: Annotated[str, typer.Argument(help="The keyword that it is from now on.", autocompletion=keywords)],
    library: LibraryOption,
    look: _Look = False,
    as_json: AsJson = False,
) -> None:
    """Let a keyword be another one, which is found by the first one's words, too."""
    _everywhere(library, lambda listed: listed.merging(keyword, into), look=look, as_json=as_json)


@keywords_app.command("remove")
def remove_command(
    keyword: _Keyword, library: LibraryOption, look: _Look = False, as_json: AsJson = False
) -> None:  # fmt: skip
    """Take a keyword from the list and off all captures. What stands under it comes one level up."""
    _everywhere(library, lambda listed: listed.removing(keyword), look=look, as_json=as_json)


def _everywhere(library: Path, act_of: Callable[[KeywordList], KeywordAct], *, look: bool, as_json: bool) -> None:
    from jutrek.cli.planning import watching
    from jutrek.desk.keyword_acts import KeywordList, told

    with ready(library) as house:
        act = act_of(KeywordList(house.home, house.columns))
        away = counted(act.stored, "stored capture has", "stored captures have")
        stored = f"; {away} it, too, and can't be written now" if act.stored else ""
        if look:
            say(f"{told(act)} on {counted(act.captures, 'capture')}{stored}.")
            return
        with watching("Writing") as listener:
            done = act.carry_out(house.columns, house.home, house.ledger, stop=stop_on_interrupt(), listener=listener)
        say(f"{told(act)}{stored}.")
        _end(house, done, as_json=as_json)


@keywords_app.command("add")
def add_command(
    words: Annotated[list[str], typer.Argument(metavar="KEYWORD...", help="Such as 'line > engines'.")],
    library: LibraryOption,
) -> None:
    """Write keywords into the list."""
    from jutrek.desk.keyword_acts import KeywordList

    with opened(library) as (home, ledger):
        listed = KeywordList(home)
        tree = listed.adding(listed.meant(words))
        more = f" and {len(words) - 1} more" if len(words) > 1 else ""
        done = listed.keep(tree, f"listed: {words[0]}{more}", ledger)
    _say_listed(done, len(tree.entries) - len(listed.tree.entries))


def _say_listed(done: Written, more: int, *, short: bool = False) -> None:
    """Say how many keywords came into the list, and end."""
    from jutrek.transfer.journal import number_of

    if done.why:
        complain(done.why)
        raise typer.Exit(NOT_ALL)
    back = f" `jutrek take-back {number_of(done.run) or done.run}` takes them out." if done.run else ""
    say(f"{counted(more, 'keyword')} more in the list.{back}")
    raise typer.Exit(NOT_ALL if short else 0)


@keywords_app.command("import")
def import_command(
    page: Annotated[Path, typer.Argument(help="A text with one keyword a line, indented under what it stands under.")],
    library: LibraryOption,
) -> None:
    """Take the keywords of another list into this one. What is there already stays."""
    from jutrek.desk.keyword_acts import KeywordList
    from jutrek.disk import chosen
    from jutrek.errors import NotPossible, reason
    from jutrek.wording.listed import tree_of

    tree, at = chosen(str(page))
    try:
        other = tree_of(tree.read_own(at, 1 << 24))
    except OSError as error:
        raise NotPossible(str(page), f"it can't be read: {reason(error)}") from error
    branches = list(map(other.branch, range(len(other.entries))))
    also = {branch: entry.synonyms for branch, entry in zip(branches, other.entries, strict=True)}
    with opened(library) as (home, ledger):
        listed = KeywordList(home)
        merged = listed.adding(branches, also)
        done = listed.keep(merged, f"listed: the keywords of {page.name}", ledger)
    for trouble in other.troubles:
        complain(trouble)
    _say_listed(done, len(merged.entries) - len(listed.tree.entries), short=bool(other.troubles))


@keywords_app.command("export")
def export_command(library: LibraryOption) -> None:
    """Print the list as plain text, one keyword a line, indented."""
    from jutrek.desk.keyword_acts import KeywordList
    from jutrek.library import open_library

    for entry in KeywordList(open_library(str(library))).tree.entries:
        out("    " * entry.depth + " = ".join((entry.word, *entry.synonyms)))
