"""By what captures are counted. Apart from the counting, which needs NumPy."""

from __future__ import annotations

from enum import StrEnum


class By(StrEnum):
    """By what captures are counted."""

    MONTH = "month"
    WEEK = "week"
    DAY = "day"
    DEVICE = "device"
    KIND = "kind"
    LIKELY = "likely"
    FORMAT = "format"
    FOLDER = "folder"
    LENS = "lens"
    PLACE = "place"
    KEYWORD = "keyword"
