"""The house's list of keywords within a run: it changes behind the captures, and is taken back with them.

Both versions are kept beside the list, and the journal holds their fingerprints: only what a run left is taken back,
and only what it found comes back.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from jutrek.disk import Outside, own
from jutrek.errors import reason
from jutrek.transfer.medium import new_hash
from jutrek.wording.listed import WORDS, read_page

if TYPE_CHECKING:
    from jutrek.disk import Inside
    from jutrek.library import Library
    from jutrek.transfer.journal import Journal
    from jutrek.transfer.run_log import RunLog

_FOLDER = "keyword-lists"
_CHANGED = "The list of keywords was changed by somebody meanwhile; it is left as it is."


class ListChange(NamedTuple):
    """Another list of keywords: the page as it was, and as it is to be."""

    was: bytes
    now: bytes


def change_list(library: Library, change: ListChange, journal: Journal) -> str:
    """Write the list, and into the journal what it was. Returns why that was not done; empty where it was."""
    tree = library.tree
    try:
        if read_page(library) != change.was:
            return _CHANGED
        tree.make_folders(own(_FOLDER))
        for name, page in zip(("was", "now"), change, strict=True):
            tree.write_own(_kept(journal.run, name), page)
        journal.note({"entry": "words", "was": _print(change.was), "now": _print(change.now)})
        journal.sync()
        tree.write_own(WORDS, change.now)
    except OSError as error:
        return f"The list of keywords was not changed: {reason(error)}."
    return ""


def list_back(library: Library, run_log: RunLog, *, again: bool = False) -> str:
    """Take back what a run did to the list.

    Args:
        library: the library.
        run_log: of the run that changed it.
        again: whether that is done once more instead: what took it back is taken back.

    Returns:
        Why it is left as it is; empty where it is as wanted.
    """
    entry = next((one for one in reversed(run_log.others) if one["entry"] == "words"), None)
    if entry is None:
        return ""
    here, wanted = ("was", "now") if again else ("now", "was")
    try:
        page = read_page(library)
        if _print(page) == entry[wanted]:
            return ""
        kept = library.tree.read_own(_kept(run_log.run, wanted), 1 << 24)
        if _print(page) != entry[here] or _print(kept) != entry[wanted]:
            return _CHANGED
        library.tree.write_own(WORDS, kept)
    except OSError as error:
        return f"The list of keywords is left as it is: {reason(error)}."
    except Outside as error:
        return f"The list of keywords is left as it is: {error}."
    return ""


def _kept(run: str, name: str) -> Inside:
    return own(_FOLDER, f"{run}.{name}.txt")


def _print(page: bytes) -> str:
    state = new_hash()
    state.update(memoryview(page))
    return state.digest().hex()
