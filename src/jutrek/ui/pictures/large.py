"""Large pictures: of one capture at a time for up close, of some files side by side for comparing."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QSize
from PySide6.QtGui import QPixmap

from jutrek.desk.board_captures import CLIP, CaptureView
from jutrek.errors import TooLargeToShow
from jutrek.ui.pictures.service import LARGE, Pictures, pixmap_of

if TYPE_CHECKING:
    from jutrek.decoding import Shown
    from jutrek.desk.pictures import ClipFrames, Picture

_SIDE_BY_SIDE = 64


class OneAtATime:
    """Pictures and frames of the capture that is looked at. A newer wish supersedes an older one, also while a clip is
    being decoded; a clip stays open as long as it is walked through.
    """

    def __init__(self, pictures: Pictures, shown: Callable[[str, QPixmap | None, float, str], None]) -> None:
        """
        Args:
            pictures: makes them.
            shown: hears a capture's id, its picture or None, a clip's length in seconds (0 for others), and why there
                is no picture, if more is known than that.
        """
        self._pictures, self._shown = pictures, shown
        self._line = pictures.pool.line(LARGE)
        self._clip: tuple[str, ClipFrames | None] = ("", None)
        self._lock = threading.Lock()
        pictures.closing.append(self._close)

    def wish(self, view: CaptureView, size: QSize, share: float = 0.0) -> None:
        """Ask for a picture; it is shown unless another wish comes before it.

        Args:
            view: of what.
            size: the pixels to fit it into.
            share: of a clip's length, between 0 and 1.
        """
        fitted = (size.width(), size.height())

        def make(superseded: Callable[[], bool]) -> None:
            is_clip = view.kind == CLIP
            picture, seconds, why = None, 0.0, ""
            try:
                picture, seconds = (
                    self._frame(view, fitted, share, superseded) if is_clip else (_still(view, fitted), 0.0)
                )
            except TooLargeToShow as trouble:
                why = str(trouble)
            picture = picture or _last(view, fitted)
            self._pictures.bring(lambda made: self._shown(view.id, pixmap_of(made), seconds, why), picture)

        self._line.wish("", make, view.source)

    def _take(self) -> tuple[str, ClipFrames | None]:
        """The clip that is open; nobody else has it then. One whose medium hangs is not given back for long."""
        with self._lock:
            clip, self._clip = self._clip, ("", None)
        return clip

    def _give_back(self, key: str, frames: ClipFrames | None) -> None:
        with self._lock:
            other, self._clip = self._clip[1], (key, frames)
        if other is not None:
            other.close()

    def _close(self) -> None:
        self._give_back("", None)

    def _frame(
        self, view: CaptureView, size: tuple[int, int], share: float, superseded: Callable[[], bool]
    ) -> tuple[Picture | None, float]:
        """A frame of a clip, and the clip's length in seconds."""
        # What was turned meanwhile is opened anew.
        key = f"{view.id} {size[0]}×{size[1]} {_changed(view.id)}"
        known, frames = self._take()
        if known != key:
            if frames is not None:
                frames.close()
            frames = _opened(view, size)
        try:
            return (frames.at(share, superseded), frames.seconds) if frames is not None else (None, 0.0)
        except TooLargeToShow:
            raise
        # Decoders raise whatever they like on damaged content: a frame that cannot be decoded is no frame.
        except Exception:  # noqa: BLE001
            return None, frames.seconds if frames is not None else 0.0
        finally:
            self._give_back(key, frames)


def _changed(path: str) -> int:
    """When a file was changed last, in nanoseconds since 1970; 0 where that can't be told."""
    try:
        return os.stat(path).st_mtime_ns
    except OSError:
        return 0


def _still(view: CaptureView, size: tuple[int, int]) -> Picture | None:
    from jutrek.desk.pictures import large_picture

    return large_picture(view, size)


def _last(view: CaptureView, size: tuple[int, int]) -> Picture | None:
    """What was kept of a file that is not here: it is gone, or stored on a drive that is away."""
    from jutrek.desk.pictures import last_picture

    return last_picture(view.id, size)


def _opened(view: CaptureView, size: tuple[int, int]) -> ClipFrames | None:
    from jutrek.desk.pictures import ClipFrames

    try:
        return ClipFrames(view.id, size)
    # As above, of a whole clip.
    except Exception:  # noqa: BLE001
        return None


class SideBySide:
    """Pictures of whole files that are shown together, those wished for last first."""

    def __init__(self, pictures: Pictures, made: Callable[[str, QPixmap | None, str], None]) -> None:
        """
        Args:
            pictures: makes them.
            made: hears the path of a file, its picture or None, and why there is none, if more is known than that.
        """
        self._pictures, self._made = pictures, made
        self._line = pictures.pool.line(LARGE, waiting=_SIDE_BY_SIDE)

    def wish(self, view: Shown, size: QSize) -> None:
        """Ask for a picture that fits into `size` pixels."""

        def make(_superseded: Callable[[], bool]) -> None:
            # Here, off the way to the first paint.
            from jutrek.desk.pictures import whole_picture

            picture, why = None, ""
            try:
                picture = whole_picture(view, (size.width(), size.height()))
            except TooLargeToShow as trouble:
                why = str(trouble)
            self._pictures.bring(lambda made: self._made(view.id, pixmap_of(made), why), picture)

        self._line.wish(view.id, make)

    def forget(self) -> None:
        """Nothing that was asked for is wanted any more."""
        self._line.forget()

    def idle(self) -> bool:
        """Whether nothing is wished for any more."""
        return self._line.idle
