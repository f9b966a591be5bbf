"""Captures: one press of the button or one take, with everything that belongs to it."""

from __future__ import annotations

from dataclasses import dataclass

from jutrek.captures.moment import Moment, Trust
from jutrek.formats import Kind, Reading
from jutrek.sources import SourceFile


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
        name: what to call it: make and model, or the source's name.
        letter: a short sign, unique in the intake.
        colour: an index into the interface's row of device colours.
    """

    key: str
    name: str
    letter: str = ""
    colour: int = 0


@dataclass(frozen=True, slots=True)
class Capture:
    """A primary file with its companions.

    Attributes:
        files: the primary first, then its companions.
        moment: decided from the primary, or from a companion that knows better; None without any claim.
        dated_by: the index of the file whose claim the moment is.
        device: the key of its device.
    """

    files: tuple[ReadFile, ...]
    moment: Moment | None
    device: str
    dated_by: int = 0

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
    def trusted(self) -> bool:
        """Whether its date may file it without being looked at."""
        return self.moment is not None and self.moment.trust is not Trust.DOUBTFUL

    @property
    def size(self) -> int:
        """Bytes of all its files."""
        return sum(read.file.size for read in self.files)
