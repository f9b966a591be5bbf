"""Bringing home 2 GB in 160 files with read-back, cache cold, against copying and proving with common tools.

The baseline: `cp -r`, `sync`, dropping the page cache, `xxhsum -H2` of both sides. Needs root to drop the cache.
"""

from __future__ import annotations

import os
import resource
import shutil
import subprocess
import tempfile
import threading
import time
from statistics import median

from jutrek.filing import Action, HouseRules, Plan, Row
from jutrek.library import open_library
from jutrek.library.ledger import Ledger
from jutrek.transfer import bring

_FILES, _SIZE, _ROUNDS = 160, 12_500_000, 3


def _cold() -> None:
    os.sync()
    with open("/proc/sys/vm/drop_caches", "w", encoding="ascii") as file:
        file.write("3\n")


def _baseline(card: str, folder: str) -> float:
    copy = os.path.join(folder, "copy")
    _cold()
    began = time.perf_counter()
    subprocess.run(["cp", "-r", card, copy], check=True)
    _cold()
    for side in (card, copy):
        paths = [os.path.join(side, name) for name in sorted(os.listdir(side))]
        subprocess.run(["xxhsum", "-H2", *paths], check=True, stdout=subprocess.DEVNULL)
    took = time.perf_counter() - began
    shutil.rmtree(copy)
    return took


def _jutrek(card: str, folder: str) -> tuple[float, float]:
    root = os.path.join(folder, "library")
    os.mkdir(root)
    library = open_library(root)
    rows = tuple(
        Row(entry.path, card, Action.BRING, f"2026/05/{entry.name}", "", _SIZE, entry.stat().st_mtime_ns)
        for entry in os.scandir(card)
    )
    plan = Plan(root, library.id, HouseRules(), rows)
    _cold()
    began, cpu = time.perf_counter(), time.process_time()
    with Ledger(library.ledger_path) as ledger:
        outcome = bring(plan, library, ledger, stop=threading.Event())
    took, used = time.perf_counter() - began, time.process_time() - cpu
    if outcome.home != _FILES:
        raise SystemExit(f"only {outcome.home} of {_FILES} files came home: {outcome.failed[0].why}")
    shutil.rmtree(root)
    return took, used


def run() -> None:
    """Print seconds and ratios, and what it cost."""
    if os.geteuid() != 0 or shutil.which("xxhsum") is None:
        print("skipped: dropping the page cache needs root, and the baseline needs xxhsum")
        return
    with tempfile.TemporaryDirectory(dir=".") as folder:
        os.environ["XDG_DATA_HOME"] = os.path.join(os.path.abspath(folder), "xdg")
        card = os.path.join(os.path.abspath(folder), "card")
        os.mkdir(card)
        for number in range(_FILES):
            with open(os.path.join(card, f"{number:03}.bin"), "wb") as file:
                file.write(os.urandom(_SIZE))
        ratios = []
        for _ in range(_ROUNDS):
            base, (ours, cpu) = _baseline(card, folder), _jutrek(card, os.path.abspath(folder))
            ratios.append(ours / base)
            print(f"baseline {base:5.2f} s   jutrek {ours:5.2f} s   ratio {ours / base:.2f}   CPU {cpu / 2:.2f} s a GB")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    print(f"median ratio {median(ratios):.2f}, peak memory {peak:.0f} MB")
