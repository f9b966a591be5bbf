"""Writing a file where a person chose to have it."""

from __future__ import annotations

from jutrek.disk import chosen
from jutrek.errors import NotPossible, reason


def save_text(path: str, text: str) -> None:
    """Write a text into a file, in place of what it held before.

    Raises:
        NotPossible: when it cannot be written; what was there before stays.
    """
    try:
        tree, name = chosen(path)
        tree.write_own(name, text.encode())
    except OSError as error:
        raise NotPossible(path, f"it could not be written: {reason(error)}") from error
