"""Where one thing ends and another begins: lengths of recordings, bits of their words, dates of sidecars."""

from __future__ import annotations

from datetime import datetime, timedelta

import numpy as np
import pytest

from jutrek.doubles.belonging import _agrees
from jutrek.doubles.clip_matching import has_its_length, longest_alike, pairs_of
from jutrek.formats import Kind
from jutrek.library import Filed
from jutrek.library.contents import Content
from tests.making import WHEN


@pytest.mark.parametrize(
    ("kind", "seconds", "longest"),
    [(Kind.CLIP, 10.0, 10.5), (Kind.CLIP, 100.0, 102.0), (Kind.SOUND, 10.0, 10.3), (Kind.SOUND, 100.0, 101.0)],
)
def test_a_recording_may_be_so_much_longer(kind: Kind, seconds: float, longest: float) -> None:
    """By a part of a second, or by a share of its length; both ways, and whatever else is there."""
    assert longest_alike(seconds, kind) == pytest.approx(longest)
    shortest = 2 * seconds - longest
    for length, near in ((longest, True), (longest + 0.001, False), (shortest, True), (shortest - 0.001, False)):
        assert has_its_length(seconds, kind, [1.0, length, 500.0]) is near
    assert not has_its_length(seconds, kind, [])


@pytest.mark.parametrize(("kind", "bits"), [(Kind.CLIP, 10), (Kind.SOUND, 6)])
def test_recordings_are_pairs_up_to_so_many_bits_in_each_word(kind: Kind, bits: int) -> None:
    """In the worst of their words; as many words; within their lengths; the shorter one first."""

    def recording(name: str, seconds: float, differs: int, words: int = 3) -> Content:
        looks = np.array([0, (1 << differs) - 1, *([7] * (words - 2))], "<u8").tobytes()
        return Content(f"{name}/{name}.x", 1, 1, kind.value, "x", duration=seconds, looks=looks)

    one = recording("a", 10.0, 0)
    for other, alike in (
        (recording("b", 10.2, bits), True), (recording("b", 10.2, bits + 1), False),
        (recording("b", 10.6, 0), False), (recording("b", 10.0, 0, words=4), False),
    ):  # fmt: skip
        assert pairs_of([other, one], kind) == ([(one, other)] if alike else [])
    near, far = recording("b", 10.1, 0), recording("c", 10.2, 0)
    assert pairs_of([far, near, one, recording("d", 99.0, 0)], kind) == [(one, near), (one, far), (near, far)]


@pytest.mark.parametrize("shift", [0.0, 3600.0])
def test_a_sidecar_agrees_within_a_minute(shift: float) -> None:
    """With its picture's date, or the one before its clock was put right; what tells only a day always agrees."""
    filed = Filed(f"{WHEN:%Y-%m-%dT%H:%M:%S}", shift)
    moment = datetime.fromisoformat(filed.moment)
    for base in {moment, moment - timedelta(seconds=shift)}:
        for seconds, agrees in ((0, True), (60, True), (-60, True), (61, False), (-61, False)):
            assert _agrees(base + timedelta(seconds=seconds), filed) is agrees
    assert not _agrees(moment + timedelta(seconds=3600), filed)
    assert _agrees(None, filed)
    assert _agrees(datetime(2001, 1, 1), Filed("2026-05-14"))
