"""Clips as camcorders and phones write them: H.264 with AAC sound in MOV, dated in the movie header and user data."""

from __future__ import annotations

import io
from dataclasses import dataclass
from datetime import datetime, timedelta
from fractions import Fraction

import av
import numpy as np
from PIL import Image

from jutrek.demo.scenes import draw

_RATE = 25
_SOUND = 24_000


@dataclass(frozen=True, slots=True)
class Take:
    """What is filmed: motif, local time, length in seconds, and who films it; whether it states its offset from UTC."""

    motif: str
    local: datetime
    seconds: float
    make: str
    model: str
    offset: timedelta = timedelta(hours=2)
    states_offset: bool = True


def clip(take: Take, seed: int, size: tuple[int, int] = (480, 270)) -> bytes:
    """Encode one clip: a slow pan over a scene, with a hum. The same bytes every time."""
    width, height = size
    scene = draw(take.motif, take.local.hour, seed, (width * 5 // 4, height))
    utc = take.local - take.offset
    hours, minutes = divmod(int(take.offset.total_seconds()) // 60, 60)
    out = io.BytesIO()
    with av.open(out, "w", format="mov") as container:
        stated = {"date": f"{take.local:%Y-%m-%dT%H:%M:%S}+{hours:02}{minutes:02}"} if take.states_offset else {}
        container.metadata.update({
            "creation_time": utc.strftime("%Y-%m-%dT%H:%M:%S.000000Z"),
            "make": take.make,
            "model": take.model,
            **stated,
        })  # fmt: skip
        picture = container.add_stream(
            "libx264", rate=_RATE, options={"crf": "25", "preset": "ultrafast", "threads": "1"}
        )
        picture.width, picture.height, picture.pix_fmt = width, height, "yuv420p"
        sound = container.add_stream("aac", rate=_SOUND, options={"threads": "1", "aac_coder": "fast"})
        frames = int(take.seconds * _RATE)
        for number in range(frames):
            left = int((scene.width - width) * number / frames)
            shot = scene.crop((left, 0, left + width, height))
            container.mux(picture.encode(_frame(shot, number)))
        container.mux(picture.encode(None))
        container.mux(sound.encode(_hum(take.seconds, seed)))
        container.mux(sound.encode(None))
    return out.getvalue()


def _frame(picture: Image.Image, number: int) -> av.VideoFrame:
    frame = av.VideoFrame.from_ndarray(np.asarray(picture), format="rgb24")
    frame.pts, frame.time_base = number, Fraction(1, _RATE)
    return frame


def _hum(seconds: float, seed: int) -> av.AudioFrame:
    dice = np.random.default_rng(seed)
    time = np.arange(int(seconds * _SOUND)) / _SOUND
    wave = 0.2 * np.sin(2 * np.pi * (90 + seed % 60) * time) + 0.03 * dice.normal(0, 1, time.size)
    frame = av.AudioFrame.from_ndarray(wave.astype(np.float32)[None, :], format="fltp", layout="mono")
    frame.sample_rate, frame.pts, frame.time_base = _SOUND, 0, Fraction(1, _SOUND)
    return frame
