"""The system's trash, found again: files that were put there, by the path that they had.

Follows the FreeDesktop.org Trash specification 1.0: the home trash, `$topdir/.Trash/$uid` and `$topdir/.Trash-$uid`,
each with `files/` and `info/`. Putting files there is left to Send2Trash; this finds them for taking back.
"""

from __future__ import annotations

import configparser
import contextlib
import os
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from urllib.parse import unquote_to_bytes

from jutrek.disk import Inside, Tree, chosen

_INFO = ".trashinfo"


@dataclass(frozen=True, slots=True)
class Trashed:
    """A file in the trash: where it lies, and its note."""

    path: str
    note: str


def send(tree: Tree, path: Inside) -> None:
    """Put a file, or a folder with all in it, into the trash of its volume.

    Raises:
        OSError: when that trash cannot take it, or a link is on the way; it stays where it is.
    """
    from send2trash import send2trash

    tree.lstat(path)
    send2trash(tree.at(path))


def settle(root: str) -> None:
    """Make the names durable that a trash has for files of a tree, as far as its file system can."""
    for trash, top in _trashes([os.path.join(root, "")]):
        for folder in (os.path.join(trash, "files"), os.path.join(trash, "info"), trash, os.path.dirname(trash), top):
            with contextlib.suppress(OSError):
                Tree(folder).sync_folder(None)


def found(paths: Iterable[str]) -> dict[str, Trashed]:
    """What of these paths lies in a trash, the one that was thrown away last, by absolute path."""
    wanted = {os.path.realpath(os.path.dirname(path)) + os.sep + os.path.basename(path): path for path in paths}
    hits: dict[str, tuple[str, Trashed]] = {}
    for trash, top in _trashes(wanted.values()):
        for name in _names(os.path.join(trash, "info")):
            note = os.path.join(trash, "info", name)
            was, when = _read(note)
            if not was:
                continue
            whole = was if os.path.isabs(was) else os.path.join(top, was)
            key = wanted.get(os.path.realpath(os.path.dirname(whole)) + os.sep + os.path.basename(whole))
            lies = os.path.join(trash, "files", name.removesuffix(_INFO))
            if key is not None and os.path.lexists(lies) and (key not in hits or when >= hits[key][0]):
                hits[key] = when, Trashed(lies, note)
    return {path: one for path, (_, one) in hits.items()}


def forget(trashed: Iterable[Trashed]) -> None:
    """Remove the notes of files that were taken out of the trash."""
    for one in trashed:
        if not os.path.lexists(one.path):
            with contextlib.suppress(OSError):
                tree, note = chosen(one.note)
                tree.remove(note, still=tree.lstat(note))


def _names(folder: str) -> list[str]:
    try:
        return sorted(name for name in os.listdir(folder) if name.endswith(_INFO))
    except OSError:
        return []


def _trashes(paths: Iterable[str]) -> Iterator[tuple[str, str]]:
    """The trash folders that files at these paths may have gone to, each with the top of its volume."""
    data = os.environ.get("XDG_DATA_HOME") or os.path.expanduser("~/.local/share")
    yield os.path.join(data, "Trash"), "/"
    for top in {_top(path) for path in paths}:
        yield os.path.join(top, ".Trash", str(os.getuid())), top
        yield os.path.join(top, f".Trash-{os.getuid()}"), top


def _top(path: str) -> str:
    """The top of the volume that a path is on."""
    folder = os.path.realpath(os.path.dirname(path))
    while not os.path.ismount(folder):
        folder = os.path.dirname(folder)
    return folder


def _read(note: str) -> tuple[str, str]:
    """The path that a note tells, and when it was thrown away; empty where the note tells nothing."""
    page = configparser.RawConfigParser(strict=False)
    try:
        page.read(note, encoding="utf-8")
        entries = page["Trash Info"]
        return os.fsdecode(unquote_to_bytes(entries["Path"])), entries.get("DeletionDate", "")
    except (configparser.Error, KeyError, UnicodeDecodeError, OSError):
        return "", ""
