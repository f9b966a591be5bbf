"""Errors in methods that Qt calls reach it as whole exceptions. Imported before any class of the window is made.

Where Python calls Qt and Qt calls a method of ours, PySide keeps what that raises for whoever called Qt. Before Python
3.12 what C code raises is but a class and a text until somebody catches it, and PySide reads it as an exception: the
process ends, with a run that may be at work in it. So every method of ours that stands in the place of one of Qt's
catches what comes, and raises it again.
"""

from __future__ import annotations

import functools
import sys
from collections.abc import Callable
from types import FunctionType
from typing import Any

from PySide6.QtCore import QObject

_WHOLE_SINCE = (3, 12)


def _caught(method: Callable[..., Any]) -> Callable[..., Any]:
    @functools.wraps(method)
    def called(*args: Any, **words: Any) -> Any:
        try:
            return method(*args, **words)
        # Being caught is what makes it whole.
        except Exception:
            raise

    return called


def _guard(cls: type, **_: Any) -> None:
    ours = [(name, found) for name, found in vars(cls).items() if isinstance(found, FunctionType)]
    qt = [base for base in cls.__mro__ if base.__module__.startswith("PySide6.")]
    for name, method in ours:
        if not name.startswith("__") and any(name in vars(base) for base in qt):
            setattr(cls, name, _caught(method))


def install() -> None:
    """Guard every class of the window that is made from now on."""
    if sys.version_info < _WHOLE_SINCE:
        QObject.__init_subclass__ = classmethod(_guard)  # type: ignore[assignment]


install()
