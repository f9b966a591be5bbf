"""Learning what the files of a library hold, so that doubles can be found: each file once, and again when it changed.

First all files are read for what they say and for their quick fingerprints, which is fast and tells what is the same by
content. Then they are decoded for their looks. It can be stopped at any time and goes on where it was: what was learnt
is in the ledger, some files at a time.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, TypeVar

from jutrek.captures.moment import INSIDE, decide
from jutrek.decoding import Shown, shown
from jutrek.doubles.payload import Payload
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.formats import MEDIA, Kind, Reading, read
from jutrek.library import HomeFile, Library
from jutrek.library.contents import Content
from jutrek.library.fingerprint import quick
from jutrek.library.stored import Lying

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_AT_ONCE = 64
_THREADS = 2
_HEAVY = 200_000
"""Bytes of a file on the average from which on decoding it takes longer than what Python does around that."""
_AT_WORK = 0.6
"""Share of the time that one thread is at work, below which it waits for its disk."""
_T = TypeVar("_T")
_Made = TypeVar("_Made")
_KEPT_EVERY = 2.0
"""Seconds after which what was learnt is written down."""


def content_of(path: str, name: str, reading: Reading, stamp: tuple[int, int], *, looks: bool = True) -> Content:
    """What a file holds.

    Args:
        path: where it lies.
        name: the path that it is kept under.
        stamp: its size and time of change (nanoseconds).
        looks: whether its picture is decoded for its looks.

    Raises:
        SourceUnreadable: when it cannot be read.
    """
    with Payload(path, reading) as payload:
        size, mark = payload.size, payload.mark() if payload.size else b""
    width, height = reading.width, reading.height
    if reading.orientation >= 5:
        width, height = height, width
    # Here, since decoding needs NumPy, which a window can do without for long.
    from jutrek.doubles.grayscale import looks_at

    device, wording = reading.device, reading.wording
    words = 0
    if wording is not None:
        words = len(wording.keywords) + sum(map(bool, (wording.title, wording.place, wording.job)))
    return Content(
        name, *stamp, reading.kind.value, reading.format, width, height, reading.duration, size, mark, None,
        looks_at(path, reading) if looks or reading.kind not in MEDIA else None, taken_of(reading),
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
    """What is left to learn of a library: files that were not looked at yet, or changed since. Survey it before."""

    def __init__(self, library: Library, ledger: Ledger, *, threads: int = _THREADS, at_once: int = _AT_ONCE) -> None:
        """
        Args:
            library: the library.
            ledger: its ledger, open.
            threads: that decode.
            at_once: files that are looked at in each step.
        """
        self._at_once = at_once
        self._library, self._ledger, self._threads = library, ledger, threads
        self._todo = ledger.contents.to_look_at()
        unseen = ledger.contents.unseen()
        self._before = len(unseen)
        self._unseen: list[Content] | None = None if self._todo else unseen
        self._read = self._seen = 0
        self._found: list[tuple[Content, HomeFile | None]] = []
        self._shown: dict[str, Shown] = {}
        self._waits = False
        self._kept_at = time.monotonic()

    @property
    def total(self) -> int:
        """How many files there are to read, and to decode."""
        return len(self._todo) + (len(self._todo) + self._before if self._unseen is None else len(self._unseen))

    @property
    def done(self) -> int:
        """How many of these were read, and decoded."""
        return self._read + self._seen

    @property
    def left(self) -> int:
        """How many are left."""
        return self.total - self.done

    @property
    def knows_content(self) -> bool:
        """Whether all files were read, so that what is the same by content is known."""
        return self._unseen is not None

    @property
    def files(self) -> int:
        """How many files were read or decoded."""
        return max(self._read, self._seen)

    def go_on(self, stop: threading.Event, report: Callable[[int, int], None] = lambda done, total: None) -> None:
        """Look at some more files. What was learnt is written down by and by, and in any case by `close`.

        Raises:
            Stopped: when `stop` was set.
        """
        lies = self._ledger.stored.lying(self._library.root)
        if self._unseen is None:
            part = self._todo[self._read : self._read + self._at_once]
            homes = self._ledger.of_paths(path for path, _, _ in part)
            rows = [(row, homes.get(row[0])) for row in part]
            for one in self._each(partial(_read, lies, stop), rows, heavy=False):
                if one is not None:
                    self._found.append(one[:2])
                    self._shown |= {one[0].path: one[2]} if one[2] is not None else {}
                self._read += 1
                report(self.done, self.total)
        else:
            own = self._unseen[self._seen : self._seen + self._at_once]
            wanted = [(one, self._shown.pop(one.path, None)) for one in own]
            heavy = sum(one.size for one in own) > _HEAVY * len(own)
            for seen in self._each(partial(_see, lies, stop), wanted, heavy=heavy):
                self._found += [(seen, None)] if seen is not None else []
                self._seen += 1
                report(self.done, self.total)
        if self._unseen is None and self._read == len(self._todo):
            self.close()
            self._unseen = self._ledger.contents.unseen()
        if time.monotonic() - self._kept_at > _KEPT_EVERY or not self.left:
            self.close()

    def _each(self, make: Callable[[_T], _Made], items: Sequence[_T], *, heavy: bool) -> Iterator[_Made]:
        """Make something of each: side by side where that spares time, which it does not where Python has all the work.

        Args:
            heavy: whether decoders are at work for most of the time.
        """
        if self._threads > 1 and (heavy or self._waits):
            with ThreadPoolExecutor(self._threads, thread_name_prefix="learning") as threads:
                yield from threads.map(make, items)
            return
        began, at_work = time.monotonic(), time.thread_time()
        yield from map(make, items)
        # Whoever waits for a disk may as well wait for two files.
        self._waits = time.thread_time() - at_work < _AT_WORK * (time.monotonic() - began)

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
        report: told how far it is, and how far it goes: each file counts once for reading, once for decoding.

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
    return lesson.files


def _read(
    lies: Lying, stop: threading.Event, row: tuple[tuple[str, int, int], HomeFile | None]
) -> tuple[Content, HomeFile | None, Shown | None] | None:
    """Read one file. Of what cannot be read now nothing is kept: it is tried another time.

    Returns:
        What it holds, the file with its quick fingerprint if that was lacking, and what the picture of a still is.
    """
    (name, size, mtime_ns), home = row
    path = lies.at(name)
    if stop.is_set():
        raise Stopped
    try:
        reading = read(path)
        content = content_of(path, name, reading, (size, mtime_ns), looks=False)
        marked = replace(home, quick=quick(path)) if home is not None and home.quick is None and size else None
    except SourceUnreadable:
        return None
    return content, marked, shown(path, reading) if reading.kind is Kind.STILL else None


def _see(lies: Lying, stop: threading.Event, one: tuple[Content, Shown | None]) -> Content | None:
    """Decode one file for its looks; None where it cannot be read now."""
    from jutrek.doubles.grayscale import looks_at, looks_of_still

    content, view = one
    path = lies.at(content.path)
    if stop.is_set():
        raise Stopped
    try:
        return content._replace(looks=looks_of_still(view) if view is not None else looks_at(path, read(path)))
    except SourceUnreadable:
        return None


def payload_prints(
    contents: Sequence[Content], ledger: Ledger, path_of: Callable[[Content], str], stop: threading.Event
) -> list[Content]:
    """The same contents with the full fingerprints of their payloads; those that cannot be read are left out.

    Args:
        contents: those wanted.
        ledger: the library's, open.
        path_of: where a content's file is.
        stop: ends the work when it is set.
    """
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
    return [one for one in contents if one.kind in MEDIA and one.size]
