"""The manuals tell what the program does."""

from __future__ import annotations

import sys
from pathlib import Path

import typer

from jutrek.cli.commands import COMMANDS, GROUPS, app_of
from jutrek.demo import Scenario

DOCS = Path(__file__).parents[2] / "docs"


def test_the_manuals_pieces_and_trees_are_true(demo: Scenario) -> None:
    """`./run shots` writes them anew."""
    sys.path.insert(0, str(DOCS))
    try:
        from write_patterns import PAGE, demo_facts, page_text  # type: ignore[import-not-found]
    finally:
        sys.path.remove(str(DOCS))
    text = Path(PAGE).read_text(encoding="utf-8")
    facts = demo_facts(demo)
    assert len(facts) > 200
    assert text == page_text(text, facts)


def test_the_manual_of_commands_is_true() -> None:
    """It tells every command once; `./run shots` writes it anew, and the man page."""
    sys.path.insert(0, str(DOCS))
    try:
        from write_manual import MAN, PAGE, man_text, page_text  # type: ignore[import-not-found]
    finally:
        sys.path.remove(str(DOCS))
    text = Path(PAGE).read_text(encoding="utf-8")
    assert text == page_text(text)
    assert Path(MAN).read_text(encoding="utf-8") == man_text()
    assert list(COMMANDS) == [name for names in GROUPS.values() for name in names]
    assert sorted(typer.main.get_command(app_of()).commands) == sorted(COMMANDS)  # type: ignore[attr-defined]
