"""The vote of clips for one shift: what stands alone is not certain, and what fits twice is not either."""

from __future__ import annotations

import pytest

from jutrek.hearing.voting import Voice, vote, weights


def voices(*told: tuple[str, float, float, float]) -> list[Voice]:
    """Clips, with when they began, the shift that they speak for, and how much."""
    return [Voice((clip, 0), at, shift, weight, number) for number, (clip, at, shift, weight) in enumerate(told)]


def test_two_clips_ten_minutes_apart_are_certain() -> None:
    """Their shifts lie within three seconds, as clocks tell whole ones; the middle is weighed."""
    result = vote(voices(("a", 0, 100.0, 10), ("b", 600, 102.0, 10), ("c", 900, 500.0, 9)))
    assert result is not None
    assert (result.shift, result.total, result.rest, result.certain) == (101.0, 20, 9, True)
    assert result.clear == pytest.approx(20 / 9)


@pytest.mark.parametrize(
    "told",
    [
        (("a", 0, 100.0, 20),),
        (("a", 0, 100.0, 10), ("b", 599, 100.0, 10)),
        (("a", 0, 100.0, 7), ("b", 900, 100.0, 7.9)),
        (("a", 0, 100.0, 10), ("b", 900, 100.0, 10), ("c", 1800, 700.0, 10.1)),
        (("a", 0, 100.0, 20), ("a", 0, 101.0, 20)),
        (("a", 0, 100.0, 10), ("b", 900, 103.5, 10)),
    ],
    ids=["one clip", "too near", "too little", "another nearly as good", "one clip twice", "too far apart"],
)
def test_what_is_less_is_not_certain(told: tuple[tuple[str, float, float, float], ...]) -> None:
    """Each of the conditions is needed."""
    result = vote(voices(*told))
    assert result is not None
    assert not result.certain


def test_a_clip_that_fits_in_many_places_says_little() -> None:
    """Beats and tunes: what stands out as much elsewhere is shared out; below the floor nothing is said."""
    assert weights([26.0]) == [20.0]
    assert weights([16.0, 15.0, 14.0, 7.0, 5.9]) == [11 / 3, 10 / 3, 9 / 3, 2 / 5, 0.0]
    assert vote(voices(("a", 0, 1.0, 0.0))) is None
