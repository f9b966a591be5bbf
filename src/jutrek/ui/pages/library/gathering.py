"""What was chosen, as it was when it was chosen: a view may be laid out anew before a question is answered."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from jutrek.filing.tidying import Whole
    from jutrek.library import Library
    from jutrek.views.columns import Columns

Gather = Callable[["Library"], "tuple[list[Whole], list[str]]"]
"""Gives what was chosen, with all that goes along, as it lies by now; and sentences about what is gone."""


def gathering(columns: Columns | None, rows: NDArray[np.int64]) -> Gather:
    """What is chosen.

    Args:
        columns: of the captures that rows count now; None for none.
        rows: which of them.
    """
    return partial(_gathered, columns, rows.tolist())


def _gathered(columns: Columns | None, rows: list[int], library: Library) -> tuple[list[Whole], list[str]]:
    from jutrek.desk.tidying import gathered

    return gathered(library, columns, rows) if columns is not None else ([], [])
