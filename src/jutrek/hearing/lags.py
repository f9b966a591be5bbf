"""Where a clip may lie in a take: their curves are correlated at every lag at once.

At each lag the sum of the products of both is told in standard deviations: over the root of the sum of their squares,
and over what is usual along this very take. Partial overlaps need no special case. Overlap-save by FFT.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from jutrek.hearing.sound import A_SECOND, BANDS

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float32]

LONGEST = int(120 * A_SECOND)
"""Steps of the longest piece of a clip that is looked for at once."""
_BLOCK = 16_384
_LEAST_SHARED = int(4 * A_SECOND)
_LEAST = 3.0
"""Standard deviations below which a lag is nothing."""
_PEAK = 15
"""Steps around a peak that belong to it."""
_PEAKS = 3


class Reel:
    """A take, its blocks transformed once for all clips."""

    def __init__(self, shape: Floats) -> None:
        """
        Args:
            shape: bands by steps.
        """
        import numpy as np
        from scipy import fft

        self.steps = shape.shape[1]
        room = self.steps + 2 * LONGEST
        self._size = _BLOCK if room > _BLOCK else int(fft.next_fast_len(room, real=True))
        self._hop = self._size - LONGEST
        rows = np.vstack([shape, (shape * shape).mean(axis=0, keepdims=True)])
        blocks = -(-(self.steps + LONGEST) // self._hop)
        rows = np.pad(rows, ((0, 0), (LONGEST, blocks * self._hop + self._size - self.steps)))
        cut = [rows[:, number * self._hop : number * self._hop + self._size] for number in range(blocks)]
        self._blocks = fft.rfft(np.stack(cut, axis=1))

    def scores(self, shape: Floats) -> Floats:
        """How much a clip of at most `LONGEST` steps stands out at each lag from `-LONGEST` to the take's end."""
        import numpy as np
        from scipy import fft

        ours = np.conj(fft.rfft(np.vstack([shape, (shape * shape).sum(axis=0, keepdims=True)]), self._size))
        products = np.einsum("bkf,bf->kf", self._blocks[:BANDS], ours[:BANDS])
        sums = fft.irfft(products, self._size)[:, : self._hop].ravel()
        spread = fft.irfft(self._blocks[BANDS] * ours[BANDS], self._size)[:, : self._hop].ravel()
        scores = sums / np.sqrt(np.maximum(spread, 0) + 0.05 * (shape * shape).sum() + 1)
        scores = scores[: self.steps + LONGEST]
        shared = scores[max(0, LONGEST - shape.shape[1] + _LEAST_SHARED) :: 3]
        usual = 1.4826 * float(np.median(np.abs(shared))) if shared.size else 1.0
        told: Floats = scores / max(1.0, usual)
        return told


def peaks(scores: Floats, span: tuple[float, float], clip: int) -> list[tuple[float, float]]:
    """The best lags, best first: standard deviations, and seconds.

    Args:
        scores: as `Reel.scores` tells them.
        span: from which to which lag it is looked for, in seconds.
        clip: steps of the clip.
    """
    begin = max(LONGEST - clip + 1, int(span[0] * A_SECOND) + LONGEST)
    end = min(scores.size, int(span[1] * A_SECOND) + LONGEST + 1)
    if begin >= end:
        return []
    window, found = scores[begin:end].copy(), []
    for _ in range(_PEAKS):
        at = int(window.argmax())
        if window[at] <= _LEAST:
            break
        found.append((float(window[at]), (at + _between(window, at) + begin - LONGEST) / A_SECOND))
        window[max(0, at - _PEAK) : at + _PEAK + 1] = 0
    return found


def _between(scores: Floats, at: int) -> float:
    """By how much of a step a peak lies beside its highest value: the vertex of the parabola through three of them."""
    if not 0 < at < len(scores) - 1:
        return 0.0
    before, top, behind = (float(scores[at + side]) for side in (-1, 0, 1))
    bend = before - 2 * top + behind
    return max(-0.5, min(0.5, 0.5 * (before - behind) / bend)) if bend < 0 else 0.0
