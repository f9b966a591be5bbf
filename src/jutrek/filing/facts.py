"""What a capture gives to a pattern: its moment, the day it is filed under, and all that is known around it."""

from __future__ import annotations

import os
from collections.abc import Mapping
from datetime import date
from functools import lru_cache
from typing import NamedTuple

from jutrek.captures import Capture, Device, Shoot
from jutrek.formats import Precision

PLACE_SIGN = " @ "
"""In the description of a shoot, the words behind this sign are its place: `Bridge survey @ Upper valley`."""
SAID = ("job", "client", "title", "place")
"""What may be said of a whole intake."""


class Facts(NamedTuple):
    """A capture with what is known around it.

    Attributes:
        capture: with its moment as decided.
        day: the day that it is filed under; None where its date is not known to the day.
        shoot: what it was, without the place; empty where nobody said, or where the day is not known.
        place: where it was: of its shoot, else said of the intake, else from the file, else by its position; may be
            empty.
        device: its device, as the house calls it; None where nothing is known.
        operator: who carried it.
        said: what was said of the intake, by the names in `SAID`.
        original: the path it had on its source, relative to the source.
        by_position: whether its place is what its position is called.
    """

    capture: Capture
    day: date | None = None
    shoot: str = ""
    place: str = ""
    device: Device | None = None
    operator: str = ""
    said: Mapping[str, str] = {}
    original: str = ""
    by_position: bool = False


def below(path: str, root: str) -> str:
    """A path relative to the root that it lies under."""
    return path[len(root) :].lstrip(os.sep) if path.startswith(root) else os.path.relpath(path, root)


def lies_in(path: str, folder: str) -> bool:
    """Whether a path is a folder, or lies in it or below it; both relative to the same root."""
    return f"{path}/".startswith(f"{folder.strip('/')}/")


@lru_cache(maxsize=1 << 10)
def words_and_place(description: str) -> tuple[str, str]:
    """The words of a shoot's description, and the place behind ` @ `."""
    words, _, place = f" {description}".partition(PLACE_SIGN)
    return words.strip(), place.strip()


def owner_of(capture: Capture) -> str:
    """The owner or artist that its device wrote into a capture; empty where there is none.

    What a person entered into the device (Exif CameraOwnerName) comes before what stands as the artist.
    """
    for read in capture.files:
        device, wording = read.reading.device, read.reading.wording
        if owner := " ".join((device.owner if device else "").split() or (wording.creator if wording else "").split()):
            return owner
    return ""


def facts_of(
    capture: Capture,
    shoot: Shoot | None,
    device: Device | None,
    operator: str,
    said: Mapping[str, str],
    by_position: str = "",
) -> Facts:
    """The facts of a capture that stands in a shoot, or in none.

    Args:
        capture: the capture.
        shoot: the one it is in.
        device: the one that made it.
        operator: who carried it.
        said: what was said of the intake, by name.
        by_position: what its position is called; empty where that is not asked for.
    """
    moment = capture.moment
    is_day = moment is not None and moment.precision >= Precision.DAY
    words, place = words_and_place(shoot.words) if shoot and is_day else ("", "")
    day = None
    if moment is not None and is_day:
        day = shoot.day if shoot else moment.local.date()
    wording = capture.primary.reading.wording
    place = place or said.get("place", "") or (wording.place if wording else "")
    file = capture.primary.file
    is_told = not place and bool(by_position)
    place = place or by_position
    return Facts(capture, day, words, place, device, operator, said, below(file.path, file.root), is_told)
