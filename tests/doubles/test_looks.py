"""Looks: copies stay close and other pictures are far; search by bands finds all that is close."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageDraw, ImageFilter, ImageOps

from jutrek.decoding import shown, still
from jutrek.doubles import aligned, still_matching
from jutrek.doubles.aligned import SAME, agreement
from jutrek.doubles.grayscale import Greys
from jutrek.doubles.looks import TURNS, WHOLE, Looks, framed, looks_of, turn, turned
from jutrek.doubles.search import Index, close_pairs
from jutrek.doubles.still_matching import Album, Hit, share_of
from jutrek.formats import read
from tests.doubles.common import encoded, grey, scene


def _words(picture: Image.Image) -> Image.Image:
    made = picture.copy()
    ImageDraw.Draw(made).text((12, 165), "Velmora line", fill=(255, 255, 255), font_size=18)
    return made


CHANGES: dict[str, Callable[[Image.Image], Image.Image]] = {
    "smaller": lambda one: one.resize((75, 50), Image.Resampling.LANCZOS),
    "brighter": lambda one: one.point(lambda value: min(255, int(value * 1.15))),
    "sharper": lambda one: one.filter(ImageFilter.UnsharpMask(2, 60, 2)),
    "cut": lambda one: one.crop((10, 3, 295, 193)),
    "framed": lambda one: ImageOps.expand(one, 9, (255, 255, 255)),
    "turned": lambda one: one.transpose(Image.Transpose.ROTATE_90),
    "upside down": lambda one: one.transpose(Image.Transpose.ROTATE_180),
    "mirrored": ImageOps.mirror,
    "with words": _words,
}


def _album(*pictures: Image.Image) -> Album:
    found = [looks_of(grey(one)) for one in pictures]
    return Album([one.as_bytes() for one in found if one is not None])


@pytest.fixture
def shares(monkeypatch: pytest.MonkeyPatch) -> Callable[[Image.Image, Image.Image], float]:
    """How far two pictures agree, in the ways that their looks suggest; 0 where these suggest none."""
    at_hand: dict[str, Image.Image] = {}
    monkeypatch.setattr(Greys, "of", lambda _, path: at_hand[path])

    def share(one: Image.Image, other: Image.Image) -> float:
        at_hand.update(one=grey(one), other=grey(other))
        hits = _album(one, other).candidates().get((0, 1), [])
        return share_of(Greys(), ("one", "other"), hits) if hits else 0.0

    return share


@pytest.mark.parametrize("change", CHANGES)
@pytest.mark.parametrize("swapped", [False, True])
def test_copies_are_found_whatever_they_went_through(
    change: str, swapped: bool, shares: Callable[[Image.Image, Image.Image], float]
) -> None:
    """And it does not matter which of the two comes first."""
    for seed in (0, 2):
        pair = scene(seed), CHANGES[change](scene(seed))
        assert shares(*(reversed(pair) if swapped else pair)) >= SAME, seed


def test_other_pictures_are_not_the_same(shares: Callable[[Image.Image, Image.Image], float]) -> None:
    """Not by looks; and where looks are close, not by comparison: half of the picture is another one."""
    assert shares(scene(0), scene(5)) < SAME
    other = scene(0)
    other.paste(scene(10).crop((150, 0, 300, 200)), (150, 0))
    assert agreement(grey(scene(0)), grey(other)).share < SAME


@pytest.mark.parametrize("way", range(TURNS))
def test_turned_looks_are_the_looks_of_turned_pictures(way: int) -> None:
    """They follow from the bits alone, and ways undo one another."""
    one = grey(scene(3))
    plain, other = looks_of(one), looks_of(turn(one, way))
    assert plain is not None and other is not None
    by_bits = turned(np.array([plain.look], np.uint64), way)
    assert int(np.bitwise_count(by_bits[0] ^ np.uint64(other.look))) <= 2
    assert int(turned(by_bits, still_matching._back(way))[0]) == plain.look
    assert turn(turn(one, way), still_matching._back(way)).tobytes() == one.tobytes()


def test_every_way_that_looks_may_be_close_is_tried() -> None:
    """Whole on whole, turned, part on whole and whole on part, within a frame, within two; each with its bits."""
    dice = np.random.default_rng(7)
    words = [int(word) for word in dice.integers(0, 2**63, 8, dtype=np.uint64) & ~np.uint64(1)]
    one = Looks(words[0], 0, words[1], tuple(words[2:7])).as_bytes()

    def hits(other: Looks, *, swapped: bool = False, parts: bool = True) -> set[Hit]:
        pair = [other.as_bytes(), one] if swapped else [one, other.as_bytes()]
        return set(Album(pair).candidates(parts=parts).get((0, 1), []))

    far, spare = words[7], (5, 6, 7, 8, 9)
    whole = Looks(words[0] ^ 2, 0, far, spare)
    assert hits(whole, parts=False) == {Hit(0, 0, 0, 1)}
    for way in range(1, TURNS):
        other = Looks(int(turned(np.array([words[0]], np.uint64), way)[0]), 0, far, spare)
        undone = {5: 6, 6: 5}.get(way, way)
        assert hits(other) == {Hit(undone, 0, 0, 0)}
        assert hits(other, swapped=True) == {Hit(way, 0, 0, 0)}
    for number, part in ((-1, words[1]), *enumerate(words[2:7], 1)):
        other = Looks(part, 0, far, spare)
        assert hits(other) == {Hit(0, number, 0, 0)}
        assert hits(other, swapped=True) == {Hit(0, 0, number, 0)}
        assert hits(other, parts=False) == set()
    assert hits(Looks(far, 0, words[1] ^ 4, spare)) == {Hit(0, -1, -1, 1)}


def test_parts_are_what_a_cut_leaves() -> None:
    """A twentieth less: from the middle, and from each corner; the look of a part is that of the cut picture."""
    picture = scene(3, (400, 300)).convert("L")
    found = looks_of(picture)
    assert found is not None
    corners = ((10, 7.5), (0, 0), (20, 0), (0, 15), (20, 15))
    for look, (left, top) in zip(found.parts, corners, strict=True):
        box = (left, top, left + 380, top + 285)
        cut = looks_of(picture.resize((380, 285), Image.Resampling.BOX, box=box))
        assert cut is not None
        assert (look ^ cut.look).bit_count() <= 3


def test_one_colour_has_no_looks() -> None:
    """Black pictures are not doubles of one another by their looks."""
    assert looks_of(Image.new("L", (160, 107), 7)) is None


def test_frames_are_seen_at_all_sides_and_skies_are_not_cut_away() -> None:
    """What is within a frame of one colour counts; a picture that is plain for long has no frame."""
    pixels = np.full((100, 150), 250, np.float32)
    pixels[8:90, 12:144] = np.random.default_rng(1).integers(0, 200, (82, 132))
    assert framed(pixels) == (12 / 150, 8 / 100, 144 / 150, 90 / 100)
    pixels[:60] = 250
    assert framed(pixels)[1] == 0.0
    assert framed(np.random.default_rng(1).integers(0, 255, (90, 90)).astype(np.float32)) == WHOLE


@given(st.lists(st.integers(0, 2**64 - 1), min_size=1, max_size=40), st.data())
@settings(max_examples=60, deadline=None)
def test_search_finds_every_close_pair_and_no_other(words: list[int], data: st.DataObject) -> None:
    """By bands as by comparing all with all, up to seven bits."""
    near = [word ^ sum({1 << data.draw(st.integers(0, 63)) for _ in range(7)}) for word in words[:8]]
    every = np.array(words + near, np.uint64)
    radius = data.draw(st.integers(0, 7))
    found = {tuple(pair) for pair in Index(every).close(every, radius).tolist()}
    wanted = {
        (one, other)
        for one in range(len(every))
        for other in range(len(every))
        if int(every[one] ^ every[other]).bit_count() <= radius
    }
    assert found == wanted


def test_pairs_come_once_and_a_thousand_equal_ones_are_a_thousand_pairs() -> None:
    """Of equal words each is paired with the first; the smaller number comes first."""
    words = np.array([5, 2**60, *[9] * 1000, 4], np.uint64)
    pairs = close_pairs(words, 1)
    assert [0, 1002] in pairs.tolist()
    assert (pairs[:, 0] < pairs[:, 1]).all()
    assert sum(first == 2 for first, _ in pairs.tolist()) == 999
    assert len({tuple(pair) for pair in pairs.tolist()}) == len(pairs) == 1000


def test_thousands_that_look_alike_are_no_millions_of_candidates() -> None:
    """A night of one sky, frame by frame: each has a few dozen candidates, the closest ones."""
    one = looks_of(grey(scene(0)))
    assert one is not None
    words = [one._replace(look=one.look ^ (1 << (number % 40))).as_bytes() for number in range(3000)]
    album = Album([*words, one.as_bytes()])
    found = album.candidates(parts=False)
    assert len(found) < 3001 * 49
    assert (0, 40) in found
    asked = album.candidates(np.array([3000]), parts=False)
    assert {hit.bits for hits in asked.values() for hit in hits} == {1}


def test_looks_hardly_change_with_size_and_compression() -> None:
    """From a thumbnail or from the whole, from a good JPEG or a bad one."""
    import io

    whole = scene(4, (1200, 800))
    small = Image.open(io.BytesIO(encoded(whole.resize((300, 200)), quality=60))).convert("RGB")
    one, other = looks_of(grey(whole)), looks_of(grey(small))
    assert one is not None and other is not None
    assert (one.look ^ other.look).bit_count() <= 2
    assert (one.grain ^ other.grain).bit_count() <= 4


@pytest.mark.parametrize("orientation", range(1, 9))
def test_pictures_are_turned_the_right_way_up(orientation: int, tmp_path: Path) -> None:
    """As Exif has them lie, whatever their mode."""
    exif = Image.Exif()
    exif[0x0112] = orientation
    path = tmp_path / "a.jpg"
    scene(1, (64, 48)).save(path, exif=exif)
    with path.open("rb") as file:
        made = still(file, shown(str(path), read(str(path))), None, (64, 48), "L")
    with Image.open(path) as picture:
        picture.draft("L", (64, 48))
        assert made.tobytes() == ImageOps.exif_transpose(picture).convert("L").tobytes()


def test_light_and_place_are_solved_for() -> None:
    """Also where a part was painted over: gain and level to a hundredth, a shift and a stretch to a thousandth."""
    side = aligned.SIDE
    pixels = np.asarray(scene(2, (480, 480)).convert("L").resize((side, side)), np.float32)
    darker = (pixels - 12) / 1.3
    for other in (darker, np.where(np.arange(side)[:, None] < side // 24, 250, darker).astype(np.float32)):
        gain, level = aligned._light(pixels.ravel(), other.ravel())
        assert gain == pytest.approx(1.3, abs=0.02)
        assert level == pytest.approx(12, abs=1.0)
    for warp in ((0.03, 0.0, -0.02, 0.0), (0.0, 0.04, 0.0, -0.03), (0.02, 0.03, -0.03, 0.02)):
        moved = aligned._warped(pixels, np.array(warp))
        found = aligned._laid(moved, (pixels - 12) / 1.3, np.zeros(4), 30)
        assert found == pytest.approx(warp, abs=0.002)
