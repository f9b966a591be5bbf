"""Names that are legal everywhere a library may live: on Linux, exFAT, NTFS and behind SMB.

Two names are the same name when they differ only by case or by Unicode form: a library may be carried to a place
that does not tell them apart.
"""

from __future__ import annotations

import os
import re
import unicodedata
from enum import StrEnum
from functools import lru_cache

from jutrek.captures import without_edit
from jutrek.formats import MEDIA_SUFFIXES, format_of

MAX_BYTES = 255
"""Of a name, in UTF-8: the limit of most file systems."""
MAX_PATH, MAX_FOLDER = 240, 160
"""Of a path within the library and of its folders, in UTF-16 code units: some systems take no more than 260 in all."""
MAX_FOLDER_BYTES = 160
ROOM_FOR_A_COUNT = 8
_LONGEST_SUFFIX = 32
TAIL = re.compile(r"((?:_p\d+)?(?:_tr\w{1,3})?(?:_proxy)?)$")
"""What a recording's parts, tracks and proxies carry behind the common stem."""
_CLIP_DATA = re.compile(r"M\d\d\.xml$", re.IGNORECASE)
FORBIDDEN = frozenset('<>:"/\\|?*')
_RESERVED = frozenset([
    "con", "prn", "aux", "nul", "conin$", "conout$", "clock$",
    *(f"{port}{digit}" for port in ("com", "lpt") for digit in "0123456789¹²³"),
])  # fmt: skip
"""Names of devices on some systems, with any extension; superscript digits count there as digits."""


def same_name(name: str) -> str:
    """The form in which names are compared."""
    if name.isascii():
        return name.lower()
    return unicodedata.normalize("NFC", unicodedata.normalize("NFD", name).casefold())


def stem_of(name: str) -> str:
    """A name without its extension, and without the inner one of a sidecar of any kind (`a.dng.xmp`)."""
    stem, suffix = os.path.splitext(name)
    inner, second = os.path.splitext(stem)
    if not second:
        return stem
    suffix = suffix.lower()
    is_sidecars = 2 <= len(second) <= 5 if suffix == ".xmp" else second.lower() in MEDIA_SUFFIXES
    return inner if is_sidecars and suffix not in MEDIA_SUFFIXES else stem


def stem_and_tail(name: str) -> tuple[str, str]:
    """The stem that all files of a capture have in common, and what a part, track, proxy or edit carries behind it."""
    stem = stem_of(name)
    bare = without_edit(stem)
    common = TAIL.sub("", bare)
    return common, stem[len(common) :]


class Extensions(StrEnum):
    """How extensions are written: in small letters, in capitals, or as they are."""

    LOWER = "lower"
    UPPER = "upper"
    KEPT = "kept"


def suffix_of(name: str, container: str, case: Extensions = Extensions.LOWER) -> str:
    """The extension a file gets: its own if its content may bear it, else its content's, of at most 32 bytes.

    Sidecars keep the extension of their file (`a.dng.xmp`), clip data the number that their camera puts between stem
    and extension (`C0001M01.XML`).
    """
    if container == "xmp" or not _suffixes(container):
        inner = name[len(stem_of(name)) :]
        own = inner if inner.count(".") == 2 else os.path.splitext(name)[1]
    elif container == "clipdata" and (numbered := _CLIP_DATA.search(name)):
        # In small letters the number's sign stays a capital one, by which the data are known.
        return (
            numbered[0]
            if case is Extensions.KEPT
            else f"{numbered[0][:3].upper()}{'.XML' if case is Extensions.UPPER else '.xml'}"
        )
    else:
        own = os.path.splitext(name)[1]
    return _suffix(own, container, case)


def _suffixes(container: str) -> tuple[str, ...]:
    """The extensions that a container may bear; the first is given where a file bears none of them."""
    row = format_of(container)
    return row.suffixes + row.lesser


@lru_cache(maxsize=1 << 12)
def _suffix(own: str, container: str, case: Extensions) -> str:
    allowed = _suffixes(container)
    if allowed and own.count(".") < 2:
        suffix = own if own.lower() in allowed else allowed[0]
    else:
        suffix = legal(own, hidden=True) if own else f".{container}"
    if case is not Extensions.KEPT:
        suffix = suffix.upper() if case is Extensions.UPPER else suffix.lower()
    return shortened(suffix, _LONGEST_SUFFIX)


def is_reserved(name: str) -> bool:
    """Whether a name is one that some systems keep for a device, whatever its extension."""
    return name.split(".", maxsplit=1)[0].rstrip(" ").lower() in _RESERVED


def legal(name: str, *, hidden: bool = False) -> str:
    """A name that every file system takes: NFC, no forbidden signs, no space or dot at an end, not reserved.

    Args:
        hidden: whether it may begin with a dot: an extension does.
    """
    text = os.fsencode(name).decode("utf-8", "replace").replace("\ufffd", "_")
    text = unicodedata.normalize("NFC", text)
    text = "".join("_" if sign in FORBIDDEN or not (sign.isprintable() or sign == " ") else sign for sign in text)
    text = text.rstrip(". ").lstrip(" ")
    if text.startswith(".") and not hidden:
        text = f"_{text[1:]}"
    if is_reserved(text):
        text = f"_{text}"
    return text or "_"


def shortened(text: str, room: int) -> str:
    """A text cut to a number of bytes of UTF-8, without dots and spaces at its end."""
    data = text.encode("utf-8", "replace")
    return text if len(data) <= room else data[: max(room, 1)].decode("utf-8", "ignore").rstrip(". ")


def units(text: str) -> int:
    """The length of a text in UTF-16 code units, in which some file systems and programs limit paths."""
    return len(text) if text.isascii() else len(text.encode("utf-16-le", "replace")) // 2


def legal_folder(path: str) -> str:
    """A path of folders whose names are all legal, short enough to leave room for a name; empty parts are left out."""
    parts = [shortened(legal(part), MAX_FOLDER_BYTES) for part in path.split("/") if part.strip(". ")]
    while parts and units("/".join(parts)) > MAX_FOLDER:
        longest = max(range(len(parts)), key=lambda number: len(parts[number]))
        if len(parts[longest]) > 8:
            parts[longest] = legal(parts[longest][:-4])
        else:
            parts.pop()
    return "/".join(parts)
