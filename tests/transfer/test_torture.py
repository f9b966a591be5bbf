"""A short torture in every run of the tests; `./run torture` goes on for as long as one likes."""

from __future__ import annotations

import os

import pytest
from bench.torture.round import rounds

_KILLS = 5


@pytest.mark.long
@pytest.mark.skipif(os.geteuid() != 0 or not os.path.exists("/dev/fuse"), reason="mounting media needs root and FUSE")
@pytest.mark.timeout(100)
def test_a_short_torture_holds(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    """Kills, faults, pulled media and jumping clocks over all that changes a disk: nothing is lost, nothing lies."""
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"):
        monkeypatch.setenv(name, os.environ[name])
    seed = int(os.environ.get("JUTREK_SEED", "1"))
    tally = rounds(seed, seconds=12)
    # A machine that has much else to do comes to less in that time: it goes on for as long again, and once more.
    for turn in (1, 2):
        if tally.counts["kills"] <= _KILLS:
            tally += rounds(seed + 1000 * turn, seconds=12)
    assert tally.failures == []
    assert tally.counts["kills"] > _KILLS
