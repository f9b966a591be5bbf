"""The thread behind the Doubles page: large pictures of the files that are shown, the ones wished for last first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSize, Signal

if TYPE_CHECKING:
    from jutrek.decoding import Shown
    from jutrek.desk.pictures import Picture


class Loader(QObject):
    """Makes pictures of whole files; `made` tells each, with the pixels that it was to be fitted into."""

    made = Signal(str, object, QSize)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wishes: OrderedDict[str, tuple[Shown, QSize]] = OrderedDict()
        self._more = threading.Condition()
        self._closed = False
        self._thread: threading.Thread | None = None

    def wish(self, view: Shown, size: QSize) -> None:
        """Ask for a picture that fits into `size` pixels."""
        with self._more:
            self._wishes[view.id] = view, size
            self._wishes.move_to_end(view.id)
            self._more.notify()
        if self._thread is None:
            self._thread = threading.Thread(target=self._work, name="doubles", daemon=True)
            self._thread.start()

    def forget(self) -> None:
        """Nothing that was asked for is wanted any more."""
        with self._more:
            self._wishes.clear()

    def idle(self) -> bool:
        """Whether nothing is wished for any more."""
        with self._more:
            return not self._wishes

    def close(self) -> None:
        """End the thread."""
        with self._more:
            self._closed = True
            self._more.notify()
        if self._thread is not None:
            self._thread.join()

    def _work(self) -> None:
        while True:
            with self._more:
                while not self._wishes and not self._closed:
                    self._more.wait()
                if self._closed:
                    return
                _, (view, size) = self._wishes.popitem()
            # Here, off the way to the first paint.
            from jutrek.desk.pictures import whole_picture

            picture: Picture | None = whole_picture(view, (size.width(), size.height()))
            self.made.emit(view.id, picture, size)
