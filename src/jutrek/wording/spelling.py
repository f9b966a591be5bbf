"""When keywords are the same, and how they are written."""

from __future__ import annotations

import unicodedata

Branch = tuple[str, ...]
"""A keyword with what it stands under, the outermost first; one word for what stands under nothing."""


def tidied(text: str) -> str:
    """A keyword as it is compared and shown: composed signs (NFC), and single blanks between its words."""
    return " ".join(unicodedata.normalize("NFC", text).split())


def key(text: str) -> str:
    """By what keywords are the same: their case does not tell them apart."""
    return tidied(text).casefold()
