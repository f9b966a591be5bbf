"""Thumbnails on the disk, shared with file managers and other programs.

By the Thumbnail Managing Standard of freedesktop.org (0.9): PNG files in `$XDG_CACHE_HOME/thumbnails/SIZE`, named by
the MD5 of the file's URI, with `Thumb::URI` and `Thumb::MTime` inside; what cannot be shown is remembered under `fail`.
A thumbnail is used while its time is that of the file, and what it says of itself is checked: anybody may write there.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
from typing import TYPE_CHECKING, NamedTuple
from urllib.parse import quote

import platformdirs

from jutrek.disk import chosen, have_folder

if TYPE_CHECKING:
    from PIL import Image

SIZES = {"normal": 128, "large": 256, "x-large": 512, "xx-large": 1024}
"""The longer side of thumbnails in pixels, by their folders."""
_FAILED = "fail/jutrek"
_MOST_BYTES, _MOST_PIXELS = 8_000_000, 1024 * 1024
_URI, _TIME = "Thumb::URI", "Thumb::MTime"


class Original(NamedTuple):
    """A file that thumbnails are of.

    Attributes:
        uri: of its absolute path.
        mtime: time of its last change, in whole seconds; None where it is gone: its last thumbnail holds.
    """

    uri: str
    mtime: int | None

    @property
    def name(self) -> str:
        """What its thumbnails are called."""
        return f"{hashlib.md5(self.uri.encode(), usedforsecurity=False).hexdigest()}.png"


def original(path: str) -> Original | None:
    """A file as thumbnails know it; None where it cannot be looked at, or is a thumbnail itself."""
    try:
        mtime: int | None = int(os.stat(path).st_mtime)
    except FileNotFoundError:
        mtime = None
    except OSError:
        return None
    if path.startswith(_folder() + os.sep):
        return None
    return Original(_uri(path), mtime)


def _uri(path: str) -> str:
    return "file://" + quote(os.fsencode(path))


def size_for(pixels: int) -> str | None:
    """The folder of the least thumbnails that are as large as this; None where none are."""
    return next((name for name, longest in SIZES.items() if longest >= pixels), None)


def kept(of: Original, size: str) -> Image.Image | None:
    """The thumbnail of a file as it is now; None where there is none that can be used.

    Args:
        of: the file.
        size: the folder.
    """
    from PIL import Image

    path = os.path.join(_folder(), size, of.name)
    try:
        if os.path.getsize(path) > _MOST_BYTES:
            return None
        with Image.open(path, formats=("PNG",)) as picture:
            if picture.width * picture.height > _MOST_PIXELS or max(picture.size) > SIZES[size]:
                return None
            picture.load()
            said = getattr(picture, "text", {})
            if said.get(_URI) != of.uri or (of.mtime is not None and said.get(_TIME) != str(of.mtime)):
                return None
            return picture.convert("RGB")
    # Decoders raise whatever they like on damaged content: it is made again then.
    except Exception:  # noqa: BLE001
        return None


def keep(of: Original, size: str, picture: Image.Image) -> None:
    """Keep a thumbnail. Where that fails, it is made again the next time.

    Args:
        of: the file, as it was before it was read.
        size: the folder.
        picture: whole, upright, no larger than that size.
    """
    _write(os.path.join(size, of.name), of, picture)


def forget(path: str) -> None:
    """A file is shown otherwise from now on, also within the same second: its thumbnails are made anew."""
    name = f"{hashlib.md5(_uri(path).encode(), usedforsecurity=False).hexdigest()}.png"
    for size in (*SIZES, _FAILED):
        with contextlib.suppress(OSError):
            tree, at = chosen(os.path.join(_folder(), size, name))
            tree.remove(at, still=tree.lstat(at))


def failed(of: Original) -> bool:
    """Whether the file as it is now could not be shown before."""
    from PIL import Image

    try:
        with Image.open(os.path.join(_folder(), _FAILED, of.name), formats=("PNG",)) as picture:
            said = getattr(picture, "text", {})
            return picture.width == 1 and said.get(_URI) == of.uri and said.get(_TIME) == str(of.mtime)
    except Exception:  # noqa: BLE001
        return False


def keep_failed(of: Original) -> None:
    """Remember that a file cannot be shown."""
    from PIL import Image

    _write(os.path.join(_FAILED, of.name), of, Image.new("RGBA", (1, 1)))


def _folder() -> str:
    return os.path.join(os.path.dirname(platformdirs.user_cache_dir("jutrek")), "thumbnails")


def _write(path: str, of: Original, picture: Image.Image) -> None:
    import io

    from PIL.PngImagePlugin import PngInfo

    said = PngInfo()
    said.add_text(_URI, of.uri)
    said.add_text(_TIME, str(of.mtime))
    said.add_text("Software", "Jutrek")
    made = io.BytesIO()
    picture.save(made, "PNG", pnginfo=said, compress_level=3)
    whole = os.path.join(_folder(), path)
    try:
        have_folder(os.path.dirname(whole), private=True)
        tree, name = chosen(whole)
        tree.write_own(name, made.getvalue(), lasting=False)
    except OSError:
        return
