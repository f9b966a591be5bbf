"""How right dates come out: made-up intakes of many kinds, from a seed, each held against the truth.

An intake is right when no capture that is right is asked about, none that can be told is filed wrong, every proposed
answer is right, nothing is called certain that is not, and files are captures as they were presses.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping

import numpy as np

from bench.intakes.files import FILES
from bench.intakes.judging import Verdict, judge
from bench.intakes.right import RIGHT
from bench.intakes.world import Dice, Intake
from bench.intakes.wrong import WRONG

SEED, EACH = 2026, 12
KINDS: Mapping[str, Callable[[Dice], Intake]] = {kind.__name__: kind for kind in (*RIGHT, *WRONG, *FILES)}


def verdicts(each: int = EACH, seed: int = SEED) -> dict[str, list[Verdict]]:
    """Make and judge some intakes of every kind. The same seed makes the same ones, whatever kinds there are."""
    return {
        name: [judge(kind(np.random.default_rng([seed, number, *name.encode()]))) for number in range(each)]
        for name, kind in KINDS.items()
    }


def sums(found: list[Verdict]) -> str:
    """One line of the table."""
    captures = sum(one.captures for one in found)
    alarms = sum(one.false_alarms for one in found)
    cells = [
        f"{sum(one.is_right for one in found)} of {len(found)}", f"{100 * alarms / max(captures, 1):.1f} %",
        *(
            f"{sum(bool(getattr(one, name)) for one in found) or '·'}"
            for name in ("wrong_certain", "wrong_answers", "filed_wrong", "torn", "devices_off")
        ),
    ]  # fmt: skip
    return " | ".join(cells)


def run() -> None:
    """Print the table by kind."""
    began = time.perf_counter()
    found = verdicts()
    print("| kind | right | false alarms | wrong certain | wrong answers | filed wrong | torn | devices |")
    print("|---|---|---|---|---|---|---|---|")
    for name, own in found.items():
        print(f"| {name.replace('_', ' ')} | {sums(own)} |")
    print(f"| **all** | {sums([one for own in found.values() for one in own])} |")
    print(f"{time.perf_counter() - began:.0f} s")
