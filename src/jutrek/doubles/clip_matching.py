"""Clips and sounds of one length that go the same way: by the looks of frames, by the course of loudness.

What they are told by is a row of words of 64 bits (`greys.looks_at`); two are the same where all their words are close.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Sequence

import numpy as np

from jutrek.doubles.degrees import one_press, two_presses
from jutrek.formats import Kind
from jutrek.library.contents import Content

KINDS = (Kind.CLIP, Kind.SOUND)
_APART = {Kind.CLIP: (0.5, 0.02), Kind.SOUND: (0.3, 0.01)}
"""Seconds, and share of the length, by which the same recording may be longer in another encoding."""
_BITS = {Kind.CLIP: 10, Kind.SOUND: 6}
"""Bits in which a word may differ."""


def longest_alike(duration: float, kind: Kind) -> float:
    """The length in seconds up to which a longer recording may be the same."""
    seconds, share = _APART[kind]
    return duration + max(seconds, duration * share)


def pairs_of(files: Iterable[Content], kind: Kind) -> list[tuple[Content, Content]]:
    """Pairs of clips or sounds of the same length whose words are all close, the shorter one first."""
    own = sorted((one for one in files if one.kind == kind and one.looks), key=lambda one: one.duration)
    words = [np.frombuffer(one.looks or b"", "<u8") for one in own]
    pairs = []
    for number, one in enumerate(own):
        limit = longest_alike(one.duration, kind)
        for at in range(number + 1, len(own)):
            if own[at].duration > limit:
                break
            if len(words[at]) == len(words[number]):
                far = int(np.bitwise_count(words[number] ^ words[at]).max())
                if far <= _BITS[kind] and not one_press(one, own[at]) and not two_presses(one, own[at]):
                    pairs.append((one, own[at]))
    return pairs


def has_its_length(duration: float, kind: Kind, lengths: Sequence[float]) -> bool:
    """Whether one of some lengths is near enough that the recording may be the same; else it need not be decoded.

    Args:
        lengths: in seconds, ascending.
    """
    seconds, share = _APART[kind]
    least = duration - max(seconds, duration * share)
    at = bisect_left(lengths, least)
    return at < len(lengths) and lengths[at] <= longest_alike(duration, kind)
