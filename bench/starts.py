"""How long commands take to begin: what a person waits for who calls one, and a program that calls many."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

from PIL import Image

ROUNDS = 7


def run() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        picture = Path(folder, "card", "a.jpg")
        picture.parent.mkdir()
        Image.new("RGB", (64, 64)).save(picture)
        bare = _seconds("-c", "pass")
        print(f"  Python that does nothing: {bare:.2f} s")
        for words in (("--version",), ("read", str(picture)), ("plan", str(picture.parent), "-l", folder)):
            took = _seconds("-m", "jutrek", *words)
            print(f"  jutrek {words[0]}: {took:.2f} s, {took / bare:.0f} × as long")


def _seconds(*words: str) -> float:
    took = []
    for _ in range(ROUNDS):
        start = time.perf_counter()
        subprocess.run([sys.executable, *words], capture_output=True, check=False)
        took.append(time.perf_counter() - start)
    return min(took)
