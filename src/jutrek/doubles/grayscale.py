"""Grey pictures to tell looks by, and what clips and sounds have instead: looks of frames, the course of loudness.

A clip's looks are those of its frames at `SHARES` of its length. A sound's look is 64 bits: whether each of 65 equal
pieces of it is louder than the one before. Encoding, sample rate and loudness change neither.
"""

from __future__ import annotations

import errno
from collections import OrderedDict
from collections.abc import Callable
from typing import TYPE_CHECKING, TypeVar

import numpy as np

from jutrek.decoding import Shown, frames_at, loudness, opened, preview_of, shown, still
from jutrek.doubles.looks import looks_of
from jutrek.errors import FileTrouble, SourceUnreadable
from jutrek.formats import Kind, Reading, read

if TYPE_CHECKING:
    from PIL import Image

_T = TypeVar("_T")
SIDE = 160
"""Pixels of the longer side of a grey picture."""
SHARES = (0.15, 0.5, 0.85)
_PIECES = 65
_WHOLE = 600.0
"""Seconds up to which a sound is listened to whole."""
_QUIET = 1e-4
"""Full scale is 1: below this a sound is silence, which nothing can be told by."""


_MEDIUM = frozenset({errno.EIO, errno.ENODEV, errno.ENXIO, errno.ENOENT, errno.ESTALE, errno.ETIMEDOUT})
"""Errors of the medium rather than of the content: it may be gone."""


def _decoded(path: str, make: Callable[[], _T | None]) -> _T | None:
    """What a decoder makes of a file; None where the content gives nothing.

    Raises:
        SourceUnreadable: when it cannot be read now.
    """
    try:
        return make()
    except FileTrouble:
        raise
    except OSError as error:
        if error.errno in _MEDIUM:
            raise SourceUnreadable(path, error) from error
        return None
    # Decoders raise whatever they like on damaged content, and all of it means the same: no picture.
    except Exception:  # noqa: BLE001
        return None


def grey_of(view: Shown) -> Image.Image | None:
    """A still as a small grey picture, upright; None where its content gives none.

    Raises:
        SourceUnreadable: when it cannot be read now.
    """

    def make() -> Image.Image:
        with opened(view.id) as file:
            preview = preview_of(view)
            return _small(still(file, view, preview, (SIDE, SIDE), "L"))

    return _decoded(view.id, make)


def _small(picture: Image.Image) -> Image.Image:
    from PIL import Image

    picture.thumbnail((SIDE, SIDE), Image.Resampling.BOX, reducing_gap=None)
    return picture


def looks_at(path: str, reading: Reading) -> bytes:
    """The looks of a file, as they are kept: of a still as `Looks.as_bytes`, of a clip 24 bytes, of a sound 8.

    Returns:
        Nothing where the content gives no picture or sound that anything could be told by.

    Raises:
        SourceUnreadable: when it cannot be read now.
    """
    if reading.kind is Kind.STILL:
        return looks_of_still(shown(path, reading))
    if reading.kind is Kind.CLIP:
        return _decoded(path, lambda: _of_clip(path)) or b""
    return _decoded(path, lambda: _of_sound(path)) or b"" if reading.kind is Kind.SOUND else b""


def looks_of_still(view: Shown) -> bytes:
    """The looks of a still of which it is known what its picture is made of; else as `looks_at`."""
    grey = grey_of(view)
    looks = looks_of(grey) if grey is not None else None
    return looks.as_bytes() if looks is not None else b""


def _of_clip(path: str) -> bytes:
    with opened(path) as file:
        found = [looks_of(_small(frame.convert("L"))) for frame in frames_at(file, SHARES)]
    words = [looks.look for looks in found if looks is not None]
    return np.array(words, "<u8").tobytes() if len(words) == len(SHARES) else b""


def _of_sound(path: str) -> bytes:
    with opened(path) as file:
        loud = loudness(file, _PIECES, _WHOLE)
    if float(loud.max()) < _QUIET:
        return b""
    return np.packbits(np.diff(loud) > 0, bitorder="little").tobytes()


class Greys:
    """Grey pictures of files, the ones used last kept.

    Args:
        most: how many are kept.
    """

    def __init__(self, most: int = 600) -> None:
        self._kept: OrderedDict[str, Image.Image | None] = OrderedDict()
        self._most = most

    def of(self, path: str) -> Image.Image | None:
        """The grey picture of the still at a path; None where its content gives none.

        Raises:
            SourceUnreadable: when it cannot be read now; that is not remembered.
        """
        if path not in self._kept:
            self._kept[path] = grey_of(shown(path, read(path)))
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        self._kept.move_to_end(path)
        return self._kept[path]
