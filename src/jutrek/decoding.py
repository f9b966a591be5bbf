"""Decoding: upright pictures of stills, frames of clips, pieces of sound. Decoders are packages; no policy here.

Sources are opened read-only here too. Decoders raise whatever they like on damaged content; callers that can do without
a picture catch it.
"""

from __future__ import annotations

import io
import os
import warnings
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, BinaryIO, NamedTuple, Protocol

from jutrek import pixels
from jutrek.formats import Decoder, Kind, Reading, Stretch, format_of, open_read_only

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray
    from PIL import Image

# What decoders think of a file's metadata is nobody's concern here, and belongs on no terminal.
warnings.filterwarnings("ignore", module=r"PIL\.")

MAX_PREVIEW = 64 * 1024 * 1024
_ORIENTATION = 0x0112
_LARGE = 16_000_000
"""Pixels from which on a picture is made smaller before it is turned and converted."""
_REDUCIBLE = ("L", "RGB", "RGBA", "RGBX", "CMYK")
_WIDE_GREY = ("I;16", "I;16B", "I;16L", "I;16N")


class Pictured(Protocol):
    """What a picture is made of: a file, and what is known of it."""

    @property
    def id(self) -> str:
        """Its path."""

    @property
    def kind(self) -> Kind:
        """Still, clip or sound."""

    @property
    def format(self) -> str:
        """Its container."""

    @property
    def orientation(self) -> int:
        """The Exif value 1..8."""

    @property
    def previews(self) -> tuple[Stretch, ...]:
        """Embedded JPEGs."""


class Shown(NamedTuple):
    """What a picture is made of, as `Pictured`. Without a format, whoever decodes it reads it first."""

    id: str
    kind: Kind = Kind.STILL
    format: str = ""
    orientation: int = 1
    previews: tuple[Stretch, ...] = ()


def shown(path: str, reading: Reading) -> Shown:
    """What the picture of a file is made of."""
    return Shown(path, reading.kind, reading.format, reading.orientation, reading.previews)


_TURNS = {2: 0, 3: 3, 4: 1, 5: 5, 6: 4, 7: 6, 8: 2}
"""How pictures are turned that way up, as `Image.Transpose` counts (Exif 2.32, orientation)."""


@contextmanager
def opened(path: str) -> Iterator[BinaryIO]:
    """A file, open for reading only.

    Raises:
        SourceUnreadable: when it cannot be opened.
    """
    with open(open_read_only(path), "rb") as file:
        yield file


def still(
    file: BinaryIO, view: Pictured, preview: Stretch | None, size: tuple[int, int], mode: str = "RGB"
) -> Image.Image:
    """A still the right way up, decoded at the least size that its format offers from `size` (pixels) on.

    Args:
        preview: the embedded JPEG to take instead of the picture. Where it does not say which way is up, the file does.
        mode: `RGB`, or `L` for grey.

    Raises:
        TooLargeToShow: when it needs more room than pictures may take.
        Exception: whatever the decoder says of damaged content.
    """
    from PIL import Image

    source: BinaryIO | io.BytesIO = file
    if preview is not None and preview.size <= MAX_PREVIEW:
        source = io.BytesIO(os.pread(file.fileno(), preview.size, preview.offset))
    if format_of(view.format).decoder is Decoder.HEIF:
        import pillow_heif

        pillow_heif.register_heif_opener()
    # Pillow's own limit knows neither what a picture is made smaller by nor who else decodes: `pixels` decides.
    Image.MAX_IMAGE_PIXELS = None
    picture: Image.Image = Image.open(source)
    whole = picture.size
    picture.draft(mode, size)
    with pixels.room.taken(pixels.of_still(picture, whole, size, source)):
        picture.load()
        turn = _turn(picture, view, preview)
        picture = _reduced(picture, size)
        picture = picture if picture.mode == mode else picture.convert(mode)
        return picture if turn is None else picture.transpose(turn)


def _turn(picture: Image.Image, view: Pictured, preview: Stretch | None) -> Image.Transpose | None:
    """How a picture is turned that way up. Of a JPEG what its file says is known; of a preview its raw says it."""
    from PIL import Image

    if preview is None and view.format == "jpeg":
        turn = _TURNS.get(view.orientation)
    else:
        told = picture.getexif().get(_ORIENTATION)
        turn = _TURNS.get(told or (view.orientation if preview is not None else 1))
    return Image.Transpose(turn) if turn is not None else None


def turned_so(picture: Image.Image, orientation: int) -> Image.Image:
    """A picture as one with that orientation is shown (Exif, 1 to 8)."""
    from PIL import Image

    turn = _TURNS.get(orientation)
    return picture if turn is None else picture.transpose(Image.Transpose(turn))


def _reduced(picture: Image.Image, size: tuple[int, int]) -> Image.Image:
    """A large picture made smaller by a whole number before anything else is done with it, which takes copies."""
    import numpy as np
    from PIL import Image

    factor = min(picture.width // size[0], picture.height // size[1])
    factor = max(1, factor) if picture.width * picture.height >= _LARGE else 1
    if picture.mode in _WIDE_GREY:
        return Image.fromarray((np.asarray(picture)[::factor, ::factor] >> 8).astype(np.uint8))
    return picture.reduce(factor) if factor > 1 and picture.mode in _REDUCIBLE else picture


def largest(previews: Sequence[Stretch]) -> Stretch | None:
    """The largest of embedded JPEGs."""
    return max(previews, key=lambda stretch: stretch.size, default=None)


def preview_of(view: Pictured) -> Stretch | None:
    """What stands for a still: its largest embedded JPEG, or None where it is decoded itself."""
    return largest(view.previews) if format_of(view.format).decoder is Decoder.NONE else None


def image_of(frame: Any, size: tuple[int, int] | None = None) -> Image.Image:
    """A frame of a clip as a picture, the right way up.

    Args:
        size: where that is much less, the picture is no larger than covers it, in pixels and either way up.
    """
    from PIL import Image

    shape = {}
    if size is not None and (scale := max(size) / min(frame.width, frame.height)) < 0.5:
        shape = {"width": max(2, round(frame.width * scale)), "height": max(2, round(frame.height * scale))}
    picture = Image.fromarray(frame.to_ndarray(format="rgb24", **shape))
    turned = round(getattr(frame, "rotation", 0) or 0) % 360
    return picture.rotate(turned, expand=True) if turned else picture


def first_frame(file: BinaryIO, size: tuple[int, int]) -> Image.Image:
    """The first frame of a clip that stands for itself, as `image_of`.

    Raises:
        TooLargeToShow: when it needs more room than pictures may take.
        Exception: whatever the decoder says of damaged content.
    """
    import av

    with av.open(file, "r", metadata_errors="ignore") as container:
        stream = container.streams.video[0]
        with pixels.room.taken(pixels.of_clip(stream.codec_context, alone=True).size):
            return image_of(next(container.decode(stream)), size)


def frames_at(file: BinaryIO, shares: Sequence[float], size: tuple[int, int] | None = None) -> list[Image.Image]:
    """The frames of a clip at shares of its length, between 0 and 1, as `image_of`.

    Raises:
        TooLargeToShow: when they need more room than pictures may take.
        Exception: whatever the decoder says of damaged content.
    """
    import av

    found = []
    with av.open(file, "r", metadata_errors="ignore") as container:
        stream = container.streams.video[0]
        length, start = container.duration or 0, container.start_time or 0
        need, alone = pixels.of_clip(stream.codec_context)
        with pixels.room.taken(need):
            for share in shares:
                container.seek(int(start + share * length), backward=True)
                wanted, frame = (start + share * length) / 1_000_000, None
                for decoded in container.decode(stream):
                    frame = decoded
                    if alone or frame.time is None or frame.time >= wanted:
                        break
                if frame is not None:
                    found.append(image_of(frame, size))
    return found


def loudness(file: BinaryIO, pieces: int, seconds: float) -> NDArray[np.float64]:
    """How loud a sound is along its length: the root of the mean square in each of `pieces` equal pieces.

    Args:
        seconds: up to which a sound is decoded whole; of longer ones a moment in the middle of each piece is.
    """
    import av
    import numpy as np

    sums, counts = np.zeros(pieces), np.zeros(pieces)
    with av.open(file, "r", metadata_errors="ignore") as container:
        stream = container.streams.audio[0]
        length, start = (container.duration or 0) / 1_000_000, (container.start_time or 0) / 1_000_000
        if length <= 0:
            raise ValueError("a sound without length")
        share = pieces / length
        spans = [(0.0, length)] if length <= seconds else [_moment(piece, share) for piece in range(pieces)]
        for begin, end in spans:
            if begin:
                container.seek(int((start + begin) * 1_000_000), backward=True)
            for frame in container.decode(stream):
                at = (frame.time or 0.0) - start
                if at >= end:
                    break
                if at >= begin:
                    _add(frame, at * share, share / frame.sample_rate, sums, counts)
    loud: NDArray[np.float64] = np.sqrt(sums / np.maximum(counts, 1))
    return loud


_MOMENT = 0.4


def _moment(piece: int, share: float) -> tuple[float, float]:
    middle = (piece + 0.5) / share
    return middle - _MOMENT / 2, middle + _MOMENT / 2


def _add(frame: Any, at: float, step: float, sums: NDArray[np.float64], counts: NDArray[np.float64]) -> None:
    """Add a frame's samples to the pieces that they are in: `at` is the first one, `step` leads to the next."""
    import numpy as np

    samples = frame.to_ndarray().astype(np.float64)
    if not frame.format.is_planar:
        samples = samples.reshape(-1, frame.layout.nb_channels).T
    if frame.format.name.startswith("s"):
        samples /= float(1 << (8 * frame.format.bytes - 1))
    power = (samples**2).mean(axis=0)
    where = np.clip((at + np.arange(len(power)) * step).astype(np.int64), 0, len(sums) - 1)
    sums += np.bincount(where, power, len(sums))
    counts += np.bincount(where, minlength=len(sums))
