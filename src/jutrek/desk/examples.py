"""Captures to try house rules on while there are none: made up, from the story that comes with Jutrek."""

from __future__ import annotations

from jutrek.captures import Decisions, ReadFile
from jutrek.captures.decisions import Describe
from jutrek.desk.intake import Found, make_captures
from jutrek.desk.story import devices_of, tell
from jutrek.filing import HouseRules
from jutrek.filing.facts import Facts
from jutrek.filing.planner import all_facts
from jutrek.sources import Medium, Source


def example_facts() -> list[Facts]:
    """The facts of the made-up captures, their days described."""
    from jutrek.demo.examples import described, examples

    founds: dict[str, Found] = {}
    for file, reading in examples():
        source = Source(file.root, file.root.strip("/"), Medium.CARD)
        founds.setdefault(file.root, Found(source)).files.append(ReadFile(file, reading, None))
    captures = make_captures(list(founds.values()))
    decisions = Decisions()
    for day, words in described():
        decisions = Describe(day.date(), None, words).on(decisions)
    devices = devices_of([found.source for found in founds.values()], captures, decisions, {})
    story = tell(captures, devices, decisions, HouseRules(), ())
    return all_facts(story.captures, story.wishes)
