"""What of the window is not needed for its first paint is imported soon after it, a little at a time.

Else the first row that is opened, or the first look at another page, would wait for that. A thread of its own reads and
compiles, and imports what knows nothing of Qt. What does know Qt is imported here, on the window's thread: Qt paints
without Python's lock and looks classes up meanwhile, and PySide crashes where another thread defines one just then.
"""

from __future__ import annotations

import os
import pkgutil
import threading
from collections.abc import Iterator
from graphlib import TopologicalSorter
from importlib import import_module
from importlib.abc import InspectLoader

from PySide6.QtCore import QObject, QTimer, Signal

import jutrek.desk
import jutrek.ui

_SOON = 1000
"""Milliseconds behind the first paint: what was asked for at the start goes first."""
_BREATH = 5
"""Milliseconds between two modules, in which others have their turn."""


class Ahead(QObject):
    """Imports the rest of the window once."""

    done = Signal()
    """All is imported."""
    _read = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._over = threading.Event()
        self._left: Iterator[str] = iter(())
        self._read.connect(self._import_next)
        QTimer.singleShot(_SOON, self, self._begin)

    def end(self) -> None:
        """Import no more."""
        self._over.set()

    def _begin(self) -> None:
        if not self._over.is_set():
            threading.Thread(target=self._work, name="imports ahead", daemon=True).start()

    def _work(self) -> None:
        """Beside the window: what is free of Qt, and the code of the rest, each module behind those that it needs."""
        for module in _modules(jutrek.desk.__path__[0], "jutrek.desk"):
            if self._over.wait(_BREATH / 1000):
                return
            import_module(module.name)
        needs = {}
        for module in _modules(jutrek.ui.__path__[0], "jutrek.ui"):
            if self._over.wait(_BREATH / 1000):
                return
            # Not by `importlib.util`, which imports the packages that it is in.
            spec = module.module_finder.find_spec(module.name, None)
            if spec is not None and isinstance(spec.loader, InspectLoader):
                code = spec.loader.get_code(module.name)
                needs[module.name] = [one for one in (code.co_names if code else ()) if one.startswith("jutrek.ui.")]
        self._left = iter(tuple(TopologicalSorter(needs).static_order()))
        self._read.emit()

    def _import_next(self) -> None:
        name = next(self._left, None)
        if self._over.is_set():
            return
        if name is None:
            self.done.emit()
        else:
            import_module(name)
            QTimer.singleShot(_BREATH, self, self._import_next)


def _modules(folder: str, package: str) -> Iterator[pkgutil.ModuleInfo]:
    """The modules of a package and of those in it. Nothing is imported."""
    for module in pkgutil.iter_modules([folder], f"{package}."):
        yield module
        if module.ispkg:
            yield from _modules(os.path.join(folder, module.name.rpartition(".")[2]), module.name)
