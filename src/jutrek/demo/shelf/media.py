"""Clips and sounds of containers that encoders write: a second of moving colour, a second of a hum."""

from __future__ import annotations

import io
from fractions import Fraction

import av
import numpy as np
from av.audio.stream import AudioStream
from av.video.stream import VideoStream

_RATE = 25
_FRAMES = 12


def moving(container: str, codec: str, metadata: dict[str, str], size: tuple[int, int] = (160, 96)) -> bytes:
    """A clip of half a second by its encoder, with the container's own metadata."""
    out = io.BytesIO()
    with av.open(out, "w", format=container, options={"fflags": "+bitexact"}) as file:
        file.metadata.update(metadata)
        stream = file.add_stream(codec, rate=_RATE, options={"threads": "1"})
        assert isinstance(stream, VideoStream)
        stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
        across = np.linspace(0, 255, size[0], dtype=np.float32)
        for number in range(_FRAMES):
            shade = np.roll(across, number * 9)[None, :, None] * np.ones((size[1], 1, 3), np.float32)
            frame = av.VideoFrame.from_ndarray(shade.astype(np.uint8), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, _RATE)
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    return out.getvalue()


def humming(container: str, codec: str, metadata: dict[str, str], *, rate: int = 48_000, form: str = "s16") -> bytes:
    """A sound of half a second by its encoder, with the container's own metadata."""
    out = io.BytesIO()
    with av.open(out, "w", format=container, options={"fflags": "+bitexact"}) as file:
        file.metadata.update(metadata)
        stream = file.add_stream(codec, rate=rate, options={"threads": "1", "strict": "experimental"})
        assert isinstance(stream, AudioStream)
        stream.layout = "stereo" if codec == "vorbis" else "mono"
        time = np.arange(rate // 2) / rate
        wave = (8000 * np.sin(2 * np.pi * 220 * time)).astype(np.int16)
        frame = av.AudioFrame.from_ndarray(wave[None, :], format="s16", layout="mono")
        frame.sample_rate, frame.pts, frame.time_base = rate, 0, Fraction(1, rate)
        resampler = av.AudioResampler(format=form, layout=stream.layout.name, rate=rate, frame_size=_frame(codec))
        for part in [*resampler.resample(frame), *resampler.resample(None)]:
            file.mux(stream.encode(part))
        file.mux(stream.encode(None))
    return out.getvalue()


def _frame(codec: str) -> int | None:
    return {"libmp3lame": 1152, "libopus": 960, "aac": 1024, "vorbis": 64}.get(codec)
