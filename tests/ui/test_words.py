"""The words of the window: what a photographer would stop at is said otherwise, on every page and every sheet."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import jutrek

LEFT = re.compile(
    r"\b(places|[Rr]elease\w*|Let go|Close look|[Tt]ray|Lies as|Would lie|Lands in|Put back|Keep (all|the framed)"
    r"|Keep the proposed|[Ss]ame bytes|[Oo]ther (metadata|encodings?)|[Tt]wins?|words differ|Words and rights"
    r"|by standing|told apart|stand out|with it|digitizing|[Ss]atellite|record is whole|[Rr]oll back|blink|unnamed"
    r"|strangers?|first sight)\b"
)
"""Words that are not said any more."""
SAID = re.compile(r"(come home|travels?|go) with it|empty tray")
"""What is meant otherwise, or is a name of data."""
ROOMS = ("ui", "desk", "captures", "doubles", "filing", "transfer", "formats", "library", "sources", "cli")


def texts(path: Path) -> Iterator[tuple[int, str]]:
    """Texts of a module that somebody may read: sentences and labels, and no names of data."""
    tree = ast.parse(path.read_text())
    nodes = list(ast.walk(tree))
    told = {id(node.value) for node in nodes if isinstance(node, ast.Expr)}
    for node in nodes:
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in told:
            is_sentence = " " in node.value.strip() or node.value[:1].isupper()
            if is_sentence and not node.value.startswith(("SELECT", " WHERE", "UPDATE", "DELETE", "NOT EXISTS")):
                yield node.lineno, node.value


def test_no_old_word_is_left() -> None:
    """In whatever the window, the command line, reports and certificates may say."""
    top = Path(jutrek.__file__).parent
    found = [
        f"{path.relative_to(top)}:{line}: {text}"
        for room in ROOMS
        for path in sorted((top / room).rglob("*.py"))
        for line, text in texts(path)
        if LEFT.search(SAID.sub("", text))
    ]
    assert not found, "\n".join(found)
