"""A run of the journal that changes what is said of captures, in sidecars beside them or in their files."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypeVar

from jutrek.errors import JutrekError, Stopped, of_place
from jutrek.library import Library
from jutrek.transfer.journal import Journal, Kind

_AT_ONCE = 100
"""So many steps share their syncs."""
_AnyStep = TypeVar("_AnyStep")


@dataclass(slots=True)
class Written:
    """What came of it.

    Attributes:
        run: its run in the journal; empty where there was nothing to write.
        sidecars: those that were written.
        files: those that were amended.
        unproven: those that were not, as they were not proven to be the same but for that.
        left: sentences about those that were not.
        trouble: what ended it early.
    """

    run: str = ""
    sidecars: list[str] = field(default_factory=list)
    files: list[str] = field(default_factory=list)
    unproven: list[str] = field(default_factory=list)
    left: list[str] = field(default_factory=list)
    trouble: JutrekError | None = None

    @property
    def count(self) -> int:
        """How many were written or amended."""
        return len(self.sidecars) + len(self.files)

    @property
    def why(self) -> str:
        """What did not work, in a sentence; empty where all did."""
        return str(self.trouble) if self.trouble is not None else (self.left[0] if self.left else "")


def in_one_run(
    library: Library, about: Mapping[str, object], steps: Sequence[_AnyStep],
    some: Callable[[Journal, Sequence[_AnyStep]], None], written: Written, stop: threading.Event,
    *, behind: Callable[[Journal], None] = lambda journal: None,
) -> None:  # fmt: skip
    """Do steps in one run of the journal, many at a time. Whoever calls holds the library's lock.

    Args:
        library: the library.
        about: what the head of the journal tells of it.
        steps: what is to be done.
        some: does some of the steps, which share syncs.
        written: what came of it; a trouble in it ends the run.
        stop: ends it when it is set.
        behind: is done behind all steps, where nothing ended it before.

    Raises:
        LibraryTrouble: when the journal can't be begun.
    """
    try:
        journal = Journal.begin(library, Kind.DESCRIBE, about)
    except OSError as error:
        raise of_place(library.root, library.own, error) from error
    written.run = journal.run
    try:
        for first in range(0, len(steps), _AT_ONCE):
            if stop.is_set():
                written.trouble = Stopped()
            if written.trouble is not None:
                break
            some(journal, steps[first : first + _AT_ONCE])
        if written.trouble is None:
            behind(journal)
        done = written.count
        journal.end("stopped" if written.trouble else "done", done, len(steps) - done)
    except OSError as error:
        written.trouble = of_place(library.root, library.own, error)
    finally:
        journal.close()
