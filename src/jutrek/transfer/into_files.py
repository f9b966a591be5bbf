"""What is said of captures, in their files: where the house wants that, and a file can hold it beyond doubt.

Beyond doubt means: the file has room for a packet, nothing else that it says contradicts what the packet would say, and
the new file is proven to be the same but for that. What can't be said so is said beside the file.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from jutrek.decoding import opened
from jutrek.embedding import MAX_PACKET, Room, room_of, wrapped
from jutrek.embedding.proving import other_than
from jutrek.formats import read, read_without
from jutrek.formats.splices import Splice, trouble_with
from jutrek.transfer.amending import ToAmend
from jutrek.wording.own import Own, own_of
from jutrek.wording.packet import Packet
from jutrek.wording.properties import SUBJECT
from jutrek.wording.spelling import key

if TYPE_CHECKING:
    from collections.abc import MutableSequence

LARGEST = 256 * 1024 * 1024
"""Bytes of the largest file that is said something in: it is written anew for that."""
_How = Callable[[bytes, Own], bytes]
"""Gives what a packet is to hold of what it holds, and of what the file says besides. Raises ValueError."""


class InFile:
    """What is said in one file."""

    def __init__(self, path: str, how: _How, beside: MutableSequence[str]) -> None:
        """
        Args:
            path: of the file, relative to the library.
            how: gives what it is to say.
            beside: gets the path where that is to be said beside the file instead.
        """
        self._path, self._how, self._beside = path, how, beside
        self._room = Room(b"", None, lambda _: [])
        self._new, self._made = b"", list[Splice]()

    @property
    def wanted(self) -> ToAmend:
        """What is to become of the file."""
        return ToAmend(self._path, self._splices, self._proven, anew=True)

    def _splices(self, whole: str) -> Sequence[Splice]:
        """What is replaced in it; nothing where it says so already, or where that is said beside it.

        Raises:
            SourceUnreadable: when it can't be read.
            OSError: likewise.
        """
        if os.lstat(whole).st_size > LARGEST:
            return self._said_beside()
        reading = read(whole)
        room = room_of(whole, reading)
        if room is None:
            return self._said_beside()
        wording = read_without(whole, room.at).wording
        own = own_of([wording] if wording is not None else [])
        try:
            text = self._how(room.packet, own)
        except ValueError:
            return self._said_beside()
        if text == room.packet:
            return []
        self._room, self._new = room, wrapped(text)
        if len(self._new) > MAX_PACKET or contradicted(self._new, own):
            return self._said_beside()
        self._made = room.put(self._new)
        return self._made if self._made and not trouble_with(self._made, reading.payload) else self._said_beside()

    def _said_beside(self) -> Sequence[Splice]:
        self._beside.append(self._path)
        return []

    def _proven(self, old: str, new: str) -> str:
        room = room_of(new, read(new))
        if room is None or room.packet.strip() != self._new:
            return "What is said in it would not be read."
        return other_than(old, new, self._made, self._room.at, room.at)


def packet_in(path: str) -> bytes:
    """The packet that a file holds as plain bytes; empty where it holds none, or a very long one.

    Raises:
        SourceUnreadable: when it can't be read.
    """
    at = read(path).packet
    if at is None or at.size > MAX_PACKET:
        return b""
    with opened(path) as file:
        return os.pread(file.fileno(), at.size, at.offset)


def contradicted(packet: bytes, own: Own) -> bool:
    """Whether a file says something besides its packet that others may believe rather than that."""
    said = Packet(packet)
    words = set(map(key, said.items(SUBJECT)))
    return any(key(word) not in words for word in own.keywords) or any(
        said.has(field.value) and said.text(field.value).split() != value.split() for field, value in own.fields.items()
    )
