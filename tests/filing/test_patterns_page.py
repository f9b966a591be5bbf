"""The manual of patterns tells what the program does."""

from __future__ import annotations

import sys
from pathlib import Path

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
