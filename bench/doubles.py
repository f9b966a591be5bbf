"""Doubles: how many are found and how many are wrong, and how long search, looks and standings take.

The quality is measured on `bench.likeness`, through the whole way that a library goes: learning, searching, comparing.
No picture has a date or a device in it, so that only what is seen decides.
"""

from __future__ import annotations

import os
import random
import re
import resource
import subprocess
import sys
import tempfile
import threading
import time
from collections import defaultdict
from collections.abc import Sequence

from bench import likeness

ORIGINALS, DISTINCT = 2000, 8000
_MANY = 100_000
_CARD = 5000
_LEVELS = (0.70, 0.80, 0.85, 0.88, 0.90, 0.92, 0.95)


def run() -> None:
    """Print all figures."""
    _search()
    _looks()
    _standing()
    _quality()


def _search() -> None:
    """100,000 looks searched for all close pairs, in a process of its own, whose memory is measured."""
    subprocess.run([sys.executable, "-m", "bench.doubles", "search"], check=True)


def _searched() -> None:
    import numpy as np

    from jutrek.doubles.search import close_pairs

    dice = np.random.default_rng(1925)
    words = dice.integers(0, 2**64, _MANY, dtype=np.uint64)
    for number in range(2000):
        bits = dice.choice(64, int(dice.integers(0, 7)), replace=False).astype(np.uint64)
        words[50_000 + number] = words[number] ^ np.bitwise_or.reduce(np.uint64(1) << bits, initial=np.uint64(0))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    took = min(_timed(lambda: close_pairs(words)) for _ in range(3))
    more = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1000
    every = _timed(lambda: [np.bitwise_count(words ^ word) <= 6 for word in words[:1000]]) * _MANY / 1000
    print(f"{_MANY:,} looks, all pairs within 6 bits: {took:4.1f} s, {more:.0f} MB; {len(close_pairs(words)):,} pairs")
    print(f"  comparing all with all               {every:5.1f} s: bands are {every / took:.0f} × as fast")


def _timed(call: object) -> float:
    began = time.perf_counter()
    call()  # type: ignore[operator]
    return time.perf_counter() - began


def _looks() -> None:
    """Looks of stills of 24 megapixels against the reduced-size decode alone."""
    from PIL import Image

    from jutrek.demo import scenes
    from jutrek.doubles.grayscale import looks_at
    from jutrek.formats import read

    with tempfile.TemporaryDirectory() as folder:
        paths = [os.path.join(folder, f"{number}.jpg") for number in range(4)]
        for number, path in enumerate(paths):
            scenes.draw(scenes.MOTIFS[number], 10, number, (6000, 4000)).save(path, quality=90)

        def decode() -> None:
            for path in paths:
                picture = Image.open(path)
                picture.draft("L", (160, 160))
                picture.load()

        def look() -> None:
            for path in paths:
                looks_at(path, read(path))

        decoding, looking = (min(_timed(call) for _ in range(3)) / len(paths) * 1000 for call in (decode, look))
    print(f"looks of a still of 24 megapixels {looking:5.0f} ms; decoding it reduced alone {decoding:.0f} ms")
    print(f"  {looking / decoding:.2f} × the decoding")


def _standing() -> None:
    """A card of 5,000 files against a ledger of 100,000, by bytes and payloads."""
    from jutrek.captures import ReadFile
    from jutrek.demo import stills
    from jutrek.doubles import compare
    from jutrek.doubles.beyond_bytes import retagged
    from jutrek.formats import read
    from jutrek.library import HomeFile, new_library
    from jutrek.library.contents import Content
    from jutrek.library.ledger import Ledger
    from jutrek.sources import SourceFile

    dice = random.Random(1925)
    with tempfile.TemporaryDirectory() as folder:
        os.makedirs(home := os.path.join(folder, "home"))
        with Ledger(os.path.join(folder, "ledger.sqlite")) as ledger:
            sizes = [dice.randint(20_000, 90_000) for _ in range(_MANY)]
            names = [f"2020/{number % 12:02}/{number}.jpg" for number in range(_MANY)]
            rows = list(zip(names, sizes, strict=True))
            ledger.put([HomeFile(name, size, 1, dice.randbytes(16), None) for name, size in rows])
            ledger.contents.put(
                Content(name, size, 1, "still", "jpeg", 60, 40, 0.0, size - 900, dice.randbytes(16))
                for name, size in rows
            )
            card = []
            for number in range(_CARD):
                data = stills.jpeg(likeness.original(number % 40).resize((240, 160)), likeness._SHOT)
                path = os.path.join(folder, f"{number}.jpg")
                with open(path, "wb") as file:
                    file.write(data[:-2] + dice.randbytes(dice.randint(10, 60_000)) + data[-2:])
                card.append(path)
            began = time.perf_counter()
            reads = []
            for path in card:
                status = os.stat(path)
                file_ = SourceFile(path, folder, status.st_size, status.st_mtime_ns)
                reads.append(ReadFile(file_, read(path), None))
            reading = time.perf_counter() - began
            library = new_library(home)
            bytes_ = _timed(lambda: compare([one.file for one in reads], ledger, library.root))
            standings = compare([one.file for one in reads], ledger, library.root)
            payloads = _timed(lambda: retagged(reads, standings, ledger, library.root))
    print(f"{_CARD:,} files against a ledger of {_MANY:,}: {bytes_:.2f} s by bytes, {payloads:.2f} s by payloads")
    print(f"  beside {reading:.1f} s of reading them")


def _quality() -> None:
    """What is found, and what is wrong, of known doubles among hard ones."""
    from jutrek.doubles.degrees import Degree
    from jutrek.doubles.groups import find_groups
    from jutrek.doubles.learning import learn
    from jutrek.library import new_library, survey
    from jutrek.library.ledger import Ledger

    stop = threading.Event()
    with tempfile.TemporaryDirectory() as folder:
        os.makedirs(home := os.path.join(folder, "home"))
        making = _timed(lambda: likeness.make(home, ORIGINALS, DISTINCT))
        library = new_library(home)
        with Ledger(os.path.join(folder, "ledger.sqlite")) as ledger:
            survey(library, ledger)
            learning = _timed(lambda: learn(library, ledger, stop=stop))
            began = time.perf_counter()
            groups = find_groups(library, ledger, stop=stop)
            finding = time.perf_counter() - began
            names = {one.quick: one.path for one in ledger.of_paths(ledger.all_files()).values()}
            shares = {(names[a], names[b]): share for (a, b), share in ledger.contents.agreements().items()}
    count = len(names)
    print(f"{count:,} pictures: {making:.0f} s to make, {learning:.0f} s to learn, {finding:.0f} s to find and compare")
    certain = [[one.path for one in group.files] for group in groups if group.degree is not Degree.ALIKE]
    _tell_found(certain)
    exact = [group for group in groups if group.degree in (Degree.BYTES, Degree.PAYLOAD)]
    wrong = sum(len({_whose(one.path) for one in group.files}) > 1 for group in exact)
    print(f"  groups of the same bytes or payload: {len(exact):,}, wrong ones {wrong}")
    _tell_curve(shares)


_ORIGIN = re.compile(r"(o\d+|p\d+-\d+)")


def _whose(path: str) -> str:
    """The picture that a file is a copy of; every frame of a place is its own."""
    found = _ORIGIN.match(path)
    return found[1] if found else path


def _tell_found(groups: Sequence[Sequence[str]]) -> None:
    leads: dict[str, str] = {}

    def lead(path: str) -> str:
        while leads.setdefault(path, path) != path:
            path = leads[path]
        return path

    for group in groups:
        for path in group[1:]:
            leads[lead(path)] = lead(group[0])
    names, found, made = list(likeness.CHANGES), defaultdict[str, int](int), defaultdict[str, int](int)
    for number in range(ORIGINALS):
        for step in range(likeness.PER_ORIGINAL):
            at = (number * likeness.PER_ORIGINAL + step) % len(names)
            made[names[at]] += 1
            found[names[at]] += lead(f"o{number}.jpg") == lead(f"o{number}-{at}.pic")
    for name in names:
        print(f"  {name:<28} {found[name] / made[name]:7.2%} of {made[name]}")
    other = [name for name in names if name not in likeness.SAME_PAYLOAD]
    share = sum(found[name] for name in other) / sum(made[name] for name in other)
    piles: dict[str, set[str]] = defaultdict(set)
    for path in leads:
        piles[lead(path)].add(_whose(path))
    mixed = sum(len(pile) for pile in piles.values() if len(pile) > 1)
    pictures = ORIGINALS + DISTINCT
    print(f"  other encodings together     {share:7.2%}; pictures in a wrong pair {mixed} of {pictures:,}", end="")
    print(f" ({mixed / pictures:.2%})")


def _tell_curve(shares: dict[tuple[str, str], float]) -> None:
    """What a lower or a higher threshold of agreement would find."""
    right = [share for (one, other), share in shares.items() if _whose(one) == _whose(other)]
    wrong = [share for (one, other), share in shares.items() if _whose(one) != _whose(other)]
    print(f"  compared: {len(right):,} pairs of one picture, {len(wrong):,} of two")
    for level in _LEVELS:
        kept, mistaken = sum(share >= level for share in right), sum(share >= level for share in wrong)
        print(f"  agreement {level:.2f}: {kept / max(len(right), 1):7.2%} of the right pairs, {mistaken} wrong ones")


if __name__ == "__main__":
    _searched()
