"""The orders in which captures may be shown. Apart from what orders them, which needs NumPy."""

from __future__ import annotations

from enum import StrEnum


class Order(StrEnum):
    """By what captures are ordered: moment, name, kind, size from the largest, mark, rating from the best, change from
    the last; or by hand, folder by folder. What is equal in it stays in the order of shooting."""

    MOMENT = "moment"
    NAME = "name"
    KIND = "kind"
    SIZE = "size"
    MARK = "mark"
    RATING = "rating"
    CHANGED = "changed"
    HAND = "hand"
