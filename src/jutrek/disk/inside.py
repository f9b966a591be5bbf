"""A path inside a tree: a value of its own, made in one function, from text that nobody vouches for.

Text that stands in a journal, a plan, a rules file, a ledger, a list, or that a card bears as a name, becomes an
`Inside` or is refused. Whatever changes a disk takes a `Tree` and an `Inside`, never text; what the text cannot tell
(links on the way) is refused by the tree when the path is used.
"""

from __future__ import annotations

import os
import re
import unicodedata
from dataclasses import dataclass
from enum import Enum, auto

OWN_FOLDER = ".jutrek"
"""The folder in which a library or a place keeps what is not the person's."""
HASH_LISTS = "ascmhl"
"""The folder of hash lists, whose name is laid down by their specification."""
TEMPORARY = ".jutrek-"
"""Every temporary file of Jutrek begins like this; such files are never a part of a library."""
PUT_AWAY = frozenset({"tray", "taken-back", "rotted", "replaced"})
"""Folders below the own one in which the person's files lie for a time."""
_LONGEST, _LONGEST_NAME = 4095, 255
_PART = r"[0-9A-Za-z_][0-9A-Za-z_ .()-]*"
_COMMON = re.compile(rf"(?![Aa][Ss][Cc][Mm][Hh][Ll]){_PART}(?:/{_PART})*", re.ASCII)
"""What nearly every path looks like, and none that is refused; the rest is looked at part by part."""


class Realm(Enum):
    """What of a tree a path may lead to: captures; what was put away, too; all that is Jutrek's own."""

    CAPTURES = auto()
    PUT_AWAY = auto()
    OWN = auto()


class Outside(ValueError):
    """Text that is no path inside a tree."""


@dataclass(frozen=True, slots=True)
class Inside:
    """A path that cannot leave its tree by its text.

    Attributes:
        parts: names, at least one; undecodable bytes are kept as surrogates.
    """

    parts: tuple[str, ...]

    def __str__(self) -> str:
        return "/".join(self.parts)

    @property
    def name(self) -> str:
        """Its last name."""
        return self.parts[-1]

    @property
    def folder(self) -> Inside | None:
        """The folder that it lies in; None for the root of its tree."""
        return Inside(self.parts[:-1]) if len(self.parts) > 1 else None

    def spelt_like(self, other: Inside) -> bool:
        """Whether it differs from another path by case or form at most."""
        return folded(str(self)) == folded(str(other))

    def beside(self, name: str) -> Inside:
        """A path of another name in the same folder.

        Raises:
            Outside: when it is no name.
        """
        return Inside((*self.parts[:-1], _checked(name)))

    def below(self, *names: str) -> Inside:
        """A path below this one.

        Raises:
            Outside: when one of them is no name.
        """
        return Inside((*self.parts, *map(_checked, names)))


def inside(text: object, realm: Realm = Realm.CAPTURES) -> Inside:
    """Make a path inside a tree from text.

    Args:
        realm: what it may lead to.

    Raises:
        Outside: when it is no text, empty, absolute or too long; when a part is empty, `.`, `..`, too long or holds a
            NUL; when it leads to what is Jutrek's own and may not.
    """
    if not isinstance(text, str):
        raise Outside(f"a path is text, not {type(text).__name__}")
    if len(text) <= _LONGEST_NAME and _COMMON.fullmatch(text):
        return Inside(tuple(text.split("/")))
    return _inside(text, realm)


def _inside(text: str, realm: Realm) -> Inside:
    try:
        too_long = len(os.fsencode(text)) > _LONGEST
    except UnicodeEncodeError as error:
        raise Outside("a path with signs that no file system has") from error
    if not text or too_long:
        raise Outside("an empty path" if not text else "a path that is too long")
    if text.startswith("/"):
        raise Outside("an absolute path")
    parts = tuple(map(_checked, text.split("/")))
    if realm is not Realm.OWN and not (realm is Realm.PUT_AWAY and _is_put_away(parts)):
        _check_capture(parts)
    return Inside(parts)


def own(*names: str) -> Inside:
    """A path of Jutrek's own in a tree, below its own folder.

    Raises:
        Outside: when one of them is no name.
    """
    return Inside((OWN_FOLDER, *map(_checked, names)))


def put_away(folder: str, token: str, path: Inside) -> Inside:
    """Where a file of the person's goes that is put away, under its own path.

    Args:
        folder: one of `PUT_AWAY`.
        token: tells one occasion from another.

    Raises:
        Outside: when that would be no path, as it is too long.
    """
    return inside(f"{OWN_FOLDER}/{folder}/{_checked(token)}/{path}", Realm.PUT_AWAY)


def is_put_away(path: Inside) -> bool:
    """Whether a path leads to what is Jutrek's own or was put away, rather than to a part of the library."""
    return _plain(path.parts[0]) == OWN_FOLDER


def folded(text: str) -> str:
    """A text without case and form, as file systems compare names that do not tell them."""
    if text.isascii():
        return text.lower()
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", text).casefold())


def _checked(name: str) -> str:
    if not name or name in (".", ".."):
        raise Outside(f"a path with the part “{name}”")
    if "/" in name or "\0" in name:
        raise Outside("a name with a slash or a NUL in it")
    if len(os.fsencode(name)) > _LONGEST_NAME:
        raise Outside("a name that is too long")
    return name


def _is_put_away(parts: tuple[str, ...]) -> bool:
    """Whether a path leads to a file of the person's that was put away: folder, token, and its own path."""
    if len(parts) < 4 or parts[0] != OWN_FOLDER or parts[1] not in PUT_AWAY:
        return False
    _check_capture(parts[3:])
    return True


def _check_capture(parts: tuple[str, ...]) -> None:
    plain = [_plain(part) for part in parts]
    if plain[0] == HASH_LISTS or any(one == OWN_FOLDER or one.startswith(TEMPORARY) for one in plain):
        raise Outside("a path to what is Jutrek's own")
    if any(one.startswith(".trash") for one in plain):
        raise Outside("a path into a trash")


def _plain(name: str) -> str:
    """A name as the file system with the least distinctions takes it: without case, form, and signs that don't show."""
    if name.isascii():
        return name.lower().rstrip(". ")
    shown = "".join(sign for sign in name if unicodedata.category(sign) != "Cf")
    return unicodedata.normalize("NFKC", shown).casefold().rstrip(". ")
