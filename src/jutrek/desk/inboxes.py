"""Inboxes of this person: folders that a phone or a sync program fills, each with the library that they come home to.

`inboxes.toml` in the person's configuration (XDG). An entry that is damaged is told, and the others work.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import NamedTuple

from jutrek.desk.own_folders import INBOXES, entries_of, outbox_folders, refuse_damage, refuse_nesting, write_entries
from jutrek.errors import NotPossible
from jutrek.library import apart, open_library

_NOTE = "Folders that are watched, and the library that what comes there is brought home to."


class WatchedFolder(NamedTuple):
    """An inbox.

    Attributes:
        root: of the folder.
        library: the root of its library.
        by_itself: whether what comes is brought home without being asked for, whatever the house rule says.
    """

    root: str
    library: str
    by_itself: bool = False


def inboxes() -> tuple[list[WatchedFolder], list[str]]:
    """The inboxes in their order, and a sentence for every entry of the page that is damaged."""
    from jutrek.library.pages import INBOX

    entries, bad = entries_of(INBOXES, "inbox", INBOX)
    found: dict[str, WatchedFolder] = {}
    for one in entries:
        found.setdefault(one["folder"], WatchedFolder(one["folder"], one["library"], one.get("by-itself", False)))
    return list(found.values()), bad


def add_inbox(root: str, library: str, *, by_itself: bool = False) -> bool:
    """Watch a folder from now on. One that is watched already is told anew.

    Args:
        root: of the folder.
        library: the root of the library.
        by_itself: as in `WatchedFolder`.

    Returns:
        Whether it is a new one.

    Raises:
        NotPossible: when there is no such folder, it lies in another inbox or has one in it, it has to do with an
            outbox, or it can't be written.
        SourceRefused: when it lies in the library.
        LibraryTrouble: when there is no such library.
    """
    root, home = os.path.abspath(root), open_library(library)
    if not os.path.isdir(root):
        raise NotPossible(root, "there is no such folder")
    apart(root, home)
    known, bad = inboxes()
    refuse_damage(INBOXES, bad)
    refuse_nesting(root, (one.root for one in known), "inbox")
    refuse_nesting(root, outbox_folders(), "outbox", itself=False)
    entry = WatchedFolder(root, home.root, by_itself)
    is_new = all(one.root != root for one in known)
    _write([*known, entry] if is_new else [entry if one.root == root else one for one in known])
    return is_new


def remove_inbox(root: str) -> WatchedFolder:
    """Watch a folder no longer; nothing in it changes. Returns what it was.

    Raises:
        NotPossible: when it is not watched, or that can't be written.
    """
    known, bad = inboxes()
    refuse_damage(INBOXES, bad)
    found = next((one for one in known if one.root in (root, os.path.abspath(root))), None)
    if found is None:
        raise NotPossible(root, "it is no inbox")
    _write([one for one in known if one is not found])
    return found


def _write(entries: Sequence[WatchedFolder]) -> None:
    tables = [
        {"folder": one.root, "library": one.library, **({"by-itself": True} if one.by_itself else {})}
        for one in entries
    ]
    write_entries(INBOXES, "inbox", _NOTE, tables)
