"""Numbers with units: how they are written, and what they mean in the least unit."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation

NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
LENGTHS = {
    "milliseconds": 1, "millisecond": 1, "ms": 1, "seconds": 1_000, "second": 1_000, "s": 1_000, "minutes": 60_000,
    "minute": 60_000, "min": 60_000, "hours": 3_600_000, "hour": 3_600_000, "h": 3_600_000,
}  # fmt: skip
"""Milliseconds of each unit of length."""
SIZES = {
    "bytes": 1, "byte": 1, "b": 1, "kb": 10**3, "mb": 10**6, "gb": 10**9, "tb": 10**12,
}  # fmt: skip
"""Bytes of each unit of size."""
_MOST = 10**15


def number_of(word: str) -> float | None:
    """A number in digits or, up to ten, in letters; None where it is none, or beyond all measure."""
    if word in NUMBERS:
        return float(NUMBERS.index(word))
    if not word or not all(sign in "0123456789.-+" for sign in word):
        return None
    try:
        number = Decimal(word)
    except InvalidOperation:
        return None
    return float(number) if abs(number) <= _MOST else None


def metres_of(number: float, unit: str) -> int:
    """A distance in metres."""
    return round(number * (1000 if unit in ("km", "kilometres") else 1))


def written(number: int, units: tuple[tuple[int, str, str], ...]) -> str:
    """A number of the least unit, in the largest one in which it is whole, or in thousandths of it.

    Args:
        units: how many of the least make one, what one is called, and more of them; the largest first.
    """
    for of, one, many in units:
        if number >= of and number * 1000 % of == 0:
            value = (Decimal(number) / of).normalize()
            return f"{value:f} {one if number == of else many}"
    _, _, many = units[-1]
    return f"{number} {many}"


LENGTH_UNITS = (
    (3_600_000, "hour", "hours"), (60_000, "minute", "minutes"), (1_000, "second", "seconds"),
    (1, "millisecond", "milliseconds"),
)  # fmt: skip
SIZE_UNITS = (
    (10**12, "TB", "TB"), (10**9, "GB", "GB"), (10**6, "MB", "MB"), (10**3, "kB", "kB"), (1, "byte", "bytes"),
)  # fmt: skip
DISTANCE_UNITS = ((1_000, "km", "km"), (1, "m", "m"))


def megapixels(pixels: int) -> str:
    """Pixels in millions."""
    return f"{(Decimal(pixels) / 10**6).normalize():f} megapixels"
