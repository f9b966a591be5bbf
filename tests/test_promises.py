"""The page of promises names tests that there are."""

from __future__ import annotations

import re
from pathlib import Path

ROOT = Path(__file__).parents[1]


def test_every_promise_names_tests_that_there_are() -> None:
    """Each of the ten has a test or a file of tests, by a name that is not out of date."""
    page = (ROOT / "docs" / "promises.md").read_text()
    rows = re.findall(r"^\| (\d+)\. (.*)$", page, re.MULTILINE)
    assert [int(number) for number, _ in rows] == list(range(1, 11))
    known = "\n".join(path.read_text() for path in (ROOT / "tests").rglob("test_*.py"))
    files = {path.name for path in (ROOT / "tests").rglob("test_*.py")}
    for _, row in rows:
        names = re.findall(r"`(?:[\w/]*/)?(test_\w+)(\.py)?`", row)
        assert names
        for name, is_file in names:
            assert f"{name}.py" in files if is_file else f"def {name}(" in known, name
