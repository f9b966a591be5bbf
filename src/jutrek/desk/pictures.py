"""Small pictures of captures: embedded previews first, decoders else, a waveform for sound. No Qt.

Sources are opened read-only here too, and decoding happens in whatever thread calls.
"""

from __future__ import annotations

import io
import os
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.errors import FileTrouble
from jutrek.formats import Kind, Stretch, open_read_only

if TYPE_CHECKING:
    from PIL import Image

MAX_PREVIEW = 32 * 1024 * 1024
_MAX_SOUND_FRAMES = 4000


@dataclass(frozen=True, slots=True)
class Picture:
    """Pixels: width, height, and rows of RGB bytes without padding."""

    width: int
    height: int
    rgb: bytes


def small_picture(path: str, kind: Kind, preview: Stretch | None, size: tuple[int, int]) -> Picture | None:
    """A picture of a capture's primary file, at least as large as `size` where the content is, cropped to its shape.

    Returns:
        The picture, or None where the content gives none: damage is no trouble here, the file is brought home anyway.
    """
    try:
        fd = open_read_only(path)
    except FileTrouble:
        return None
    with open(fd, "rb") as file:
        try:
            if kind is Kind.STILL:
                return _fitted(_still(file, preview, size), size)
            if kind is Kind.CLIP:
                return _fitted(_frame(file), size)
            if kind is Kind.SOUND:
                return _waveform(file, size)
        # Decoders raise whatever they like on damaged content, and all of it means the same: no picture.
        except Exception:  # noqa: BLE001
            return None
    return None


def _still(file: io.BufferedReader, preview: Stretch | None, size: tuple[int, int]) -> Image.Image:
    from PIL import Image, ImageOps

    source: io.BufferedReader | io.BytesIO = file
    if preview is not None and preview.size <= MAX_PREVIEW:
        source = io.BytesIO(os.pread(file.fileno(), preview.size, preview.offset))
    picture = Image.open(source)
    picture.draft("RGB", (size[0] * 2, size[1] * 2))
    return ImageOps.exif_transpose(picture).convert("RGB")


def _frame(file: io.BufferedReader) -> Image.Image:
    import av
    from PIL import Image

    with av.open(file, "r", metadata_errors="ignore") as container:
        stream = container.streams.video[0]
        stream.codec_context.skip_frame = "NONKEY"
        return Image.fromarray(next(container.decode(stream)).to_ndarray(format="rgb24"))


def _waveform(file: io.BufferedReader, size: tuple[int, int]) -> Picture:
    """The loudest sample of every column, drawn from the middle."""
    import av
    import numpy as np
    from PIL import Image, ImageDraw

    peaks: list[float] = []
    with av.open(file, "r", metadata_errors="ignore") as container:
        for number, frame in enumerate(container.decode(container.streams.audio[0])):
            samples = frame.to_ndarray().astype(np.float32)
            peaks.append(float(np.abs(samples).max()))
            if number > _MAX_SOUND_FRAMES:
                break
    loud = np.array(peaks) / max(max(peaks, default=1.0), 1e-9)
    columns = np.interp(np.linspace(0, len(loud) - 1, size[0] // 3), np.arange(len(loud)), loud)
    picture = Image.new("RGB", size, (232, 235, 232))
    pen = ImageDraw.Draw(picture)
    for column, peak in enumerate(columns):
        half = max(1.0, float(peak) * size[1] * 0.42)
        x = column * 3
        pen.rectangle((x, size[1] / 2 - half, x + 1, size[1] / 2 + half), fill=(120, 134, 138))
    return Picture(picture.width, picture.height, picture.tobytes())


def _fitted(picture: Image.Image, size: tuple[int, int]) -> Picture:
    from PIL import Image, ImageOps

    fitted = ImageOps.fit(picture, size, Image.Resampling.BILINEAR)
    return Picture(fitted.width, fitted.height, fitted.tobytes())
