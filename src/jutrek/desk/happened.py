"""What happens to folders that are watched without a window, as it is told."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Literal, NamedTuple


class Happened(NamedTuple):
    """Something that happened to an inbox or an outbox.

    Attributes:
        event: `watching`, `home`, `waits`, `failed`, `cleared`, `stays`, `trouble`, `busy` or `in-step`.
        what: the folder is.
        folder: its path.
        words: what is said of it.
        facts: more of it, for a program.
    """

    event: str
    what: Literal["inbox", "outbox"]
    folder: str
    words: str
    facts: Mapping[str, Any] = {}


Tell = Callable[[Happened], None]
