"""Broadcast Wave takes as field recorders write them: `bext`, `iXML`, and what was to be heard.

Follows EBU Tech 3285 (`bext`, version 1) and the iXML specification.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

RATE = 48_000
AIR = 16_000
"""Samples a second of what is to be heard, before a recorder hears it."""


@dataclass(frozen=True, slots=True)
class Recorder:
    """A recorder of the make Lyd: its model, serial, and samples a second."""

    model: str = "R6"
    serial: str = "R6-0417"
    rate: int = RATE


_R6 = Recorder()


def take(
    local: datetime,
    seconds: float,
    seed: int,
    *,
    scene: str,
    number: int,
    air: NDArray[np.float64] | None = None,
    recorder: Recorder = _R6,
) -> bytes:
    """One take: mono, 16 bit.

    Args:
        air: what was to be heard meanwhile, `AIR` samples a second; by itself a recorder hears what rises and falls.
    """
    dice = np.random.default_rng(seed)
    rate, count = recorder.rate, int(seconds * recorder.rate)
    hiss = dice.normal(0, 1, count)
    if air is None:
        swell = np.interp(np.arange(count), np.linspace(0, count, 24), dice.uniform(0.05, 1.0, 24))
        beat = 0.5 + 0.5 * np.sin(2 * np.pi * np.arange(count) / rate * dice.uniform(1.5, 4.0))
        wave = swell * beat * hiss * 5000
    else:
        wave = np.interp(np.arange(count) * (AIR / rate), np.arange(len(air)), air) * 9000 + hiss * 60
    samples = wave.clip(-32767, 32767).astype("<i2").tobytes()
    since_midnight = ((local.hour * 60 + local.minute) * 60 + local.second) * rate
    bext = struct.pack(
        "<256s32s32s10s8sQH64s190s", f"{scene}, take {number}".encode(), b"Lyd",
        f"LYD{recorder.model}{number:04}".encode(), local.strftime("%Y-%m-%d").encode(),
        local.strftime("%H:%M:%S").encode(), since_midnight, 1, b"", b"",
    )  # fmt: skip
    ixml = (
        f"<BWFXML><PROJECT>Velmora line</PROJECT><SCENE>{scene}</SCENE><TAKE>{number}</TAKE><SYNC_POINT_LIST/>"
        f"<DEVICE_MODEL>{recorder.model}</DEVICE_MODEL><DEVICE_SERIAL>{recorder.serial}</DEVICE_SERIAL></BWFXML>"
    ).encode()
    form = struct.pack("<HHIIHH", 1, 1, rate, rate * 2, 2, 16)
    chunks = b"".join(
        name + struct.pack("<I", len(data)) + data + b"\0" * (len(data) % 2)
        for name, data in ((b"bext", bext), (b"iXML", ixml), (b"fmt ", form), (b"data", samples))
    )
    return b"RIFF" + struct.pack("<I", 4 + len(chunks)) + b"WAVE" + chunks


def voices(seed: int, seconds: float) -> NDArray[np.float64]:
    """People who call to one another over their work: syllables in phrases, a blow now and then; at `AIR`."""
    dice = np.random.default_rng(seed)
    air, at = np.zeros(int(seconds * AIR)), 0
    while at < len(air):
        count = int(dice.uniform(0.08, 0.3) * AIR)
        when = np.arange(count) / AIR
        if dice.random() < 0.12:
            sound = dice.normal(0, 0.5, count) * np.exp(-when * dice.uniform(15, 40))
        else:
            tone = dice.uniform(110, 260) * (1 + dice.uniform(-0.5, 0.5) * when)
            first, second = dice.uniform(300, 850), dice.uniform(900, 2600)
            phase = 2 * np.pi * np.cumsum(tone) / AIR
            parts = np.arange(1, 14)[:, None]
            level = np.exp(-(((parts * tone - first) / 160) ** 2)) + 0.6 * np.exp(
                -(((parts * tone - second) / 300) ** 2)
            )
            sound = (level * np.sin(parts * phase)).sum(axis=0) * np.sin(np.pi * np.arange(count) / count)
        sound = sound[: len(air) - at] * dice.uniform(0.3, 1.0)
        air[at : at + len(sound)] += sound
        at += count + int(AIR * (dice.exponential(0.9) if dice.random() < 0.2 else dice.uniform(0.0, 0.06)))
    return air
