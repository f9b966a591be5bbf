"""Partly copied files, so that a large one goes on from its last proven part.

While a file of more than one `PART` is copied, the bytes up to the end of every part are synced, and the part's
fingerprint is written into the journal. What is there when the run ends early is kept in the place, under
`.jutrek/partial/<token>.part` with a page `<token>.json`. It is known by content: by the size and the quick fingerprint
of the whole file, whatever that is called and on whichever card it comes. The next time that such a file is carried,
its parts are read back from the medium and compared with those fingerprints, and stretches of each with the source: as
far as they agree, its source need not be read again.

Of one content only the longest is kept in a place. It goes when its file is home, or after `KEPT_FOR` days.
"""

from __future__ import annotations

import contextlib
import json
import secrets
import time
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from jutrek.disk import Inside, Outside, Tree, own
from jutrek.errors import PageBroken
from jutrek.transfer.medium import BLOCK

PART = 128 * 1024 * 1024
"""Bytes of a part; a multiple of every block."""
KEPT_FOR = 30
"""Days after which a partly copied file is cleared."""
_FOLDER = own("partial")


class Content(NamedTuple):
    """By what a whole file is known: its size, and its quick fingerprint."""

    size: int
    quick: bytes


class Partial(NamedTuple):
    """A file that was partly copied.

    Attributes:
        path: the temporary.
        content: of the whole file.
        parts: how far each part goes, with the fingerprint of its bytes on the source.
    """

    path: Inside
    content: Content
    parts: tuple[tuple[int, bytes], ...]

    @property
    def upto(self) -> int:
        """How many bytes are said to be there."""
        return self.parts[-1][0]


def keep_partial(tree: Tree, temporary: Inside, content: Content, parts: Sequence[tuple[int, bytes]]) -> bool:
    """Keep a temporary in a place for another time, if there is a whole part in it, and nothing longer is kept.

    Args:
        tree: the place.
        temporary: the file so far.
        content: what it is a part of.
        parts: sizes and fingerprints of its whole parts.

    Returns:
        Whether it was kept; else it is where it was.
    """
    try:
        status = tree.found(temporary)
        if not parts or status is None or status.st_size < parts[-1][0]:
            return False
        others = [one for one in _partials(tree) if one.content == content]
        if any(one.upto >= parts[-1][0] for one in others):
            return False
        tree.make_folders(_FOLDER)
        path = _FOLDER.below(f"{secrets.token_hex(8)}.part")
        page = {
            "format": 2, "size": content.size, "quick": content.quick.hex(),
            "parts": [[upto, print_.hex()] for upto, print_ in parts],
        }  # fmt: skip
        tree.give_name(temporary, path)
        tree.write_own(_page_of(path), json.dumps(page).encode())
        for one in others:
            _remove(tree, one.path)
    except OSError:
        return False
    return True


def find_partial(tree: Tree, content: Content) -> Partial | None:
    """What is kept of a file in a place; of several the longest."""
    found = (one for one in _partials(tree) if one.content == content)
    return max(found, key=lambda one: one.upto, default=None)


def forget_page(tree: Tree, partial: Partial) -> None:
    """Remove what tells of a partial. Its file is the caller's."""
    with contextlib.suppress(OSError):
        tree.remove_own(_page_of(partial.path))


def forget_partials(tree: Tree, content: Content) -> None:
    """Remove what is kept of a file in a place: it is home."""
    with contextlib.suppress(OSError):
        for one in _partials(tree):
            if one.content == content:
                _remove(tree, one.path)


def clear_partials(tree: Tree, *, older_than: float = 0.0) -> None:
    """Remove what is kept in a place: all, or what is older than some days, pages without a file included."""
    limit = time.time() - older_than * 86_400
    with contextlib.suppress(OSError):
        for name in tree.names(_FOLDER):
            path = _FOLDER.below(name)
            if not older_than or tree.lstat(path).st_ctime < limit:
                tree.remove_own(path)


def room_of_partials(tree: Tree) -> tuple[int, int]:
    """How many partly copied files a place keeps, and their bytes."""
    files = size = 0
    with contextlib.suppress(OSError):
        for name in tree.names(_FOLDER):
            if name.endswith(".part"):
                files, size = files + 1, size + tree.lstat(_FOLDER.below(name)).st_size
    return files, size


def _partials(tree: Tree) -> Iterator[Partial]:
    from jutrek.library import pages
    from jutrek.library.pagefiles import json_page

    try:
        names = [name for name in tree.names(_FOLDER) if name.endswith(".part")]
    except OSError:
        return
    for name in names:
        path = _FOLDER.below(name)
        with contextlib.suppress(OSError, PageBroken, Outside):
            page = pages.checked(pages.PARTIAL, json_page(tree, _page_of(path)), str(path))
            parts = tuple((upto, bytes.fromhex(text)) for upto, text in page["parts"])
            ends = [upto for upto, _ in parts]
            if ends == sorted(set(ends)) and ends[-1] < page["size"] and not any(end % BLOCK for end in ends):
                yield Partial(path, Content(page["size"], bytes.fromhex(page["quick"])), parts)


def _remove(tree: Tree, path: Inside) -> None:
    tree.remove_own(path)
    tree.remove_own(_page_of(path))


def _page_of(path: Inside) -> Inside:
    return path.beside(f"{path.name.removesuffix('.part')}.json")
