"""`./run torture [MINUTES] [SEED] [JOBS]`: kills, faults, pulled media, jumping clocks, and what must hold after each.

The seed is printed; the same seed makes the same worlds and acts (not the same moments of kills). What was done so far
is told every few minutes, so that a torture that is broken off has figures, too.
"""

from __future__ import annotations

import multiprocessing
import sys
import time
from concurrent.futures import ProcessPoolExecutor, as_completed

from bench.torture.round import Tally, end_with_parent, rounds

_SLICE = 5.0
"""Minutes after which a job tells what it did."""
_APART = 10_000
"""Between the seeds of two slices: more than one has worlds."""
_ENOUGH = 3
"""Failures after which nothing more is futures."""


def main(minutes: float, seed: int, jobs: int) -> int:
    """Torture for some minutes. Returns 1 when something did not hold."""
    _say(f"seed {seed}, {jobs} jobs, {minutes:g} minutes each")
    slices = max(1, round(minutes / _SLICE))
    seeds = [seed + _APART * number for number in range(slices * jobs)]
    began, total = time.monotonic(), Tally()
    with ProcessPoolExecutor(jobs, multiprocessing.get_context("spawn"), end_with_parent) as pool:
        futures = [pool.submit(rounds, at, minutes / slices * 60) for at in seeds]
        for ended in as_completed(futures):
            total += ended.result()
            lasted = (time.monotonic() - began) / 60
            _say(f"{total.words()} in {lasted:.1f} minutes of {jobs} jobs side by side")
            if len(total.failures) >= _ENOUGH:
                pool.shutdown(cancel_futures=True)
                break
    return bool(total.failures)


def _say(words: str) -> None:
    sys.stdout.write(f"{words}\n")
    sys.stdout.flush()


if __name__ == "__main__":
    given = sys.argv[1:]
    sys.exit(
        main(
            float(given[0]) if given else 5.0,
            int(given[1]) if len(given) > 1 else int(time.time()),
            int(given[2]) if len(given) > 2 else 2,
        )
    )
