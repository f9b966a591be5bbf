"""What was told, compared line by line with a page that was read and found right."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path


def as_told(page: Path, lines: Sequence[str]) -> None:
    """Compare; with `KEEP_CHRONICLE=1` the page is written anew: what changed then is read as if it were code."""
    if os.environ.get("KEEP_CHRONICLE"):
        page.write_text("\n".join(lines) + "\n")
    assert list(lines) == page.read_text().splitlines()
