"""Counters in names: they go on where the library left off, and a gap is never filled with another capture's number."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum

from jutrek.filing.facts import Facts


class Per(StrEnum):
    """What a counter counts within."""

    FOLDER = "folder"
    DAY = "day"
    SHOOT = "shoot"
    INTAKE = "intake"
    LIBRARY = "library"


class Numbers:
    """Numbers that a plan gives."""

    def __init__(self, per: Per, start: int, given: Mapping[str, int]) -> None:
        """
        Args:
            start: the first number of all.
            given: the last numbers that the library gave, by key.
        """
        self._per, self._start = per, start
        self._last = dict(given)

    def key(self, facts: Facts, folder: str) -> str:
        """What a capture is counted within."""
        if self._per is Per.FOLDER:
            return f"folder:{folder}"
        if self._per is Per.DAY:
            return f"day:{facts.day or ''}"
        if self._per is Per.SHOOT:
            return f"shoot:{facts.day or ''}:{facts.shoot}"
        return self._per.value

    def next(self, key: str, first: int | None = None) -> int:
        """Give the next number; the first one of all is the pattern's, else the house's."""
        start = self._start if first is None else first
        number = self._last[key] = self._last.get(key, start - 1) + 1
        return number
