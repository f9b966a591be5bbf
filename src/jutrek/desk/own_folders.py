"""Pages of folders that a person told Jutrek of: inboxes and outboxes. They are the person's, not a library's.

They lie in the person's configuration (XDG). An entry that is damaged is told, and the others work.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, TypeVar

import platformdirs
from pydantic import TypeAdapter

from jutrek.disk import chosen, have_folder
from jutrek.errors import NotPossible, PageBroken, reason, shown
from jutrek.library.pagefiles import tables_text

T = TypeVar("T")
INBOXES, OUTBOXES = "inboxes.toml", "outboxes.toml"


def entries_of(page: str, what: str, adapter: TypeAdapter[T]) -> tuple[list[T], list[str]]:
    """The entries of a page, and a sentence for each that is damaged.

    Args:
        page: its name.
        what: its tables are called.
        adapter: of the model of one.
    """
    from jutrek.library import pages

    tree, path = chosen(_path(page))
    return pages.listed(adapter, tree, path, what) if os.path.isdir(tree.root) else ([], [])


def write_entries(page: str, what: str, note: str, tables: Sequence[Mapping[str, Any]]) -> None:
    """Write a page anew.

    Args:
        page, what: as above.
        note: what stands at its head.
        tables: its entries.

    Raises:
        NotPossible: when it can't be written.
    """
    tree, path = chosen(_path(page))
    try:
        text = tables_text(note, what, tables)
        have_folder(tree.root).write_own(path, text)
    except (OSError, UnicodeEncodeError) as error:
        why = reason(error) if isinstance(error, OSError) else "a name in it is no text"
        raise NotPossible(_path(page), f"it can't be written: {why}") from error


def refuse_damage(page: str, bad: Sequence[str]) -> None:
    """Refuse to write a page anew that is damaged: what it says would be lost.

    Raises:
        PageBroken: when it is.
    """
    if bad:
        raise PageBroken(_path(page), f"it has to be put right before it is written: {bad[0]}")


def refuse_nesting(root: str, others: Iterable[str], what: str, *, itself: bool = True) -> None:
    """Refuse a folder that lies in another one of a list, or has one in it.

    Args:
        root: of the folder.
        others: those of the list.
        what: each of them is called.
        itself: whether it may be one of them.

    Raises:
        NotPossible: when it is so.
    """
    mine = os.path.realpath(root)
    for one in others:
        other = os.path.realpath(one)
        if mine == other:
            if not itself:
                raise NotPossible(root, f"it is the {what} {shown(one)}")
            continue
        inner, outer = sorted((other, mine), key=len, reverse=True)
        if f"{inner}/".startswith(f"{outer.rstrip('/')}/"):
            raise NotPossible(root, f"it and the {what} {shown(one)} lie in one another")


def inbox_folders() -> list[str]:
    """The folders of all inboxes."""
    from jutrek.library.pages import INBOX

    return [one["folder"] for one in entries_of(INBOXES, "inbox", INBOX)[0]]


def outbox_folders() -> list[str]:
    """The folders of all outboxes."""
    from jutrek.library.pages import OUTBOX

    return [one["folder"] for one in entries_of(OUTBOXES, "outbox", OUTBOX)[0]]


def _path(page: str) -> str:
    return os.path.join(platformdirs.user_config_dir("jutrek"), page)
