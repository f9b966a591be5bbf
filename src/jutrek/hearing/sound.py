"""From a recording to curves: how loud it is in six bands of pitch, twenty-five times a second.

What is kept is how each band rises and falls against its own last second, in units of its own spread. Gains, limiters,
rooms and steady noise change that little; speech, blows and whistles shape it.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise
from typing import TYPE_CHECKING, BinaryIO, NamedTuple

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float32]

RATE = 8000
"""Samples a second at which recordings are looked at."""
_HOP, _WINDOW = 320, 512
A_SECOND = RATE / _HOP
"""Steps of a curve a second."""
_EDGES = (150, 350, 600, 1000, 1600, 2500, 3700)
"""Bounds of the bands, in Hz."""
BANDS = len(_EDGES) - 1
LONGEST = 6 * 3600
"""Seconds of a recording that are listened to."""
_LATEST = 60.0
"""Seconds by which the first sound may come after, or before, the beginning of its file."""
_AT_ONCE = 4096
_FLOOR_OVER, _FLOOR_AT = 20.0, 30
"""The floor of a band: this percentile of its energy, over so many seconds."""
_MOST = 4.0


class Curves(NamedTuple):
    """What is kept of a recording.

    Attributes:
        shape: bands by steps, each value within four spreads of nothing.
        loud: how loud it is as a whole, a value a step: decibels below full scale.
    """

    shape: Floats
    loud: Floats


class Ear:
    """Takes a recording piece by piece, and keeps the energy of its bands."""

    def __init__(self) -> None:
        import numpy as np
        from scipy import fft

        self._left = np.zeros(0, np.float32)
        self._energy: list[Floats] = []
        pitch = fft.rfftfreq(_WINDOW, 1 / RATE)
        bounds = pairwise(_EDGES)
        self._bank = np.array([(pitch >= low) & (pitch < high) for low, high in bounds], np.float32).T
        self._taper = (0.5 - 0.5 * np.cos(2 * np.pi * np.arange(_WINDOW) / _WINDOW)).astype(np.float32)

    def take(self, samples: Floats) -> None:
        """Take the next samples."""
        import numpy as np
        from scipy import fft

        self._left = np.concatenate([self._left, samples])
        count = (len(self._left) - _WINDOW) // _HOP + 1
        if count > 0:
            view = np.lib.stride_tricks.sliding_window_view(self._left, _WINDOW)[::_HOP][:count]
            for begin in range(0, count, _AT_ONCE):
                spectrum = np.abs(fft.rfft(view[begin : begin + _AT_ONCE] * self._taper)) ** 2
                self._energy.append((spectrum @ self._bank).astype(np.float32))
            self._left = self._left[count * _HOP :].copy()

    def curves(self) -> Curves | None:
        """What was heard; None of less than a second."""
        import numpy as np

        if sum(map(len, self._energy)) < A_SECOND:
            return None
        energy = np.concatenate(self._energy).T
        loud = 10 * np.log10(energy.sum(axis=0) / (_WINDOW * _WINDOW / 16) + 1e-9)
        return Curves(_shape(energy), loud.astype(np.float32))


def _shape(energy: Floats) -> Floats:
    import numpy as np
    from scipy.ndimage import uniform_filter1d

    count = energy.shape[1]
    step = int(_FLOOR_OVER * A_SECOND)
    marks = range(0, count, step)
    floors = np.array([np.percentile(energy[:, at : at + step], _FLOOR_AT, axis=1) for at in marks]).T
    middles = np.array([min(at + step / 2, count - 1) for at in marks])
    floor = np.array([np.interp(np.arange(count), middles, row) for row in floors])
    level = np.log(energy + 2 * floor + 1e-7)
    shape = level - uniform_filter1d(level, int(A_SECOND), axis=1, mode="nearest")
    shape /= 1.4826 * np.median(np.abs(shape), axis=1, keepdims=True) + 0.02
    clipped: Floats = np.clip(shape, -_MOST, _MOST).astype(np.float32)
    return clipped


def pieces(file: BinaryIO) -> Iterator[Floats]:
    """The sound of a file, mono, from where its container begins: pieces of `RATE` samples a second.

    The frames' own times are honoured: sound that begins later than its picture comes after silence.

    Raises:
        Exception: whatever the decoder raises on damaged content.
    """
    import av
    import numpy as np

    # A second at a time: whatever is done per frame costs more than what is done to its samples.
    resampler = av.AudioResampler("flt", "mono", RATE, RATE)
    with av.open(file, "r", metadata_errors="ignore") as container:
        stream = container.streams.audio[0]
        stream.codec_context.thread_type = "NONE"
        base = (container.start_time or 0) / 1_000_000
        skip, count, began = 0, 0, False
        for frame in container.decode(stream):
            if not began:
                began = True
                late = (frame.time or 0.0) - base
                shift = round(late * RATE) if math.isfinite(late) and abs(late) <= _LATEST else 0
                skip = max(0, -shift)
                if shift > 0:
                    yield np.zeros(shift, np.float32)
            for made in resampler.resample(frame):
                samples = np.nan_to_num(made.to_ndarray()[0])
                skip, samples = max(0, skip - len(samples)), samples[skip:]
                count += len(samples)
                yield samples
            if count > LONGEST * RATE:
                return
        for made in resampler.resample(None):
            yield np.nan_to_num(made.to_ndarray()[0])
