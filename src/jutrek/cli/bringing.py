"""`jutrek bring`: carrying out a plan, with a bar on a terminal, plain lines or JSON elsewhere."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.progress import (
    BarColumn,
    DownloadColumn,
    Progress,
    TextColumn,
    TimeRemainingColumn,
    TransferSpeedColumn,
)

from jutrek.cli.choices import Choices
from jutrek.cli.planning import prepare, tell_troubles
from jutrek.cli.telling import as_json, complain, out, say
from jutrek.desk.finishing import leave_papers
from jutrek.desk.places import Places, places_of
from jutrek.errors import PageBroken, PlanUnusable, RunTrouble, Stopped, reason, shown
from jutrek.filing import Action, Plan, Row, from_json
from jutrek.library import Library, keep_devices, new_library, open_library
from jutrek.library.ledger import Ledger
from jutrek.transfer import Done, Listener, Outcome, bring, recover
from jutrek.transfer import Progress as Run

ALL_HOME, NOT_ALL_HOME, UNUSABLE = 0, 1, 3


def bring_sources(
    sources: list[str],
    library_path: str,
    choices: Choices,
    *,
    as_json: bool,
    stop: threading.Event,
    without: Sequence[str] = (),
) -> int:
    """Read, plan and bring home, but for some places. Returns the exit code.

    Args:
        sources: their folders.
        library_path: the library's folder.
        choices: what was said on the command line.
        as_json: whether JSON is printed.
        stop: ends the work when it is set.
        without: places to leave out, by name.
    """
    library = new_library(library_path)
    with Ledger(library.ledger_path) as ledger:
        plan, story = prepare(sources, library, ledger, choices, stop=stop)
        try:
            keep_devices(library, story.devices.values())
        except PageBroken as error:
            complain(error)
        except OSError:
            # A list that cannot be written now is written the next time; the files say themselves if they cannot be.
            pass
        settled = (*(change.words for change in choices.changes(story.devices)), *choices.answers_in_words)
        return _Telling(plan, as_json=as_json).run(library, ledger, stop, without, settled)


def bring_plan(path: Path, *, as_json: bool, stop: threading.Event, without: Sequence[str] = ()) -> int:
    """Carry out a saved plan, but for some places. Returns the exit code.

    Args:
        path: of the plan.
        as_json: whether JSON is printed.
        stop: ends the work when it is set.
        without: places to leave out, by name.

    Raises:
        PlanUnusable: when it is none, or fits another library.
    """
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        words = reason(error) if isinstance(error, OSError) else "it is not text"
        raise PlanUnusable(str(path), words) from error
    plan = from_json(text, str(path))
    library = open_library(plan.library)
    with Ledger(library.ledger_path) as ledger:
        tell_troubles(library, recover(library, ledger))
        return _Telling(plan, as_json=as_json).run(library, ledger, stop, without)


class _Telling:
    """Tells a run to the person or to another program, and knows the exit code."""

    def __init__(self, plan: Plan, *, as_json: bool) -> None:
        self._plan = plan
        self._as_json = as_json
        self._console = Console(stderr=True)
        self._bars: Progress | None = None
        self._seconds = 0.0
        self._proven: set[str] = set()
        self._results: Counter[str] = Counter()

    def run(
        self,
        library: Library,
        ledger: Ledger,
        stop: threading.Event,
        without: Sequence[str] = (),
        settled: Sequence[str] = (),
    ) -> int:
        places = places_of(library).without(without)
        for row in self._plan.rows:
            if row.action in (Action.HOME, Action.STAY):
                self._line(row, row.action.value, row.why)
        with ExitStack() as stack:
            if self._console.is_terminal and not self._as_json:
                self._bars = stack.enter_context(_bars(self._console))
                self._task = self._bars.add_task("", total=None, files="")
            listener = Listener(self._on_done, self._on_progress)
            outcome = bring(
                self._plan, library, ledger, stop=stop, listener=listener, places=places.here, settled=settled
            )
        self._say_places(outcome, places)
        papers = leave_papers(
            library, ledger, outcome.run, self._plan.rules, places, stop=stop, report=lambda _done, _all: None
        )
        missing = {row.destination for row in self._plan.to_bring()} - self._proven
        for row in self._plan.rows:
            if row.action is Action.TWIN:
                came = row.destination not in missing
                why = row.why if came else "It is here twice, and the other one did not come home."
                self._line(row, "twin" if came else "failed", why)
        for words in (papers.trouble, f"Report: {papers.report}" if papers.report else ""):
            if words:
                say(words)
        return self._sum_up(outcome)

    def _say_places(self, outcome: Outcome, places: Places) -> None:
        """Say which places lack something."""
        for place in places.here:
            if lacks := outcome.lacking(place.id):
                why = outcome.lost.get(place.id, "")
                complain(f"{place.name} lacks {lacks} of them. {why} `jutrek catch-up` brings them.")
        for place in places.away:
            complain(f"{place.name} is not connected. `jutrek catch-up` brings it what it lacks.")

    def _on_done(self, done: Done) -> None:
        if done.home and done.row.destination:
            self._proven.add(done.row.destination)
        self._line(done.row, "brought" if done.home else "failed", done.why, full=done.full)

    def _on_progress(self, run: Run) -> None:
        self._seconds = run.elapsed
        if self._bars is not None:
            done = (run.read_bytes + run.bytes) // 2
            files = f"{run.files} of {run.all_files} files proven"
            self._bars.update(self._task, total=run.all_bytes, completed=done, files=files)

    def _line(self, row: Row, result: str, why: str, *, full: bytes = b"") -> None:
        if self._as_json:
            entry: dict[str, Any] = {
                "source": row.source, "destination": row.destination, "result": result, "home": result in _AT_HOME,
                "why": why,
            }  # fmt: skip
            as_json(entry | ({"xxh3_128": full.hex()} if full else {}))
        elif self._bars is None:
            out(result, row.source, row.destination or "-")
        if result not in _AT_HOME:
            say(f"not home: {shown(row.source)}: {why}")
        self._results[result] += 1

    def _sum_up(self, outcome: Outcome) -> int:
        counts = self._results
        missing = counts["failed"] + counts["stay"]
        code = NOT_ALL_HOME if missing else ALL_HOME
        if isinstance(outcome.trouble, RunTrouble) and not isinstance(outcome.trouble, Stopped):
            code = UNUSABLE
        size = sum(done.row.size for done in outcome.done if done.home)
        if self._as_json:
            summary = {
                "summary": True, "library": self._plan.library, "brought": counts["brought"], "home": counts["home"],
                "twins": counts["twin"], "stayed": counts["stay"], "failed": counts["failed"], "bytes": size,
                "seconds": round(self._seconds, 2), "trouble": str(outcome.trouble) if outcome.trouble else None,
                "exit_code": code,
            }  # fmt: skip
            as_json(summary)
        if outcome.trouble is not None:
            complain(outcome.trouble)
        say(
            f"{counts['brought']} brought home and proven ({size / 1e6:,.1f} MB) · "
            f"{counts['home']} were home already · {counts['twin']} here twice · {missing} not home."
        )
        return code


_AT_HOME = frozenset({"brought", "home", "twin"})


def _bars(console: Console) -> Progress:
    return Progress(
        TextColumn("{task.fields[files]}"),
        BarColumn(),
        DownloadColumn(),
        TransferSpeedColumn(),
        TimeRemainingColumn(),
        console=console,
        transient=True,
    )
