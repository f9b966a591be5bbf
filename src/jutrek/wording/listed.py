"""The page of the house's keywords: `LIBRARY/.jutrek/keywords.txt`, plain text that people edit by hand, too."""

from __future__ import annotations

from jutrek.disk import own
from jutrek.errors import NotPossible, reason
from jutrek.library import Library
from jutrek.wording.tree import WordTree

WORDS = own("keywords.txt")
_MOST = 16 * 1024 * 1024
"""Bytes of the longest page that is read."""


def words_of(library: Library) -> WordTree:
    """The keywords of a library; none where it has no page.

    Raises:
        NotPossible: when the page can't be read, or is longer than any person writes.
    """
    try:
        return tree_of(read_page(library))
    except OSError as error:
        raise NotPossible(library.root, f"its list of keywords can't be read: {reason(error)}") from error


def read_page(library: Library) -> bytes:
    """The page as it stands; empty where there is none.

    Raises:
        OSError: when it can't be read, or is longer than any person writes.
    """
    try:
        return library.tree.read_own(WORDS, _MOST)
    except FileNotFoundError:
        return b""


def tree_of(page: bytes) -> WordTree:
    """The keywords of a page. What is no UTF-8 stays as it is, and is no keyword."""
    return WordTree(page.removeprefix(b"\xef\xbb\xbf").decode("utf-8", "surrogateescape"))


def page_of(tree: WordTree) -> bytes:
    """The page of keywords."""
    return tree.text.encode("utf-8", "surrogateescape")


def keep_words(library: Library, tree: WordTree) -> None:
    """Keep the keywords of a library, whole and durable.

    Raises:
        NotPossible: when they can't be written.
    """
    try:
        library.tree.write_own(WORDS, page_of(tree))
    except OSError as error:
        raise NotPossible(library.root, f"its list of keywords can't be written: {reason(error)}") from error
