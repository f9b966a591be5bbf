"""Ten years of pictures that nobody sorted: three hundred files of a volunteer's old computer, phones and sticks.

A library of its own, made the same every time: some folders that somebody began, and one in which all the rest lies:
bursts, copies, pictures that were sent without a date, screens and scanned papers.
"""

from __future__ import annotations

import io
import os
import random
import shutil
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta

from PIL import Image, ImageDraw

from jutrek.demo import scenes, stills
from jutrek.demo.scenario import written

_VERSION = "1"
_MARK = "made-by-jutrek.txt"
_SIZE = (600, 400)
_PILE = "From the old computer"
_DEVICES = (("Arlen", "C1", 2016, 2019), ("Skarv", "P2", 2018, 2022), ("Skarv", "P4", 2022, 2025))
_FOLDERS = ("Desktop", "100SKARV", "stick", "Desktop/New folder (2)", "sort later", "phone 2021")
_BEGUN = {
    "Engine No. 4/2017": "steam", "Kettle viaduct": "bridge", "Volunteers": "depot", "Track/2024": "track",
}  # fmt: skip
_OUTINGS, _ALONE, _SENT, _SCREENS, _PAPERS, _COPIES = 26, 62, 14, 16, 8, 18


def build_mess(root: str, report: Callable[[str], None] = lambda _: None) -> str:
    """Make the library at `root`, if this version of it is not there. Returns its path.

    Raises:
        OSError: when it can't be written, or `root` holds something else.
    """
    root = os.path.abspath(root)
    mark = os.path.join(root, _MARK)
    if os.path.isdir(root) and os.listdir(root):
        if not os.path.exists(mark):
            raise FileExistsError(f"{root} holds something else; the demo is not made there")
        return root
    half = f"{root}.half-made"
    shutil.rmtree(half, ignore_errors=True)
    report("Ten years of pictures that nobody sorted")
    for path, local, data in (*_begun(), *_pile()):
        written(os.path.join(half, path), data, local)
    written(os.path.join(half, _MARK), f"{_VERSION}\n".encode(), datetime(2025, 1, 1))
    if os.path.isdir(root):
        os.rmdir(root)
    os.rename(half, root)
    return root


_Made = Iterator[tuple[str, datetime, bytes]]


def _begun() -> _Made:
    """The folders that somebody began, with a few pictures each."""
    for number, (folder, motif) in enumerate(_BEGUN.items()):
        for turn in range(4):
            local = datetime(2017 + number * 2, 5 + turn, 3 + number, 10, 12 * turn)
            yield f"{folder}/{local:%Y%m%d_%H%M%S}.jpg", local, _still(motif, local, 8000 + 10 * number + turn)


def _pile() -> _Made:
    dice = random.Random(1848)
    shots: list[tuple[str, datetime, bytes]] = []
    for outing in range(_OUTINGS):
        make, model, first, last = _DEVICES[outing % 3]
        motif = dice.choice(scenes.MOTIFS)
        local = datetime(dice.randint(first, last), dice.randint(3, 11), dice.randint(1, 28), dice.randint(8, 18))
        folder = dice.choice(_FOLDERS)
        for _ in range(dice.randint(4, 9)):
            # Every third press is held down for a burst.
            local += timedelta(minutes=dice.randint(1, 14), seconds=dice.randint(0, 59))
            for _ in range(3 if dice.random() < 0.12 else 1):
                local += timedelta(seconds=1)
                seed = 8200 + len(shots)
                shots.append((f"{folder}/{_name(local, seed)}", local, _still(motif, local, seed, make, model)))
    yield from ((f"{_PILE}/{path}", local, data) for path, local, data in shots)
    for path, local, data in dice.sample(shots, _COPIES):
        stem = os.path.splitext(os.path.basename(path))[0]
        yield f"{_PILE}/copies/{stem} (1).jpg", local, data
    yield from _without_a_date(dice)


def _without_a_date(dice: random.Random) -> _Made:
    for number in range(_SENT):
        local = datetime(2020 + number % 5, 6, 3 + number, 20, 14)
        picture = scenes.draw(dice.choice(scenes.MOTIFS), 12, 8700 + number, _SIZE)
        yield f"{_PILE}/sent to us/picture-{number + 1}.jpg", local, stills.jpeg(picture, None, quality=70)
    for number in range(_SCREENS):
        local = datetime(2021 + number % 4, 1 + number % 12, 5 + number, 21, 3)
        yield f"{_PILE}/phone 2021/Screenshot_{local:%Y%m%d-%H%M%S}.png", local, _screen(number)
    for number in range(_PAPERS):
        yield f"{_PILE}/scans/Scan{number + 1:04}.jpg", datetime(2019, 2, 2, 10, number), _paper(number)
    for number in range(_ALONE):
        local = datetime(2016 + number % 10, 1 + number % 12, 1 + number % 28, 9 + number % 9, number % 60, 5)
        make, model, *_ = _DEVICES[min(2, number % 10 // 4)]
        data = _still(scenes.MOTIFS[number % len(scenes.MOTIFS)], local, 8900 + number, make, model)
        yield f"{_PILE}/{_FOLDERS[number % len(_FOLDERS)]}/{_name(local, 8900 + number)}", local, data


def _name(local: datetime, seed: int) -> str:
    return f"IMG_{seed:04}.jpg" if seed % 3 else f"{local:%Y%m%d_%H%M%S}.jpg"


def _still(motif: str, local: datetime, seed: int, make: str = "Arlen", model: str = "C1") -> bytes:
    picture = scenes.draw(motif, local.hour, seed, _SIZE)
    return stills.jpeg(picture, stills.Shot(local, make, model, "", ""), quality=74)


def _screen(number: int) -> bytes:
    """What a phone's screen showed: a list, in light colours."""
    picture = Image.new("RGB", (360, 780), (246, 247, 244))
    pen = ImageDraw.Draw(picture)
    pen.rectangle((0, 0, 360, 70), fill=(11, 110, 110))
    for line in range(9):
        top = 90 + 74 * line
        pen.rounded_rectangle((16, top, 344, top + 60), 8, fill=(255, 255, 255), outline=(213, 220, 216))
        pen.rectangle((28, top + 16, 120 + 17 * ((number + line) % 9), top + 26), fill=(60, 76, 82))
        pen.rectangle((28, top + 36, 220 - 9 * ((number + line) % 7), top + 42), fill=(160, 170, 172))
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def _paper(number: int) -> bytes:
    """A page of a typed report, as a scanner saw it."""
    picture = Image.new("L", (850, 1100), 244)
    pen = ImageDraw.Draw(picture)
    for line in range(38):
        wide = 620 - 41 * ((number + 3 * line) % 6) if line % 8 else 260
        pen.rectangle((110, 90 + 25 * line, 110 + wide, 98 + 25 * line), fill=70)
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=70)
    return out.getvalue()
