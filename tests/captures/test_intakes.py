"""Made-up intakes of every kind, with known truth: a few in every run; `./run bench dates` makes many."""

from __future__ import annotations

import pytest
from bench.dates import KINDS, verdicts

SEED = 1905


@pytest.mark.long
def test_dates_come_out_right() -> None:
    """No false certainty, hardly a false alarm, and nearly every intake right as a whole."""
    found = [(kind, one) for kind, own in verdicts(each=1, seed=SEED).items() for one in own]
    wrong = {kind: one for kind, one in found if not one.is_right}
    assert len(found) == len(KINDS) > 50
    assert not any(one.wrong_certain for _, one in found)
    assert sum(one.false_alarms for _, one in found) <= 0.005 * sum(one.captures for _, one in found)
    assert len(wrong) <= 0.02 * len(found) + 1, wrong
