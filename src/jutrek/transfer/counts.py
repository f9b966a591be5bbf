"""The figures of a run while it is at work: per source, per place, and in all."""

from __future__ import annotations

import threading
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from jutrek.filing import Row
from jutrek.library import Place
from jutrek.transfer.control import Control
from jutrek.transfer.outcome import Done, Progress, Stream
from jutrek.transfer.pace import Pace, TimeLeft


@dataclass(slots=True)
class _Count:
    """A stream of bytes in the making."""

    pace: Pace
    all_files: int = 0
    all_bytes: int = 0
    files: int = 0
    bytes: int = 0
    current: str = ""
    lost: str = ""

    def told(self, name: str) -> Stream:
        return Stream(
            name, self.files, self.bytes, self.all_files, self.all_bytes, self.pace.speed, self.current, self.lost
        )


class Counts:
    """Counts bytes from all threads of a run; tells progress from one."""

    def __init__(self, rows: Sequence[Row], places: Iterable[Place], began: float) -> None:
        """
        Args:
            places: the main one first.
            began: seconds, on the clock of `progress`.
        """
        self._lock = threading.Lock()
        self._began, self._left = began, TimeLeft()
        files, size = len(rows), sum(row.size for row in rows)
        self._sources: dict[str, _Count] = {}
        for row in rows:
            count = self._sources.setdefault(row.root, _Count(Pace(began)))
            count.all_files += 1
            count.all_bytes += row.size
        self._places = {place.id: _Count(Pace(began), files, size) for place in places}
        self._main = next(iter(self._places.values()))
        self._read, self._proven = Pace(began), Pace(began)
        self._current = ""

    def begin(self, row: Row) -> None:
        """A file is begun."""
        self._current = self._sources[row.root].current = row.source

    def read(self, row: Row, count: int) -> None:
        """Bytes were read from a source."""
        with self._lock:
            self._sources[row.root].bytes += count

    def proven(self, _: Row, place: str, count: int) -> None:
        """Bytes were read back from a place."""
        with self._lock:
            self._places[place].bytes += count

    def lost(self, place: str, why: str) -> None:
        """A place dropped out."""
        if place in self._places:
            self._places[place].lost = why

    def end(self, done: Done) -> None:
        """A row has ended."""
        self._sources[done.row.root].files += 1
        self._main.files += done.home
        for copy in done.copies:
            if copy.place in self._places:
                self._places[copy.place].files += not copy.why

    def progress(self, moment: float, control: Control) -> Progress:
        """Everything, as it is now."""
        with self._lock:
            read = sum(count.bytes for count in self._sources.values())
            home = self._main
            for count in (*self._sources.values(), *self._places.values()):
                count.pace.see(moment, count.bytes)
            self._read.see(moment, read)
            self._proven.see(moment, home.bytes)
            standing = [count for count in self._places.values() if not count.lost] or [home]
            slowest = max(standing, key=lambda count: count.all_bytes - count.bytes)
            to_go = home.all_bytes - read + slowest.all_bytes - slowest.bytes
            speed = self._read.speed + slowest.pace.speed
            left = self._left.estimate(moment, max(0, to_go), speed) if moment - self._began > 1 else None
            return Progress(
                home.files, home.bytes, home.all_files, home.all_bytes, read, self._current, moment - self._began,
                self._read.speed, self._proven.speed, left,
                tuple(count.told(root) for root, count in self._sources.items()),
                tuple(count.told(place) for place, count in self._places.items()),
                control.asked(), control.paused,
            )  # fmt: skip
