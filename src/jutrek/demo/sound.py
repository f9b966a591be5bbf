"""Broadcast Wave takes as a field recorder writes them: `bext`, `iXML`, and a sound that rises and falls.

Follows EBU Tech 3285 (`bext`, version 1) and the iXML specification.
"""

from __future__ import annotations

import struct
from datetime import datetime

import numpy as np

RATE = 48_000


def take(local: datetime, seconds: float, seed: int, *, scene: str, number: int) -> bytes:
    """One take: mono, 16 bit, 48 kHz."""
    dice = np.random.default_rng(seed)
    count = int(seconds * RATE)
    swell = np.interp(np.arange(count), np.linspace(0, count, 24), dice.uniform(0.05, 1.0, 24))
    hiss = dice.normal(0, 1, count)
    beat = 0.5 + 0.5 * np.sin(2 * np.pi * np.arange(count) / RATE * dice.uniform(1.5, 4.0))
    samples = (swell * beat * hiss * 5000).clip(-32767, 32767).astype("<i2").tobytes()
    since_midnight = ((local.hour * 60 + local.minute) * 60 + local.second) * RATE
    bext = struct.pack(
        "<256s32s32s10s8sQH190s", f"{scene}, take {number}".encode(), b"Lyd", f"LYDR6{number:04}".encode(),
        local.strftime("%Y-%m-%d").encode(), local.strftime("%H:%M:%S").encode(), since_midnight, 1, b"",
    )  # fmt: skip
    ixml = (
        f"<BWFXML><PROJECT>Velmora line</PROJECT><SCENE>{scene}</SCENE><TAKE>{number}</TAKE>"
        "<SYNC_POINT_LIST/><DEVICE_MODEL>R6</DEVICE_MODEL><DEVICE_SERIAL>R6-0417</DEVICE_SERIAL></BWFXML>"
    ).encode()
    form = struct.pack("<HHIIHH", 1, 1, RATE, RATE * 2, 2, 16)
    chunks = b"".join(
        name + struct.pack("<I", len(data)) + data + b"\0" * (len(data) % 2)
        for name, data in ((b"bext", bext), (b"iXML", ixml), (b"fmt ", form), (b"data", samples))
    )
    return b"RIFF" + struct.pack("<I", 4 + len(chunks)) + b"WAVE" + chunks
