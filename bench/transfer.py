"""Bringing home with read-back, cache cold, against copying and proving with common tools.

The baseline of proven copying: `cp -r`, `sync`, dropping the page cache, `xxhsum -H2` of both sides. From a card that
is slower than the disk (a throttled mount): `cp -r` and `sync`, which proves nothing. Needs root to drop the cache, and
room for 16 GB.
"""

from __future__ import annotations

import os
import resource
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from statistics import median
from typing import TYPE_CHECKING

from jutrek.filing import Action, HouseRules, Plan, Row
from jutrek.library import Place, add_place, new_library
from jutrek.library.ledger import Ledger
from jutrek.simulate.faults import Faults
from jutrek.transfer import bring, plan_finishing, recover

if TYPE_CHECKING:
    from collections.abc import Iterator

_ROUNDS = 3
_SLOW = 120_000_000
"""Bytes a second of the throttled card."""


@dataclass(frozen=True)
class Load:
    """Files of one size."""

    files: int
    size: int

    @property
    def gigabytes(self) -> float:
        """How much it is."""
        return self.files * self.size / 1e9


_LARGE, _SMALL, _CARD = Load(160, 12_500_000), Load(5_000, 300_000), Load(60, 12_500_000)


def _cold() -> None:
    os.sync()
    with open("/proc/sys/vm/drop_caches", "w", encoding="ascii") as file:
        file.write("3\n")


def _fill(folder: str, load: Load) -> str:
    os.mkdir(folder)
    block = os.urandom(load.size)
    for number in range(load.files):
        with open(os.path.join(folder, f"{number:05}.bin"), "wb") as file:
            file.write(number.to_bytes(8, "little") + block[8:])
    return folder


def _copied(card: str, folder: str, *, proven: bool) -> float:
    """Seconds of `cp -r` and `sync`, and of proving both sides."""
    copy = os.path.join(folder, "copy")
    _cold()
    began = time.perf_counter()
    subprocess.run(["cp", "-r", card, copy], check=True)
    os.sync()
    if proven:
        _cold()
        for side in (card, copy):
            paths = [os.path.join(side, name) for name in sorted(os.listdir(side))]
            subprocess.run(["xxhsum", "-H2", *paths], check=True, stdout=subprocess.DEVNULL)
    took = time.perf_counter() - began
    _put_by(copy)
    return took


def _put_by(path: str) -> None:
    """Put away what was measured, to be removed at the end of all rounds.

    For minutes after files were removed, ext4 looks at each of them before it gives their inodes to new ones. That can
    cost more than all the rest, and tells nothing of either side.
    """
    os.rename(path, os.path.join(os.path.dirname(path), f"done {time.monotonic_ns()}"))


def _brought(card: str, folder: str, load: Load, *, places: int = 1) -> tuple[float, float]:
    """Seconds and CPU seconds of bringing a card home."""
    root = os.path.join(folder, "library")
    os.mkdir(root)
    library = new_library(root)
    others: list[Place] = []
    for number in range(1, places):
        other = os.path.join(folder, f"place {number}")
        os.mkdir(other)
        others.append(add_place(library, other))
    rows = tuple(
        Row(entry.path, card, Action.BRING, f"2026/05/{entry.name}", "", load.size, entry.stat().st_mtime_ns)
        for entry in os.scandir(card)
    )
    _cold()
    began, cpu = time.perf_counter(), time.process_time()
    with Ledger(library.ledger_path) as ledger:
        plan = Plan(root, library.id, HouseRules(), rows)
        outcome = bring(plan, library, ledger, stop=threading.Event(), places=others)
    took, used = time.perf_counter() - began, time.process_time() - cpu
    if outcome.home != load.files or outcome.lost:
        raise SystemExit(f"only {outcome.home} of {load.files} files came home: {outcome.lost} {outcome.failed[:1]}")
    for path in (root, *(place.root for place in others)):
        _put_by(path)
    return took, used


def _ratios(name: str, card: str, folder: str, load: Load) -> None:
    ratios, cpus = [], []
    for _ in range(_ROUNDS):
        base, (ours, cpu) = _copied(card, folder, proven=True), _brought(card, folder, load)
        ratios.append(ours / base)
        cpus.append(cpu / load.gigabytes)
        print(
            f"{name}: baseline {base:5.2f} s   jutrek {ours:5.2f} s   ratio {ours / base:.2f}   CPU {cpus[-1]:.2f} s/GB"
        )
    print(f"{name}: median ratio {median(ratios):.2f}, median CPU {median(cpus):.2f} s/GB")


@contextmanager
def _slow_card(folder: str, below: str) -> Iterator[str]:
    """A mount that reads as slowly as a card."""
    top, page = os.path.join(folder, "slow"), os.path.join(folder, "slow.json")
    os.mkdir(top)
    Faults(read_speed=_SLOW).keep(page)
    process = subprocess.Popen([sys.executable, "-m", "jutrek.simulate.filesystem", below, top, page])
    while not os.path.ismount(top):
        time.sleep(0.05)
    yield top
    subprocess.run(["umount", "--lazy", top], check=True)
    process.wait()


def _from_a_slow_card(folder: str) -> None:
    below = _fill(os.path.join(folder, "below"), _CARD)
    with _slow_card(folder, below) as card:
        plain, one, two = [], [], []
        for _ in range(_ROUNDS):
            plain.append(_copied(card, folder, proven=False))
            one.append(_brought(card, folder, _CARD)[0])
            two.append(_brought(card, folder, _CARD, places=2)[0])
            print(f"slow card: cp and sync {plain[-1]:5.2f} s   one place {one[-1]:5.2f} s   two {two[-1]:5.2f} s")
    ratio = median(two) / median(one)
    print(f"slow card: proven / unproven {median(one) / median(plain):.2f}, two places / one {ratio:.2f}")


def _resume(folder: str) -> None:
    """Opening and finishing an intake of 30,000 files that was cut off right before its end was written."""
    card = _fill(os.path.join(folder, "many"), Load(30_000, 64))
    root = os.path.join(folder, "library")
    os.mkdir(root)
    library = new_library(root)
    rows = tuple(
        Row(entry.path, card, Action.BRING, f"2026/05/{entry.name}", "", 64, entry.stat().st_mtime_ns)
        for entry in os.scandir(card)
    )
    with Ledger(library.ledger_path) as ledger:
        outcome = bring(Plan(root, library.id, HouseRules(), rows), library, ledger, stop=threading.Event())
    path = os.path.join(library.own, "journal", f"{outcome.run}.jsonl")
    with open(path, "rb") as file:
        lines: Sequence[bytes] = file.readlines()
    with open(path, "wb") as file:
        file.writelines(lines[:-1])
    began = time.perf_counter()
    # The ledger is opened anew, as the start after a kill does.
    with Ledger(library.ledger_path) as ledger:
        (leftover,) = recover(library, ledger)
        plan = plan_finishing(library, leftover.run, HouseRules())
    took = time.perf_counter() - began
    print(f"a finished intake of 30,000 files, gone on with: {took:.2f} s, {len(plan.rows)} left")


def run() -> None:
    """Print seconds and ratios, and what it cost."""
    if os.geteuid() != 0 or shutil.which("xxhsum") is None:
        print("skipped: dropping the page cache needs root, and the baseline needs xxhsum")
        return
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    for name, load in (("12 MB files", _LARGE), ("300 kB files", _SMALL)):
        with tempfile.TemporaryDirectory(dir=".") as folder:
            os.environ["XDG_DATA_HOME"] = os.path.join(os.path.abspath(folder), "xdg")
            card = _fill(os.path.join(os.path.abspath(folder), "card"), load)
            _ratios(name, card, os.path.abspath(folder), load)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    print(f"peak memory {peak:.0f} MB, {before:.0f} MB of them before the first file")
    for part in (_from_a_slow_card, _resume):
        with tempfile.TemporaryDirectory(dir=".") as folder:
            os.environ["XDG_DATA_HOME"] = os.path.join(os.path.abspath(folder), "xdg")
            part(os.path.abspath(folder))
