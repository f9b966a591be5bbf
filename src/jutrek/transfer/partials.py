"""Partly copied files, so that a large one goes on from its last proven part.

While a file of more than one `PART` is copied, the bytes up to the end of every part are synced, and the part's
fingerprint is written into the journal. What is there when the run ends early is kept in the place, under
`.jutrek/partial/<token>.part` with a page `<token>.json` that tells what it is a part of. The next time that the file
is carried, its parts are read back from the medium and compared with those fingerprints: as far as they agree, its
source need not be read again.
"""

from __future__ import annotations

import contextlib
import json
import os
import secrets
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from jutrek.disk import make_folders, write_own
from jutrek.filing import Row
from jutrek.library import OWN_FOLDER

PART = 128 * 1024 * 1024
"""Bytes of a part; a multiple of every block."""
_FOLDER = "partial"


@dataclass(frozen=True, slots=True)
class Partial:
    """A file that was partly copied.

    Attributes:
        path: the temporary.
        parts: how far each part goes, with the fingerprint of its bytes on the source.
    """

    path: str
    parts: tuple[tuple[int, bytes], ...]

    @property
    def upto(self) -> int:
        """How many bytes are said to be there."""
        return self.parts[-1][0]

    def forget(self) -> None:
        """Remove what tells of it. Its file is the caller's."""
        with contextlib.suppress(OSError):
            os.unlink(_page_of(self.path))


def keep_partial(
    root: str, temporary: str, source: str, stamp: tuple[int, int], parts: Sequence[tuple[int, bytes]]
) -> bool:
    """Keep a temporary in a place for another time, if there is a whole part in it.

    Args:
        source: the path of the file that it is a part of.
        stamp: that file's size and time of last change.

    Returns:
        Whether it was kept; else it is where it was.
    """
    try:
        if not parts or os.path.getsize(temporary) < parts[-1][0]:
            return False
        folder = os.path.join(root, OWN_FOLDER, _FOLDER)
        make_folders(folder, within=root)
        path = os.path.join(folder, f"{secrets.token_hex(8)}.part")
        page = {
            "name": os.path.basename(source), "size": stamp[0], "mtime_ns": stamp[1],
            "parts": [[upto, print_.hex()] for upto, print_ in parts],
        }  # fmt: skip
        os.rename(temporary, path)
        write_own(_page_of(path), json.dumps(page).encode())
    except OSError:
        return False
    return True


def find_partial(root: str, row: Row) -> Partial | None:
    """What is kept of a file in a place; of several the longest."""
    found = [
        partial
        for partial, page in _partials(root)
        if page == (os.path.basename(row.source), row.size, row.mtime_ns) and partial.parts
    ]
    return max(found, key=lambda one: one.upto, default=None)


def clear_partials(root: str) -> None:
    """Remove all that is kept in a place."""
    folder = os.path.join(root, OWN_FOLDER, _FOLDER)
    with contextlib.suppress(OSError):
        for name in os.listdir(folder):
            os.unlink(os.path.join(folder, name))


def _partials(root: str) -> Iterator[tuple[Partial, tuple[str, int, int]]]:
    folder = os.path.join(root, OWN_FOLDER, _FOLDER)
    try:
        names = [name for name in os.listdir(folder) if name.endswith(".part")]
    except OSError:
        return
    for name in names:
        path = os.path.join(folder, name)
        try:
            with open(_page_of(path), encoding="utf-8") as file:
                page = json.load(file)
            parts = tuple((int(upto), bytes.fromhex(text)) for upto, text in page["parts"])
            yield Partial(path, parts), (str(page["name"]), int(page["size"]), int(page["mtime_ns"]))
        except (OSError, ValueError, KeyError, TypeError):
            continue


def _page_of(path: str) -> str:
    return f"{path.removesuffix('.part')}.json"
