"""Clearing a card: the one thing that is ever done to a source, and only on demand.

Only files go that a certificate proves home in every place, that are what they were when they were read for it, and
whose copies are the very files that were read back for it: looked at again right before each goes, and not known to be
bad since. A certificate holds on the day that it was made. What goes is announced in the journal before the first one.
By the trash, where the medium has one; or for good.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from enum import StrEnum
from typing import TYPE_CHECKING

from jutrek.disk import FileStamp, Outside, Realm, Tree, inside
from jutrek.errors import NotPossible, reason
from jutrek.library import Library, Place, as_place, drives_here
from jutrek.transfer.certificate import Certificate, OnSource, Where
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.trash import send

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


class Way(StrEnum):
    """How files go: into the trash of their medium, or for good."""

    TRASH = "trash"
    REMOVE = "remove"


@dataclass(slots=True)
class Cleared:
    """What became of a source's files: how many went, and which stayed and why."""

    gone: int = 0
    bytes: int = 0
    stayed: list[tuple[str, str]] = field(default_factory=list)


def clear(
    certificate: Certificate,
    library: Library,
    ledger: Ledger,
    places: Sequence[Place],
    way: Way,
    *,
    stop: threading.Event,
) -> Cleared:
    """Clear a source of what is proven home.

    Args:
        places: where the copies are, besides the library, as they are connected now.

    Raises:
        NotPossible: when the certificate is of another day: what it says has to be proven again.
        LibraryBusy: when another Jutrek is at work in the library.
        OSError: when the journal cannot be written; nothing was removed then.
    """
    if datetime.fromisoformat(certificate.at).astimezone().date() != date.today():
        raise NotPossible(certificate.root, f"it was proven on {certificate.at[:10]}; prove it again")
    everywhere = (as_place(library), *places, *drives_here(library))
    keeper = _Keeper(certificate, ledger, {place.id: place.tree for place in everywhere})
    cleared = Cleared()
    going: list[OnSource] = []
    for one in certificate.files:
        if why := keeper.keeps(one):
            cleared.stayed.append((one.path, why))
        else:
            going.append(one)
    if not going:
        return cleared
    with locked(library):
        journal = Journal.begin(library, Kind.CLEAR, {"source": certificate.root, "way": way.value})
        try:
            journal.note(*(
                {
                    "entry": "remove", "row": number, "path": one.path, "size": one.size, "mtime_ns": one.mtime_ns,
                    "xxh3_128": one.full.hex(), "where": one.paths,
                }
                for number, one in enumerate(going)
            ))  # fmt: skip
            journal.sync()
            for number, one in enumerate(going):
                if stop.is_set():
                    cleared.stayed.append((one.path, "Clearing was stopped before it."))
                elif why := keeper.keeps(one) or keeper.remove(one, way):
                    cleared.stayed.append((one.path, why))
                    journal.note({"entry": "failed", "row": number, "source": one.path, "why": why})
                else:
                    cleared.gone += 1
                    cleared.bytes += one.size
                    journal.note({"entry": "removed", "row": number})
            journal.end("done", cleared.gone, len(going) - cleared.gone, bytes=cleared.bytes)
        finally:
            journal.close()
    return cleared


class _Keeper:
    """Looks for each file, right before it goes, whether it may."""

    def __init__(self, certificate: Certificate, ledger: Ledger, trees: Mapping[str, Tree]) -> None:
        self._certificate, self._ledger, self._trees = certificate, ledger, trees
        self._source = Tree(certificate.root)
        self._amended: dict[bytes, list[bytes]] = {}
        """What files are since they were amended, by what they were: which the certificate proved."""
        for one in ledger.amended.standing():
            self._amended.setdefault(one.was, []).append(one.now)

    def keeps(self, one: OnSource) -> str:
        """Why a file must stay; empty where it may go."""
        certificate = self._certificate
        if one.unwanted:
            return "It was declared unwanted, and is not home: that is the person's to remove."
        if not one.is_home:
            return one.why
        if certificate.away or {place for place, _ in certificate.places} != {where.place for where in one.where}:
            return "It is not proven in the library and every backup."
        try:
            status = self._source.lstat(self._source.within(one.path, Realm.OWN))
        except (OSError, Outside) as error:
            return f"It can't be looked at: {reason(error) if isinstance(error, OSError) else error}."
        if not one.stamp.unchanged(status):
            return "It changed since it was proven."
        seen = [status]
        for where in one.where:
            if why := self._lacks(where, one, seen):
                return why
        return ""

    def _lacks(self, where: Where, one: OnSource, seen: list[os.stat_result]) -> str:
        """Why a copy is no proof any more; empty where it is. It is added to those that were seen."""
        known = self._ledger.mark_of(where.path, where.drive or where.place)
        if known is None or not known.stands or known.full not in (one.full, *self._amended.get(one.full, ())):
            return f"Its copy is {known.state if known else 'not known'} since."
        tree = self._trees.get(where.drive or where.place)
        try:
            copy = tree.found(inside(where.path)) if tree is not None else None
        except (OSError, Outside):
            copy = None
        if copy is None:
            return "Its copy is not where it was."
        if any(os.path.samestat(copy, other) for other in seen):
            return "It is its own copy: the same file under two names."
        if not FileStamp(known.size, where.mtime_ns, where.inode, None, where.ctime_ns).unchanged(copy):
            return "Its copy changed since it was proven."
        seen.append(copy)
        return ""

    def remove(self, one: OnSource, way: Way) -> str:
        """Let one file go. Returns why it could not."""
        tree = self._source
        try:
            path = tree.within(one.path, Realm.OWN)
            if way is Way.TRASH:
                send(tree, path)
            else:
                status = tree.lstat(path)
                if not one.stamp.unchanged(status):
                    return "It changed since it was proven."
                tree.remove(path, still=status)
                tree.sync_folder(path.folder)
        except (OSError, Outside) as error:
            return f"It could not be removed: {reason(error) if isinstance(error, OSError) else error}."
        return ""
