"""The ledger's tables. Apart from the ledger, since importing SQLAlchemy takes longer than showing a window."""

from __future__ import annotations

import sqlalchemy as sa

VERSION = 7

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


def connect(path: str) -> sa.Engine:
    """An engine on the ledger at `path`: one connection, handed from one owning thread to the next."""
    options = {"check_same_thread": False}
    engine = sa.create_engine(f"sqlite:///{path}", poolclass=sa.pool.StaticPool, connect_args=options)
    sa.event.listen(engine, "connect", _prepare)
    return engine


def _prepare(connection: sa.engine.interfaces.DBAPIConnection, _: object) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode = WAL")
    cursor.execute("PRAGMA synchronous = FULL")
    cursor.execute("PRAGMA busy_timeout = 10000")
    cursor.close()
