"""`jutrek plan`, and the way from sources to a plan that `jutrek bring` shares."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import partial
from pathlib import Path

from jutrek.captures import Capture, Decisions, Heard
from jutrek.cli.choices import Choices
from jutrek.cli.telling import complain, is_terminal, raw_json, say
from jutrek.cli.telling import out as tell
from jutrek.desk.doubling import with_doubles
from jutrek.desk.intake import Found, Report, looked, make_captures, plan_of, read_source, standings_of, story_told
from jutrek.desk.known import plan_of_known
from jutrek.desk.places import troubles_of
from jutrek.desk.story import Story, as_objects, devices_of
from jutrek.desk.workbench import not_compared
from jutrek.disk import chosen
from jutrek.doubles import Comparison
from jutrek.errors import NoSuchDay, NotPossible, SourceUnreadable, reason, shown
from jutrek.filing import Action, HouseRules, Plan
from jutrek.filing.collecting import uncollected
from jutrek.filing.rulebook import load_rules
from jutrek.library import Library, apart, is_library, known_devices, open_library
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source
from jutrek.transfer import Done, Leftover, Listener, recover
from jutrek.words import counted


def tell_troubles(library: Library, leftovers: Sequence[Leftover] = ()) -> None:
    """Say what of a library's own pages is damaged, and what of its record is not believed."""
    for trouble in (*troubles_of(library), *(one for leftover in leftovers for one in leftover.troubles)):
        complain(trouble)


WORDS = {Action.BRING: "to bring home", Action.HOME: "home already", Action.TWIN: "here twice", Action.STAY: "stay"}


@contextmanager
def working() -> Iterator[Report]:
    """A bar on a terminal while something is read or compared; silence elsewhere."""
    if not is_terminal("stderr"):
        yield lambda what, done, total: None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bars:
        task = bars.add_task("", total=None)
        yield lambda what, done, total: bars.update(task, description=what, completed=done, total=total or None)


@contextmanager
def watching(what: str, on_done: Callable[[Done], None] = lambda done: None) -> Iterator[Listener]:
    """The same for a run: whoever listens to it shows how far it is.

    Args:
        on_done: hears of every file.
    """
    with working() as report:
        yield Listener(on_done, lambda run: report(what, run.files, run.all_files))


def prepare(
    sources: list[str],
    library: Library,
    ledger: Ledger,
    choices: Choices,
    *,
    as_json: bool = False,
    stop: threading.Event,
) -> tuple[Plan, Story]:
    """Read sources and plan them. Sources of which everything is home are not read, unless all is to be told as JSON.

    Args:
        sources: their folders.
        library: the library.
        ledger: its ledger, open.
        choices: what was said on the command line.
        as_json: whether JSON is printed.
        stop: ends the work when it is set.

    Raises:
        SourceRefused: for a source inside the library.
        SourceUnreadable: for a source that cannot be listed.
        NoSuchDevice: for a clock fix of a device that there is none of.
        NoSuchDay: for a description of a day on which nothing was made.
        LibraryTrouble: when the library cannot be used.
        Stopped: when `stop` was set.
    """
    for path in sources:
        apart(path, library)
    _tell_leftovers(library, recover(library, ledger))
    with uncollected(), working() as report:
        if choices.says_nothing and not as_json and (known := _known(sources, library, ledger, choices, stop, report)):
            return known
        founds = read_sources(sources, library, stop=stop, report=report)
        captures = make_captures(founds, choices.rules)
        story, decisions = story_of(founds, captures, library, choices)
        heard: tuple[Heard, ...] = ()
        if choices.listen:
            heard = _listened(captures, story, report, stop)
            story = story_by(founds, captures, library, choices, decisions, heard)
        standings = standings_of(story.captures, library, ledger, stop=stop, report=report, founds=founds)
        if choices.looks:
            standings |= looked(story.captures, standings, library, ledger, stop=stop, report=report)
        story = with_doubles(story, standings, choices.rules, decisions)
        if choices.answers or choices.as_it_is:
            decisions = choices.answered(decisions, story.doubts, story.captures, story.devices)
            told = story_by(founds, captures, library, choices, decisions, heard)
            story = with_doubles(told, standings, choices.rules, decisions)
        check_days(choices, story)
        _say_what_was_not_compared(story, standings, choices, ledger)
        for doubt in story.doubts:
            complain(f"{doubt.headline} ({doubt.certainty}). {doubt.evidence}")
            for number, answer in enumerate(doubt.answers, 1):
                say(f"    --answer {doubt.sign}={number}  {answer.words}")
        return plan_of(founds, story, library, choices.rules, standings, ledger.stored.all()), story


def _tell_leftovers(library: Library, leftovers: Sequence[Leftover]) -> None:
    """Say which runs did not end, and what became of their files."""
    tell_troubles(library, leftovers)
    for leftover in leftovers:
        complain(
            f"a run of {leftover.at} did not end: {counted(leftover.home, 'file')} {leftover.did}, "
            f"{leftover.left} {'was' if leftover.left == 1 else 'were'} not."
            if leftover.did
            else f"an intake of {leftover.at} did not end: {counted(leftover.home, 'file is', 'files are')} home, "
            f"{counted(leftover.left, 'is', 'are')} not. Bringing its sources home again brings the rest."
        )


def _known(
    sources: list[str], library: Library, ledger: Ledger, choices: Choices, stop: threading.Event, report: Report
) -> tuple[Plan, Story] | None:
    """The plan of sources of which everything is home, with nothing told of them; None for any others."""
    try:
        found = [known_source(path) for path in sources]
    except OSError:
        return None
    plan = plan_of_known(found, library, ledger, choices.rules, stop=stop, report=report)
    return None if plan is None else (plan, Story())


def _say_what_was_not_compared(
    story: Story, standings: Mapping[str, Comparison], choices: Choices, ledger: Ledger
) -> None:
    """What is not known is said: whoever brings it all the same knows it."""
    content = not ledger.contents.to_look_at()
    count = not_compared(story, choices.rules, standings, content=content, looks=choices.looks or ledger.is_empty)
    if count:
        how = (
            "by their looks; --looks does that" if content else "for other notes yet; `jutrek adopt` looks at it first"
        )
        complain(
            f"{counted(count, 'capture to come was', 'captures to come were')} not compared with the library {how}."
        )


def story_of(
    founds: list[Found], captures: list[Capture], library: Library, choices: Choices
) -> tuple[Story, Decisions]:
    """What the captures of sources tell, with what was decided on the command line; and these decisions.

    Args:
        founds: what was found on each source.
        captures: of all of them.
        library: the library.
        choices: what was said on the command line.
    """
    sources = [found.source for found in founds]
    devices = devices_of(sources, captures, Decisions(), known_devices(library))
    decisions = choices.decisions(devices, sources)
    return story_by(founds, captures, library, choices, decisions), decisions


def check_days(choices: Choices, story: Story) -> None:
    """Check that something was made on the days that are described.

    Raises:
        NoSuchDay: for the first one on which nothing was.
    """
    days = {shoot.day for shoot in story.shoots}
    for day, _ in choices.described:
        if day not in days:
            raise NoSuchDay(day, sorted(days))


def _listened(captures: list[Capture], story: Story, report: Report, stop: threading.Event) -> tuple[Heard, ...]:
    """What devices heard together; what their clocks are supposed to be off by is known by other evidence."""
    from jutrek.hearing import heard_of

    supposed = {doubt.device: doubt.shift for doubt in story.doubts if doubt.is_of_a_clock}
    return heard_of(captures, supposed, partial(report, "Listening to recordings"), stop)


def story_by(
    founds: list[Found],
    captures: list[Capture],
    library: Library,
    choices: Choices,
    decisions: Decisions,
    heard: tuple[Heard, ...] = (),
) -> Story:
    """What the captures of sources tell, by decisions.

    Args:
        founds: what was found on each source.
        captures: of all of them.
        library: the library.
        choices: what was said on the command line.
        decisions: what was decided.
        heard: what devices heard of one another.
    """
    return story_told(founds, captures, library, choices.rules, decisions, heard)


def read_sources(sources: list[str], library: Library, *, stop: threading.Event, report: Report) -> list[Found]:
    """Read every source.

    Args:
        sources: their folders.
        library: the library.
        stop: ends the work when it is set.
        report: is told how much is done, and of how much.

    Raises:
        SourceUnreadable: for one that cannot be listed.
    """
    founds = []
    for path in sources:
        try:
            source = known_source(path)
        except OSError as error:
            raise SourceUnreadable(path, error) from error
        founds.append(read_source(source, library, stop=stop, report=partial(report, f"Reading {shown(source.name)}")))
    return founds


def house_of(path: str, *, none_yet: bool = False) -> HouseRules:
    """The house rules of a library; where its file is broken, those that hold, and the trouble is said.

    Args:
        none_yet: whether the folder may be no library yet: then the usual rules hold.
    """
    if none_yet and not is_library(path):
        return HouseRules()
    book = load_rules(open_library(path))
    if book.trouble:
        complain(book.trouble)
    return book.rules


def plan_sources(
    sources: list[str], library_path: str, choices: Choices, *, as_json: bool, out: Path | None, stop: threading.Event
) -> int:
    """Make a plan and print it, or write it to a file. Returns 0: a plan that can be made is a success.

    Args:
        sources: their folders.
        library_path: the library's folder.
        choices: what was said on the command line.
        as_json: whether JSON is printed.
        out: the file that it is written to; None: it is printed.
        stop: ends the work when it is set.
    """
    library = open_library(library_path)
    with Ledger(library.ledger_path) as ledger:
        plan, story = prepare(sources, library, ledger, choices, as_json=as_json or out is not None, stop=stop)
    if as_json:
        raw_json(plan.as_json(as_objects(story)))
        return 0
    if out is not None:
        try:
            tree, name = chosen(str(out))
            tree.write_own(name, (plan.as_json(as_objects(story)) + "\n").encode())
        except OSError as error:
            raise NotPossible(str(out), f"it could not be written: {reason(error)}") from error
    else:
        print_plan(plan)
    print_sums(plan)
    return 0


def print_plan(plan: Plan) -> None:
    """Print a table on a terminal, plain lines elsewhere."""
    if not is_terminal("stdout"):
        for row in plan.rows:
            tell(row.action, row.source, row.destination or "-", row.why)
        return
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

    console = Console(highlight=False, soft_wrap=True)
    table = Table("", "from", "goes to", "why", box=None, header_style="dim", pad_edge=False)
    styles = {Action.BRING: "green", Action.HOME: "dim", Action.TWIN: "dim", Action.STAY: "yellow"}
    for row in plan.rows:
        cells = (row.action.value, shown(row.source), shown(row.destination or ""), shown(row.why))
        table.add_row(*(Text(cell) for cell in cells), style=styles[row.action])
    console.print(table)


def print_sums(plan: Plan) -> None:
    """Print how many files there are of each action, on the error output."""
    counts = Counter(row.action for row in plan.rows)
    parts = [f"{counts[action]} {words}" for action, words in WORDS.items() if counts[action]]
    size = sum(row.size for row in plan.to_bring()) / 1e6
    say(f"{' · '.join(parts) or 'Nothing was found'}. {size:,.1f} MB to copy.")
