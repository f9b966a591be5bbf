"""The house's keywords as a tree of words, and the plain text that it is: one word a line, indented under its parent.

    # What belongs to the line.
    Velmora line
        engines = locomotives
            No. 7 = the seven = Seven
        viaducts

Tabs or blanks indent; what is indented deeper stands under the line before it. Synonyms follow behind `=`, each behind
one of its own. A line that begins with `#` and a blank, and an empty one, tells people something and stays where it is.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from jutrek.wording.spelling import Branch, key, tidied

BETWEEN = " > "
"""Between the words of a branch, where one is typed or told."""
LONGEST, DEEPEST, MOST = 200, 12, 100_000
"""Signs of a keyword, levels of the tree, keywords of it."""
_COMMENT = re.compile(r"\s*(?:#(?:\s.*)?)?$")
_INDENT = re.compile(r"[ \t]*")


_Nested = dict[str, tuple[str, "_Nested"]]
"""Keywords by how they are compared: the line of each, and what stands under it."""


class WordTrouble(ValueError):
    """A keyword that can't be had so, as a sentence."""


class Entry(NamedTuple):
    """A keyword of the list.

    Attributes:
        word: as it is written.
        synonyms: by what else it is found.
        line: where it stands, from 0.
        depth: how many it stands under.
        parent: the number of that which it stands under; -1 for none.
    """

    word: str
    synonyms: tuple[str, ...]
    line: int
    depth: int
    parent: int


def checked_word(word: str) -> str:
    """A keyword as the list can hold it.

    Raises:
        WordTrouble: when it can't.
    """
    found = tidied(word)
    if not found or len(found) > LONGEST or not found.isprintable():
        raise WordTrouble(f"A keyword has 1 to {LONGEST} signs that can be printed.")
    if "=" in found or BETWEEN.strip() in found.split() or _COMMENT.fullmatch(found):
        raise WordTrouble("A keyword of the list has no “=” in it, no “>” by itself, and is no “#”.")
    return found


def branch_of(text: str) -> Branch:
    """A branch as it is typed: `Velmora line > engines`.

    Raises:
        WordTrouble: when it is none.
    """
    parts = tuple(checked_word(part) for part in re.split(r"(?:^|\s+)>(?:\s+|$)", text.strip()))
    if len(parts) > DEEPEST:
        raise WordTrouble(f"Keywords stand at most {DEEPEST} deep.")
    return parts


def branch_text(branch: Branch) -> str:
    """A branch as it is typed and told."""
    return BETWEEN.join(branch)


class WordTree:
    """The list. What changes it gives another one."""

    def __init__(self, text: str = "") -> None:
        """
        Args:
            text: of the page. Lines that are no keywords are told in `troubles`, and otherwise left alone.
        """
        self._lines = text.split("\n") if text else []
        if self._lines and not self._lines[-1]:
            self._lines.pop()
        self.entries: list[Entry] = []
        self.troubles: list[str] = []
        self._indents: list[str] = []
        self._read()
        self._by_key: dict[str, list[int]] = defaultdict(list)
        for number, entry in enumerate(self.entries):
            for word in dict.fromkeys(map(key, (entry.word, *entry.synonyms))):
                self._by_key[word].append(number)

    @property
    def text(self) -> str:
        """The page."""
        return "".join(f"{line}\n" for line in self._lines)

    def _read(self) -> None:
        above: list[tuple[int, int]] = []
        for line, text in enumerate(self._lines):
            if _COMMENT.fullmatch(text):
                continue
            indent = _INDENT.match(text)[0]  # type: ignore[index]
            width = len(indent.expandtabs(8))
            while above and above[-1][0] >= width:
                above.pop()
            parts = [tidied(part) for part in text.split("=")]
            try:
                word = checked_word(parts[0])
                if len(above) >= DEEPEST or len(self.entries) >= MOST:
                    raise WordTrouble(f"It stands deeper than {DEEPEST}, or behind {MOST:,} others.")
            except WordTrouble as trouble:
                self.troubles.append(f"Line {line + 1}: {trouble}")
                continue
            parent = above[-1][1] if above else -1
            synonyms = tuple(one for one in parts[1:] if one)
            self.entries.append(Entry(word, synonyms, line, len(above), parent))
            self._indents.append(indent)
            above.append((width, len(self.entries) - 1))

    # ---- looking up

    def branch(self, number: int) -> Branch:
        """A keyword with what it stands under."""
        found: list[str] = []
        while number >= 0:
            found.append(self.entries[number].word)
            number = self.entries[number].parent
        return tuple(reversed(found))

    def find(self, text: str) -> list[int]:
        """The keywords that are meant: by their word or a synonym, or by the end of their branch. Words go first."""
        parts = [key(part) for part in text.split(BETWEEN)]
        found = [number for number in self._by_key.get(parts[-1], ()) if self._ends(number, parts)]
        by_word = [number for number in found if key(self.entries[number].word) == parts[-1]]
        return by_word or found

    def _ends(self, number: int, parts: list[str]) -> bool:
        above = [key(word) for word in self.branch(number)][:-1]
        return len(parts) == 1 or above[len(above) - len(parts) + 1 :] == parts[:-1]

    def meant(self, text: str) -> Branch:
        """A typed keyword with what it stands under: as the list has it, else by itself.

        Raises:
            WordTrouble: when the list has it more than once, or it can't be one.
        """
        found = self.find(text)
        if len(found) > 1:
            ways = ", ".join(f"“{branch_text(self.branch(one))}”" for one in found[:4])
            raise WordTrouble(f"The list has “{tidied(text)}” more than once: say {ways}.")
        if found:
            return self.branch(found[0])
        return branch_of(text) if BETWEEN in text else (_plain(text),)

    def below(self, number: int) -> Iterator[int]:
        """The numbers of all that stands under a keyword, in order."""
        for other in range(number + 1, len(self.entries)):
            if self.entries[other].depth <= self.entries[number].depth:
                return
            yield other

    # ---- changing

    def with_added(self, branch: Branch) -> WordTree:
        """The list with a keyword, and all that it stands under."""
        return self.with_all([branch])

    def with_all(self, branches: Iterable[Branch], synonyms: Mapping[Branch, Sequence[str]] | None = None) -> WordTree:
        """The list with keywords, each with all that it stands under.

        Args:
            branches: what is added; what is there already stays as it is.
            synonyms: of those that are new.

        Raises:
            WordTrouble: when one can't be had, or they are too many.
        """
        children = {(one.parent, key(one.word)): number for number, one in enumerate(self.entries)}
        new: dict[int, _Nested] = {}
        for branch in branches:
            parent, at = -1, 0
            while at < len(branch) and (number := children.get((parent, key(branch[at])))) is not None:
                parent, at = number, at + 1
            if len(branch) > DEEPEST:
                raise WordTrouble(f"Keywords stand at most {DEEPEST} deep.")
            below = new.setdefault(parent, {}) if at < len(branch) else {}
            for depth in range(at, len(branch)):
                word = checked_word(branch[depth])
                also = (synonyms or {}).get(branch[: depth + 1], ())
                below = below.setdefault(key(word), (" = ".join((word, *also)), {}))[1]
        lines = list(self._lines)
        # From the end, so that lines before keep their places; at one line what stands deeper goes before.
        for parent in sorted(new, key=lambda one: (-self._behind(one), self.entries[one].depth if one >= 0 else -1)):
            at = self._behind(parent)
            lines[at:at] = list(_written(new[parent], self._indent_under(parent), self._unit()))
        return WordTree("\n".join(lines)) if new else self

    def renamed(self, number: int, word: str) -> WordTree:
        """The list in which a keyword is called otherwise."""
        entry = self.entries[number]
        if any(one != number and self.entries[one].parent == entry.parent for one in self._words(word)):
            raise WordTrouble(f"“{tidied(word)}” stands there already: merge the two.")
        return WordTree(self._replaced(number, checked_word(word), entry.synonyms))

    def moved(self, number: int, parent: int) -> WordTree:
        """The list in which a keyword, with all under it, stands under another one; -1 for under none."""
        word = self.entries[number].word
        if parent == number or parent in self.below(number):
            raise WordTrouble(f"“{word}” can't stand under itself.")
        if any(one != number and self.entries[one].parent == parent for one in self._words(word)):
            raise WordTrouble(f"“{word}” stands there already: merge the two.")
        deepest = max((self.entries[one].depth for one in (number, *self.below(number))), default=0)
        above = self.entries[parent].depth + 1 if parent >= 0 else 0
        if above + deepest - self.entries[number].depth >= DEEPEST:
            raise WordTrouble(f"Keywords stand at most {DEEPEST} deep.")
        first, behind = self._block(number)
        block = self._moved_in(first, behind, "")
        line = self.entries[parent].line if parent >= 0 else -1
        rest = self._lines[:first] + self._lines[behind:]
        tree = WordTree("\n".join(rest))
        line -= behind - first if line >= behind else 0
        at = next((one for one, entry in enumerate(tree.entries) if entry.line == line), -1)
        return WordTree(tree._with_lines(at, block))

    def merged(self, number: int, into: int) -> WordTree:
        """The list in which a keyword is another one, which is found by the first one's words, too."""
        if into == number or into in self.below(number):
            raise WordTrouble("A keyword can't be merged into itself, or into one under it.")
        gone, kept = self.entries[number], self.entries[into]
        words = {key(one): one for one in (*kept.synonyms, gone.word, *gone.synonyms)}
        words.pop(key(kept.word), None)
        branch = self.branch(into)
        tree = WordTree(self._replaced(into, kept.word, words.values()))
        children = [tree.branch(one) for one in tree.below(number)]
        depth = gone.depth + 1
        tree = tree.removed(number, whole=True)
        for child in children:
            tree = tree.with_added((*branch, *child[depth:]))
        return tree

    def removed(self, number: int, *, whole: bool = False) -> WordTree:
        """The list without a keyword. What stands under it comes one level up, unless `whole`."""
        first, behind = self._block(number)
        block = [] if whole else self._moved_in(first + 1, behind, self._indents[number])
        return WordTree("\n".join([*self._lines[:first], *block, *self._lines[behind:]]))

    def _words(self, word: str) -> list[int]:
        known = key(word)
        return [one for one in self._by_key.get(known, ()) if key(self.entries[one].word) == known]

    def _replaced(self, number: int, word: str, synonyms: Iterable[str]) -> str:
        lines = list(self._lines)
        lines[self.entries[number].line] = self._indents[number] + " = ".join((word, *synonyms))
        return "\n".join(lines)

    def _block(self, number: int) -> tuple[int, int]:
        """The lines of a keyword and all under it: the first one, and the first one behind them."""
        last = max((number, *self.below(number)))
        return self.entries[number].line, self.entries[last].line + 1

    def _moved_in(self, first: int, behind: int, base: str) -> list[str]:
        """Lines so indented that the first keyword among them stands at `base`."""
        own = {entry.line: at for at, entry in enumerate(self.entries) if first <= entry.line < behind}
        lines = self._lines[first:behind]
        if not own:
            return lines
        top = next(iter(own.values()))
        indent = self._indents[top]
        indents = [self._indents[at] for at in own.values()]
        if len(set("".join((base, *indents)))) <= 1 and all(one.startswith(indent) for one in indents):
            return [base + line.removeprefix(indent) if line.startswith(indent) else line for line in lines]
        # Tabs and blanks are mixed: what is as wide may be deeper elsewhere.
        unit, depth, made = self._unit(), 0, []
        for number, line in enumerate(lines, first):
            if number in own:
                depth = self.entries[own[number]].depth - self.entries[top].depth
            made.append(base + unit * depth + line.lstrip(" \t") if line.strip() else line)
        return made

    def _behind(self, parent: int) -> int:
        """The first line behind all that stands under a keyword; of the page for -1."""
        return self._block(parent)[1] if parent >= 0 else len(self._lines)

    def _indent_under(self, parent: int) -> str:
        if parent < 0:
            return ""
        children = [one for one in self.below(parent) if self.entries[one].parent == parent]
        return self._indents[children[-1]] if children else self._indents[parent] + self._unit()

    def _with_lines(self, parent: int, block: Sequence[str]) -> str:
        """The page with lines behind all that stands under a keyword; at the end for -1."""
        at, indent = self._behind(parent), self._indent_under(parent)
        new = [f"{indent}{line}" if line.strip() else line for line in block]
        return "\n".join([*self._lines[:at], *new, *self._lines[at:]])

    def _unit(self) -> str:
        """By what the page indents."""
        return next((indent for indent in self._indents if indent), "    ")


def _written(words: _Nested, indent: str, unit: str) -> Iterator[str]:
    """The lines of keywords and all under them."""
    for line, below in words.values():
        yield indent + line
        yield from _written(below, indent + unit, unit)


def _plain(text: str) -> str:
    """A keyword that the list has not: any one that can be printed."""
    found = tidied(text)
    if not found or len(found) > LONGEST or not found.isprintable():
        raise WordTrouble(f"A keyword has 1 to {LONGEST} signs that can be printed.")
    return found
