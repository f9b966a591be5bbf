"""The picture service: made by background threads, brought to the window's thread, kept in memory up to a limit."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSize, Signal
from PySide6.QtGui import QImage, QPixmap

from jutrek.desk.pool import Pool

if TYPE_CHECKING:
    from jutrek.decoding import Pictured
    from jutrek.desk.pictures import Picture

SIZE = QSize(84, 56)
"""Of pictures, in pixels that do not depend on the screen."""
LARGE, SMALL = 0, 2
"""What is served sooner, and what later."""
_KEPT = 96_000_000
"""Bytes of pictures."""
_AT_ONCE = 2
_WAITING = 300
_Key = tuple[str, int]
"""A capture, and how wide it is drawn; less than nothing where nothing of it is cropped."""


def pixmap_of(picture: Picture | None, ratio: float = 1.0) -> QPixmap | None:
    """A picture as it is drawn.

    Args:
        picture: rows of RGB bytes without padding; None stays None.
        ratio: pixels of the screen for each of Qt's.
    """
    if picture is None:
        return None
    image = QImage(picture.rgb, picture.width, picture.height, picture.width * 3, QImage.Format.Format_RGB888)
    pixmap = QPixmap.fromImage(image)
    pixmap.setDevicePixelRatio(ratio)
    return pixmap


class Pictures(QObject):
    """Gives pictures for captures and other files, or None while one is being made; `ready` names those that came.

    Attributes:
        pool: the threads behind it.
        closing: what is to be closed once they have ended.
    """

    ready = Signal(object)
    _made = Signal(object, object)

    def __init__(self, pool: Pool, ratio: float, parent: QObject | None = None) -> None:
        """
        Args:
            pool: makes the pictures.
            ratio: the device pixel ratio that pictures are made for.
            parent: owns it.
        """
        super().__init__(parent)
        self.pool, self._ratio = pool, ratio
        self.closing: list[Callable[[], None]] = []
        self._kept: OrderedDict[_Key, QPixmap | None] = OrderedDict()
        self._bytes = 0
        self._small = pool.line(SMALL, at_once=_AT_ONCE, waiting=_WAITING)
        self._made.connect(lambda then, picture: then(picture))

    def of(
        self,
        view: Pictured,
        source: str = "",
        size: QSize = SIZE,
        *,
        at_home: bool = False,
        kept_as: str = "",
        whole: bool = False,
    ) -> QPixmap | None:
        """The thumbnail if there is one. Else it is wished for; what scrolled away long ago is forgotten.

        Args:
            view: of what.
            source: the root of what it lies on: one that hangs holds up no other.
            size: as which it is drawn. While there is none of that size, one of another will do.
            at_home: whether it is a file of the library: its thumbnail is kept on the disk.
            kept_as: under which path it may be kept besides: of what is stored on a drive that went away just now.
            whole: whether nothing of a file at home is cropped.
        """
        key = view.id, -size.width() if whole else size.width()
        if key in self._kept:
            self._kept.move_to_end(key)
            return self._kept[key]
        pixels = (round(size.width() * self._ratio), round(size.height() * self._ratio))

        def make(_superseded: Callable[[], bool]) -> None:
            # Here, off the way to the first paint.
            from jutrek.desk.pictures import home_picture, small_picture

            made = home_picture(view.id, view.kind, pixels, whole=whole) if at_home else small_picture(view, pixels)
            if made is None and kept_as:
                made = home_picture(kept_as, view.kind, pixels, whole=whole)
            self.bring(lambda picture: self._keep(key, picture), made)

        self._small.wish(key, make, source)
        return self._kept.get((view.id, SIZE.width()))

    def forget(self, ids: Iterable[str] | None = None) -> None:
        """Files, or (None) any of them, are shown otherwise from now on: they are made anew when they are asked for."""
        gone = set(ids) if ids is not None else None
        for key in [key for key in self._kept if gone is None or key[0] in gone]:
            self._bytes -= _bytes_of(self._kept.pop(key))

    def bring(self, then: Callable[[Picture | None], None], picture: Picture | None) -> None:
        """From any thread: call something with a picture on the window's."""
        if not self.pool.closed:
            self._made.emit(then, picture)

    def end(self) -> None:
        """End the threads, and wait for none: one may hang on a disk."""
        self.pool.end()

    def join(self, patience: float) -> bool:
        """Wait some seconds for the threads to end, and close what they had open. Returns whether they have."""
        ended = self.pool.join(patience)
        for close in self.closing if ended else ():
            close()
        return ended

    def idle(self) -> bool:
        """Whether nothing is wished for any more."""
        return self.pool.idle

    def _keep(self, key: _Key, picture: Picture | None) -> None:
        pixmap = pixmap_of(picture, self._ratio)
        self._bytes += _bytes_of(pixmap) - _bytes_of(self._kept.get(key))
        self._kept[key] = pixmap
        while self._bytes > _KEPT:
            self._bytes -= _bytes_of(self._kept.popitem(last=False)[1])
        self.ready.emit(key[0])


def _bytes_of(pixmap: QPixmap | None) -> int:
    return 0 if pixmap is None else pixmap.width() * pixmap.height() * 4
