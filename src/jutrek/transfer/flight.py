"""A file on its way home: what is known of it meanwhile, what its run is told, and the proof that comes of it."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable
from dataclasses import dataclass, field

from jutrek.filing import Row
from jutrek.transfer.copies import Copied, Copy, Target
from jutrek.transfer.medium import Hash
from jutrek.transfer.resumable import Content


@dataclass(frozen=True, slots=True)
class Proof:
    """What makes a file home: the fingerprint of its bytes on the source, equal to the one read back.

    Attributes:
        full: the fingerprint (XXH3-128, 16 bytes).
        direct: whether the reading back is sure to have reached the medium (`O_DIRECT`); else the pages were dropped
            before, which a file system may ignore.
        mtime_ns: the time of last change that the file has in the library: some file systems round it.
        inode, ctime_ns: which file it is in the library, and in which version.
        content: by what a large file is known of which something partly copied may be kept; None for others.
        second: a cryptographic sum (BLAKE3), where house rules ask for one; else empty.
        copies: what became of it in the other places.
    """

    row: Row
    full: bytes
    direct: bool
    mtime_ns: int
    second: bytes = b""
    copies: tuple[Copied, ...] = ()
    inode: int = 0
    ctime_ns: int = 0
    content: Content | None = None


@dataclass(frozen=True, slots=True)
class Watch:
    """How a carrier talks to its run, from any thread.

    Attributes:
        begin: told of a file before anything is done for it; it may wait and raise as `look`.
        look: called between blocks: waits while the run pauses, and raises `Stopped` when it is to end.
        read: told of bytes that were read from a source.
        proven: told of bytes that were read back from a place, by its id.
        step: told of every step.
        part: told that a large file is durable in all places up to a byte, with the fingerprint of its last part, and
            the quick one of the whole.
        full: asked what becomes of a place that is full: whether to try again.
        lost: told that a place dropped out.
    """

    begin: Callable[[Row], None]
    look: Callable[[], None]
    read: Callable[[Row, int], None]
    proven: Callable[[Row, str, int], None]
    step: Callable[[str, Row], None]
    part: Callable[[int, int, bytes, bytes], None]
    full: Callable[[Target], bool]
    lost: Callable[[Target], None]


@dataclass(slots=True)
class Sums:
    """The fingerprints of a file in the making; of a large one also by what it is known."""

    full: Hash
    second: Hash | None
    content: Content | None = None
    parts: list[tuple[int, bytes]] = field(default_factory=list)

    def kept(self) -> tuple[Hash, Hash | None]:
        """Both as they are now, to go back to."""
        return self.full.copy(), self.second.copy() if self.second is not None else None

    def update(self, block: memoryview) -> None:
        """Take more bytes."""
        self.full.update(block)
        if self.second is not None:
            self.second.update(block)


@dataclass(slots=True)
class Flight:
    """One file on its way.

    Attributes:
        source: the descriptor of the open source; negative where it is not open.
        copies: the file at each place.
        times: of last access and change, nanoseconds, as the source has them.
    """

    row: Row
    number: int
    sums: Sums
    source: int = -1
    copies: list[Copy] = field(default_factory=list)
    times: tuple[int, int] = (0, 0)

    def let_go(self) -> None:
        """Close its source."""
        if self.source >= 0:
            source, self.source = self.source, -1
            # Of a card that was pulled even the closing fails, and would hide what happened.
            with contextlib.suppress(OSError):
                os.close(source)
