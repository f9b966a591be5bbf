"""Reading what the files of a library say of themselves, once each, and again when they changed.

It can be stopped at any time and goes on where it was. What Jutrek filed and what it found there are read alike.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Collection, Sequence
from typing import TYPE_CHECKING

from jutrek.captures import RUNGS, Moment, Said, decided, device_key
from jutrek.captures.journeys import Journeys
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.filing import HouseRules
from jutrek.formats import TAKEN_OFF, Reading, Timestamp, Wording, read
from jutrek.library import Library
from jutrek.library.descriptions import Description

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_AT_ONCE = 500
"""Files that are read together: what one does not tell of its zone, others of its device may."""
_KEPT_EVERY = 2.0
"""Seconds after which what was read is written down."""


class Describing:
    """What is left to be read of a library. It must have been surveyed before."""

    def __init__(
        self,
        library: Library,
        ledger: Ledger,
        rules: HouseRules,
        *,
        at_once: int = _AT_ONCE,
        only: Collection[str] | None = None,
    ) -> None:
        """
        Args:
            library: the library.
            ledger: its ledger, open.
            rules: which dates the house trusts, and in which zone it is.
            at_once: files that are read in each step.
            only: paths of the files that are meant; None for all.
        """
        self._at_once = at_once
        self._root, self._ledger = library.root, ledger
        self._lies = ledger.stored.lying(library.root)
        self._ladder = [RUNGS[name] for name in rules.trust]
        has_zone = rules.zone is not None or rules.journeys
        self._home = Journeys(rules.zone, rules.journeys) if has_zone else None
        self._todo = ledger.descriptions.missing(only)
        self._found: list[Description] = []
        self._kept_at = time.monotonic()
        self.done = 0

    @property
    def total(self) -> int:
        """How many files there are to read."""
        return len(self._todo)

    @property
    def left(self) -> int:
        """How many of them are left."""
        return len(self._todo) - self.done

    def go_on(self, stop: threading.Event) -> None:
        """Read some more files. What was read is written down by and by, and in any case by `close`.

        Raises:
            Stopped: when `stop` was set.
        """
        part = self._todo[self.done : self.done + self._at_once]
        readings: list[tuple[tuple[str, int, int], Reading]] = []
        for row in part:
            if stop.is_set():
                raise Stopped
            try:
                readings.append((row, read(self._lies.at(row[0]))))
            except SourceUnreadable:
                # It is asked for again the next time.
                continue
        self._found += self._described(readings)
        self.done += len(part)
        if time.monotonic() - self._kept_at > _KEPT_EVERY or not self.left:
            self.close()

    def _described(self, readings: Sequence[tuple[tuple[str, int, int], Reading]]) -> list[Description]:
        said = [Said(self._root, self._lies.at(row[0]), reading) for row, reading in readings]
        moments = decided(said, home=self._home, ladder=self._ladder)
        return [description(*row, reading, moment) for (row, reading), moment in zip(readings, moments, strict=True)]

    def close(self) -> None:
        """Write down what was read."""
        self._ledger.descriptions.put(self._found)
        self._found.clear()
        self._kept_at = time.monotonic()


def describe(
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    *,
    stop: threading.Event,
    report: Callable[[int, int], None] = lambda done, total: None,
    only: Collection[str] | None = None,
) -> int:
    """Read what is left to be read of a library; see `Describing`.

    Args:
        report: told how many files were read, and how many there are.
        only: paths of the files that are meant; None for all.

    Returns:
        How many were read.

    Raises:
        Stopped: when `stop` was set. What was read until then is kept.
    """
    describing = Describing(library, ledger, rules, only=only)
    try:
        while describing.left:
            describing.go_on(stop)
            report(describing.done, describing.total)
    finally:
        describing.close()
    return describing.done


def _words(wording: Wording | None) -> tuple[str, ...]:
    """Keywords, and those that do not count any more with a blank before."""
    return (*wording.keywords, *(f"{TAKEN_OFF}{one}" for one in wording.without)) if wording is not None else ()


def description(path: str, size: int, mtime_ns: int, reading: Reading, moment: Moment | None) -> Description:
    """What a file says, as the ledger keeps it.

    Args:
        path: relative to the library.
        size, mtime_ns: how it was before it was read.
        moment: decided of its claims. The time of the file itself dates nothing here.
    """
    facts, wording = reading.device, reading.wording
    width, height = reading.width, reading.height
    if reading.orientation >= 5:
        width, height = height, width
    if moment is not None and reading.claims[moment.claim].at == "file":
        # When a file was written last says when it was copied or changed: of its shooting nothing.
        moment = None
    latitude, longitude = reading.position or (None, None)
    key = device_key(facts, "") if facts is not None and (facts.make or facts.model) else ""
    model = f"{facts.make} {facts.model}".strip() if facts is not None else ""
    if facts is not None and facts.make and facts.model.casefold().startswith(facts.make.casefold()):
        model = facts.model
    return Description(
        path, size, mtime_ns, reading.kind.value, reading.format,
        Timestamp(moment.local, moment.precision).iso() if moment else "",
        moment.offset if moment else None, moment.trust.value if moment else "",
        key, model, facts.lens if facts else "", wording.title if wording else "", wording.place if wording else "",
        wording.creator if wording else "", _words(wording), wording.label if wording else "",
        wording.rating if wording else None, latitude, longitude, width, height, reading.duration,
    )  # fmt: skip
