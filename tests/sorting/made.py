"""Columns of made-up captures, without a disk."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import TYPE_CHECKING

import numpy as np

from jutrek.captures import Device
from jutrek.filing import HouseRules
from jutrek.library.knowledge import Knowledge, KnownFile
from jutrek.views.building import built
from jutrek.views.columns import Columns

if TYPE_CHECKING:
    from numpy.typing import NDArray

DEVICES = {"arlen|c1|": Device("arlen|c1|", "Arlen C1", "A"), "skarv|p4|": Device("skarv|p4|", "Skarv P4", "B")}


def shot(
    path: str, when: datetime | str = "", *, device: str = "arlen|c1|", shoot: str = "", trust: str = "sure"
) -> KnownFile:
    """A still; without a date where none is given."""
    text = when if isinstance(when, str) else when.isoformat()
    return KnownFile(
        path, 1000, path.encode()[-16:], taken=text, trust=trust if text else "", device=device, kind="still",
        format="jpeg", shoot=shoot,
    )  # fmt: skip


def columns_of(shots: Iterable[KnownFile]) -> Columns:
    """Columns of some captures."""
    return built(Knowledge(sorted(shots, key=lambda one: one.path.encode())), HouseRules(), DEVICES)


def rows_of(columns: Columns, *paths: str) -> NDArray[np.int64]:
    """The rows of captures, in the order of shooting."""
    return np.array(sorted(columns.rows_of(paths).values()), np.int64)


def within(columns: Columns, folder: str) -> NDArray[np.int64]:
    """The rows of what lies in a folder, or deeper."""
    paths = columns.paths(np.arange(columns.count))
    return np.array([row for row, path in enumerate(paths) if path.startswith(f"{folder}/")], np.int64)
