"""Pictures of the Velmora line, drawn by code: ridges, rails, a viaduct, a depot, an engine under steam."""

from __future__ import annotations

import random
from collections.abc import Callable
from itertools import pairwise

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

Colour = tuple[int, int, int]

_SKIES: tuple[tuple[int, Colour, Colour], ...] = (
    (6, (92, 108, 140), (240, 190, 150)),
    (9, (128, 164, 196), (226, 232, 224)),
    (14, (116, 156, 196), (212, 226, 230)),
    (18, (128, 140, 172), (244, 206, 160)),
    (22, (44, 56, 88), (150, 128, 140)),
)
"""Hour until which a sky holds, and its colours above and at the horizon."""
_STEEL, _TIMBER, _STONE, _RUST = (92, 96, 102), (98, 76, 58), (150, 142, 128), (140, 74, 48)


def draw(motif: str, hour: float, seed: int, size: tuple[int, int]) -> Image.Image:
    """Draw one picture.

    Args:
        motif: one of `MOTIFS`.
        hour: local time of day, for the light.
        seed: makes the picture unlike any other, and the same every time.
        size: width and height in pixels.
    """
    dice = random.Random(seed)
    width, height = size
    top, low = next(((a, b) for until, a, b in _SKIES if hour <= until), _SKIES[-1][1:])
    picture = _gradient(size, top, low)
    pen = ImageDraw.Draw(picture)
    horizon = height * dice.uniform(0.3, 0.66)
    green = dice.uniform(0.7, 1.2)
    _clouds(pen, dice, size, horizon, low)
    for depth in range(3):
        shade = _mix(low, _lit((70, 96, 74), green), 0.35 + 0.3 * depth)
        base = horizon - height * (0.2 - 0.09 * depth)
        pen.polygon(_ridge(dice, size, base, height * (0.16 - 0.035 * depth)), fill=shade)
    pen.rectangle((0, horizon + height * 0.06, width, height), fill=_lit((104, 118, 84), green))
    _MOTIFS[motif](pen, dice, size, horizon)
    if dice.random() < 0.45:
        _trees(pen, dice, size, horizon, green)
    if motif == "steam":
        picture = _steam(picture, dice, horizon)
    return _grain(picture, seed)


def _gradient(size: tuple[int, int], top: Colour, low: Colour) -> Image.Image:
    steps = np.linspace(0, 1, size[1])[:, None]
    column = (np.array(top) * (1 - steps) + np.array(low) * steps).astype(np.uint8)
    return Image.fromarray(np.repeat(column[:, None, :], size[0], axis=1))


def _mix(a: Colour, b: Colour, share: float) -> Colour:
    return tuple(int(x * (1 - share) + y * share) for x, y in zip(a, b, strict=True))  # type: ignore[return-value]


def _lit(colour: Colour, light: float) -> Colour:
    return tuple(min(255, int(part * light)) for part in colour)  # type: ignore[return-value]


def _ridge(dice: random.Random, size: tuple[int, int], base: float, rise: float) -> list[tuple[float, float]]:
    """A mountain line by midpoint displacement, closed along the bottom of the picture."""
    line = [dice.uniform(-rise, rise * 0.3), -rise * dice.uniform(0.8, 1.6), dice.uniform(-rise, rise * 0.3)]
    spread = rise
    while len(line) < 60:
        spread *= 0.52
        pairs = pairwise(line)
        line = [y for a, b in pairs for y in (a, (a + b) / 2 + dice.uniform(-spread, spread))] + [line[-1]]
    width, height = size
    points = [(x * width / (len(line) - 1), base + y) for x, y in enumerate(line)]
    return [*points, (width, height), (0, height)]


def _clouds(pen: ImageDraw.ImageDraw, dice: random.Random, size: tuple[int, int], horizon: float, low: Colour) -> None:
    width, height = size
    for _ in range(dice.choice((0, 0, 2, 5))):
        x, y, long = dice.uniform(0, width), dice.uniform(0, horizon * 0.6), width * dice.uniform(0.1, 0.35)
        tall = height * dice.uniform(0.015, 0.05)
        pen.ellipse((x - long / 2, y - tall, x + long / 2, y + tall), fill=_mix(low, (250, 250, 250), 0.5))


def _trees(pen: ImageDraw.ImageDraw, dice: random.Random, size: tuple[int, int], horizon: float, light: float) -> None:
    """Spruces in the foreground, at one side."""
    width, height = size
    side = dice.choice((0.0, 0.75))
    for _ in range(dice.randint(2, 5)):
        x, foot = width * (side + dice.uniform(-0.05, 0.28)), height * dice.uniform(0.85, 1.1)
        tall = (foot - horizon) * dice.uniform(0.8, 1.6)
        shade = _lit((44, 66, 52), light * dice.uniform(0.8, 1.2))
        for tier in range(4):
            top, wide = foot - tall + tall * 0.2 * tier, tall * (0.08 + 0.055 * tier)
            pen.polygon([(x, top), (x - wide, top + tall * 0.36), (x + wide, top + tall * 0.36)], fill=shade)


def _track(pen: ImageDraw.ImageDraw, dice: random.Random, size: tuple[int, int], horizon: float) -> None:
    """A narrow-gauge track in perspective, ballast, sleepers and two rails."""
    width, height = size
    far, near = width * dice.uniform(0.35, 0.65), width * dice.uniform(0.25, 0.75)
    gauge = width * dice.uniform(0.16, 0.24)
    start = horizon + height * 0.07
    pen.polygon([(far, start), (near + gauge, height), (near - gauge, height)], fill=(136, 128, 114))
    for step in range(24):
        share = (step / 24) ** 2
        y, x, half = start + (height - start) * share, far + (near - far) * share, gauge * 0.72 * share
        pen.rectangle((x - half, y, x + half, y + 2 + 14 * share), fill=_TIMBER)
    for side in (-0.5, 0.5):
        pen.line([(far, start), (near + gauge * side, height)], fill=_STEEL, width=max(2, width // 220))


def _bridge(pen: ImageDraw.ImageDraw, dice: random.Random, size: tuple[int, int], horizon: float) -> None:
    width, height = size
    deck, arches = horizon - height * dice.uniform(-0.05, 0.15), dice.choice((1, 2, 3, 5, 6, 8))
    stone = _lit(_STONE, dice.uniform(0.8, 1.1))
    span = width / arches
    drop = height * dice.uniform(0.2, 0.55)
    pen.rectangle((0, deck, width, deck + drop), fill=stone)
    gap = _lit((104, 118, 96), dice.uniform(0.75, 1.0))
    for arch in range(arches):
        left = arch * span + span * 0.14
        pen.ellipse((left, deck + drop * 0.16, left + span * 0.72, deck + drop * 0.9), fill=gap)
        pen.rectangle((left, deck + drop * 0.5, left + span * 0.72, deck + drop + 1), fill=gap)
    pen.rectangle((0, deck - height * 0.02, width, deck + 3), fill=_lit(stone, 0.7))


def _depot(pen: ImageDraw.ImageDraw, dice: random.Random, size: tuple[int, int], horizon: float) -> None:
    _track(pen, dice, size, horizon)
    width, height = size
    left, wide = width * dice.uniform(0.02, 0.5), width * dice.uniform(0.3, 0.46)
    top, floor = horizon - height * dice.uniform(0.08, 0.16), horizon + height * 0.16
    pen.rectangle((left, top, left + wide, floor), fill=_lit((150, 110, 90), dice.uniform(0.8, 1.15)))
    ridge = [(left - wide * 0.05, top), (left + wide / 2, top - height * 0.13), (left + wide * 1.05, top)]
    pen.polygon(ridge, fill=(88, 78, 78))
    for door in range(dice.randint(2, 4)):
        x = left + wide * (0.06 + 0.25 * door)
        pen.rectangle((x, floor - height * 0.15, x + wide * 0.17, floor), fill=(60, 70, 64))


def _unloading(pen: ImageDraw.ImageDraw, dice: random.Random, size: tuple[int, int], horizon: float) -> None:
    _track(pen, dice, size, horizon)
    width, height = size
    for _ in range(dice.randint(4, 9)):
        x, y = width * dice.uniform(0.0, 0.7), horizon + height * dice.uniform(0.1, 0.36)
        long = width * dice.uniform(0.15, 0.35)
        pen.polygon([(x, y), (x + long, y - height * 0.03), (x + long, y), (x, y + height * 0.035)], fill=_RUST)
    x = width * dice.uniform(0.55, 0.8)
    pen.line([(x, horizon + height * 0.2), (x + width * 0.1, horizon - height * 0.25)], fill=(196, 150, 40), width=12)
    pen.line([(x + width * 0.1, horizon - height * 0.25), (x + width * 0.1, horizon)], fill=(40, 44, 48), width=3)


def _engine(pen: ImageDraw.ImageDraw, dice: random.Random, size: tuple[int, int], horizon: float) -> None:
    _track(pen, dice, size, horizon)
    width, height = size
    x, y, unit = width * dice.uniform(0.2, 0.5), horizon + height * 0.1, width * dice.uniform(0.1, 0.17)
    body = dice.choice(((42, 74, 56), (52, 52, 60), (112, 44, 40)))
    pen.rectangle((x, y - unit * 0.7, x + unit * 1.5, y), fill=body)
    pen.rectangle((x + unit * 1.5, y - unit * 1.15, x + unit * 2.2, y), fill=_lit(body, 0.8))
    pen.rectangle((x + unit * 0.2, y - unit * 1.2, x + unit * 0.42, y - unit * 0.7), fill=(36, 36, 40))
    pen.ellipse((x + unit * 0.75, y - unit * 0.9, x + unit * 1.15, y - unit * 0.55), fill=(176, 140, 60))
    for wheel in range(4):
        left = x + unit * (0.05 + 0.52 * wheel)
        pen.ellipse((left, y - unit * 0.22, left + unit * 0.46, y + unit * 0.24), fill=(40, 34, 34))


def _steam(picture: Image.Image, dice: random.Random, horizon: float) -> Image.Image:
    cloud = Image.new("L", picture.size, 0)
    pen = ImageDraw.Draw(cloud)
    width, height = picture.size
    x, y = width * dice.uniform(0.25, 0.5), horizon - height * 0.12
    for puff in range(9):
        size = width * (0.03 + 0.012 * puff) * dice.uniform(0.8, 1.3)
        pen.ellipse((x - size, y - size, x + size, y + size), fill=dice.randint(120, 215))
        x, y = x + width * dice.uniform(0.01, 0.06), y - height * dice.uniform(0.015, 0.05)
    cloud = cloud.filter(ImageFilter.GaussianBlur(width / 90))
    return Image.composite(Image.new("RGB", picture.size, (238, 238, 236)), picture, cloud)


def _grain(picture: Image.Image, seed: int) -> Image.Image:
    """Sensor noise: makes every picture's bytes its own and its file as large as a photograph's."""
    noise = np.random.default_rng(seed).integers(-5, 6, (picture.height, picture.width, 1), dtype=np.int16)
    pixels = np.asarray(picture).astype(np.int16) + noise
    return Image.fromarray(np.clip(pixels, 0, 255).astype(np.uint8))


_Draw = Callable[[ImageDraw.ImageDraw, random.Random, tuple[int, int], float], None]
_MOTIFS: dict[str, _Draw] = {
    "depot": _depot,
    "bridge": _bridge,
    "unloading": _unloading,
    "steam": _engine,
    "track": _track,
}
MOTIFS = tuple(_MOTIFS)
"""What can be drawn."""
