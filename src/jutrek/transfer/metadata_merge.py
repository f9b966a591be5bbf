"""Carrying over what was said of a double to the one that stays: into a sidecar beside it.

Only what the keeper lacks is written: title, place, job, creator and rights where it has none, keywords that it does
not have, a date of shooting where it has none, or none with an offset. A sidecar that is there already keeps all that
it says; its old version goes to the tray, and comes back when the run is taken back.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from jutrek.captures.moment import INSIDE, decide
from jutrek.disk import Inside, Outside, Realm, Tree, inside
from jutrek.errors import FileTrouble, reason, shown
from jutrek.formats import Claim, Reading, Wording, read
from jutrek.library import Library
from jutrek.transfer.sidecars import Said, with_words

if TYPE_CHECKING:
    from jutrek.filing import Row
    from jutrek.transfer.journal import Journal


def carry_over(
    library: Library, keeper: str, dropped: Sequence[str], tray: str, journal: Journal, row: tuple[int, Row]
) -> str:
    """Write what a keeper lacks into its sidecar, and into the journal that it was written.

    Args:
        keeper: relative to the library.
        dropped: where the files lie now that were set aside for it.
        tray: the folder for the old version of its sidecar, relative to the library.
        row: the number and row that the journal tells it under.

    Returns:
        Why it was not done; empty where it was, or nothing was lacking.
    """
    tree = library.tree
    try:
        path, beside = sidecar_of(library, keeper)
        place, aside = inside(path), inside(f"{tray}/{path}", Realm.PUT_AWAY)
        full = tree.at(place)
        own = [read(os.path.join(library.root, keeper)), *([read(full)] if beside else [])]
        said = lacking(own, [read(one) for one in dropped])
        if not said:
            return ""
        old = tree.read_own(place) if beside else b""
        text = with_words(old, said)
        if old:
            _put_away(tree, place, aside, journal, row[0])
        try:
            tree.write_new(place, text)
        except OSError:
            if old:
                tree.give_name(aside, place)
            raise
        status = tree.lstat(place)
        number, made = row
        journal.sidecar(number, made._replace(sidecar=path), status.st_size, status.st_mtime_ns)
        journal.sync()
    except OSError as error:
        return f"What was said of it was not carried over to {shown(keeper)}: {reason(error)}."
    except Outside as error:
        return f"What was said of it was not carried over to {shown(keeper)}: its sidecar has {error}."
    except (FileTrouble, ValueError) as error:
        return f"What was said of it was not carried over to {shown(keeper)}: {error}"
    return ""


def _put_away(tree: Tree, old: Inside, new: Inside, journal: Journal, number: int) -> None:
    """Put the old version of a sidecar into the tray. A kill behind it is told by the journal, and mended by it."""
    status = tree.lstat(old)
    journal.note({
        "entry": "sidecar kept", "row": number, "from": str(old), "to": str(new), "size": status.st_size,
        "mtime_ns": status.st_mtime_ns,
    })  # fmt: skip
    journal.sync()
    tree.make_folders(new.folder)
    tree.give_name(old, new)
    tree.sync_folder(new.folder)


def sidecar_of(library: Library, path: str) -> tuple[str, bool]:
    """Where the sidecar of a file is or would be, relative to the library; and whether it is there."""
    stem = os.path.splitext(path)[0]
    names = (f"{stem}.xmp", f"{path}.xmp", f"{stem}.XMP")
    for name in names:
        if library.tree.found(inside(name)) is not None:
            return name, True
    return names[0], False


def lacking(own: Sequence[Reading], others: Sequence[Reading]) -> Said:
    """What others say that a file and its sidecar do not."""
    have = [one.wording for one in own if one.wording is not None]

    def first(name: str) -> str:
        if any(getattr(one, name) for one in have):
            return ""
        return next((text for one in _wordings(others) if (text := getattr(one, name))), "")

    known = {word.casefold() for one in have for word in one.keywords}
    words = dict.fromkeys(word for one in _wordings(others) for word in one.keywords if word.casefold() not in known)
    return Said(
        first("title"), first("place"), first("job"), first("creator"), first("rights"), tuple(words),
        _better_date(own, others),
    )  # fmt: skip


def _wordings(readings: Sequence[Reading]) -> Iterator[Wording]:
    return (one.wording for one in readings if one.wording is not None)


def _better_date(own: Sequence[Reading], others: Sequence[Reading]) -> str:
    """A date of shooting that a file lacks: ISO 8601 as far as it is known. One with an offset beats one without."""
    mine = next((found for one in own if (found := _shot(one))), None)
    if mine is not None and mine.stamp.offset is not None:
        return ""
    theirs = [found for one in others if (found := _shot(one))]
    better = [one for one in theirs if one.stamp.offset is not None] or (theirs if mine is None else [])
    if not better or (mine is not None and better[0].stamp.wall != mine.stamp.wall):
        return ""
    stamp = better[0].stamp
    return stamp.iso() + (str(stamp.offset) if stamp.offset is not None else "")


def _shot(reading: Reading) -> Claim | None:
    inside = [claim for claim in reading.claims if claim.at in INSIDE]
    moment = decide(inside)
    return inside[moment.claim] if moment is not None else None
