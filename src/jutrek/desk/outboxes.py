"""Outboxes of this person: folders that small copies of a view are kept in, each with its library and what it shows.

`outboxes.toml` in the person's configuration (XDG). An entry that is damaged is told, and the others work.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.desk.own_folders import (
    OUTBOXES,
    entries_of,
    inbox_folders,
    refuse_damage,
    refuse_nesting,
    write_entries,
)
from jutrek.disk import have_folder
from jutrek.errors import NotPossible, PageBroken, reason
from jutrek.library import known_places, open_library
from jutrek.outboxes.asked import Asked, Clips, Tells, asked
from jutrek.views.conditions import Condition, Sort, Value
from jutrek.views.kept import kept_views, view_called
from jutrek.views.saying import sentence
from jutrek.views.sentence import parse
from jutrek.views.shelves import shelves_of
from jutrek.views.walking import SentenceError

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.pages import ListedOutbox

_NOTE = "Folders that small copies of a view of a library are kept in."


class Outbox(NamedTuple):
    """An outbox.

    Attributes:
        root: of the folder.
        library: the root of its library.
        view: the name of the kept view that it holds; empty where it holds a sentence.
        sentence: what it holds; empty where it holds a kept view.
        asked: what its copies are like.
    """

    root: str
    library: str
    view: str
    sentence: str
    asked: Asked

    @property
    def holds(self) -> str:
        """What it holds, in words."""
        return f"the view “{self.view}”" if self.view else self.sentence

    def shows(self) -> Condition:
        """What it holds, now.

        Raises:
            LibraryTrouble: when its library is not there, or its kept view, or what that says is no sentence.
        """
        text = view_called(open_library(self.library), self.view).sentence if self.view else self.sentence
        try:
            return parse(text)
        except SentenceError as error:
            raise NotPossible(self.root, f"what it holds is no sentence: {error}") from error


class OutboxState(NamedTuple):
    """An outbox, and how it stands.

    Attributes:
        outbox: what it is.
        holds: how many copies are in it; None where it was not looked at yet.
        done, total: how far it is brought in step just now; 0 where nothing is made in it.
        trouble: why it is not in step, in a sentence; empty where it is.
    """

    outbox: Outbox
    holds: int | None = None
    done: int = 0
    total: int = 0
    trouble: str = ""


def outboxes() -> tuple[list[Outbox], list[str]]:
    """The outboxes in their order, and a sentence for every entry of the page that is damaged."""
    from jutrek.library.pages import OUTBOX

    entries, bad = entries_of(OUTBOXES, "outbox", OUTBOX)
    found: dict[str, Outbox] = {}
    for one in entries:
        try:
            found.setdefault(one["folder"], _outbox(one))
        except NotPossible as error:
            bad.append(str(PageBroken(OUTBOXES, f"{one['folder']}: {error}")))
    return list(found.values()), bad


def _outbox(one: ListedOutbox) -> Outbox:
    usual = Asked()
    said = asked(
        one.get("longest", usual.longest), one.get("quality", usual.quality), Clips(one.get("clips", usual.clips)),
        frozenset(map(Tells, one.get("tells", usual.tells))), one.get("names", usual.names),
    )  # fmt: skip
    return Outbox(one["folder"], one["library"], one.get("view", ""), one.get("sentence", ""), said)


def add_outbox(root: str, library: str, text: str, like: Asked) -> tuple[Outbox, bool]:
    """Keep small copies of a view in a folder from now on. One that is an outbox already is told anew.

    Args:
        root: of the folder; it is made where there is none.
        library: the root of the library.
        text: a shelf's name, a kept view's name, or a sentence.
        like: what copies are to be like.

    Returns:
        The outbox, and whether it is a new one.

    Raises:
        SentenceError: when the text is none of the three.
        NotPossible: when it lies in the library, another outbox, an inbox or a place of copies, or has one in it; or it
            can't be made.
        LibraryTrouble: when there is no such library.
    """
    root, home = os.path.abspath(root), open_library(library)
    view, said = _meant(home, text)
    refuse_nesting(root, (home.root,), "library", itself=False)
    refuse_nesting(root, (one.root for one in known_places(home) if one.root), "place", itself=False)
    known, bad = outboxes()
    refuse_damage(OUTBOXES, bad)
    refuse_nesting(root, (one.root for one in known), "outbox")
    refuse_nesting(root, inbox_folders(), "inbox", itself=False)
    entry = Outbox(root, home.root, view, said, like)
    try:
        have_folder(root)
    except OSError as error:
        raise NotPossible(root, f"it can't be made: {reason(error)}") from error
    is_new = all(one.root != root for one in known)
    _write([*known, entry] if is_new else [entry if one.root == root else one for one in known])
    return entry, is_new


def _meant(home: Library, text: str) -> tuple[str, str]:
    """What a text means: the name of a kept view, or a sentence."""
    named = " ".join(text.split()).casefold()
    if not named:
        return "", sentence(parse(""))
    for shelf in shelves_of(home)[0]:
        if shelf.name.casefold() == named:
            return "", sentence(Value(Sort.SHELF, shelf.name))
    for one in kept_views(home)[0]:
        if one.name.casefold() == named:
            return one.name, ""
    return "", sentence(parse(text))


def remove_outbox(root: str) -> Outbox:
    """Keep a folder in step no longer; nothing in it changes. Returns what it was.

    Raises:
        NotPossible: when it is no outbox, or that can't be written.
    """
    known, bad = outboxes()
    refuse_damage(OUTBOXES, bad)
    found = outbox_at(root, known)
    _write([one for one in known if one is not found])
    return found


def outbox_at(root: str, known: list[Outbox]) -> Outbox:
    """The outbox of a folder.

    Raises:
        NotPossible: when it is none.
    """
    found = next((one for one in known if one.root in (root, os.path.abspath(root))), None)
    if found is None:
        raise NotPossible(root, "it is no outbox")
    return found


def _write(entries: list[Outbox]) -> None:
    write_entries(OUTBOXES, "outbox", _NOTE, [dict(_table(one)) for one in entries])


def _table(one: Outbox) -> Iterator[tuple[str, Any]]:
    yield from (("folder", one.root), ("library", one.library))
    yield ("view", one.view) if one.view else ("sentence", one.sentence)
    like = one.asked
    yield from (("longest", like.longest), ("quality", like.quality), ("clips", like.clips.value))
    yield "tells", sorted(tell.value for tell in like.tells)
    if like.names:
        yield "names", like.names
