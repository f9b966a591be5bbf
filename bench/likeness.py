"""Pictures with known doubles, made from a seed: originals, what copies go through, and series of one place.

Twelve kinds of change are made to every third original in turn. The pictures that are no doubles of one another are
hard ones: frames of one place, taken by hand. Between two of them the camera moved, zoomed and turned a little, people
and wagons stand elsewhere, the light changed, and the sensor's noise is another one.
"""

from __future__ import annotations

import io
import os
import random
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from datetime import datetime

from PIL import Image, ImageDraw, ImageFilter, ImageOps

from jutrek.demo import scenes, stills
from jutrek.demo.copies import worded
from jutrek.demo.tags import build, short

SIZE = (480, 320)
_LARGER = (576, 384)
_SHOT = stills.Shot(datetime(2026, 5, 14, 10, 26), "Arlen", "M2", "A2-1")
_FRAMES = 20


def _jpeg(picture: Image.Image, quality: int = 88) -> bytes:
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=quality)
    return out.getvalue()


def _by_tag(picture: Image.Image, dice: random.Random) -> bytes:
    out = io.BytesIO()
    exif = b"Exif\0\0" + build([{0x0112: short(dice.choice((3, 6, 8)))}])
    picture.save(out, "JPEG", quality=88, exif=exif)
    return out.getvalue()


def _cut(picture: Image.Image, dice: random.Random) -> Image.Image:
    width, height = picture.size
    left, top = dice.randint(0, width // 20), dice.randint(0, height // 20)
    return picture.crop((left, top, left + width - width // 20, top + height - height // 20))


def _lit(picture: Image.Image, dice: random.Random) -> Image.Image:
    light = dice.choice((0.85, 0.92, 1.08, 1.15))
    return picture.point(lambda value: min(255, int(value * light)))


def _turned(picture: Image.Image, dice: random.Random) -> Image.Image:
    ways = (Image.Transpose.ROTATE_90, Image.Transpose.ROTATE_180, Image.Transpose.ROTATE_270)
    return picture.transpose(dice.choice(ways))


def _worded(picture: Image.Image, dice: random.Random) -> Image.Image:
    made = picture.copy()
    at = picture.width * dice.uniform(0.02, 0.3), picture.height * dice.choice((0.06, 0.84))
    words = dice.choice(("Velmora line 2026", "Open day, platform 1", "for the calendar"))
    ImageDraw.Draw(made).text(at, words, fill=dice.choice(("white", "black")), font_size=picture.height // 13)
    return made


def _other_format(picture: Image.Image, dice: random.Random) -> bytes:
    out = io.BytesIO()
    picture.save(out, dice.choice(("WEBP", "PNG")), quality=80)
    return out.getvalue()


def _smaller(picture: Image.Image, by: int) -> bytes:
    small = picture.resize((picture.width // by, picture.height // by), Image.Resampling.LANCZOS)
    return _jpeg(small, 82)


CHANGES: dict[str, Callable[[Image.Image, random.Random], bytes]] = {
    "saved again, quality 60–95": lambda one, dice: _jpeg(one, dice.randint(60, 95)),
    "half size": lambda one, dice: _smaller(one, 2),
    "quarter size": lambda one, dice: _smaller(one, 4),
    "5 % cut away": lambda one, dice: _jpeg(_cut(one, dice)),
    "brightness ±15 %": lambda one, dice: _jpeg(_lit(one, dice)),
    "metadata only": lambda one, dice: worded(_jpeg(one), ["bridge"], f"right {dice.random()}"),
    "turned by tag": _by_tag,
    "turned": lambda one, dice: _jpeg(_turned(one, dice)),
    "mirrored": lambda one, dice: _jpeg(ImageOps.mirror(one)),
    "another format": _other_format,
    "sharpened": lambda one, dice: _jpeg(one.filter(ImageFilter.UnsharpMask(2, 60, 2))),
    "framed": lambda one, dice: _jpeg(ImageOps.expand(one, dice.randint(5, 20), dice.choice(("white", "black")))),
    "words laid over": lambda one, dice: _jpeg(_worded(one, dice)),
}
"""What is done to pictures, by name."""
SAME_PAYLOAD = frozenset({"metadata only", "turned by tag"})
PER_ORIGINAL = 3


def original(number: int) -> Image.Image:
    """One of the originals."""
    dice = random.Random(number)
    return scenes.draw(scenes.MOTIFS[number % 5], dice.choice((6, 9, 14, 18)), 1_000_000 + number, SIZE)


def _write(path: str, data: bytes) -> None:
    with open(path, "wb") as file:
        file.write(data)


def write_original(job: tuple[str, int]) -> None:
    """Write an original and what was made of it: `o<number>.jpg`, `o<number>-<change>.<format>`."""
    folder, number = job
    picture, dice = original(number), random.Random(number + 7)
    _write(os.path.join(folder, f"o{number}.jpg"), _jpeg(picture))
    names = list(CHANGES)
    for step in range(PER_ORIGINAL):
        at = (number * PER_ORIGINAL + step) % len(names)
        _write(os.path.join(folder, f"o{number}-{at}.pic"), CHANGES[names[at]](picture, dice))


def write_place(job: tuple[str, int]) -> None:
    """Write the frames of one place: `p<place>-<frame>.jpg`."""
    folder, place = job
    dice = random.Random(place)
    ground = scenes.draw(scenes.MOTIFS[place % 5], dice.choice((6, 9, 14, 18)), 2_000_000 + place, _LARGER)
    for number in range(_FRAMES):
        _write(os.path.join(folder, f"p{place}-{number}.jpg"), _jpeg(_frame(ground, dice)))


def _frame(ground: Image.Image, dice: random.Random) -> Image.Image:
    zoom = dice.uniform(1.06, 1.2)
    width, height = int(_LARGER[0] / zoom), int(_LARGER[1] / zoom)
    left, top = dice.randint(0, _LARGER[0] - width), dice.randint(0, _LARGER[1] - height)
    leaning = ground.rotate(dice.uniform(-1.5, 1.5), Image.Resampling.BICUBIC)
    frame = leaning.crop((left, top, left + width, top + height)).resize(SIZE, Image.Resampling.BICUBIC)
    _people(ImageDraw.Draw(frame), dice)
    return scenes._grain(_lit(frame, dice), dice.randint(0, 10**9))


def _people(pen: ImageDraw.ImageDraw, dice: random.Random) -> None:
    for _ in range(dice.randint(3, 6)):
        tall = dice.uniform(0.1, 0.3) * SIZE[1]
        wide, x, foot = tall * dice.uniform(0.3, 0.6), dice.uniform(0, SIZE[0]), dice.uniform(0.5, 1.0) * SIZE[1]
        colour = (dice.randint(20, 200), dice.randint(20, 200), dice.randint(20, 200))
        pen.rectangle((x, foot - tall * 0.8, x + wide, foot), fill=colour)
        pen.ellipse((x + wide * 0.2, foot - tall, x + wide * 0.8, foot - tall * 0.75), fill=(200, 170, 140))


def make(folder: str, originals: int, distinct: int) -> None:
    """Write all of it into a folder."""
    with ProcessPoolExecutor(2) as workers:
        list(workers.map(write_original, _jobs(folder, originals), chunksize=8))
        list(workers.map(write_place, _jobs(folder, distinct // _FRAMES), chunksize=2))


def _jobs(folder: str, count: int) -> Iterator[tuple[str, int]]:
    return ((folder, number) for number in range(count))
