"""What a ledger's texts tell, as numbers and names. A ledger may hold anything: what is damaged tells nothing."""

from __future__ import annotations

import json
from collections.abc import Sequence
from datetime import date
from typing import TYPE_CHECKING

import numpy as np

from jutrek.views.columns import NO_DAY, day_number

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Ints = NDArray[np.int64]


def stamps_of(texts: Sequence[str]) -> Ints:
    """Microseconds since 1970 of local times by ISO 8601; `NEVER` where one is none."""
    try:
        stamps = np.array([one or "NaT" for one in texts], "datetime64[us]")
    except ValueError:
        stamps = np.array([_stamp(one) for one in texts], "datetime64[us]")
    return stamps.astype(np.int64)


def _stamp(text: str) -> np.datetime64:
    try:
        return np.datetime64(text or "NaT", "us")
    except ValueError:
        return np.datetime64("NaT", "us")


def days_of(stamps: Ints, known: NDArray[np.bool_]) -> Ints:
    return np.where(known, np.floor_divide(stamps, 86_400_000_000), NO_DAY)


def day_of_text(text: str) -> int:
    try:
        return day_number(date.fromisoformat(text))
    except ValueError:
        return NO_DAY


def words_of_text(text: str) -> list[str]:
    """The keywords that a ledger has; what is damaged counts as none."""
    try:
        found = json.loads(text) if text else []
    except ValueError:
        return []
    return [one for one in found if isinstance(one, str) and one] if isinstance(found, list) else []


def place_of_text(text: str) -> str:
    """The place that was said of an intake; what is damaged counts as none."""
    try:
        found = json.loads(text) if text else {}
    except (ValueError, RecursionError):
        return ""
    place = found.get("place") if isinstance(found, dict) else ""
    return place if isinstance(place, str) else ""
