"""All that a ledger knows of the files at home, row by row: what views are made of."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Callable, Iterable
from contextlib import AbstractContextManager
from typing import NamedTuple

from jutrek.library.home import State

_QUERY = """
SELECT files.path, files.size, files.quick, moments.local, moments.device, moments.operator, moments.shoot, origins.day,
  said.kind, said.format, said.taken, said.offset, said.trust, said.device, said.model, said.lens, said.title,
  said.place, said.creator, said.keywords, said.label, said.rating, said.latitude, said.longitude,
  said.width * said.height, said.duration, contents.kind, contents.format, contents.payload, contents.print, own.state,
  own.size != files.size, by_hand.path IS NOT NULL
FROM files
LEFT JOIN moments ON moments.path = files.path
LEFT JOIN origins ON origins.path = files.path
LEFT JOIN descriptions AS said ON said.path = files.path
LEFT JOIN contents ON contents.path = files.path AND contents.size = files.size AND contents.mtime_ns = files.mtime_ns
LEFT JOIN proofs AS own ON own.place = '' AND own.path = files.path
LEFT JOIN by_hand ON by_hand.path = files.path
ORDER BY files.path
"""
_COPIES = (
    "SELECT proofs.path, count(*) FROM proofs JOIN files ON files.path = proofs.path AND files.size = proofs.size"
    " WHERE proofs.place != '' AND proofs.state = 'proven' AND (files.full IS NULL OR files.full = proofs.full)"
    " GROUP BY proofs.path"
)
_GONE = "SELECT path, size FROM proofs WHERE place = '' AND path NOT IN (SELECT path FROM files) ORDER BY path"


class KnownFile(NamedTuple):
    """What is known of a file at home.

    Attributes:
        path: relative to the library.
        size: in bytes.
        quick: its quick fingerprint; None where not made yet.
        moment, operator, shoot, day: by which it was filed; empty where it was not, or that is not known.
        device: the key of its device, as it was filed, else as it says.
        kind, format, taken, offset, trust, model, lens, keywords, label, rating, latitude, longitude: as in
            `descriptions.Description`, keywords as JSON; kind and format are empty where it was not read yet.
        said: what was written of it: title, place, creator.
        pixels: width by height.
        milliseconds: of a clip or sound.
        payload, print: bytes of its picture or sound without metadata, and their fingerprint, where known.
        copies: how many backups have a proven copy of it.
        found: how it was found last where it was proven once; empty where it never was.
        moved: whether somebody moved or renamed it outside.
    """

    path: str
    size: int
    quick: bytes | None = None
    moment: str = ""
    device: str = ""
    operator: str = ""
    shoot: str = ""
    day: str = ""
    kind: str = ""
    format: str = ""
    taken: str = ""
    offset: int | None = None
    trust: str = ""
    model: str = ""
    lens: str = ""
    said: str = ""
    keywords: str = ""
    label: str = ""
    rating: int | None = None
    latitude: float | None = None
    longitude: float | None = None
    pixels: int = 0
    milliseconds: int = 0
    payload: int = 0
    print: bytes | None = None
    copies: int = 0
    found: str = ""
    moved: bool = False


class Knowledge(NamedTuple):
    """What is known of a library's files.

    Attributes:
        files: at home, ordered by path.
        gone: path and size of those that were proven once, and are not there any more.
        aside: path and size of those that were set aside.
    """

    files: list[KnownFile]
    gone: list[tuple[str, int]] = []  # noqa: RUF012 (never changed)
    aside: list[tuple[str, int]] = []  # noqa: RUF012 (never changed)


def knowledge(
    transaction: Callable[[], AbstractContextManager[sqlite3.Connection]], aside: Iterable[tuple[str, int]] = ()
) -> Knowledge:
    """What a ledger knows.

    Args:
        transaction: of the ledger.
        aside: path and size of files that were set aside, of which the ledger knows nothing.
    """
    with transaction() as connection:
        copies = dict(connection.execute(_COPIES))
        files = [_known(row, copies.get(row[0], 0)) for row in connection.execute(_QUERY)]
        gone = [(os.fsdecode(path), size) for path, size in connection.execute(_GONE)]
    put_away = list(aside)
    # What was set aside is not missed.
    names = {path for path, _ in put_away}
    return Knowledge(files, [one for one in gone if one[0] not in names], put_away)


def _known(row: tuple[object, ...], copies: int) -> KnownFile:
    (
        path, size, quick, moment, filed_by, operator, shoot, day, kind, form, taken, offset, trust, device, model,
        lens, title, place, creator, keywords, label, rating, latitude, longitude, pixels, duration, known_kind,
        known_format, payload, mark, found, differs, moved,
    ) = row  # fmt: skip
    if differs and found == State.PROVEN:
        found = State.CHANGED.value
    return KnownFile(
        os.fsdecode(path), size, quick, moment or "", filed_by or device or "", operator or "", shoot or "", day or "",  # type: ignore[arg-type]
        kind or known_kind or "", form or known_format or "", taken or "", offset, trust or "", model or "", lens or "",  # type: ignore[arg-type]
        " · ".join(one for one in (title, place, creator) if one), keywords or "", label or "", rating, latitude,  # type: ignore[arg-type, misc]
        longitude, pixels or 0, round((duration or 0) * 1000), payload or 0, mark, copies, found or "", bool(moved),  # type: ignore[arg-type, operator]
    )  # fmt: skip
