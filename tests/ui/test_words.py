"""The words of the window: what a photographer would stop at is said otherwise, on every page and every sheet."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import jutrek

LEFT = re.compile(
    r"\b(places|releases?|released|let (it )?go|close look|tray|lies as|would lie|lands in|put back"
    r"|keep (all|the framed)"
    r"|keep the proposed|same bytes|other (metadata|encodings?)|twins?|words differ|words and rights|by standing"
    r"|told apart|stand out|with it|digitizing|satellite|record is whole|roll back|blink|unnamed|strangers?"
    r"|first sight)\b",
    re.IGNORECASE,
)
"""Words that are not said any more."""
SAID = re.compile(r"(come home|travels?|go) with it|empty tray|^let go$")
"""What is meant otherwise, or is a name of data."""
ROOMS = ("ui", "desk", "captures", "doubles", "filing", "transfer", "formats", "library", "sources", "cli", "jobs")


def texts(path: Path) -> Iterator[tuple[int, str]]:
    """Texts of a module that somebody may read: sentences and labels, and no names of data."""
    tree = ast.parse(path.read_text())
    nodes = list(ast.walk(tree))
    # What commands say of themselves is their help.
    commands = [node for node in nodes if isinstance(node, ast.FunctionDef) and node.name.endswith("_command")]
    helps = {id(node.body[0].value) for node in commands if isinstance(node.body[0], ast.Expr)}
    told = {id(node.value) for node in nodes if isinstance(node, ast.Expr)} - helps
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
