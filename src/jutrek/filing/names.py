"""Names that are legal everywhere a library may live, and that never clash.

Two names are the same name when they differ only by case or by Unicode form: a library may be carried to a place
that does not tell them apart.
"""

from __future__ import annotations

import os
import re
import unicodedata
from collections import defaultdict
from collections.abc import Iterable, Sequence

from jutrek.errors import LibraryMissing, reason

MAX_BYTES = 255
_ROOM_FOR_A_COUNT = 8
_CLIP_DATA = re.compile(r"M\d\d\.xml$", re.IGNORECASE)
_FORBIDDEN = frozenset('<>:"/\\|?*')
_RESERVED = frozenset(
    ["con", "prn", "aux", "nul"] + [f"com{n}" for n in range(1, 10)] + [f"lpt{n}" for n in range(1, 10)]
)
_SUFFIXES: dict[str, tuple[str, ...]] = {
    "jpeg": (".jpg", ".jpeg", ".jpe", ".thm", ".mpo", ".jps", ".insp"),
    "tiff": (".tif", ".tiff"),
    "dng": (".dng", ".gpr"),
    "nef": (".nef", ".nrw"),
    "arw": (".arw", ".sr2", ".srf"),
    "3fr": (".3fr", ".fff"),
    "dcr": (".dcr", ".kdc"),
    "rw2": (".rw2", ".rwl", ".raw"),
    **{name: (f".{name}",) for name in ("cr2", "cr3", "orf", "raf", "pef", "srw", "erf", "mef", "mos", "mrw", "x3f")},
    "heic": (".heic", ".hif"),
    "heif": (".heif", ".hif", ".heic"),
    **{name: (f".{name}",) for name in ("avif", "png", "webp", "jxl", "gif")},
    "mp4": (".mp4", ".m4v", ".m4a", ".lrv", ".360", ".insv"),
    "m4v": (".m4v", ".mp4"),
    "mov": (".mov", ".qt"),
    "3gp": (".3gp", ".3g2"),
    "mpeg-ts": (".mts", ".m2ts", ".m2t", ".ts", ".tod"),
    "mpeg-ps": (".mpg", ".mpeg", ".mod", ".vob"),
    "matroska": (".mkv", ".mka"),
    "asf": (".wmv", ".wma", ".asf"),
    **{name: (f".{name}",) for name in ("avi", "mxf", "webm", "dv")},
    "m4a": (".m4a", ".m4b"),
    "wav": (".wav", ".bwf"),
    "aiff": (".aif", ".aiff", ".aifc"),
    "ogg": (".ogg", ".oga", ".ogv"),
    "opus": (".opus", ".ogg"),
    **{name: (f".{name}",) for name in ("flac", "mp3", "caf")},
    "clipdata": (".xml",),
    **{name: (f".{name}",) for name in ("xmp", "moi", "srt", "aae")},
}
"""The extensions that a container may bear; the first is given where a file bears none of them."""


def same_name(name: str) -> str:
    """The form in which names are compared."""
    return unicodedata.normalize("NFC", unicodedata.normalize("NFD", name).casefold())


def stem_of(name: str) -> str:
    """A name without its extension, and without the inner one of a sidecar (`a.dng.xmp`)."""
    stem, suffix = os.path.splitext(name)
    if suffix.lower() == ".xmp" and 2 <= len(os.path.splitext(stem)[1]) <= 5:
        stem = os.path.splitext(stem)[0]
    return stem


def suffix_of(name: str, container: str) -> str:
    """The extension a file gets: its own in lower case if its content may bear it, else its content's.

    Clip data keep the number that their camera puts between stem and extension (`C0001M01.XML`).
    """
    suffix = os.path.splitext(name)[1].lower()
    if container == "xmp":
        inner = name[len(stem_of(name)) :].lower()
        return legal(inner) if inner.count(".") == 2 else ".xmp"
    if container == "clipdata" and (numbered := _CLIP_DATA.search(name)):
        return numbered[0][:3].upper() + ".xml"
    allowed = _SUFFIXES.get(container)
    if allowed is not None:
        return suffix if suffix in allowed else allowed[0]
    return legal(suffix) if suffix else f".{container}"


def legal(name: str) -> str:
    """A name that every file system takes: NFC, no forbidden signs, no trailing dot or space, not reserved."""
    text = os.fsencode(name).decode("utf-8", "replace").replace("\ufffd", "_")
    text = unicodedata.normalize("NFC", text)
    text = "".join("_" if sign in _FORBIDDEN or not (sign.isprintable() or sign == " ") else sign for sign in text)
    text = text.rstrip(". ")
    if text.split(".")[0].lower() in _RESERVED:
        text = f"_{text}"
    return text or "_"


def shortened(stem: str, suffix: str, *, spare: int = _ROOM_FOR_A_COUNT) -> str:
    """A stem that leaves room for its extension and a count within 255 bytes of UTF-8."""
    room = MAX_BYTES - len(suffix.encode()) - spare
    while len(stem.encode()) > room:
        stem = stem[:-1]
    return stem.rstrip(". ")


class Folders:
    """The names that are taken in the library's folders, on disk and by the plan in the making."""

    def __init__(self, root: str) -> None:
        self._root = root
        self._names: dict[str, set[str]] = {}
        self._stems: dict[str, set[str]] = defaultdict(set)

    def free_stem(self, folder: str, wish: str, suffixes: Sequence[str]) -> str:
        """Take a stem that nothing in the folder has yet: the wish, else the wish with a count from 2 on."""
        taken = self._taken(folder)
        wish = shortened(wish, max(suffixes, key=len))
        stem, count = wish, 1
        while same_name(stem) in self._stems[folder] or any(same_name(stem + end) in taken for end in suffixes):
            count += 1
            stem = f"{wish}_{count}"
        self._take(folder, (stem + suffix for suffix in suffixes))
        self._stems[folder].add(same_name(stem))
        return stem

    def take_beside(self, folder: str, stem: str, suffix: str) -> bool:
        """Take one name beside files of the same stem; False when just that name is taken."""
        name = stem + suffix
        if same_name(name) in self._taken(folder) or len(name.encode("utf-8", "replace")) > MAX_BYTES:
            return False
        self._take(folder, (name,))
        return True

    def _take(self, folder: str, names: Iterable[str]) -> None:
        for name in names:
            self._names[folder].add(same_name(name))
            self._stems[folder].add(same_name(stem_of(name)))

    def _taken(self, folder: str) -> set[str]:
        if folder not in self._names:
            self._names[folder] = set()
            try:
                self._take(folder, os.listdir(os.path.join(self._root, folder)))
            except (FileNotFoundError, NotADirectoryError):
                pass
            except OSError as error:
                raise LibraryMissing(os.path.join(self._root, folder), reason(error)) from error
        return self._names[folder]
