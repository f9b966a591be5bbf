"""What a place can take, told before anything is copied."""

from __future__ import annotations

import os

import pytest

from jutrek.filing import Action, Row
from jutrek.library import Place
from jutrek.transfer.capacity import hindrances


def test_room_that_is_lacking_is_told_before(tarn: Place) -> None:
    """With how much there is of how much, and how much is missing; a hundredth is left, 16 MiB at most."""
    status = os.statvfs(tarn.root)
    free = status.f_bavail * status.f_frsize
    row = Row("/card/a.mov", "/card", Action.BRING, "a.mov", "", size=free + 3_000_000_000)
    (found,) = hindrances(tarn, [row])
    assert found.what == f"Tarn has room for {free / 1e9:,.1f} GB of the {row.size / 1e9:,.1f} GB to copy."
    assert found.lacking == pytest.approx(3_000_000_000, abs=200_000_000)
    assert found.whole
    assert hindrances(tarn, [row._replace(size=free // 2)]) == hindrances(tarn, []) == []
    (tight,) = hindrances(tarn, [row._replace(size=free - 1_000_000)])
    assert tight.lacking >= 1
