"""Clearing a card: the one thing that is ever done to a source, and only on demand.

Only files go that a certificate proves home in every place, that are what they were when they were read for it, and
whose copies are still there. They are announced in the journal before the first one goes. By the trash, where the
medium has one; or for good.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from jutrek.disk import sync_folder
from jutrek.errors import reason
from jutrek.library import Library, Place, as_place
from jutrek.transfer.certificate import Certificate, OnSource
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked


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
    places: Sequence[Place],
    way: Way,
    *,
    stop: threading.Event,
) -> Cleared:
    """Clear a source of what is proven home.

    Args:
        places: where the copies are, besides the library, as they are connected now.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        OSError: when the journal cannot be written; nothing was removed then.
    """
    roots = {place.id: place.root for place in (as_place(library), *places)}
    cleared = Cleared()
    going: list[OnSource] = []
    for one in certificate.files:
        if why := _keeps(one, certificate, roots):
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
                    "xxh3_128": one.full.hex(), "where": dict(one.where),
                }
                for number, one in enumerate(going)
            ))  # fmt: skip
            journal.sync()
            for number, one in enumerate(going):
                if stop.is_set():
                    cleared.stayed.append((one.path, "Clearing was stopped before it."))
                elif why := _keeps(one, certificate, roots) or _remove(one.path, way):
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


def _keeps(one: OnSource, certificate: Certificate, roots: Mapping[str, str]) -> str:
    """Why a file must stay; empty where it may go."""
    if not one.is_home:
        return one.why
    if certificate.away or len(one.where) < len(certificate.places):
        return "It is not proven in every place."
    try:
        status = os.lstat(one.path)
    except OSError as error:
        return f"It can't be looked at: {reason(error)}."
    if (status.st_size, status.st_mtime_ns) != (one.size, one.mtime_ns):
        return "It changed since it was proven."
    for place, path in one.where:
        root = roots.get(place)
        try:
            copy = os.lstat(os.path.join(root or "", path)) if root is not None else None
        except OSError:
            copy = None
        if copy is None or copy.st_size != one.size:
            return "Its copy is not where it was."
        if os.path.samestat(copy, status):
            return "It is its own copy: the same file under two names."
    return ""


def _remove(path: str, way: Way) -> str:
    """Let one file go. Returns why it could not."""
    try:
        if way is Way.TRASH:
            from send2trash import send2trash

            send2trash(path)
        else:
            os.unlink(path)
            sync_folder(os.path.dirname(path))
    except OSError as error:
        return f"It could not be removed: {reason(error)}."
    return ""
