"""Words that go by a number."""

from __future__ import annotations


def counted(number: int, one: str, many: str = "") -> str:
    """A number with what is said of it: `1 clip`, `8 clips`; `1 file is`, `1,234 files are`.

    Args:
        number: of them.
        one: what is said of one.
        many: what is said of more or none; that with an s where it is not given.
    """
    return f"{number:,} {one if number == 1 else many or one + 's'}"
