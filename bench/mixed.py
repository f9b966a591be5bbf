"""Clips against a library that opens them, and a card of 30,000 files of all formats in one run.

The clips have their movie header at the end, behind 2 MB of media. The card's files are links to the specimens of the
shelf; reading, dating and grouping them runs in a process of its own, whose memory is measured.
"""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
import time
from datetime import datetime

import av

from jutrek.demo import clips
from jutrek.demo.shelf import specimens
from jutrek.demo.shelf.boxes import box
from jutrek.formats import read

_CLIPS = 1000
_CARD = 30_000
_ROUNDS = 3


def _many_clips(folder: str) -> list[str]:
    """Clips of four seconds, H.264 and AAC, whose `moov` stands at the end behind 2 MB more."""
    data = clips.clip(clips.Take("bridge", datetime(2026, 5, 14, 10, 26), 4, "Hovar", "4K"), 1)
    at = data.index(b"moov") - 4
    whole = data[:at] + box(b"free", bytes(2_000_000)) + data[at:]
    paths = [os.path.join(folder, f"{number:04}.mp4") for number in range(_CLIPS)]
    with open(paths[0], "wb") as file:
        file.write(whole)
    for path in paths[1:]:
        os.link(paths[0], path)
    return paths


def _timed(call: object, paths: list[str]) -> float:
    began = time.perf_counter()
    for path in paths:
        call(path)  # type: ignore[operator]
    return (time.perf_counter() - began) / len(paths) * 1e6


def _opened(path: str) -> None:
    with av.open(path) as container:
        container.metadata.get("creation_time")


def _card(folder: str) -> None:
    """Read, date and group a card, and print how long it took and how much memory the process had at most."""
    import threading

    from jutrek.desk.intake import make_captures, read_source
    from jutrek.sources import known_source

    began = time.perf_counter()
    found = read_source(known_source(folder), None, stop=threading.Event(), report=lambda *_: None)
    read_in = time.perf_counter() - began
    captures = make_captures([found])
    whole = time.perf_counter() - began
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    print(
        f"a card of {len(found.files):,} files of all formats    {read_in:5.1f} s to read, {whole:5.1f} s to captures"
    )
    print(f"  {len(captures):,} captures; memory at most {peak:.0f} MB")


def run() -> None:
    """Print microseconds a clip and the ratio, and the card's time and memory."""
    with tempfile.TemporaryDirectory() as folder:
        paths = _many_clips(folder)
        rounds = [(_timed(read, paths), _timed(_opened, paths)) for _ in range(_ROUNDS)]
        ours, theirs = (min(times) for times in zip(*rounds, strict=True))
        print(f"MOV, moov at the end: jutrek.formats.read {ours:7.1f} µs a file")
        print(f"PyAV open                                 {theirs:7.1f} µs: jutrek is {theirs / ours:.1f} × as fast")
    with tempfile.TemporaryDirectory() as folder:
        shelf = sorted(specimens().items())
        for number in range(_CARD):
            name, data = shelf[number % len(shelf)]
            batch = os.path.join(folder, f"{number // (len(shelf) * 10):03}")
            first = os.path.join(folder, "000", f"0 {name}")
            os.makedirs(batch, exist_ok=True)
            if number < len(shelf):
                with open(first, "wb") as file:
                    file.write(data)
            else:
                os.link(first, os.path.join(batch, f"{number // len(shelf)} {name}"))
        subprocess.run([sys.executable, "-m", "bench.mixed", folder], check=True)


if __name__ == "__main__":
    _card(sys.argv[1])
