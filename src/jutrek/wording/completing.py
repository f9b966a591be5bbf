"""Completing a keyword while it is typed: from the house's list, and from what captures have."""

from __future__ import annotations

from collections.abc import Mapping
from heapq import nsmallest
from typing import NamedTuple

from jutrek.wording.spelling import Branch, key
from jutrek.wording.tree import BETWEEN, WordTree


class Completion(NamedTuple):
    """A keyword that may be meant.

    Attributes:
        branch: with what it stands under.
        synonym: by which of its synonyms it was found; empty for its word.
        captures: how many captures have it.
    """

    branch: Branch
    synonym: str = ""
    captures: int = 0


class Completer:
    """Finds keywords by what is typed of them."""

    def __init__(self, tree: WordTree, used: Mapping[str, int]) -> None:
        """
        Args:
            tree: the house's list.
            used: keywords of captures, and how many have each.
        """
        counts = {key(word): count for word, count in used.items()}
        self._known: list[tuple[str, Completion]] = []
        listed = set()
        for number, entry in enumerate(tree.entries):
            branch, own = tree.branch(number), key(entry.word)
            listed.add(own)
            count = counts.get(own, 0)
            self._known.append((own, Completion(branch, "", count)))
            self._known += [(key(one), Completion(branch, one, count)) for one in entry.synonyms]
        more = (word for word in used if key(word) not in listed)
        self._known += [(key(word), Completion((word,), "", used[word])) for word in more]

    def find(self, typed: str, limit: int = 12) -> list[Completion]:
        """What may be meant, the likeliest first: what begins so, of which a word does, which has it in it.

        Args:
            typed: what is typed; behind ` > ` only what stands under the word before.
            limit: so many at most.
        """
        above, _, text = typed.rpartition(BETWEEN.strip())
        wanted, under = key(text), tuple(map(key, above.split(BETWEEN.strip()))) if above.strip() else ()
        if not (wanted or under):
            return []
        best: dict[Branch, Completion] = {}
        # What has it in it is looked for only where too few begin so: of very many keywords that takes longest.
        for ranks in ((0, 1), (2, 3)):
            found = (
                (rank, -one.captures, known, one)
                for known, one in self._known
                if (known.startswith(wanted) if ranks[0] == 0 else wanted in known)
                and (rank := _rank(wanted, known, one)) in ranks
                and _stands(one, under)
            )
            for *_, one in nsmallest(limit * 4, found):
                best.setdefault(one.branch, one)
            if len(best) >= limit:
                break
        return list(best.values())[:limit]


def _rank(wanted: str, known: str, one: Completion) -> int:
    if known.startswith(wanted):
        return 1 if one.synonym else 0
    return 2 if f" {wanted}" in known else 3


def _stands(one: Completion, under: tuple[str, ...]) -> bool:
    above = tuple(map(key, one.branch[:-1]))
    return not under or above[len(above) - len(under) :] == under
