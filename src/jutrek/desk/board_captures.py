"""A capture as the board shows it."""

from __future__ import annotations

import os
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from datetime import datetime

    from jutrek.captures import Device
    from jutrek.formats import Kind, Stretch

STILL, CLIP, SOUND, SIDECAR = "still", "clip", "sound", "sidecar"
"""The values of `jutrek.formats.Kind`, for faces that must not import the readers before their first paint."""


class State(StrEnum):
    """What is to become, or became, of a capture."""

    BRING = "bring"
    HOME = "home"
    TWIN = "twin"
    LOOK = "look"
    ASIDE = "aside"
    BROUGHT = "brought"
    FAILED = "failed"


class CaptureView(NamedTuple):
    """A capture as the board shows it.

    Attributes:
        id: the path of its primary file.
        source: the root of its source.
        name: the primary's own file name.
        state: what is to become, or became, of it.
        destination: where the primary goes or is, relative to the library; empty where it stays.
        companions: file names that travel with it.
        device: its device.
        kind: still, clip or sound.
        when: local wall time, or None.
        why: the reason for its date, or for what became of it.
        duration: in seconds; 0.0 for stills.
        size: bytes of all its files.
        notes: what is odd about its files.
        format: the primary's container.
        orientation: the Exif value 1..8 of the primary.
        previews: embedded JPEGs in the primary file.
        stack: the id of the first frame of its burst; empty outside bursts.
        operator: who carried the device.
        dated: whether its date may place it on a day, also while a question is open.
        timed: whether a time of day is known.
        standing: where it stands: new, home, twin, retagged, re-encoded or look-alike; empty while that is not known.
        keywords: that a person said it has.
        equal: what it is the same as, or like: a path in the library, or an absolute one on a source; may be empty.
    """

    id: str
    source: str
    name: str
    state: State
    destination: str
    companions: tuple[str, ...]
    device: Device
    kind: Kind
    when: datetime | None
    why: str
    duration: float
    size: int
    notes: tuple[str, ...]
    format: str = ""
    orientation: int = 1
    previews: tuple[Stretch, ...] = ()
    stack: str = ""
    operator: str = ""
    dated: bool = True
    timed: bool = True
    standing: str = ""
    equal: str = ""
    keywords: tuple[str, ...] = ()

    @property
    def folder(self) -> str:
        """The folder it goes to or is in, relative to the library."""
        return os.path.dirname(self.destination)

    @property
    def new_name(self) -> str:
        """Its name in the library."""
        return os.path.basename(self.destination)
