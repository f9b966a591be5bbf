"""`./run torture [MINUTES] [SEED] [JOBS]`: kills, faults, pulled media, jumping clocks, and what must hold after each.

The seed is printed; the same seed makes the same worlds and acts (not the same moments of kills).
"""

from __future__ import annotations

import multiprocessing
import sys
import time

from tests.torture.round import Tally, rounds


def main(minutes: float, seed: int, jobs: int) -> int:
    """Torture for some minutes. Returns 1 when something did not hold."""
    sys.stdout.write(f"seed {seed}, {jobs} jobs, {minutes:g} minutes each\n")
    sys.stdout.flush()
    began = time.monotonic()
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        tallies = pool.starmap(rounds, [(seed + 1_000_000 * job, minutes * 60) for job in range(jobs)])
    total = Tally()
    for tally in tallies:
        total += tally
    sys.stdout.write(f"{total.words()} in {(time.monotonic() - began) / 60:.1f} minutes of {jobs} jobs side by side\n")
    for failure in total.failures:
        sys.stdout.write(f"{failure}\n")
    return bool(total.failures)


if __name__ == "__main__":
    given = sys.argv[1:]
    sys.exit(
        main(
            float(given[0]) if given else 5.0,
            int(given[1]) if len(given) > 1 else int(time.time()),
            int(given[2]) if len(given) > 2 else 2,
        )
    )
