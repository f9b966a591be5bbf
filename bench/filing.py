"""Planning very many captures, and trying patterns on them while they are typed.

Planning is measured with all that belongs to it: facts, names, clashes, counters, rows. A keystroke is measured from
the changed text to the first screen and to the figures of all, as the House rules page has them made.
"""

from __future__ import annotations

import resource
import statistics
import tempfile
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import datetime, timedelta

from jutrek.captures import Capture

PLANNED, TRIED = 100_000, 30_000
WANTED_PLAN, WANTED_REFILING, WANTED_MEMORY, WANTED_FIRST, WANTED_ALL = 3.0, 10.0, 300, 0.050, 0.300


def run() -> None:
    """Measure and print."""
    loop = min(_timed(lambda: sum(number * number for number in range(1_000_000))) for _ in range(5))
    print(
        f"a plain loop that adds up a million squares takes {loop * 1000:.0f} ms here, which tells how fast this is now"
    )
    _plan()
    _refile()
    _keystrokes()


def _plan() -> None:
    from jutrek.captures import Decisions, shoots_of
    from jutrek.filing import HouseRules, Wishes, make_plan
    from jutrek.library import Library

    captures = made_up(PLANNED)
    shoots = shoots_of(captures, Decisions())
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for words, rules in (
        ("usual rules", HouseRules()),
        ("counter per folder", HouseRules(name="{date}<_{shoot}>_{counter:5}")),
        ("all in one folder, by the day", HouseRules(layout="All", name="{date}")),
    ):
        with tempfile.TemporaryDirectory() as root:
            began = time.perf_counter()
            plan = make_plan(Library(root, "id", "x"), rules, captures, {}, (), Wishes(shoots=shoots))
            took = time.perf_counter() - began
        rows = len({row.destination for row in plan.rows})
        used = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
        print(
            f"planning {PLANNED:,} captures, {words}: {took:.2f} s (wanted {WANTED_PLAN:.0f}), {rows:,} destinations, "
            f"at most {used:.0f} MB more than the captures themselves (wanted under {WANTED_MEMORY})"
        )
        del plan


def _refile() -> None:
    """Plan the re-filing of a library that was filed by the usual rules: all of it moves, or nothing does."""
    from jutrek.captures import Decisions, shoots_of
    from jutrek.filing import HouseRules, Wishes, make_plan
    from jutrek.filing.planner import all_facts
    from jutrek.filing.refiling import Given, Scope, plan_refiling
    from jutrek.library import Library

    captures = made_up(PLANNED)
    with tempfile.TemporaryDirectory() as root:
        library = Library(root, "id", "x")
        shoots = shoots_of(captures, Decisions())
        plan = make_plan(library, HouseRules(), captures, {}, (), Wishes(shoots=shoots))
        at = {row.source: f"{root}/{row.destination}" for row in plan.rows}
        home = {one.id: _moved(one, at, root) for one in captures}
        moved = [replace(shoot, captures=tuple(home[one.id] for one in shoot.captures)) for shoot in shoots]
        facts = all_facts(home.values(), Wishes(shoots=moved))
        known = frozenset(one.capture.id for one in facts)
        for words, rules in (("all of it moves", HouseRules(layout="{kind}/{year}", name="{date}-{time}")),
                             ("nothing moves", HouseRules())):  # fmt: skip
            began = time.perf_counter()
            rows = len(plan_refiling(library, rules, facts, known, Scope(), Given()).rows)
            took = time.perf_counter() - began
            print(
                f"planning the re-filing of {len(at):,} files, {words}: {took:.2f} s (wanted {WANTED_REFILING:.0f} for "
                f"100,000 files), {rows:,} rows"
            )


def _moved(capture: Capture, at: Mapping[str, str], root: str) -> Capture:
    files = tuple(replace(read, file=replace(read.file, path=at[read.file.path], root=root)) for read in capture.files)
    return replace(capture, files=files)


def _keystrokes() -> None:
    from jutrek.captures import Decisions, shoots_of
    from jutrek.desk.trying import FIRST, Bench
    from jutrek.filing import HouseRules, RuleError, Wishes
    from jutrek.filing.collecting import uncollected
    from jutrek.filing.planner import all_facts

    captures = made_up(TRIED)
    facts = all_facts(captures, Wishes(shoots=shoots_of(captures, Decisions())))
    first, whole = Bench(facts[:FIRST]), Bench(facts)
    first.tried(HouseRules())
    whole.tried(HouseRules())
    layout, name = "{year}/{month} {month:name}/{day}< {shoot}>/{kind}", "{date}_{time}<_{letter}>-{original}"
    typed = [(layout[:end], "{date}_{time}") for end in range(1, len(layout) + 1)]
    typed += [(layout, name[:end]) for end in range(1, len(name) + 1)]
    firsts, wholes = [], []
    for folders, names in typed:
        try:
            rules = HouseRules(layout=folders, name=names)
        except RuleError:
            continue
        firsts.append(_timed(lambda rules=rules: first.tried(rules)))
        with uncollected():
            wholes.append(_timed(lambda rules=rules: whole.tried(rules)))
    print(
        f"a keystroke, {len(firsts)} of them: first screen {_words(firsts)} (wanted {WANTED_FIRST * 1000:.0f}), "
        f"figures of {TRIED:,} captures {_words(wholes)} (wanted {WANTED_ALL * 1000:.0f})"
    )


def _timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def _words(times: list[float]) -> str:
    return f"{statistics.median(times) * 1000:.0f} ms in the median, {max(times) * 1000:.0f} ms at most"


def made_up(count: int) -> list:  # type: ignore[type-arg]
    """Captures of some years, three in four of them pairs, without files."""
    from jutrek.captures import ReadFile, decide, group
    from jutrek.formats import Claim, DeviceFacts, Kind, Precision, Reading, Timestamp
    from jutrek.sources import SourceFile

    devices = [DeviceFacts("Arlen", "M2", "1"), DeviceFacts("Hovar", "4K", "2")]
    files = []
    at = datetime(2014, 3, 1, 8)
    for number in range(count):
        at += timedelta(seconds=1 + number * 7919 % 2400)
        claim = Claim("exif:original", Timestamp(at, Precision.SECOND), "the camera's time", "")
        stem = f"/card/{number // 500:03}ARLEN/DSC{number:06}"
        for suffix, form in ((".DNG", "dng"), (".JPG", "jpeg"))[: 1 if number % 4 == 0 else 2]:
            reading = Reading(Kind.STILL, form, (claim,), devices[number % 2], 6000, 4000)
            files.append(ReadFile(SourceFile(stem + suffix, "/card", 5_000_000, 0), reading, decide(reading.claims)))
    return group(files)
