"""A file that is at home."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    import os


from jutrek.disk import FileStamp


@dataclass(frozen=True, slots=True)
class HomeFile:
    """A file in the library.

    Attributes:
        path: relative to the library.
        size: in bytes.
        mtime_ns: time of last change, nanoseconds since 1970, UTC.
        quick, full: fingerprints of 16 bytes (XXH3-128), or None where not made yet.
    """

    path: str
    size: int
    mtime_ns: int
    quick: bytes | None = None
    full: bytes | None = None


class Filed(NamedTuple):
    """By what a file of the library was filed.

    Attributes:
        moment: the local time, ISO 8601 as far as known; empty where it has none.
        shift: how far a clock fix moved it, in seconds.
        device: the device's key.
        operator: who carried it.
        shoot: what its shoot was, as described.
        day: the day that it was filed under, ISO 8601; empty where that is not known.
        said: what was said of its intake, such as the job's number, by name.
        original: the path that it had on its source, relative to the source.
    """

    moment: str = ""
    shift: float = 0.0
    device: str = ""
    operator: str = ""
    shoot: str = ""
    day: str = ""
    said: tuple[tuple[str, str], ...] = ()
    original: str = ""


class GivenNumber(NamedTuple):
    """The number in a name that was given: what it was counted within, and the number."""

    counter: str
    number: int


class State(StrEnum):
    """How a file was found that was proven once.

    Proven: it read back as it was. Rotted: it read back differently, though its time is the same. Unreadable, changed,
    gone. Copied: the tree that it was proven in is another one than the one that is here; it was not read here yet.
    """

    PROVEN = "proven"
    ROTTED = "rotted"
    UNREADABLE = "unreadable"
    CHANGED = "changed"
    GONE = "gone"
    COPIED = "copied"


class ProofMark(NamedTuple):
    """That a file was proven in a place: read back from it, and equal to what was read from its source.

    It is a proof only while its state is `State.PROVEN`. What was found otherwise keeps its mark, so that it is known
    until it is proven again or a person lets it go.

    Attributes:
        place: the place's id; empty for the library.
        path: relative to the place.
        size, mtime_ns: as they were then; a file that has others now was changed since.
        full: its fingerprint (XXH3-128, 16 bytes).
        at: when it was read last, UTC, ISO 8601.
        state: how it was found then.
        inode, ctime_ns: which file it was then, and in which version, as far as the file system tells; 0 where it is
            not known, as in what was learnt from journals.
    """

    place: str
    path: str
    size: int
    mtime_ns: int
    full: bytes
    at: str
    state: State = State.PROVEN
    inode: int = 0
    ctime_ns: int = 0

    @property
    def stands(self) -> bool:
        """Whether it is a proof."""
        return self.state is State.PROVEN

    def seen(self, status: os.stat_result) -> ProofMark:
        """The mark of the same file as it was seen."""
        return self._replace(
            size=status.st_size, mtime_ns=status.st_mtime_ns, inode=status.st_ino, ctime_ns=status.st_ctime_ns
        )

    def fits(self, status: os.stat_result) -> bool:
        """Whether a file is as it was, by size and time of last change."""
        return FileStamp(self.size, self.mtime_ns).unchanged(status)

    def is_same(self, status: os.stat_result) -> bool:
        """Whether a file is the very one that was read, untouched since: also where somebody put its time back."""
        return FileStamp(self.size, self.mtime_ns, self.inode, None, self.ctime_ns).unchanged(status)


class Waits(NamedTuple):
    """That a file of a source was found to be there already in another way: it waits until a person decides.

    Attributes:
        size, mtime_ns: as it was then; a file that has others now is another one.
        standing: where it stands, as `doubles.Standing` spells it.
        equal: where its equal is: a path in the library, or an absolute one on a source.
        better: whether the new one is worth more.
    """

    size: int
    mtime_ns: int
    standing: str
    equal: str
    better: bool


NOT_FILED = Filed()
"""Of a file of which nothing is known."""
