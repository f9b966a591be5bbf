"""Fingerprints of the picture, clip or sound alone, whatever is said about it around: XXH3-128, 16 bytes.

Readers tell where the payload stands (`Reading.payload`): the entropy-coded picture of a JPEG, the items of a HEIC, the
strips of a raw, `mdat` of a movie, the samples of a sound. Two containers are walked further here, since what describes
stands between what is described: of Ogg only the bodies of pages behind the comments count (RFC 3533 section 6), of
Matroska only clusters (RFC 9559 section 5.1.3).
"""

from __future__ import annotations

import os
import threading
from collections.abc import Iterable, Iterator

import xxhash

from jutrek.errors import BrokenFile, SourceUnreadable, Stopped
from jutrek.formats import MEDIA, Reading, Stretch, format_of, open_read_only
from jutrek.formats.span import FileBytes, Span

ENDS = 64 * 1024
"""Bytes at the head and at the tail of a payload that its mark covers."""
_BLOCK = 1024 * 1024


class Payload:
    """A file's payload, open for reading. Close it in the end.

    Args:
        path: the file.
        reading: what it says.

    Raises:
        SourceUnreadable: when it cannot be opened.
    """

    def __init__(self, path: str, reading: Reading) -> None:
        self._path = path
        self._fd = open_read_only(path)
        try:
            self.stretches = self._found(reading)
        except OSError as error:
            os.close(self._fd)
            raise SourceUnreadable(path, error) from error
        self.size = sum(stretch.size for stretch in self.stretches)
        """In bytes; 0 where it cannot be told apart."""

    def _found(self, reading: Reading) -> tuple[Stretch, ...]:
        if reading.kind not in MEDIA:
            return ()
        size = os.fstat(self._fd).st_size
        walk = format_of(reading.format).walk
        if walk is None or not reading.payload:
            inside = all(one.offset + one.size <= size for one in reading.payload)
            return reading.payload if inside else ()
        try:
            return tuple(walk(Span(FileBytes(self._fd, size, limit=None)), reading.payload[0].offset))
        except BrokenFile:
            return ()

    def __enter__(self) -> Payload:
        return self

    def __exit__(self, *_: object) -> None:
        os.close(self._fd)

    def mark(self) -> bytes:
        """The quick fingerprint: of its size, head and tail. Equal payloads have equal ones; the reverse may fail."""
        state = xxhash.xxh3_128(self.size.to_bytes(8, "little"))
        head = min(ENDS, self.size)
        for data in (*self._read(0, head), *self._read(max(head, self.size - ENDS), self.size)):
            state.update(data)
        return state.digest()

    def print(self, stop: threading.Event | None = None) -> bytes:
        """The full fingerprint.

        Raises:
            SourceUnreadable: when it cannot be read.
            Stopped: when `stop` was set; it is checked between blocks.
        """
        state = xxhash.xxh3_128()
        for data in self._read(0, self.size):
            if stop is not None and stop.is_set():
                raise Stopped
            state.update(data)
        return state.digest()

    def _read(self, start: int, end: int) -> Iterator[bytes]:
        """The payload's bytes from one place in it to another, block by block."""
        try:
            for offset, size in _within(self.stretches, start, end):
                at, rest = offset, size
                while rest:
                    data = os.pread(self._fd, min(rest, _BLOCK), at)
                    if not data:
                        raise OSError("it ends early")
                    yield data
                    at, rest = at + len(data), rest - len(data)
        except OSError as error:
            raise SourceUnreadable(self._path, error) from error


def _within(stretches: Iterable[Stretch], start: int, end: int) -> Iterator[tuple[int, int]]:
    """Where a part of what stretches hold together lies in the file."""
    done = 0
    for offset, size in stretches:
        first, last = max(start, done), min(end, done + size)
        if first < last:
            yield offset + first - done, last - first
        done += size
