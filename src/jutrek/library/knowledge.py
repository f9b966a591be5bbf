"""All that a ledger knows of the files at home, row by row: what views are made of."""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager
from typing import Any, NamedTuple

from jutrek.disk import OWN_FOLDER

_SELECT = """
SELECT files.path, files.size, files.quick, coalesce(moments.local, ''), coalesce(moments.device, said.device, ''),
  coalesce(moments.operator, ''), coalesce(moments.shoot, ''), coalesce(origins.day, ''),
  coalesce(said.kind, contents.kind, ''), coalesce(said.format, contents.format, ''), coalesce(said.taken, ''),
  said.offset, coalesce(said.trust, ''), coalesce(said.model, ''), coalesce(said.lens, ''),
  trim(coalesce(said.title, '') || ' ' || coalesce(said.place, '') || ' ' || coalesce(said.creator, '')),
  coalesce(said.place, ''), coalesce(origins.said, ''),
  coalesce(said.keywords, ''), coalesce(said.label, ''), coalesce(said.rating, 0), said.latitude, said.longitude,
  coalesce(said.width * said.height, 0), coalesce(CAST(said.duration * 1000 AS INTEGER), 0),
  coalesce(contents.payload, 0), contents.print, coalesce(copies.count, 0),
  CASE WHEN own.state = 'proven' AND own.size != files.size THEN 'changed' ELSE coalesce(own.state, '') END,
  coalesce(own.at, ''),
  by_hand.path IS NOT NULL, files.mtime_ns, coalesce(stored.drive, ''), coalesce(said.width, 0)
FROM files
LEFT JOIN stored ON stored.path = files.path
LEFT JOIN moments ON moments.path = files.path
LEFT JOIN origins ON origins.path = files.path
LEFT JOIN descriptions AS said ON said.path = files.path
LEFT JOIN contents ON contents.path = files.path AND contents.size = files.size AND contents.mtime_ns = files.mtime_ns
LEFT JOIN proofs AS own ON own.place = coalesce(stored.drive, '') AND own.path = files.path
LEFT JOIN by_hand ON by_hand.path = files.path
LEFT JOIN {copies} ON copies.path = files.path
"""
_QUERY = f"{_SELECT.format(copies='copies')} ORDER BY files.path"
_OF_ONE = f"{_SELECT.format(copies='(SELECT NULL AS path, 0 AS count) AS copies')} WHERE files.path = ?"
_COPIES = (
    "CREATE TEMP TABLE copies AS SELECT proofs.path AS path, count(*) AS count FROM proofs JOIN files"
    " ON files.path = proofs.path AND files.size = proofs.size WHERE proofs.place != '' AND proofs.state = 'proven'"
    " AND proofs.place NOT IN (SELECT drive FROM stored)"
    " AND (files.full IS NULL OR files.full = proofs.full) GROUP BY proofs.path"
)
_GONE = "SELECT path, size, mtime_ns FROM proofs WHERE place = '' AND path NOT IN (SELECT path FROM files)"
_HELD = (
    "SELECT path, count(*) FROM proofs WHERE place != '' AND state = 'proven'"
    " AND path NOT IN (SELECT path FROM files) GROUP BY path"
)


class KnownFile(NamedTuple):
    """What is known of a file at home.

    Attributes:
        path: relative to the library.
        size: in bytes.
        quick: its quick fingerprint; None where not made yet.
        moment, operator, shoot, day: by which it was filed; empty where it was not, or that is not known.
        device: the key of its device, as it was filed, else as it says.
        kind, format, taken, offset, trust, model, lens, keywords, label, latitude, longitude: as in
            `descriptions.Description`, keywords as JSON; kind and format are empty where it was not read yet.
        rating: 1 to 5; 0 where it has none.
        said: what was written of it: title, place, creator.
        place: where it was, as written in it.
        intake: what was said of the intake that brought it, as JSON.
        pixels: width by height.
        milliseconds: of a clip or sound.
        payload, print: bytes of its picture or sound without metadata, and their fingerprint, where known.
        copies: how many backups have a proven copy of it.
        found: how it was found last where it was proven once; empty where it never was.
        proved: when that was, UTC, ISO 8601; empty where it never was.
        moved: whether somebody moved or renamed it outside.
        mtime_ns: when it was changed last, nanoseconds since 1970, UTC.
        drive: the id of the archive drive that it is stored on; empty where it lies in the root.
        width: in pixels; 0 where unknown.
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
    place: str = ""
    intake: str = ""
    keywords: str = ""
    label: str = ""
    rating: int = 0
    latitude: float | None = None
    longitude: float | None = None
    pixels: int = 0
    milliseconds: int = 0
    payload: int = 0
    print: bytes | None = None
    copies: int = 0
    found: str = ""
    proved: str = ""
    moved: bool = False
    mtime_ns: int = 0
    drive: str = ""
    width: int = 0


OWN_COLUMNS = frozenset({
    "path", "size", "mtime_ns", "quick", "print", "payload", "copies", "found", "proved", "moved", "drive",
})  # fmt: skip
"""What is kept of a lost file in columns, and what holds for a file only while it is there."""
USUAL = KnownFile("", 0)._asdict()


class Knowledge(NamedTuple):
    """What is known of a library's files.

    Attributes:
        files: at home, ordered by path.
        gone: captures that are not there any more, as they were known last, and all else that was proven once.
        aside: path and size of those that were set aside.
    """

    files: list[KnownFile]
    gone: list[KnownFile] = []  # noqa: RUF012 (never changed)
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
        connection.execute("DROP TABLE IF EXISTS temp.copies")
        connection.execute(_COPIES)
        connection.execute("CREATE INDEX temp.copies_by_path ON copies (path)")
        files = [KnownFile(os.fsdecode(row[0]), *row[1:]) for row in connection.execute(_QUERY)]
        connection.execute("DROP TABLE temp.copies")
        gone = _gone(connection)
    put_away = list(aside)
    # What was set aside is not missed.
    names = {path for path, _ in put_away}
    return Knowledge(files, [one for one in gone if one.path not in names], put_away)


def known_of(connection: sqlite3.Connection, path: str) -> KnownFile | None:
    """What is known of one file, but for its copies; None where it is not in the library."""
    row = connection.execute(_OF_ONE, (os.fsencode(path),)).fetchone()
    return KnownFile(os.fsdecode(row[0]), *row[1:]) if row is not None else None


def _gone(connection: sqlite3.Connection) -> list[KnownFile]:
    """What is not there any more, by path; copies in backups are counted."""
    missed = (KnownFile(os.fsdecode(path), size, mtime_ns=mtime) for path, size, mtime in connection.execute(_GONE))
    # What was put away is not missed, wherever below the library's own folder it lies.
    own = f"{OWN_FOLDER}/"
    found = {one.path: one for one in (*missed, *lost_in(connection)) if not one.path.startswith(own)}
    held = {os.fsdecode(path): count for path, count in connection.execute(_HELD)} if found else {}
    return [one._replace(copies=held.get(path, 0)) for path, one in sorted(found.items())]


def lost_in(connection: sqlite3.Connection) -> Iterator[KnownFile]:
    """What is gone, of a ledger's connection."""
    for path, size, mtime_ns, quick, said in connection.execute("SELECT * FROM lost ORDER BY path"):
        yield KnownFile(os.fsdecode(path), size, quick, mtime_ns=mtime_ns, **_said(said))


def _said(text: str) -> dict[str, Any]:
    try:
        said = json.loads(text)
    except ValueError:
        return {}
    usual = {name: USUAL[name] for name in USUAL.keys() - OWN_COLUMNS}
    known = {name: (int, float) if value is None else type(value) for name, value in usual.items()}
    pairs = said.items() if isinstance(said, dict) else ()
    return {name: value for name, value in pairs if name in known and isinstance(value, known[name])}
