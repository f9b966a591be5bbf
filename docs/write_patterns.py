"""Writes what can be told by the program itself into docs/patterns.md: the table of pieces, and trees of the demo.

`./run shots` does it; a test compares the page with what this writes.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Sequence
from dataclasses import replace
from datetime import date

from jutrek.captures import Decisions, Say
from jutrek.captures.decisions import Describe, NameDevice, ShiftClock
from jutrek.demo import Scenario
from jutrek.desk.intake import make_captures, read_source
from jutrek.desk.story import devices_of, tell
from jutrek.desk.trying import Bench
from jutrek.filing import HouseRules
from jutrek.filing.facts import Facts
from jutrek.filing.pieces import PIECES
from jutrek.filing.planner import all_facts
from jutrek.filing.starting import STARTS
from jutrek.sources import known_source

PAGE = os.path.join(os.path.dirname(os.path.abspath(__file__)), "patterns.md")
_MOST_LINES = 22
_WORDS = {
    12: "Depot walk-through @ Depot", 14: "Bridge survey @ Upper valley", 15: "Rail unloading @ Depot",
    17: "First steam test @ Upper valley",
}  # fmt: skip
_OPERATORS = {"A": "Ilvar", "B": "Mira", "C": "Mira"}


def demo_facts(demo: Scenario) -> list[Facts]:
    """The demo's captures, its camcorder's clock put right, its days described, its intake said to be for a job."""
    stop = threading.Event()
    founds = [read_source(known_source(path), None, stop=stop, report=lambda *_: None) for path in demo.sources]
    captures, sources = make_captures(founds), [found.source for found in founds]
    devices = devices_of(sources, captures, Decisions(), {})
    made = Say({"client": "Velmora line", "job": "26-014"}).on(Decisions())
    for device in devices.values():
        if device.letter == "B":
            made = ShiftClock(device.key, 3600).on(made)
        if who := _OPERATORS.get(device.letter):
            made = NameDevice(device.key, device.name, who).on(made)
    for day, words in _WORDS.items():
        made = Describe(date(2026, 5, day), None, words).on(made)
    story = tell(captures, devices_of(sources, captures, made, {}), made, HouseRules(), ())
    return all_facts(story.captures, story.wishes)


def pieces_table() -> str:
    """All pieces with what they are and which formats they take."""
    lines = ["| piece | is | formats |", "|---|---|---|"]
    for name, kind in PIECES.items():
        words = set(kind.forms) == {"upper", "lower", "slug"}
        forms = [] if words else [f"`{form}`" for form in kind.forms]
        forms += ["words"] if words else []
        forms += ["a number of digits"] if kind.digits else []
        forms += ["`4 from 100`"] if kind.counts else []
        forms += ["`%…`"] if kind.directed else []
        lines.append(f"| `{{{name}}}` | {kind.about} | {', '.join(forms)} |")
    return "\n".join(lines)


def _tree(folders: Sequence[tuple[str, int]]) -> list[str]:
    lines = []
    for path, count in folders:
        label = "  " * path.count("/") + path.rpartition("/")[2]
        lines.append(f"{label:<44}{count:>4}")
    if len(lines) > _MOST_LINES:
        lines = [*lines[:_MOST_LINES], f"… and {len(lines) - _MOST_LINES} more folders"]
    return lines


def schemes(facts: Sequence[Facts]) -> str:
    """Every starting point with its patterns, the tree that it makes, and a name."""
    bench, parts = Bench(facts), []
    for start in STARTS:
        rules = replace(HouseRules(), layout=start.layout, name=start.name)
        trial = bench.tried(rules)
        assert trial is not None
        rows = (trial.row(number) for number in range(len(trial.rows)))
        row = next(row for row in rows if row.source.endswith("DSC04430.DNG"))
        parts.append(
            f"### {start.words}\n\n    layout  {start.layout}\n    name    {start.name}\n\n"
            + "\n".join(f"    {line}" for line in _tree(trial.tree))
            + f"\n\n`{row.source}` becomes `{row.folder}/{row.name}`"
        )
    return "\n\n".join(parts)


def page_text(text: str, facts: Sequence[Facts]) -> str:
    """The page with its marked places written anew."""
    for mark, inner in (("pieces", pieces_table()), ("schemes", schemes(facts))):
        before, _, rest = text.partition(f"<!-- {mark} -->\n")
        _, _, after = rest.partition("<!-- end -->\n")
        text = f"{before}<!-- {mark} -->\n{inner}\n<!-- end -->\n{after}"
    return text


def write(demo: Scenario) -> None:
    """Write the page."""
    with open(PAGE, encoding="utf-8") as file:
        text = file.read()
    with open(PAGE, "w", encoding="utf-8") as file:
        file.write(page_text(text, demo_facts(demo)))
