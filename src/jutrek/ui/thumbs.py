"""Thumbnails: made by background threads, newest wish first, kept in memory up to a limit."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSize, Signal
from PySide6.QtGui import QImage, QPixmap

if TYPE_CHECKING:
    from jutrek.decoding import Pictured
    from jutrek.desk.pictures import Picture

SIZE = QSize(84, 56)
_KEPT = 4000
_WORKERS = 2
_WAITING = 300


class Thumbnails(QObject):
    """Gives thumbnails for captures and other files, or None while one is being made; `ready` names those that came."""

    ready = Signal(str)
    _made = Signal(str, object)

    def __init__(self, ratio: float, parent: QObject | None = None) -> None:
        """`ratio` is the device pixel ratio that pictures are made for."""
        super().__init__(parent)
        self._ratio = ratio
        self._kept: OrderedDict[str, QPixmap | None] = OrderedDict()
        self._wishes: OrderedDict[str, Pictured] = OrderedDict()
        self._more = threading.Condition()
        self._closed = False
        self._made.connect(self._keep)
        self._threads = [threading.Thread(target=self._work, name="thumbs", daemon=True) for _ in range(_WORKERS)]
        for thread in self._threads:
            thread.start()

    def of(self, view: Pictured) -> QPixmap | None:
        """The thumbnail if there is one. Else it is wished for; what scrolled away long ago is forgotten."""
        if view.id in self._kept:
            self._kept.move_to_end(view.id)
            return self._kept[view.id]
        with self._more:
            self._wishes[view.id] = view
            self._wishes.move_to_end(view.id)
            while len(self._wishes) > _WAITING:
                self._wishes.popitem(last=False)
            self._more.notify()
        return None

    def close(self) -> None:
        """End the threads."""
        with self._more:
            self._closed = True
            self._more.notify_all()
        for thread in self._threads:
            thread.join()

    def idle(self) -> bool:
        """Whether nothing is wished for any more."""
        with self._more:
            return not self._wishes

    def _work(self) -> None:
        size = (round(SIZE.width() * self._ratio), round(SIZE.height() * self._ratio))
        while True:
            with self._more:
                while not self._wishes and not self._closed:
                    self._more.wait()
                if self._closed:
                    return
                _, view = self._wishes.popitem()
            # Here, off the way to the first paint.
            from jutrek.desk.pictures import small_picture

            self._made.emit(view.id, small_picture(view, size))

    def _keep(self, capture: str, picture: Picture | None) -> None:
        pixmap = None
        if picture is not None:
            stride = picture.width * 3
            image = QImage(picture.rgb, picture.width, picture.height, stride, QImage.Format.Format_RGB888)
            pixmap = QPixmap.fromImage(image)
            pixmap.setDevicePixelRatio(self._ratio)
        self._kept[capture] = pixmap
        while len(self._kept) > _KEPT:
            self._kept.popitem(last=False)
        self.ready.emit(capture)
