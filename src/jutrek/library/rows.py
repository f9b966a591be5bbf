"""Many rows into a table at once.

Python's SQLite module gives its lock away and takes it back for every row that it writes one by one. While other
threads copy, that costs more than the writing: so rows go in by the hundred.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from itertools import chain
from typing import Any

_AT_ONCE = (256, 16, 1)
"""Rows of one statement: few sizes, so that each is compiled once. 32,766 values are the most that SQLite takes."""


def put_rows(connection: sqlite3.Connection, table: str, rows: Sequence[Sequence[Any]]) -> None:
    """Write rows into a table, each in place of the one of its key; of equal keys the last one stays.

    Args:
        table: its name, which is no text from outside.
        rows: a value for every column of the table.
    """
    at = 0
    for count in _AT_ONCE:
        while len(rows) - at >= count:
            one = f"({', '.join('?' * len(rows[at]))})"
            values = tuple(chain.from_iterable(rows[at : at + count]))
            connection.execute(f"INSERT OR REPLACE INTO {table} VALUES {', '.join([one] * count)}", values)
            at += count
