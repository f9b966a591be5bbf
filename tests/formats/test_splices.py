"""Splices: applied in blocks of any size, undone, and two steps as one; against what is done to the whole at once."""

from __future__ import annotations

import random

import pytest

from jutrek.formats import Stretch
from jutrek.formats.splices import Splice, Spliced, chained, grown, in_place, trouble_with, undone


def whole(data: bytes, splices: tuple[Splice, ...]) -> bytes:
    for one in reversed(splices):
        assert data[one.offset : one.end] == one.old
        data = data[: one.offset] + one.new + data[one.end :]
    return data


def in_blocks(data: bytes, splices: tuple[Splice, ...], chance: random.Random) -> bytes:
    making, made, at = Spliced(splices), b"", 0
    while at < len(data):
        size = chance.randint(1, 7)
        made += b"".join(making.take(data[at : at + size]))
        at += size
    return made + b"".join(making.rest())


def some(data: bytes, chance: random.Random) -> tuple[Splice, ...]:
    found, at = [], 0
    for _ in range(chance.randint(0, 4)):
        if at > len(data):
            break
        offset = chance.randint(at, len(data))
        size = chance.randint(0, min(5, len(data) - offset))
        new = bytes(chance.randrange(97, 123) for _ in range(chance.choice((size, size, 0, 3, 9))))
        if new != data[offset : offset + size]:
            found.append(Splice(offset, data[offset : offset + size], new))
            at = max(offset + size, offset + 1)
    return tuple(found)


@pytest.mark.parametrize("seed", range(8))
def test_random_splices_of_random_files(seed: int) -> None:
    chance = random.Random(seed)
    for _ in range(400):
        first = bytes(chance.randrange(65, 91) for _ in range(chance.randint(0, 30)))
        one = some(first, chance)
        second = in_blocks(first, one, chance)
        assert second == whole(first, one)
        assert in_blocks(second, undone(one), chance) == first
        assert len(second) == len(first) + grown(one)
        other = some(second, chance)
        both = chained(one, other, len(first))
        assert whole(first, both) == whole(second, other)
        assert trouble_with(both, ()) == ""
        assert chained(one, undone(one), len(first)) == ()


@pytest.mark.parametrize(
    ("splices", "touches"),
    [
        ([Splice(9, b"a", b"b")], False), ([Splice(10, b"a", b"b")], True), ([Splice(19, b"a", b"")], True),
        ([Splice(20, b"a", b"")], False), ([Splice(10, b"", b"x")], False), ([Splice(11, b"", b"x")], True),
        ([Splice(20, b"", b"x")], False), ([Splice(5, b"a" * 20, b"b")], True),
    ],
)  # fmt: skip
def test_what_touches_a_picture_is_told(splices: list[Splice], touches: bool) -> None:
    assert bool(trouble_with(splices, [Stretch(10, 10)])) is touches


def test_what_is_out_of_order_or_too_much_is_damaged() -> None:
    good = Splice(3, b"a", b"b")
    for bad in (
        [good, Splice(2, b"a", b"b")], [good, good], [Splice(2, b"aa", b""), good], [Splice(-1, b"a", b"b")],
        [Splice(3, b"a", b"a")], [Splice(2 * at, b"a", b"b") for at in range(33)],
    ):  # fmt: skip
        assert trouble_with(bad, ())
    assert not trouble_with([Splice(2, b"a", b"b"), good], ())
    assert in_place([good]) and not in_place([good, Splice(5, b"", b"x")])
