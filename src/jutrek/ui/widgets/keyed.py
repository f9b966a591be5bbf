"""Buttons that a key presses, too: they say so, and can be found by it."""

from __future__ import annotations

from typing import TypeVar

from PySide6.QtWidgets import QAbstractButton

_Button = TypeVar("_Button", bound=QAbstractButton)
_KEYS = "keys"


def keyed(button: _Button, keys: str) -> _Button:
    """Say which key does what a button does."""
    button.setProperty(_KEYS, keys)
    return button


def keys_of(button: QAbstractButton) -> str:
    """The key that does what a button does; empty for none."""
    return str(button.property(_KEYS) or "")
