"""Learning what the files of a library hold, so that doubles can be found: each file once, and again when it changed.

It can be stopped at any time and goes on where it was: what was learnt is in the ledger, some files at a time.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from jutrek.captures.moment import INSIDE, decide
from jutrek.doubles.greys import looks_at
from jutrek.doubles.payload import Payload
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.formats import Kind, Reading, read
from jutrek.library import HomeFile, Library
from jutrek.library.contents import Content
from jutrek.library.fingerprint import quick

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_AT_ONCE = 64
_THREADS = 2
_KEPT_EVERY = 2.0
"""Seconds after which what was learnt is written down."""


def content_of(path: str, name: str, reading: Reading, stamp: tuple[int, int]) -> Content:
    """What a file holds; decodes its picture.

    Args:
        path: where it lies.
        name: the path that it is kept under.
        stamp: its size and time of change (nanoseconds).

    Raises:
        SourceUnreadable: when it cannot be read.
    """
    with Payload(path, reading) as payload:
        size, mark = payload.size, payload.mark() if payload.size else b""
    width, height = reading.width, reading.height
    if reading.orientation >= 5:
        width, height = height, width
    device, wording = reading.device, reading.wording
    words = 0
    if wording is not None:
        words = len(wording.keywords) + sum(map(bool, (wording.title, wording.place, wording.job)))
    return Content(
        name, *stamp, reading.kind.value, reading.format, width, height, reading.duration, size, mark, None,
        looks_at(path, reading), taken_of(reading),
        " ".join(part for part in (device.make, device.model, device.serial) if part) if device else "", words,
    )  # fmt: skip


def taken_of(reading: Reading) -> str:
    """When a file was shot by what stands inside it, ISO 8601 with its offset; empty where nothing does."""
    inside = [claim for claim in reading.claims if claim.at in INSIDE]
    moment = decide(inside)
    if moment is None:
        return ""
    stamp = inside[moment.claim].stamp
    return stamp.iso() + (str(stamp.offset) if stamp.offset is not None else "")


class Lesson:
    """What is left to learn of a library: files that were not looked at yet, or changed since. Survey it before.

    Attributes:
        total: how many files there were to look at.
        done: how many of these were looked at.
    """

    def __init__(self, library: Library, ledger: Ledger, *, threads: int = _THREADS) -> None:
        self._library, self._ledger, self._threads = library, ledger, threads
        self._todo = ledger.contents.to_look_at()
        self.total, self.done = len(self._todo), 0
        self._found: list[tuple[Content, HomeFile | None]] = []
        self._kept_at = time.monotonic()

    @property
    def left(self) -> int:
        """How many files are left."""
        return self.total - self.done

    def go_on(self, stop: threading.Event, report: Callable[[int, int], None] = lambda done, total: None) -> None:
        """Look at some more files. What was learnt is written down by and by, and in any case by `close`.

        Raises:
            Stopped: when `stop` was set.
        """
        part = self._todo[self.done : self.done + _AT_ONCE]
        homes = self._ledger.of_paths(path for path, _, _ in part)
        rows = [(row, homes.get(row[0])) for row in part]
        with ThreadPoolExecutor(self._threads, thread_name_prefix="learning") as threads:
            for one in threads.map(partial(_look, self._library.root, stop), rows):
                self._found.append(one)
                self.done += 1
                report(self.done, self.total)
        if time.monotonic() - self._kept_at > _KEPT_EVERY or not self.left:
            self.close()

    def close(self) -> None:
        """Write down what was learnt."""
        self._ledger.put([home for _, home in self._found if home is not None])
        self._ledger.contents.put(content for content, _ in self._found)
        self._found.clear()
        self._kept_at = time.monotonic()


def learn(
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    report: Callable[[int, int], None] = lambda done, total: None,
) -> int:
    """Learn what those files of a library hold that were not looked at yet. The ledger must have been surveyed.

    Args:
        report: told how many of these files are done, and how many there are.

    Returns:
        How many files were looked at.

    Raises:
        Stopped: when `stop` was set. What was learnt until then is kept.
    """
    lesson = Lesson(library, ledger)
    try:
        while lesson.left:
            lesson.go_on(stop, report)
    finally:
        lesson.close()
    return lesson.done


def _look(
    root: str, stop: threading.Event, row: tuple[tuple[str, int, int], HomeFile | None]
) -> tuple[Content, HomeFile | None]:
    """Look at one file. What cannot be read now is kept as nothing known, and looked at when it changes."""
    (name, size, mtime_ns), home = row
    path = os.path.join(root, name)
    if stop.is_set():
        raise Stopped
    try:
        content = content_of(path, name, read(path), (size, mtime_ns))
        marked = replace(home, quick=quick(path)) if home is not None and home.quick is None and size else None
    except SourceUnreadable:
        return Content(name, size, mtime_ns), None
    return content, marked


def payload_prints(
    contents: Sequence[Content], ledger: Ledger, path_of: Callable[[Content], str], stop: threading.Event
) -> list[Content]:
    """The same contents with the full fingerprints of their payloads; those that cannot be read are left out."""
    found, made = [], []
    for one in contents:
        if one.print is None:
            try:
                with Payload(path_of(one), read(path_of(one))) as payload:
                    one = one._replace(print=payload.print(stop) if payload.size == one.payload else b"")  # noqa: PLW2901
            except SourceUnreadable:
                continue
            made.append(one)
        found.append(one)
    ledger.contents.put(made)
    return [one for one in found if one.print]


def media(contents: Iterable[Content]) -> list[Content]:
    """Those that are stills, clips or sounds, and not empty."""
    return [one for one in contents if one.kind in _MEDIA and one.size]


_MEDIA = frozenset({Kind.STILL.value, Kind.CLIP.value, Kind.SOUND.value})
