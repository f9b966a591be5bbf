"""Reading 5,000 small JPEGs for their dates, against Pillow.

The files are like a camera's: no JFIF segment, some forty Exif tags, a maker note of 6 kB. Two baselines are printed:
`Image.open().getexif()` as it stands, which parses the first directory and so never sees the date of shooting; and the
same with `.get_ifd(Exif)`, which a program must call to see it.
"""

from __future__ import annotations

import io
import os
import struct
import tempfile
import time
from collections.abc import Callable

from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from jutrek.formats import read

_COUNT = 5000
_ROUNDS = 5


def photos(count: int) -> list[bytes]:
    """Different ones."""
    return [_photo(seed) for seed in range(count)]


def _photo(seed: int) -> bytes:
    out = io.BytesIO()
    Image.effect_noise((640, 480), 60).convert("RGB").save(out, "JPEG", quality=70)
    picture = out.getvalue()
    exif = Image.Exif()
    exif[0x010F], exif[0x0110], exif[0x0131], exif[0x013B] = "Arlen", "M2", "1.02", "Velmora line"
    exif[0x0112], exif[0x011A], exif[0x011B], exif[0x0128], exif[0x0213] = 1, 72.0, 72.0, 2, 2
    exif[0x0132] = f"2026:05:{1 + seed // 3600:02} 10:{seed // 60 % 60:02}:{seed % 60:02}"
    inner = exif.get_ifd(0x8769)
    inner[0x9003] = inner[0x9004] = exif[0x0132]
    inner[0x9010] = inner[0x9011] = "+02:00"
    inner[0x9291], inner[0xA431], inner[0xA434] = "42", "A2-10442", "35 mm f/1.8"
    inner[0x927C] = os.urandom(6000)
    for tag in (0x829A, 0x829D, 0x9201, 0x9202, 0x9203, 0x9204, 0x9205, 0x920A):
        inner[tag] = IFDRational(7, 2)
    for tag in (0x8822, 0x8827, 0x9207, 0x9208, 0x9209, 0xA001, 0xA401, 0xA402, 0xA403, 0xA405, 0xA406):
        inner[tag] = 1
    block = exif.tobytes()
    start = picture.index(b"\xff\xdb")
    return b"\xff\xd8\xff\xe1" + struct.pack(">H", len(block) + 2) + block + picture[start:]


def _pillow_first_directory(path: str) -> None:
    with Image.open(path) as picture:
        picture.getexif()


def _pillow_date(path: str) -> None:
    with Image.open(path) as picture:
        picture.getexif().get_ifd(0x8769).get(0x9003)


def _bare(path: str) -> None:
    fd = os.open(path, os.O_RDONLY)
    os.pread(fd, 65536, 0)
    os.close(fd)


def _timed(call: Callable[[str], object], paths: list[str]) -> float:
    began = time.perf_counter()
    for path in paths:
        call(path)
    return (time.perf_counter() - began) / len(paths) * 1e6


def run() -> None:
    """Print microseconds a file and ratios."""
    with tempfile.TemporaryDirectory() as folder:
        paths = [os.path.join(folder, f"{number:04}.jpg") for number in range(_COUNT)]
        for number, path in enumerate(paths):
            with open(path, "wb") as file:
                file.write(_photo(number))
        calls = {"jutrek": read, "first": _pillow_first_directory, "date": _pillow_date, "bare": _bare}
        rounds = [{name: _timed(call, paths) for name, call in calls.items()} for _ in range(_ROUNDS)]
        took = {name: min(round_[name] for round_ in rounds) for name in calls}
    print(f"jutrek.formats.read                       {took['jutrek']:7.1f} µs a file")
    times = took["jutrek"] / took["bare"]
    print(f"open + read 64 kB + close                 {took['bare']:7.1f} µs: jutrek takes {times:.1f} ×")
    for name, words in (("date", "getexif(), date of shooting"), ("first", "getexif(), first directory ")):
        print(f"Pillow {words}        {took[name]:7.1f} µs: jutrek is {took[name] / took['jutrek']:.1f} × as fast")
