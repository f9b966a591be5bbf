"""`./run fuzz [SECONDS]`: changes the shelf's files at random and reads them, as long as is asked for.

A reader may not stumble and may not take longer than a tenth of a second of computing. What breaks one is kept in the
folder `fuzz-found`, with the seed that made it; a fixed one belongs into `tests/formats/test_found.py`.
"""

from __future__ import annotations

import logging
import os
import random
import sys
import tempfile
import time
from collections.abc import Iterator

from jutrek.demo.shelf import specimens
from jutrek.formats import STUMBLED, Reading, read

LIMIT = 0.1
"""Seconds of computing that reading one file may take."""
_FOUND = "fuzz-found"
_NUMBERS = (0, 1, 0x7F, 0x80, 0xFF, 0x7FFF, 0xFFFF, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF, 2**63 - 1, 2**64 - 1)
_SPOTS = 4000
"""Changes are made within the first bytes, where metadata stand, and within the last."""


def mutated(data: bytes, others: list[bytes], dice: random.Random) -> bytes:
    """A file with one to eight changes: bytes, numbers, pieces of others, pieces doubled or cut out, an early end."""
    out = bytearray(data)
    for _ in range(dice.randint(1, 8)):
        at = dice.randrange(min(len(out), _SPOTS)) if dice.random() < 0.8 else dice.randrange(len(out))
        match dice.randrange(6):
            case 0:
                out[at] = dice.randrange(256)
            case 1:
                width = dice.choice((1, 2, 4, 8))
                number = dice.choice(_NUMBERS) & (1 << 8 * width) - 1
                out[at : at + width] = number.to_bytes(width, dice.choice(("little", "big")))
            case 2:
                other = dice.choice(others)
                start = dice.randrange(len(other))
                out[at:at] = other[start : start + dice.randint(1, 200)]
            case 3:
                out[at:at] = out[at : at + dice.randint(1, 400)]
            case 4:
                del out[at : at + dice.randint(1, 60)]
            case _:
                if dice.random() < 0.2:
                    del out[at + 1 :]
        if not out:
            return data
    return bytes(out)


def broken(seeds: Iterator[int], folder: str) -> Iterator[tuple[int, str, str, bytes]]:
    """Files that break a reader: the seed, the specimen's name, what went wrong, and the bytes."""
    shelf = specimens()
    names, others = sorted(shelf), [shelf[name] for name in sorted(shelf)]
    for seed in seeds:
        dice = random.Random(seed)
        name = names[seed % len(names)]
        data = mutated(shelf[name], others, dice)
        path = os.path.join(folder, "fuzz.bin")
        with open(path, "wb") as file:
            file.write(data)
        reading, took = timed(path)
        if took > LIMIT:
            # A machine may be slow for a moment; a reader that is slow is so every time.
            took = min(timed(path)[1] for _ in range(3))
        if STUMBLED in reading.notes:
            yield seed, name, "stumbled", data
        elif took > LIMIT:
            yield seed, name, f"took {took:.2f} s", data


def timed(path: str) -> tuple[Reading, float]:
    """A file's reading, and the seconds of computing that it took."""
    began = time.process_time()
    reading = read(path)
    return reading, time.process_time() - began


def main() -> None:
    """Run for the seconds given, a minute without."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0
    start = random.randrange(10**9)
    ends = time.monotonic() + seconds
    count = found = 0

    def seeds() -> Iterator[int]:
        nonlocal count
        while time.monotonic() < ends:
            yield start + count
            count += 1

    logging.basicConfig(level=logging.ERROR)
    with tempfile.TemporaryDirectory() as folder:
        for seed, name, what, data in broken(seeds(), folder):
            found += 1
            os.makedirs(_FOUND, exist_ok=True)
            with open(os.path.join(_FOUND, f"{seed}-{name}"), "wb") as file:
                file.write(data)
            sys.stdout.write(f"{seed} {name}: {what}\n")
    sys.stdout.write(f"{count} files from seed {start}, {found} of them broke a reader.\n")
    sys.exit(1 if found else 0)


if __name__ == "__main__":
    main()
