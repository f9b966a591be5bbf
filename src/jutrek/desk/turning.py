"""Turning captures for a face: in place, proven, with hash lists and backups behind; and turning them back."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.desk.amended import amended_seen
from jutrek.desk.sidecars import AWAY, Sidecars, see
from jutrek.embedding.orientation import saying_it
from jutrek.embedding.proving import other_than
from jutrek.errors import shown
from jutrek.formats import MEDIA, Kind, kind_by_suffix, read
from jutrek.formats.splices import Splice, trouble_with
from jutrek.transfer import Listener
from jutrek.transfer.amending import ToAmend
from jutrek.transfer.sidecar_runs import ToSay, write_sidecars
from jutrek.turning.patching import CannotTurn, splices_of
from jutrek.turning.ways import turned
from jutrek.wording.packet import Packet
from jutrek.wording.properties import ORIENTATION

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.turning.ways import Way
    from jutrek.views.columns import Columns

_ORIENTATIONS = frozenset("12345678")
_MOVING = frozenset({"still", "clip"})


@dataclass(frozen=True, slots=True)
class TurnedCaptures:
    """What came of it.

    Attributes:
        run: its run in the journal; empty where nothing was turned.
        files: those that were turned, relative to the library, and sidecars that say it, too.
        captures: how many captures were turned.
        left: sentences about what was not.
    """

    run: str = ""
    files: tuple[str, ...] = ()
    captures: int = 0
    left: tuple[str, ...] = ()

    @property
    def why(self) -> str:
        """What did not work, in a sentence; empty where all did."""
        return self.left[0] if self.left else ""


def turn_captures(
    columns: Columns,
    rows: Iterable[int],
    way: Way,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
) -> TurnedCaptures:
    """Turn captures: all their pictures and clips alike. Hash lists and backups follow by `sidecars.follow`.

    Args:
        columns: of the library's captures.
        rows: which of them.
        way: which way.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set.
        listener: hears how it goes on.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal can't be written.
        Stopped: when it was stopped before anything was turned.
    """
    own: dict[str, int] = {}
    away = 0
    for row in dict.fromkeys(rows):
        if columns.state[row] & AWAY:
            away += 1
            continue
        for path in (columns.path(row), *columns.companions(row)):
            if kind_by_suffix(os.path.splitext(path)[1]) in MEDIA and _shows(path):
                own[path] = row
    listener, files = listener or Listener(), [_Turned(path, way) for path in own]
    sidecars = Sidecars(library, columns)

    def beside() -> Iterator[ToSay]:
        """What stands beside those that are turned, and says which way is up, too."""
        rows = {own[one.path] for one in files if one.is_turned}
        found = dict.fromkeys(sidecar for row in rows if sidecars.has(row) for sidecar in sidecars.all_of(row))
        yield from (ToSay(sidecar, lambda old: _turned_beside(old, way)) for sidecar in found)

    wanted = [one.wanted for one in files]
    written = write_sidecars(
        beside(), f"turned {way}", library, ledger, stop=stop, listener=listener, files=wanted
    )  # fmt: skip
    left = ["What is gone, set aside or stored away can't be turned."] if away else []
    left += [f"{shown(path)} stays as it was: no other decoder would show it turned." for path in written.unproven]
    amended_seen(written.files, library, ledger)
    see(written, library, ledger)
    trouble = [str(written.trouble)] if written.trouble is not None else []
    captures = len({own[path] for path in written.files})
    changed = (*written.files, *written.sidecars)
    return TurnedCaptures(written.run, changed, captures, (*trouble, *written.left, *left))


class _Turned:
    """A file that is turned: in place where it says which way is up, else by saying it for the first time."""

    def __init__(self, path: str, way: Way) -> None:
        self.path, self._way = path, way
        self.is_turned, self._says = False, 0
        self._splices: Sequence[Splice] = ()

    @property
    def wanted(self) -> ToAmend:
        """What is to become of it."""
        return ToAmend(self.path, self._how, self._proven)

    def _how(self, whole: str) -> Sequence[Splice]:
        reading = read(whole)
        try:
            self._splices = splices_of(whole, reading, self._way)
        except CannotTurn:
            self._says = turned(1, self._way)
            if reading.kind is not Kind.STILL or reading.orientation != 1:
                raise
            if self._says == 1:
                # What says nothing is shown as it is stored.
                return ()
            self._splices = saying_it(whole, reading, self._says)
            if not self._splices or trouble_with(self._splices, reading.payload):
                raise
        self.is_turned = bool(self._splices)
        return self._splices

    def _proven(self, old: str, new: str) -> str:
        return other_than(old, new, self._splices, None, None, self._says)


def _turned_beside(old: bytes, way: Way) -> bytes:
    """A sidecar that says another orientation, where it says one.

    Raises:
        ValueError: when it is no packet, as a sentence.
    """
    packet = Packet(old)
    told = packet.text(ORIENTATION)
    if told not in _ORIENTATIONS or turned(int(told), way) == int(told):
        return old
    packet.say(ORIENTATION, str(turned(int(told), way)), inline=packet.inline(ORIENTATION))
    return bytes(packet)


def _shows(path: str) -> bool:
    return kind_by_suffix(os.path.splitext(path)[1]).value in _MOVING
