"""The keywords of one capture: what stands beside it, what its files say themselves, and what a change makes of them.

A keyword that stands under others in the house's list is written with all of them, flat, so that every program finds
it by each; its branch, from the outermost to itself, is written, too, and tells later which of them go with it. What a
file itself says stays in it: what is taken off there is written down beside it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from jutrek.wording.properties import SUBJECT, TAKEN_OFF
from jutrek.wording.spelling import Branch, key, tidied

if TYPE_CHECKING:
    from jutrek.wording.packet import Packet


class Change(NamedTuple):
    """What becomes of keywords.

    Attributes:
        add: keywords with what they stand under.
        remove: keywords.
        instead: whether what is added stands in place of all others.
    """

    add: tuple[Branch, ...] = ()
    remove: tuple[str, ...] = ()
    instead: bool = False

    def __bool__(self) -> bool:
        return bool(self.add or self.remove or self.instead)


NO_CHANGE = Change()


class Keywords:
    """The keywords of a capture, as they are being changed."""

    def __init__(self, packet: Packet, own: Iterable[str] = ()) -> None:
        """
        Args:
            packet: what stands beside the capture.
            own: what its files themselves say.
        """
        self._own = {key(one): tidied(one) for one in own if tidied(one)}
        self._off = {key(one): one for one in packet.items(TAKEN_OFF)}
        self._flat: dict[str, str] = {}
        for one in packet.items(SUBJECT):
            self._flat.setdefault(key(one), one)
        self._branches = {_keys(one): one for one in packet.branches()}
        self._doubled = len(packet.items(SUBJECT)) != len(self._flat)
        for known, one in self._own.items():
            if known not in self._off:
                self._flat.setdefault(known, one)

    @property
    def all(self) -> list[str]:
        """All that count, those beside the capture first."""
        return list(self._flat.values())

    @property
    def branches(self) -> frozenset[Branch]:
        """What they stand under, as keys."""
        return frozenset(self._branches)

    def write(self, packet: Packet) -> None:
        """Let a packet say them. What only a file said is said beside it, too: other programs look there first."""
        packet.have_branches(list(self._branches.values()))
        if self._doubled or [key(one) for one in packet.items(SUBJECT)] != list(self._flat) or self._respelt(packet):
            packet.have(SUBJECT, self._flat.values())
        off = [one for known, one in self._off.items() if known in self._own]
        if off != packet.items(TAKEN_OFF):
            packet.have(TAKEN_OFF, off) if off else packet.forget(TAKEN_OFF)

    def _respelt(self, packet: Packet) -> bool:
        return packet.items(SUBJECT) != list(self._flat.values())

    def change(self, wanted: Change) -> None:
        """Take off, add, or put in place of all others."""
        if wanted.instead:
            self._off |= self._own
            self._flat.clear()
            self._branches.clear()
        for word in wanted.remove:
            self.remove(word)
        for branch in wanted.add:
            self.add(branch)

    def add(self, branch: Branch) -> None:
        """Add a keyword, and all that it stands under."""
        keys = _keys(branch)
        mentioned = self._mentioned()
        for depth, known in enumerate(keys[:-1]):
            # One that was there by itself stays by itself when this keyword is taken off again.
            if known in self._flat and known not in mentioned:
                self._branches[known,] = (branch[depth],)
        for known, word in zip(keys, branch, strict=True):
            self._flat.setdefault(known, tidied(word))
            self._off.pop(known, None)
        if len(keys) > 1 or keys[0] in mentioned:
            self._branches[keys] = branch

    def remove(self, word: str) -> bool:
        """Take a keyword off, and what it stands under unless something else needs that.

        Returns:
            Whether it is off: one that another stands under stays while that is there.
        """
        known = key(word)
        if any(known in keys[:-1] for keys in self._branches):
            return False
        gone = [keys for keys in self._branches if keys[-1] == known]
        for keys in gone:
            del self._branches[keys]
        self._let_go(known)
        self._sweep(above for keys in gone for above in keys[:-1])
        return True

    def move(self, old: Branch, new: Branch, *, alone: bool = True) -> bool:
        """Let a keyword be called otherwise, or stand elsewhere, with all that stands under it.

        Args:
            old: where it stands.
            new: where it is to stand; empty where it goes, and what stands under it with it one level up.
            alone: whether the word by itself, without a branch, means this one: not where the list has it twice.

        Returns:
            Whether the capture had it.
        """
        was, known = _keys(old), key(old[-1])
        moved = {keys: branch for keys, branch in self._branches.items() if keys[: len(was)] == was}
        by_itself = alone and known in self._flat and ((known,) in self._branches or known not in self._mentioned())
        if not moved and not by_itself:
            return False
        for keys in moved:
            del self._branches[keys]
        if by_itself:
            self._branches.pop((known,), None)
        if known not in self._mentioned():
            self._let_go(known)
        self._sweep(above for above in was[:-1] if moved)
        base = new or old[:-1]
        for branch in moved.values():
            below = branch[len(old) :]
            if new or below:
                self.add((*base, *below))
        if by_itself and new:
            self.add(new)
        return True

    def _mentioned(self) -> set[str]:
        return {known for keys in self._branches for known in keys}

    def _let_go(self, known: str) -> None:
        self._flat.pop(known, None)
        if known in self._own:
            self._off[known] = self._own[known]

    def _sweep(self, above: Iterable[str]) -> None:
        """Take off what only stood there because of something below it."""
        mentioned = self._mentioned()
        for known in above:
            if known not in mentioned and known not in self._own:
                self._flat.pop(known, None)


def _keys(branch: Sequence[str]) -> Branch:
    return tuple(map(key, branch))
