"""Modules are imported as Python does it, not by Qt for Python's way around it.

PySide puts a function of its own in the place of `__import__`, for a switch that nothing here uses (`__feature__`). It
reads the source of every module that is imported, which takes as long as importing it, and asks half-made modules for
attributes: in a thread beside the window one import in a hundred failed by that, and with it what the thread was
asked for.
"""

import builtins

import PySide6.QtCore  # noqa: F401  (puts it there, once)

builtins.__import__ = getattr(builtins, "__orig_import__", builtins.__import__)
