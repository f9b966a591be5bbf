"""Small JPEGs of stills, and of the first frames of clips: upright, in sRGB, and without a word of metadata."""

from __future__ import annotations

import io
import os
from typing import TYPE_CHECKING, BinaryIO

from jutrek.decoding import MAX_PREVIEW, Pictured, first_frame, preview_of, still
from jutrek.formats import Kind
from jutrek.outboxes.colour import in_srgb, says_adobe, srgb_profile

if TYPE_CHECKING:
    from PIL import Image


def small_jpeg(file: BinaryIO, view: Pictured, longest: int, quality: int) -> bytes:
    """A small JPEG of a still or clip. A raw is shown by its largest preview.

    Args:
        file: open for reading.
        view: what is known of it.
        longest: pixels of its longer side at most; it is made no larger than it is.
        quality: 1 to 95.

    Raises:
        TooLargeToShow: when it needs more room than pictures may take.
        Exception: whatever the decoder says of damaged content.
    """
    from PIL import Image

    size = (longest, longest)
    if view.kind is Kind.CLIP:
        picture, adobe = first_frame(file, size), False
    else:
        adobe = _is_adobe(file, view)
        picture = still(file, view, preview_of(view), size)
    # `thumbnail` would decode a JPEG at once by less than its size: what `still` gave is decoded.
    picture.thumbnail(size, Image.Resampling.LANCZOS)
    return _encoded(in_srgb(picture, adobe=adobe), quality)


def _is_adobe(file: BinaryIO, view: Pictured) -> bool:
    preview = preview_of(view)
    if preview is not None and preview.size <= MAX_PREVIEW:
        return says_adobe(io.BytesIO(os.pread(file.fileno(), preview.size, preview.offset)))
    return view.format == "jpeg" and says_adobe(file)


def _encoded(picture: Image.Image, quality: int) -> bytes:
    made = io.BytesIO()
    clean = picture.copy()
    clean.info.clear()
    clean.save(made, "JPEG", quality=quality, optimize=True, icc_profile=srgb_profile())
    return made.getvalue()
