"""Folders that are typed, spelled the same way each time: what they may become, and which one was most likely meant."""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache

_FEWEST = 4
"""Letters of a name at least in which one that differs is taken for a slip."""
MOST = 12


@lru_cache(maxsize=1 << 14)
def bare(name: str) -> str:
    """A name without what slips: capital letters, accents, spaces and other signs."""
    apart = unicodedata.normalize("NFKD", name.casefold())
    return "".join(sign for sign in apart if sign.isalnum())


class Spelling:
    """Knows the folders that are there."""

    def __init__(self, paths: Iterable[str]) -> None:
        """
        Args:
            paths: of all folders, relative to the library; patterns that are in use are among them.
        """
        self._paths = [one for one in paths if one]
        self._children: dict[str, list[str]] = {}
        self._names: Counter[str] = Counter()
        for path in self._paths:
            above, _, name = path.rpartition("/")
            self._children.setdefault(above, []).append(name)
            self._names[name] += 1

    def near(self, typed: str) -> str:
        """The folder that is there and that one which is typed is most likely meant to be; empty where none is.

        Names that differ only by capital letters, accents, spaces and signs, or by one letter, are taken for slips;
        other figures never are: `2025` is not `2026`.
        """
        at, slipped = "", False
        for part in typed.strip("/").split("/"):
            children = self._children.get(at, [])
            name = part if part in children else next((one for one in children if _is_slip(part, one)), part)
            slipped = slipped or name != part
            at = f"{at}/{name}" if at else name
        return at if slipped else ""

    def completions(self, typed: str) -> list[str]:
        """What a folder that is being typed may become: those within the one that stands before, then any of that name.

        Args:
            typed: so far; from its last slash on it is completed.
        """
        above, slash, part = typed.rpartition("/")
        wanted = bare(part)
        own = sorted(self._children.get(above, []), key=str.casefold)
        begins = [f"{above}{slash}{one}" for one in own if bare(one).startswith(wanted) and one != part]
        if not wanted:
            return begins[:MOST]
        within = [one for one in self._paths if wanted in bare(one.rpartition("/")[2])] if not slash else []
        named = [one for one, _ in self._names.most_common() if bare(one).startswith(wanted) and one != part]
        elsewhere = [f"{above}{slash}{one}" for one in named] if slash else []
        found = dict.fromkeys([*begins, *within, *elsewhere])
        return [one for one in found if one != typed][:MOST]


def _is_slip(typed: str, name: str) -> bool:
    one, other = bare(typed), bare(name)
    if one == other:
        return bool(one)
    if _figures(one) != _figures(other) or min(len(one), len(other)) < _FEWEST or abs(len(one) - len(other)) > 1:
        return False
    return _one_apart(one, other)


def _figures(name: str) -> str:
    return "".join(sign for sign in name if sign.isdigit())


def _one_apart(one: str, other: str) -> bool:
    """Whether one letter more, less or other, or two that changed places, make one of the other."""
    start = next((at for at, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
    rest, others = one[start:], other[start:]
    swapped = rest[:2] == others[1::-1] and rest[2:] == others[2:] and len(rest) > 1
    return swapped or rest[1:] == others[1:] or rest[1:] == others or rest == others[1:]


def expanded(typed: str, shorts: Mapping[str, str]) -> str:
    """What is typed, with the house's short form written out that ends it, once a space or slash is behind that.

    Args:
        typed: so far.
        shorts: what short forms stand for, by themselves in small letters.
    """
    if not typed or typed[-1] not in " /":
        return typed
    before = typed[:-1]
    word = _last_word(before)
    whole = shorts.get(word.casefold(), "") if word else ""
    return f"{before[: len(before) - len(word)]}{whole}{typed[-1]}" if whole else typed


def written_out(typed: str, shorts: Mapping[str, str]) -> str:
    """What is typed, with every short form written out: nothing is behind the last one when it is done."""
    parts: Sequence[str] = typed.split("/")
    return "/".join(" ".join(shorts.get(word.casefold(), word) for word in part.split(" ")) for part in parts)


def _last_word(text: str) -> str:
    at = max(text.rfind(" "), text.rfind("/"))
    return text[at + 1 :]
