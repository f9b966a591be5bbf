"""What a run tells while it is at work, and how it ended."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from jutrek.errors import JutrekError
from jutrek.filing import Row
from jutrek.library import Place
from jutrek.transfer.copies import Copied


@dataclass(frozen=True, slots=True)
class Done:
    """One row has ended.

    Attributes:
        home: whether it is home and proven.
        why: one sentence.
        full: the fingerprint, where it is home.
        untouched: the run ended before this file did; it stays as it was, to be brought another time.
        copies: what became of it in the other places.
        gone: its source was pulled.
    """

    row: Row
    home: bool
    why: str
    full: bytes = b""
    untouched: bool = False
    copies: tuple[Copied, ...] = ()
    gone: bool = False


@dataclass(frozen=True, slots=True)
class Stream:
    """How far one source, or one place, is.

    Attributes:
        name: a source's root; a place's id.
        files, bytes: done so far: read from the source and ended, or proven in the place.
        all_files, all_bytes: in all.
        speed: bytes a second, over the last seconds.
        current: the file that is being read, of a source.
        lost: why a place dropped out; empty while it stands.
    """

    name: str
    files: int
    bytes: int
    all_files: int
    all_bytes: int
    speed: float = 0.0
    current: str = ""
    lost: str = ""


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a run is.

    Attributes:
        files, bytes: proven in the library so far.
        all_files, all_bytes: to be brought, in all.
        read_bytes: read from the sources so far.
        current: the source path of a file being carried.
        elapsed: seconds since the start.
        read_speed, proven_speed: bytes a second over the last seconds.
        seconds_left: an estimate, or None before there is one.
        sources, places: each by itself; the library is the first of the places.
        asked: places that are full, and wait for an answer.
        paused: whether it pauses.
    """

    files: int
    bytes: int
    all_files: int
    all_bytes: int
    read_bytes: int
    current: str
    elapsed: float
    read_speed: float = 0.0
    proven_speed: float = 0.0
    seconds_left: float | None = None
    sources: tuple[Stream, ...] = ()
    places: tuple[Stream, ...] = ()
    asked: tuple[Place, ...] = ()
    paused: bool = False

    @property
    def speed(self) -> float:
        """Bytes a second, read and proven."""
        return (self.read_speed + self.proven_speed) / 2


@dataclass(slots=True)
class Outcome:
    """How a run ended.

    Attributes:
        done: rows by what became of them.
        trouble: what ended it early, if anything.
        run: its id in the journal; empty where there was nothing to do.
        lost: why places dropped out, by their ids.
        moved: files that were moved within a place instead of being copied there.
        remarks: sentences about what else did not work, and took nothing from any file.
    """

    done: list[Done] = field(default_factory=list)
    trouble: JutrekError | None = None
    run: str = ""
    lost: dict[str, str] = field(default_factory=dict)
    moved: int = 0
    remarks: list[str] = field(default_factory=list)

    @property
    def home(self) -> int:
        """Files proven home by this run."""
        return sum(done.home for done in self.done)

    @property
    def failed(self) -> list[Done]:
        """Files that were tried and did not come home."""
        return [done for done in self.done if not done.home and not done.untouched]

    @property
    def gone(self) -> frozenset[str]:
        """Roots of sources that were pulled, with files on them that have not come home."""
        return frozenset(done.row.root for done in self.done if done.gone)

    @property
    def why(self) -> str:
        """What did not work, in a sentence: what ended it, else the first file that failed, else what was left."""
        if self.trouble is not None:
            return str(self.trouble)
        return self.failed[0].why if self.failed else " ".join(self.remarks)

    def lacking(self, place: str) -> int:
        """How many files are home and did not reach another place."""
        return sum(copy.place == place and bool(copy.why) for done in self.done for copy in done.copies)


@dataclass(frozen=True, slots=True)
class Listener:
    """Who hears of a run: every ended row, and progress about 20 times a second. Called on the caller's thread.

    Its `step` is called by the carrying threads.
    """

    done: Callable[[Done], None] = lambda _: None
    progress: Callable[[Progress], None] = lambda _: None
    step: Callable[[str, Row], None] = lambda _step, _row: None
