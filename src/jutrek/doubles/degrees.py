"""The four degrees in which files can be doubles of one another, and groups of them."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from jutrek.formats import Kind, format_of
from jutrek.library.contents import Content


class Degree(StrEnum):
    """How far files are the same, the strongest first."""

    BYTES = "bytes"
    PAYLOAD = "payload"
    PICTURE = "picture"
    ALIKE = "alike"


@dataclass(frozen=True, slots=True)
class Group:
    """Files of a library that are doubles of one another.

    Attributes:
        degree: how far.
        files: what they hold, the proposed keeper first.
        keeper: the path of the file that is proposed to stay.
        why: the reason for that, one sentence.
        marks: quick fingerprints of the files, in their order.
        dated: whether the proposed keeper, and no other, lies in a dated folder.
    """

    degree: Degree
    files: tuple[Content, ...]
    keeper: str
    why: str
    marks: tuple[bytes, ...]
    dated: bool = False

    @property
    def key(self) -> str:
        """The same for the same group, as long as its files stay the same."""
        return f"{self.degree}:{self.files[0].path}:{len(self.files)}"

    @property
    def free(self) -> int:
        """Bytes that come free if only the keeper stays."""
        return sum(one.size for one in self.files if one.path != self.keeper)


_BURST = 600.0
"""Seconds within which two pictures of one device are taken for two presses, if their times differ."""
_WHOLE_PICTURE = 0.9
_TAIL = re.compile(r"(?:_p\d+)?(?:_tr\w{1,3})?(?:_proxy)?$")


def one_press(one: Content, other: Content) -> bool:
    """Whether two files belong to one press of the button: a raw with its picture, parts and tracks, a proxy."""
    folder, stem = _stem(one)
    other_folder, other_stem = _stem(other)
    if stem != other_stem:
        return False
    if folder == other_folder:
        return os.path.splitext(one.path)[1].casefold() != os.path.splitext(other.path)[1].casefold() or (
            _TAIL.search(os.path.splitext(one.path)[0]) != _TAIL.search(os.path.splitext(other.path)[0])
        )
    raws = format_of(one.format).raw, format_of(other.format).raw
    pixels = one.width * one.height, other.width * other.height
    return raws[0] != raws[1] and min(pixels) >= _WHOLE_PICTURE * max(pixels)


def _stem(one: Content) -> tuple[str, str]:
    folder, name = os.path.split(one.path)
    stem = os.path.splitext(name)[0]
    return folder, _TAIL.sub("", stem).casefold()


def two_presses(one: Content, other: Content) -> bool:
    """Whether two files surely come from two presses: of one device, shortly after one another, as frames of a burst.

    Times far apart say nothing here: dates are changed by programs and people.
    """
    if not one.device or one.device != other.device or not one.taken or not other.taken:
        return False
    apart = _apart(one.taken, other.taken)
    if apart is None or apart > _BURST:
        return False
    if apart > 0:
        return True
    as_it_came = (one.format, one.width, one.height, os.path.dirname(one.path))
    same = as_it_came == (other.format, other.width, other.height, os.path.dirname(other.path))
    return same and one.payload != other.payload and one.kind == Kind.STILL and not _edited(one, other)


def _edited(one: Content, other: Content) -> bool:
    """Whether one name is the other with something behind it, as programs name what they made of a picture."""
    stems = sorted((_stem(one)[1], _stem(other)[1]), key=len)
    return stems[1].startswith(stems[0]) and stems[0] != stems[1]


def _apart(one: str, other: str) -> float | None:
    """Seconds between two dates as text; None where either is known to the day or less."""
    try:
        first, second = (datetime.fromisoformat(text) for text in (one, other) if len(text) > 10)
    except ValueError:
        return None
    if (first.tzinfo is None) != (second.tzinfo is None):
        first, second = first.replace(tzinfo=None), second.replace(tzinfo=None)
    return abs((second - first).total_seconds())
