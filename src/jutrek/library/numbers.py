"""The last numbers that the library's counters gave: `LIBRARY/.jutrek/counters.json`.

A number that was given once is not given again, also when its capture is gone since.
"""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from typing import TYPE_CHECKING

from jutrek.disk import write_own

if TYPE_CHECKING:
    from jutrek.library.identity import Library


def numbers_given(library: Library) -> dict[str, int]:
    """The last number by what was counted within, such as `folder:2026/05`. A file that is damaged counts as none."""
    try:
        with open(_path(library), encoding="utf-8", errors="surrogateescape") as file:
            return {str(key): int(number) for key, number in json.load(file)["last"].items()}
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return {}


def keep_numbers(library: Library, given: Mapping[str, int]) -> None:
    """Remember numbers that were given, where they are higher than the last ones.

    Raises:
        OSError: when they cannot be written.
    """
    known = numbers_given(library)
    merged = {key: max(number, known.get(key, 0)) for key, number in {**known, **given}.items()}
    if merged != known:
        page = {"format": 1, "last": dict(sorted(merged.items()))}
        write_own(_path(library), json.dumps(page, indent=1).encode())


def _path(library: Library) -> str:
    return os.path.join(library.own, "counters.json")
