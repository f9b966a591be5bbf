"""Colours of small copies: sRGB (IEC 61966-2-1), whatever their originals are in.

An original says it by a profile (ICC.1), or, as cameras write Adobe RGB (1998), by the interoperability index `R03` of
its Exif (DCF 2.0, section 4.3).
"""

from __future__ import annotations

import functools
import io
from typing import TYPE_CHECKING, BinaryIO

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray
    from PIL import Image

_INTEROPERABILITY, _INDEX = 0xA005, 0x0001
_ADOBE_GAMMA = 2.19921875
_ADOBE_TO_SRGB = ((1.39836, -0.39836, 0.0), (0.0, 1.0, 0.0), (0.0, -0.04293, 1.04293))
"""Linear light, both with the white D65: from the primaries in Adobe RGB (1998), section 4.3.1."""
_ROWS = 256
"""Rows that are computed at once."""


def says_adobe(file: BinaryIO) -> bool:
    """Whether a picture says that it is in Adobe RGB by its Exif. It is not decoded."""
    from PIL import Image

    # Decoders raise whatever they like on damaged content, which says nothing.
    try:
        exif = Image.open(file).getexif()
        return str(exif.get_ifd(_INTEROPERABILITY).get(_INDEX, "")).strip("\0 ") == "R03"
    except Exception:  # noqa: BLE001
        return False
    finally:
        file.seek(0)


def in_srgb(picture: Image.Image, *, adobe: bool = False) -> Image.Image:
    """A picture of mode RGB in sRGB, by its profile where it has one. What can't be used changes nothing.

    Args:
        picture: with its profile, if it has one, as `icc_profile` among what Pillow knows of it.
        adobe: whether it is in Adobe RGB where it has none.
    """
    from PIL import ImageCms

    profile = picture.info.get("icc_profile")
    if not profile:
        return _from_adobe(picture) if adobe else picture
    try:
        made = ImageCms.profileToProfile(picture, io.BytesIO(profile), ImageCms.createProfile("sRGB"))
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
        return picture
    return made if made is not None else picture


@functools.cache
def srgb_profile() -> bytes:
    """The profile of sRGB, as copies carry it."""
    from PIL import ImageCms

    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def _from_adobe(picture: Image.Image) -> Image.Image:
    import numpy as np
    from PIL import Image

    to_light, to_value = _tables()
    pixels = np.asarray(picture)
    made = np.empty_like(pixels)
    matrix = np.array(_ADOBE_TO_SRGB, np.float32).T
    for top in range(0, len(pixels), _ROWS):
        light = to_light[pixels[top : top + _ROWS]] @ matrix
        made[top : top + _ROWS] = to_value[(np.clip(light, 0, 1) * (len(to_value) - 1) + 0.5).astype(np.uint16)]
    return Image.fromarray(made)


@functools.cache
def _tables() -> tuple[NDArray[np.float32], NDArray[np.uint8]]:
    """Light of the values of Adobe RGB, and values of sRGB of 4,096 steps of light."""
    import numpy as np

    light = np.linspace(0, 1, 4096)
    value = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    return (np.arange(256) / 255).astype(np.float32) ** np.float32(_ADOBE_GAMMA), np.round(value * 255).astype(np.uint8)
