"""Keywords renamed, moved, merged and removed everywhere: in the house's list, and on all captures, in one run."""

from __future__ import annotations

import threading
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.desk.captioning import move_everywhere, rows_with
from jutrek.desk.sidecars import AWAY, Described
from jutrek.errors import NotPossible, reason
from jutrek.transfer.one_run import Written
from jutrek.transfer.sidecar_runs import write_sidecars
from jutrek.transfer.word_lists import ListChange
from jutrek.wording.listed import page_of, read_page, tree_of
from jutrek.wording.spelling import Branch, key, tidied
from jutrek.wording.tree import WordTree, WordTrouble, branch_text, checked_word

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer import Listener
    from jutrek.views.columns import Columns


@dataclass(frozen=True, slots=True)
class KeywordAct:
    """What would be done.

    Attributes:
        old: the keyword, with what it stands under.
        new: what it becomes; empty where it goes.
        alone: whether the word by itself means this one.
        captures: how many captures at home have it.
        stored: how many of those that are stored away, which nothing can be said of.
        words: what becomes of the list; None where it stays.
    """

    old: Branch
    new: Branch
    alone: bool
    captures: int
    stored: int
    words: ListChange | None

    def carry_out(
        self, columns: Columns, library: Library, ledger: Ledger, *, stop: threading.Event, listener: Listener
    ) -> Described:
        """Do it. Arguments and errors as of `captioning.move_everywhere`."""
        return move_everywhere(
            columns, self.old, self.new, library, ledger, alone=self.alone, stop=stop, listener=listener,
            words=self.words,
        )  # fmt: skip


class KeywordList:
    """The house's list as it stands, and what can be done with its keywords."""

    def __init__(self, library: Library, columns: Columns | None = None) -> None:
        """
        Args:
            library: the library.
            columns: of its captures; needed for what is done everywhere.

        Raises:
            NotPossible: when the list can't be read.
        """
        self._library, self._columns = library, columns
        try:
            self._page = read_page(library)
        except OSError as error:
            raise NotPossible(library.root, f"its list of keywords can't be read: {reason(error)}") from error
        self.tree = tree_of(self._page)

    def meant(self, texts: Iterable[str]) -> tuple[Branch, ...]:
        """Typed keywords with what they stand under.

        Raises:
            NotPossible: when one is none, or the list has it more than once.
        """
        try:
            return tuple(map(self.tree.meant, texts))
        except WordTrouble as trouble:
            raise self._not_possible(trouble) from trouble

    def growing(self, branches: Iterable[Branch]) -> ListChange | None:
        """What becomes of the list when these keywords are used; None where it has them, or can't hold them."""
        tree = self.tree
        for branch in branches:
            try:
                tree = tree.with_added(branch)
            except WordTrouble:
                continue
        return self._changed(tree)

    def renaming(self, text: str, new: str) -> KeywordAct:
        """A keyword is called otherwise.

        Raises:
            NotPossible: when it can't be.
        """
        try:
            number, old = self._one(text)
            word = checked_word(new)
            if number >= 0:
                return self._act(number, old, (*old[:-1], word), self.tree.renamed(number, word))
            return self._act(number, old, self.tree.meant(word), self.tree)
        except WordTrouble as trouble:
            raise self._not_possible(trouble) from trouble

    def moving(self, text: str, under: str) -> KeywordAct:
        """A keyword stands under another one, or (the empty one) under none. Raises as `renaming`."""
        try:
            number, old = self._one(text)
            parent = self._listed(under) if under else -1
            above = self.tree.branch(parent) if parent >= 0 else ()
            new = (*above, old[-1])
            tree = self.tree.moved(number, parent) if number >= 0 else self.tree.with_added(new)
            return self._act(number, old, new, tree)
        except WordTrouble as trouble:
            raise self._not_possible(trouble) from trouble

    def merging(self, text: str, into: str) -> KeywordAct:
        """A keyword is another one from now on, and that is found by it, too. Raises as `renaming`."""
        try:
            number, old = self._one(text)
            other = self.tree.find(into)
            if number < 0 or not other:
                return self.renaming(text, into)
            target = self._listed(into)
            tree = self.tree.merged(number, target)
            return self._act(number, old, self.tree.branch(target), tree)
        except WordTrouble as trouble:
            raise self._not_possible(trouble) from trouble

    def removing(self, text: str) -> KeywordAct:
        """A keyword goes; what stands under it comes one level up. Raises as `renaming`."""
        try:
            number, old = self._one(text)
            return self._act(number, old, (), self.tree.removed(number) if number >= 0 else self.tree)
        except WordTrouble as trouble:
            raise self._not_possible(trouble) from trouble

    def adding(self, branches: Iterable[Branch], synonyms: Mapping[Branch, Sequence[str]] | None = None) -> WordTree:
        """The list with more keywords; arguments as of `WordTree.with_all`. Raises as `renaming`."""
        try:
            return self.tree.with_all(branches, synonyms)
        except WordTrouble as trouble:
            raise self._not_possible(trouble) from trouble

    def keep(self, tree: WordTree, act: str, ledger: Ledger) -> Written:
        """Keep another list, in a run of the journal; nothing where it is this one.

        Args:
            tree: the list as it is to be.
            act: tells the journal what is done, in a few words.
            ledger: the library's, open.

        Raises:
            LibraryBusy: when another Jutrek is at work in the library.
            LibraryTrouble: when its journal can't be written.
        """
        words = self._changed(tree)
        if words is None:
            return Written()
        return write_sidecars((), act, self._library, ledger, stop=threading.Event(), words=words)

    def _one(self, text: str) -> tuple[int, Branch]:
        """The number of a keyword of the list, and what it stands under; -1 for one that is only used."""
        if self.tree.find(text):
            number = self._listed(text)
            return number, self.tree.branch(number)
        word = tidied(text)
        if self._columns is None or not rows_with(self._columns, word):
            raise WordTrouble(f"No keyword is called “{word}”.")
        return -1, (word,)

    def _listed(self, text: str) -> int:
        found = self.tree.find(text)
        if not found:
            raise WordTrouble(f"The list has no keyword “{tidied(text)}”.")
        if len(found) > 1:
            self.tree.meant(text)
        return found[0]

    def _act(self, number: int, old: Branch, new: Branch, tree: WordTree) -> KeywordAct:
        assert self._columns is not None
        rows = rows_with(self._columns, old[-1])
        stored = sum(bool(self._columns.state[row] & AWAY) for row in rows)
        alike = [one for one in self.tree.entries if key(one.word) == key(old[-1])]
        alone = len(alike) <= 1 or number < 0
        return KeywordAct(old, new, alone, len(rows) - stored, stored, self._changed(tree))

    def _changed(self, tree: WordTree) -> ListChange | None:
        page = page_of(tree)
        return ListChange(self._page, page) if page != page_of(self.tree) else None

    def _not_possible(self, trouble: WordTrouble) -> NotPossible:
        text = str(trouble).rstrip(".")
        return NotPossible(self._library.root, text[:1].lower() + text[1:])


def told(act: KeywordAct) -> str:
    """What would be done, in a sentence without its end: `engines becomes line > locomotives on 3 captures`."""
    what = f"becomes {branch_text(act.new)}" if act.new else "goes"
    return f"{branch_text(act.old)} {what}"
