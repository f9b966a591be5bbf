"""The ledger's tables. Apart from the ledger, since importing SQLAlchemy takes longer than showing a window."""

from __future__ import annotations

import sqlite3
from functools import cache

import sqlalchemy as sa
from sqlalchemy.dialects import sqlite

meta = sa.MetaData()
about = sa.Table("about", meta, sa.Column("key", sa.Text, primary_key=True), sa.Column("value", sa.Text))
files = sa.Table(
    "files",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False, index=True),
    sa.Column("mtime_ns", sa.BigInteger, nullable=False),
    sa.Column("quick", sa.LargeBinary),
    sa.Column("full", sa.LargeBinary),
)
source_prints = sa.Table(
    "source_prints",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False),
    sa.Column("mtime_ns", sa.BigInteger, nullable=False),
    sa.Column("quick", sa.LargeBinary, nullable=False),
    sa.Column("full", sa.LargeBinary, nullable=False),
)

moments = sa.Table(
    "moments",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("local", sa.Text, nullable=False),
    sa.Column("shift", sa.Float, nullable=False),
    sa.Column("device", sa.Text, nullable=False),
    sa.Column("operator", sa.Text, nullable=False),
    sa.Column("shoot", sa.Text, nullable=False),
)
"""Since version 2: by which moment, corrected by how many seconds, a file was filed."""
origins = sa.Table(
    "origins",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("original", sa.LargeBinary, nullable=False),
    sa.Column("day", sa.Text, nullable=False),
    sa.Column("said", sa.Text, nullable=False),
)
"""Since version 3: where a file lay on its source, under which day it was filed, what was said of its intake (JSON)."""
numbered = sa.Table(
    "numbered",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("counter", sa.Text, nullable=False),
    sa.Column("number", sa.BigInteger, nullable=False),
)
"""Since version 7: which number a counter gave to the name that a path was given. It stays with the path."""
by_hand = sa.Table(
    "by_hand",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("given", sa.LargeBinary, nullable=False),
)
"""Since version 8: which path Jutrek gave to a file that somebody moved or renamed since."""
proofs = sa.Table(
    "proofs",
    meta,
    sa.Column("place", sa.Text, primary_key=True),
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False),
    sa.Column("mtime_ns", sa.BigInteger, nullable=False),
    sa.Column("full", sa.LargeBinary, nullable=False, index=True),
    sa.Column("at", sa.Text, nullable=False),
    sa.Column("state", sa.Text, nullable=False, server_default="proven"),
    sa.Column("inode", sa.BigInteger, nullable=False, server_default="0"),
    sa.Column("ctime_ns", sa.BigInteger, nullable=False, server_default="0"),
)
"""Since version 4: what was proven when in which place; the library's own id is empty. Since version 6: how it was
found last, and which file it was."""
ADDED = {
    6: (
        "state TEXT NOT NULL DEFAULT 'proven'", "inode BIGINT NOT NULL DEFAULT 0",
        "ctime_ns BIGINT NOT NULL DEFAULT 0",
    ),
}  # fmt: skip
"""Columns of the table of proofs by the version that brought them."""
contents = sa.Table(
    "contents",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False),
    sa.Column("mtime_ns", sa.BigInteger, nullable=False),
    sa.Column("kind", sa.Text, nullable=False),
    sa.Column("format", sa.Text, nullable=False),
    sa.Column("width", sa.Integer, nullable=False),
    sa.Column("height", sa.Integer, nullable=False),
    sa.Column("duration", sa.Float, nullable=False),
    sa.Column("payload", sa.BigInteger, nullable=False, index=True),
    sa.Column("mark", sa.LargeBinary, nullable=False),
    sa.Column("print", sa.LargeBinary),
    sa.Column("looks", sa.LargeBinary),
    sa.Column("taken", sa.Text, nullable=False),
    sa.Column("device", sa.Text, nullable=False),
    sa.Column("worded", sa.Integer, nullable=False),
)
"""Since version 5: what files hold, as `library.contents.Content`."""
descriptions = sa.Table(
    "descriptions",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False),
    sa.Column("mtime_ns", sa.BigInteger, nullable=False),
    *(sa.Column(name, sa.Text, nullable=False) for name in ("kind", "format", "taken")),
    sa.Column("offset", sa.Integer),
    *(
        sa.Column(name, sa.Text, nullable=False)
        for name in ("trust", "device", "model", "lens", "title", "place", "creator")
    ),
    *(sa.Column(name, sa.Text, nullable=False) for name in ("keywords", "label")),
    sa.Column("rating", sa.Integer),
    *(sa.Column(name, sa.Float) for name in ("latitude", "longitude")),
    *(sa.Column(name, sa.Integer, nullable=False) for name in ("width", "height")),
    sa.Column("duration", sa.Float, nullable=False),
)
"""Since version 9: what files say, as `library.descriptions.Description`; keywords as JSON."""
lost = sa.Table(
    "lost",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False),
    sa.Column("mtime_ns", sa.BigInteger, nullable=False),
    sa.Column("quick", sa.LargeBinary),
    sa.Column("said", sa.Text, nullable=False),
)
"""Since version 10: captures that are gone, as `library.knowledge.KnownFile` had them; what it says as JSON."""
stored = sa.Table(
    "stored",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("drive", sa.Text, nullable=False, index=True),
)
"""Since version 11: which files lie on an archive drive instead of in the root, by the drive's id."""
amended = sa.Table(
    "amended",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False),
    sa.Column("quick", sa.LargeBinary, nullable=False),
    sa.Column("was", sa.LargeBinary, nullable=False),
    sa.Column("now", sa.LargeBinary, nullable=False),
    sa.Column("splices", sa.Text, nullable=False),
)
"""Since version 13 (`turned` in 12): files that were amended, and what they were, as `library.amended.Amended`."""
agreements = sa.Table(
    "agreements",
    meta,
    sa.Column("one", sa.LargeBinary, primary_key=True),
    sa.Column("other", sa.LargeBinary, primary_key=True),
    sa.Column("share", sa.Float, nullable=False),
)
"""Since version 5: how far pictures agree, by the quick fingerprints of their files."""


waits = sa.Table(
    "waits",
    meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False),
    sa.Column("mtime_ns", sa.BigInteger, nullable=False),
    sa.Column("standing", sa.Text, nullable=False),
    sa.Column("equal", sa.LargeBinary, nullable=False),
    sa.Column("better", sa.Integer, nullable=False),
)
"""Since version 6: files of sources that were found to be there already in another way, and wait for a person."""


_TURNED = 12
"""The version in which only turned files were known."""


def bring_up_to_date(path: str, before: int, version: int) -> None:
    """Make the tables and columns that a ledger lacks, all or none.

    Args:
        before: by which version its tables were made; 0 where there are none.

    Raises:
        sqlite3.Error: when they cannot be made.
    """
    connection = sqlite3.connect(path, isolation_level=None)
    try:
        connection.execute("BEGIN")
        for statement in _statements():
            connection.execute(statement)
        has = {row[1] for row in connection.execute("PRAGMA table_info(proofs)")}
        for column in (one for since, columns in ADDED.items() if before < since for one in columns):
            if column.split()[0] not in has:
                connection.execute(f"ALTER TABLE proofs ADD COLUMN {column}")
        if before == _TURNED:
            connection.execute("INSERT INTO amended SELECT path, size, quick, was, now, patches FROM turned")
            connection.execute("DROP TABLE turned")
        connection.execute("INSERT OR REPLACE INTO about VALUES ('version', ?)", (str(version),))
        connection.execute("COMMIT")
    finally:
        connection.close()


@cache
def _statements() -> tuple[str, ...]:
    """What makes the tables, and their indexes, that are not there yet; spelled once, which takes its time."""
    made: list[sa.schema.ExecutableDDLElement] = []
    for table in meta.sorted_tables:
        made.append(sa.schema.CreateTable(table, if_not_exists=True))
        made += [sa.schema.CreateIndex(index, if_not_exists=True) for index in table.indexes]
    spelling = sqlite.dialect()
    return tuple(str(one.compile(dialect=spelling)) for one in made)
