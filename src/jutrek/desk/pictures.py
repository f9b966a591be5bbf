"""Pictures of captures for a face: thumbnails, large pictures, frames of clips, waveforms of sound. No Qt.

Decoding happens in whatever thread calls.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, BinaryIO

from jutrek import pixels
from jutrek.decoding import Pictured, Shown, first_frame, frames_at, image_of, largest, opened, preview_of, shown, still
from jutrek.errors import FileTrouble, TooLargeToShow
from jutrek.formats import Kind, open_read_only, read

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray
    from PIL import Image

    from jutrek.desk.thumbnails import Original

_SMALL_ENOUGH = 6000
"""Bytes from which on an embedded JPEG is large enough for a thumbnail."""
_WHOLE_SOUND = 90.0
"""Seconds up to which a sound is decoded whole for its waveform; longer ones are sampled."""
_SAMPLES = 320
_PAPER, _INK = (232, 235, 232), (120, 134, 138)

Size = tuple[int, int]


@dataclass(frozen=True, slots=True)
class Picture:
    """Pixels: width, height, and rows of RGB bytes without padding."""

    width: int
    height: int
    rgb: bytes


def small_picture(view: Pictured, size: Size) -> Picture | None:
    """A picture of a capture's primary file, cropped to a shape in pixels.

    Returns:
        The picture, or None where the content gives none, or one that is too large: damage is no trouble here, the file
        is brought home anyway.
    """
    try:
        return _attempted(view, lambda file, view: _small(file, view, size))
    except TooLargeToShow:
        return None


def home_picture(path: str, kind: Kind, size: Size, *, whole: bool = False) -> Picture | None:
    """A picture of a file at home, cropped to a shape in pixels: by a thumbnail on the disk, which is made once.

    Args:
        path: of the file.
        kind: of it.
        size: in pixels.
        whole: whether nothing is cropped: it is as large as fits into these pixels then.

    Returns:
        The picture, or None where the content gives none.
    """
    from jutrek.desk import thumbnails

    of, folder = thumbnails.original(path), thumbnails.size_for(max(size))
    if of is None or folder is None:
        return small_picture(Shown(path, kind), size)
    picture = thumbnails.kept(of, folder) or _last_of(of)
    if picture is None:
        if of.mtime is None or thumbnails.failed(of):
            return None
        longest = thumbnails.SIZES[folder]
        try:
            made = whole_picture(Shown(path, kind), (longest, longest))
        except TooLargeToShow:
            return None
        if made is None:
            thumbnails.keep_failed(of)
            return None
        picture = _image_of(made)
        thumbnails.keep(of, folder, picture)
    return _fit_in(picture, size) if whole else _fitted(picture, size)


def last_picture(path: str, size: Size) -> Picture | None:
    """The last thumbnail of a file that is not there, as large as fits into `size` pixels; None for any other file."""
    from jutrek.desk import thumbnails

    of = thumbnails.original(path)
    picture = _last_of(of) if of is not None else None
    return _fit_in(picture, size) if picture is not None else None


def _last_of(of: Original) -> Image.Image | None:
    """The largest thumbnail that is kept of a file which is not there."""
    from jutrek.desk import thumbnails

    if of.mtime is not None:
        return None
    return next(filter(None, (thumbnails.kept(of, one) for one in reversed(thumbnails.SIZES))), None)


def _image_of(picture: Picture) -> Image.Image:
    from PIL import Image

    return Image.frombytes("RGB", (picture.width, picture.height), picture.rgb)


def large_picture(view: Pictured, size: Size) -> Picture | None:
    """A picture of a whole still, or the waveform of a sound, as large as fits into `size` pixels; None as above.

    Raises:
        TooLargeToShow: when it needs more room than pictures may take.
    """
    if view.kind is Kind.CLIP:
        return None
    return _attempted(view, lambda file, view: _large(file, view, size))


class ClipFrames:
    """Frames of one clip by their time. It keeps the clip open; close it in the end."""

    def __init__(self, path: str, size: Size) -> None:
        """
        Args:
            size: what frames are fitted into, in pixels.

        Raises:
            FileTrouble: when the file cannot be opened.
            Exception: whatever the decoder says of content that is no clip.
        """
        import av

        self._size = size
        self._file = open(open_read_only(path), "rb")  # noqa: SIM115
        try:
            self._container = av.open(self._file, "r", metadata_errors="ignore")
            self._stream: Any = self._container.streams.video[0]
        except BaseException:
            self._file.close()
            raise
        self.seconds = (self._container.duration or 0) / 1_000_000

    def at(self, share: float, superseded: Callable[[], bool]) -> Picture | None:
        """The frame at a share of the clip's length, between 0 and 1.

        Args:
            superseded: asked between frames; once it says yes, the frame at hand will do.

        Returns:
            The picture, or None where there is no frame.

        Raises:
            TooLargeToShow: when its frames need more room than pictures may take.
        """
        target = share * self.seconds
        start = (self._container.start_time or 0) / 1_000_000
        need, alone = pixels.of_clip(self._stream.codec_context)
        with pixels.room.taken(need):
            self._container.seek(int((start + target) * 1_000_000), backward=True)
            found = None
            for frame in self._container.decode(self._stream):
                found = frame
                if alone or superseded() or frame.time is None or frame.time - start >= target:
                    break
            return _fit_in(image_of(found, self._size), self._size) if found is not None else None

    def close(self) -> None:
        """Close the clip."""
        self._container.close()
        self._file.close()


def whole_picture(view: Pictured, size: Size) -> Picture | None:
    """A picture of anything as large as fits into `size` pixels: of clips the middle frame, of sounds the waveform.

    Raises:
        TooLargeToShow: when it needs more room than pictures may take.
    """
    return _attempted(view, lambda file, view: _whole(file, view, size))


def _whole(file: BinaryIO, view: Pictured, size: Size) -> Picture | None:
    if view.kind is Kind.CLIP:
        return _fit_in(frames_at(file, (0.5,), size)[0], size)
    return _large(file, view, size)


def _attempted(view: Pictured, make: Callable[[BinaryIO, Pictured], Picture | None]) -> Picture | None:
    try:
        known = view if view.format else shown(view.id, read(view.id))
        with opened(view.id) as file:
            return make(file, known)
    except TooLargeToShow:
        raise
    except FileTrouble:
        return None
    # Decoders raise whatever they like on damaged content, and all of it means the same: no picture.
    except Exception:  # noqa: BLE001
        return None


def _twice(size: Size) -> Size:
    """What is asked of a decoder: it offers steps, and making a picture smaller is better than larger."""
    return size[0] * 2, size[1] * 2


def _small(file: BinaryIO, view: Pictured, size: Size) -> Picture | None:
    if view.kind is Kind.STILL:
        large = [stretch for stretch in view.previews if stretch.size >= _SMALL_ENOUGH]
        preview = min(large, key=lambda stretch: stretch.size, default=largest(view.previews))
        return _fitted(still(file, view, preview, _twice(size)), size)
    if view.kind is Kind.CLIP:
        return _fitted(first_frame(file, size), size)
    return _drawn(_peaks(file, size[0] // 3), size) if view.kind is Kind.SOUND else None


def _large(file: BinaryIO, view: Pictured, size: Size) -> Picture | None:
    if view.kind is Kind.STILL:
        preview = preview_of(view)
        return _fit_in(still(file, view, preview, _twice(size)), size)
    return _drawn(_peaks(file, size[0] // 3), size) if view.kind is Kind.SOUND else None


def _peaks(file: BinaryIO, columns: int) -> NDArray[np.float32]:
    """The loudest sample of every column, between 0 and 1. Long sounds are looked at in places."""
    import av
    import numpy as np

    with av.open(file, "r", metadata_errors="ignore") as container:
        stream = container.streams.audio[0]
        seconds = (container.duration or 0) / 1_000_000
        if seconds <= _WHOLE_SOUND:
            loud = [_loudest(frame) for frame in container.decode(stream)]
        else:
            loud = []
            for number in range(min(columns, _SAMPLES)):
                container.seek(int(seconds * number / min(columns, _SAMPLES) * 1_000_000))
                loud.append(_loudest(next(container.decode(stream))))
    peaks = np.array(loud, np.float32)
    peaks /= max(float(peaks.max()), 1e-9)
    return np.interp(np.linspace(0, len(peaks) - 1, columns), np.arange(len(peaks)), peaks).astype(np.float32)


def _loudest(frame: Any) -> float:
    import numpy as np

    return float(np.abs(frame.to_ndarray().astype(np.float32)).max())


def _drawn(peaks: Sequence[float] | NDArray[np.float32], size: Size) -> Picture:
    """A waveform: a bar for each column, from the middle up and down."""
    from PIL import Image, ImageDraw

    picture = Image.new("RGB", size, _PAPER)
    pen = ImageDraw.Draw(picture)
    for column, peak in enumerate(peaks):
        half = max(1.0, float(peak) * size[1] * 0.42)
        pen.rectangle((column * 3, size[1] / 2 - half, column * 3 + 1, size[1] / 2 + half), fill=_INK)
    return _of(picture)


def _fitted(picture: Image.Image, size: Size) -> Picture:
    """Cropped to a shape."""
    from PIL import Image, ImageOps

    return _of(ImageOps.fit(picture, size, Image.Resampling.BILINEAR))


def _fit_in(picture: Image.Image, size: Size) -> Picture:
    """Whole, as large as fits; small ones are not blown up beyond twice their size."""
    from PIL import Image

    scale = min(size[0] / picture.width, size[1] / picture.height, 2.0)
    wanted = max(1, round(picture.width * scale)), max(1, round(picture.height * scale))
    return _of(picture.resize(wanted, Image.Resampling.LANCZOS if scale < 1 else Image.Resampling.BICUBIC))


def _of(picture: Image.Image) -> Picture:
    return Picture(picture.width, picture.height, picture.tobytes())
