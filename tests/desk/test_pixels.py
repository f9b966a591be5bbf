"""No card takes all memory: what a picture needs is told before it is decoded, and all of them share one room."""

from __future__ import annotations

import contextlib
import ctypes
import io
import os
import struct
import threading
import time
import zlib
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
import pillow_heif
import pytest
from PIL import Image

from jutrek import pixels
from jutrek.decoding import shown
from jutrek.desk.pictures import ClipFrames, Picture, large_picture, small_picture, whole_picture
from jutrek.errors import TooLargeToShow
from jutrek.formats import read
from jutrek.pixels import Room
from tests.making import put

_MB = 1 << 20
SLACK = 24 * _MB
"""What decoding takes besides pixels: code that is loaded, and what the allocator keeps."""


def chunk(kind: bytes, data: bytes) -> bytes:
    """A chunk of a PNG (PNG specification, section 5.3)."""
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def png(width: int, height: int, bits: int = 8, colour: int = 2, *, rows: int = -1) -> bytes:
    """A PNG that is black, and small on disk; with as many rows as it says, or fewer."""
    packer = zlib.compressobj(1)
    row = b"\0" * (1 + width * bits // 8 * (3 if colour == 2 else 1))
    data = b"".join(packer.compress(row) for _ in range(height if rows < 0 else rows)) + packer.flush()
    head = struct.pack(">IIBBBBB", width, height, bits, colour, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", data) + chunk(b"IEND", b"")


def encoded(form: str, **more: object) -> Callable[[], bytes]:
    """A picture of 12 million pixels."""

    def make() -> bytes:
        pillow_heif.register_heif_opener()
        out = io.BytesIO()
        picture = Image.linear_gradient("L").resize((4000, 3000))
        picture.convert("P" if form == "GIF" else "RGB").save(out, form, **more)
        return out.getvalue()

    return make


def peak_of(job: Callable[[], int], *, anew: bool = False) -> tuple[int, int]:
    """The most memory that a job takes in a child of its own, in bytes, and what it tells.

    Args:
        job: takes it.
        anew: whether what tests before it freed, and the process kept, is given back: else it is taken instead of more.
    """
    ours, theirs = os.pipe()
    child = os.fork()
    if not child:
        if anew:
            ctypes.CDLL(None).malloc_trim(0)
        Path("/proc/self/clear_refs").write_text("5")
        before = _status("VmRSS")
        told = job()
        os.write(theirs, struct.pack("<qq", _status("VmHWM") - before, told))
        os._exit(0)
    os.close(theirs)
    _, status = os.waitpid(child, 0)
    data = os.read(ours, 16)
    os.close(ours)
    assert status == 0
    peak, told = struct.unpack("<qq", data)
    return peak, told


def _status(name: str) -> int:
    lines = Path("/proc/self/status").read_text().splitlines()
    return int(next(line for line in lines if line.startswith(name)).split()[1]) * 1024


@pytest.mark.long
@pytest.mark.parametrize(
    ("name", "make"),
    [
        ("a.jpg", encoded("JPEG", progressive=True)), ("a.png", encoded("PNG", compress_level=1)),
        ("grey.png", lambda: png(4000, 3000, 16, 0)), ("a.gif", encoded("GIF")), ("a.webp", encoded("WEBP", method=0)),
        ("a.tif", encoded("TIFF", compression="tiff_lzw")),
        ("a.heic", encoded("HEIF", enc_params={"preset": "ultrafast"})),
        ("a.avif", encoded("AVIF", speed=10)),
    ],
)  # fmt: skip
def test_decoding_takes_no_more_than_was_told(
    name: str, make: Callable[[], bytes], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is told of a picture's need is its need, and not many times as much."""
    path = put(tmp_path / name, make())
    view, needs = shown(str(path), read(str(path))), []
    real = pixels.of_still
    monkeypatch.setattr(pixels, "of_still", lambda *words: needs.append(real(*words)) or needs[-1])

    def job() -> int:
        return needs[0] if small_picture(view, (84, 56)) is not None else 0

    peak, told = peak_of(job)
    assert peak <= told + SLACK
    peak, told = peak_of(job, anew=True)
    assert told <= peak * 2.5 + SLACK


@pytest.mark.parametrize(
    ("name", "data"),
    [("bomb.png", png(12_000, 12_000, rows=1)), ("slow.jpg", None)],
)
def test_what_is_too_large_is_not_decoded(name: str, data: bytes | None, tmp_path: Path) -> None:
    """It says so where it is looked at, and is no thumbnail."""
    if data is None:
        # As large as a JPEG can say it is: an eighth of it would fit, after a minute.
        data = encoded("JPEG")().replace(struct.pack(">HH", 3000, 4000), b"\xff\xfe\xff\xfe", 1)
    view = shown(str(put(tmp_path / name, data)), read(str(tmp_path / name)))
    assert small_picture(view, (84, 56)) is None
    for make in (large_picture, whole_picture):
        with pytest.raises(TooLargeToShow, match="too large to be shown"):
            make(view, (300, 200))


def test_a_clip_that_is_too_large_is_not_decoded(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Neither its first frame nor any other; one of a usual size is, and made small at once."""
    path = str(tmp_path / "a.mp4")
    with av.open(path, "w") as container:
        stream = container.add_stream("mpeg4", 25, options={"qscale": "2", "sc_threshold": "1000000000"})
        stream.width, stream.height, stream.pix_fmt = 1920, 1080, "yuv420p"
        for shade in (20, 90, 160, 230):
            frame = av.VideoFrame.from_ndarray(np.full((1620, 1920), shade, np.uint8), "yuv420p")
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    view = shown(path, read(path))
    small = small_picture(view, (84, 56))
    assert small is not None
    assert (small.width, small.height) == (84, 56)
    need = 1920 * 1080 * 12 // 8 * 4
    monkeypatch.setattr(pixels, "room", Room(need - 1))
    assert small_picture(view, (84, 56)) is None
    with contextlib.closing(ClipFrames(path, (300, 200))) as frames, pytest.raises(TooLargeToShow):
        frames.at(0.9, lambda: False)
    seen = []
    for size in (need, need * 4):
        # With little room the nearest frame that stands for itself is shown: here the first.
        monkeypatch.setattr(pixels, "room", Room(size))
        with contextlib.closing(ClipFrames(path, (300, 200))) as frames:
            seen.append((frames.at(0.0, lambda: False), frames.at(0.9, lambda: False)))
    assert isinstance(seen[0][0], Picture)
    assert seen[0][0] == seen[0][1] == seen[1][0] != seen[1][1]


def test_who_decodes_waits_until_there_is_room(monkeypatch: pytest.MonkeyPatch) -> None:
    """All of it may be had, by one at a time; what hangs on its medium is nobody's turn."""
    room, order = Room(100), []

    def other() -> None:
        with room.taken(41):
            order.append("other")

    with room.taken(60):
        thread = threading.Thread(target=other)
        thread.start()
        with room.taken(40):
            time.sleep(0.1)
        order.append("first")
    thread.join()
    assert order == ["first", "other"]
    with pytest.raises(TooLargeToShow), room.taken(101):
        pass
    monkeypatch.setattr(pixels, "_HANGS", 0.2)
    over, works = threading.Event(), threading.Event()

    def at_work() -> None:
        with room.taken(100):
            works.set()
            until = time.monotonic() + 1.0
            while time.monotonic() < until:
                zlib.crc32(bytes(1000))
            works.clear()
            over.wait(20)

    thread = threading.Thread(target=at_work)
    thread.start()
    assert works.wait(20)
    with room.taken(100):
        assert not works.is_set(), "it worked for longer than anything hangs"
    over.set()
    thread.join()
