"""Captures: one press of the button or one take, with everything that belongs to it."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from functools import lru_cache

from jutrek.captures.moment import Moment, Trust, is_scan
from jutrek.formats import Kind, Reading
from jutrek.sources import SourceFile

_LAST_DIGITS = re.compile(r"(\d+)\D*$")
_COPY = re.compile(r"(?<=\d)(?:\s?\(\d{1,3}\)|[ _\-]+copy(?: ?\d+)?|~\d{1,2}|(?<=\d{3})[_\-]\d)$", re.IGNORECASE)
"""What desktops put behind the name of a copy."""
_VERSION = re.compile(r"[ _\-]+(?:edit(?:ed)?|version|v)[ _\-]?\d*$", re.IGNORECASE)
"""What editors put behind the name of what they made of a picture."""
_TIME = re.compile(
    r"(?<!\d)(?:19|20)\d{6}[_\-T ]?\d{6}(?:\d{3})?$|(?<!\d)(?:19|20)\d\d([-._])\d\d\1\d\d[-_T ]+\d\d([-.:_])\d\d\2\d\d$"
)
"""A name that ends with a date and a time."""
_PART = re.compile(r"(_p\d+)?$")
TRACK = re.compile(r"[_\-](tr(?:ack)?_?(?:\d{1,2}|lr)|ch\d{1,2}|lr|mix)$", re.IGNORECASE)
"""What recorders put behind the stem of a take for each of its tracks."""


@dataclass(frozen=True, slots=True)
class ReadFile:
    """A file of a source together with what it says and the moment decided from it."""

    file: SourceFile
    reading: Reading
    moment: Moment | None


@dataclass(frozen=True, slots=True)
class Device:
    """One physical camera or recorder as far as files tell it.

    Attributes:
        key: make, model and serial, normalised; or the source's root where nothing is known.
        name: what to call it: make and model, or what a person called it.
        letter: a short sign, unique in the intake.
        colour: an index into the interface's row of device colours.
        operator: who carries it; empty where nobody said.
    """

    key: str
    name: str
    letter: str = ""
    colour: int = 0
    operator: str = ""


@dataclass(frozen=True, slots=True)
class Capture:
    """A primary file with its companions.

    Attributes:
        files: the primary first, then its companions; of a recording in parts, part after part.
        moment: decided from the primary, or from a companion that knows better; None without any claim.
        dated_by: the index of the file whose claim the moment is.
        device: the key of its device.
        tails: what each file's name carries behind the common stem, such as `_p2`, `_tr1`, `_proxy`.
        tied: why each file belongs to the capture; empty for the primary.
        stack: the id of the first frame of its burst; empty outside bursts.
        notes: what is to be said about how its files were tied.
    """

    files: tuple[ReadFile, ...]
    moment: Moment | None
    device: str
    dated_by: int = 0
    tails: tuple[str, ...] = ()
    tied: tuple[str, ...] = ()
    stack: str = ""
    notes: tuple[str, ...] = ()

    @property
    def primary(self) -> ReadFile:
        """The file that the capture is named by."""
        return self.files[0]

    @property
    def kind(self) -> Kind:
        """Still, clip or sound; sidecar for a sidecar without its picture."""
        return self.files[0].reading.kind

    @property
    def id(self) -> str:
        """The capture's identity within an intake: the path of its primary."""
        return self.files[0].file.path

    @property
    def root(self) -> str:
        """The source that it lies on."""
        return self.files[0].file.root

    @property
    def trusted(self) -> bool:
        """Whether its date may file it without being looked at."""
        return self.moment is not None and self.moment.trust is not Trust.DOUBTFUL

    @property
    def is_scan(self) -> bool:
        """Whether it was digitized long after it was made: then its counter and date do not belong together."""
        return self.moment is not None and is_scan(self.moment, self.files[self.dated_by].reading.claims)

    @property
    def size(self) -> int:
        """Bytes of all its files."""
        return sum(read.file.size for read in self.files)

    @property
    def duration(self) -> float:
        """Seconds of the clip or sound, all its parts together; 0.0 for stills."""
        kind = self.kind
        return sum(
            read.reading.duration
            for number, read in enumerate(self.files)
            if read.reading.kind is kind and (number == 0 or (self.tails and _is_part(self.tails[number])))
        )


def _is_part(tail: str) -> bool:
    return bool(tail) and _PART.fullmatch(tail) is not None


@lru_cache(maxsize=1 << 16)
def is_version(path: str) -> bool:
    """Whether a file's name says that it was made of another one: an edit, or a copy."""
    stem = os.path.splitext(os.path.basename(path))[0]
    return _VERSION.search(stem) is not None or _COPY.search(stem) is not None


@lru_cache(maxsize=1 << 16)
def counter_of(path: str) -> int | None:
    """The device's counter in a file's name: its last digits; None without any, or where they are a time.

    The track of a take is left out, and what marks a copy: `DSC_0025 (1)` counts 25.
    """
    stem = TRACK.sub("", os.path.splitext(os.path.basename(path))[0])
    stem = _COPY.sub("", stem)
    found = None if _TIME.search(stem) else _LAST_DIGITS.search(stem)
    return int(found[1]) if found and len(found[1]) <= 9 else None
