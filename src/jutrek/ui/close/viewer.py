"""The thread behind Close look: pictures and frames, the newest wish first and alone."""

from __future__ import annotations

import threading
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject, QSize, Signal

from jutrek.desk.board import CLIP, CaptureView

if TYPE_CHECKING:
    from jutrek.desk.pictures import ClipFrames, Picture


class Wish(NamedTuple):
    """A capture, the pixels to fit it into, and for clips the share of their length."""

    view: CaptureView
    size: QSize
    share: float


class Viewer(QObject):
    """Makes large pictures. A newer wish supersedes an older one, also while a clip is being decoded."""

    shown = Signal(str, object, float)
    """A capture's id, its picture or None, and a clip's length in seconds (0 for others)."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._more = threading.Condition()
        self._wish: Wish | None = None
        self._closed = False
        self._thread: threading.Thread | None = None

    def wish(self, view: CaptureView, size: QSize, share: float = 0.0) -> None:
        """Ask for a picture; `shown` follows unless another wish comes before it."""
        with self._more:
            self._wish = Wish(view, size, share)
            self._more.notify()
        if self._thread is None:
            self._thread = threading.Thread(target=self._work, name="close look", daemon=True)
            self._thread.start()

    def close(self) -> None:
        """End the thread."""
        with self._more:
            self._closed = True
            self._more.notify()
        if self._thread is not None:
            self._thread.join()

    def _superseded(self) -> bool:
        return self._wish is not None or self._closed

    def _work(self) -> None:
        clip: tuple[str, ClipFrames | None] = ("", None)
        while True:
            with self._more:
                while self._wish is None and not self._closed:
                    self._more.wait()
                wish, self._wish = self._wish, None
            if self._closed or wish is None:
                break
            key = f"{wish.view.id} {wish.size.width()}×{wish.size.height()}"
            if clip[0] != key:
                if clip[1] is not None:
                    clip[1].close()
                clip = (key, self._opened(wish) if wish.view.kind == CLIP else None)
            picture = self._frame(clip[1], wish) if wish.view.kind == CLIP else self._still(wish)
            seconds = clip[1].seconds if clip[1] is not None else 0.0
            self.shown.emit(wish.view.id, picture, seconds)
        if clip[1] is not None:
            clip[1].close()

    def _still(self, wish: Wish) -> Picture | None:
        from jutrek.desk.pictures import large_picture

        return large_picture(wish.view, (wish.size.width(), wish.size.height()))

    def _opened(self, wish: Wish) -> ClipFrames | None:
        from jutrek.desk.pictures import ClipFrames

        try:
            return ClipFrames(wish.view.id, (wish.size.width(), wish.size.height()))
        # Decoders raise whatever they like on damaged content, and all of it means the same: no picture.
        except Exception:  # noqa: BLE001
            return None

    def _frame(self, frames: ClipFrames | None, wish: Wish) -> Picture | None:
        try:
            return frames.at(wish.share, self._superseded) if frames is not None else None
        # As above: a frame that cannot be decoded is no frame, and the last one stays.
        except Exception:  # noqa: BLE001
            return None
