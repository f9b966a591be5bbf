"""Setting aside: into the library's tray, where files stay until it is emptied; a double only beside its keeper.

Each file moves to `LIBRARY/.jutrek/tray/<token>/`, under its own path, with what a sidecar says of it. Right before it
moves its keeper is looked at: where both were said to be the same bytes they are read and compared byte for byte, and
where a person saw them beside each other both must still be the files that were seen. A keeper that is gone, changed,
or was set aside itself stops this file, and only this one. What the keeper lacks of words, rights and date can be
carried over into its sidecar.
"""

from __future__ import annotations

import os
import secrets
import threading
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Any

from jutrek.captures import without_edit
from jutrek.disk import FileStamp, Inside, Outside, Tree, inside, own
from jutrek.doubles.degrees import Degree
from jutrek.errors import FileTrouble, JutrekError, NotMoved, NotPossible, SourceUnreadable, Stopped, shown
from jutrek.filing import Action, HouseRules, Plan, Row
from jutrek.filing.names import stem_of
from jutrek.formats import MEDIA_SUFFIXES
from jutrek.library import LIBRARY, Library, Place, State, drives_here
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.medium import open_to_read
from jutrek.transfer.metadata_merge import carry_over
from jutrek.transfer.moving import refile
from jutrek.transfer.orders import Orders
from jutrek.transfer.outcome import Listener, Outcome

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

TRAY = str(own("tray"))
_BLOCK = 1024 * 1024
_DAMAGED = frozenset({State.ROTTED, State.UNREADABLE, State.GONE})


@dataclass(frozen=True, slots=True)
class Drop:
    """A file that is to be set aside, and the one that stays for it.

    Attributes:
        path: relative to the library.
        stamp: how it was when it was seen.
        keeper, keeper_stamp: the same of the file that stays.
        degree: how far they are the same. Anything but the same bytes must have been decided by a person.
        carries: whether words, rights and date go over into the keeper's sidecar.
    """

    path: str
    stamp: FileStamp
    keeper: str
    keeper_stamp: FileStamp
    degree: Degree
    carries: bool = False


def set_aside(
    drops: Sequence[Drop],
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    places: Sequence[Place] = (),
) -> Outcome:
    """Set doubles aside. Copies in connected places follow into trays there.

    Args:
        drops: what goes, and what stays for it.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set.
        listener: hears how it goes on.
        places: that are connected.

    Returns:
        The outcome; a file whose keeper is not what it was stays, and says so.

    Raises:
        NotPossible: when a file is to be set aside for itself.
        LibraryBusy: when another Jutrek is at work in the library.
    """
    if any(drop.path == drop.keeper for drop in drops):
        raise NotPossible(library.root, "a file can't be set aside for itself")
    token = _token()
    rows = list(_rows(library, drops, f"{TRAY}/{token}"))
    plan = Plan(library.root, library.id, HouseRules(), tuple(row for row, _ in rows))
    court = _Comparer(library, ledger, {row.source: drop for row, drop in rows}, token, stop)
    orders = Orders(Kind.SET_ASIDE, court.objection, court.about, behind=court.carry)
    return refile(plan, library, ledger, stop=stop, listener=listener, places=places, orders=orders)


def put_aside(
    files: Sequence[tuple[str, FileStamp]],
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    places: Sequence[Place] = (),
) -> Outcome:
    """Set files aside that a person wants away, though no other stays for them. Copies in connected places follow.

    Args:
        files: their paths relative to the library, and how each was when it was chosen.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set.
        listener: hears how it goes on.
        places: that are connected.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
    """
    tray = f"{TRAY}/{_token()}"
    rows = tuple(
        Row(
            os.path.join(library.root, path), library.root, Action.MOVE, f"{tray}/{path}", "Set aside.", stamp.size,
            stamp.mtime_ns,
        )
        for path, stamp in files
    )  # fmt: skip
    plan = Plan(library.root, library.id, HouseRules(), rows)
    orders = Orders(Kind.SET_ASIDE)
    return refile(plan, library, ledger, stop=stop, listener=listener, places=places, orders=orders)


def _token() -> str:
    """Tells one occasion from another."""
    return f"{datetime.now():%Y%m%d-%H%M%S}-{secrets.token_hex(3)}"


def _rows(library: Library, drops: Sequence[Drop], tray: str) -> Iterator[tuple[Row, Drop]]:
    """A row for each file, and behind them all one for each sidecar that is nobody else's."""
    dropped = {drop.path for drop in drops}
    names: dict[str, list[str]] = {}
    beside: dict[str, Drop] = {}
    for drop in drops:
        why = f"Set aside for {shown(drop.keeper)}."
        path = os.path.join(library.root, drop.path)
        size, mtime_ns = drop.stamp.size, drop.stamp.mtime_ns
        yield Row(path, library.root, Action.MOVE, f"{tray}/{drop.path}", why, size, mtime_ns), drop
        beside |= dict.fromkeys(_sidecars(library, drop.path, dropped, names), drop)
    for sidecar, drop in beside.items():
        path = os.path.join(library.root, sidecar)
        try:
            status = os.lstat(path)
        except OSError:
            continue
        why = f"Set aside for {shown(drop.keeper)}."
        yield Row(path, library.root, Action.MOVE, f"{tray}/{sidecar}", why, status.st_size, status.st_mtime_ns), drop


def _sidecars(library: Library, path: str, dropped: set[str], names: dict[str, list[str]]) -> list[str]:
    """Sidecars beside a file that belong to none that stays."""
    folder, name = os.path.split(path)
    if folder not in names:
        try:
            names[folder] = os.listdir(os.path.join(library.root, folder))
        except OSError:
            names[folder] = []
    stay = {
        os.path.splitext(other)[0]
        for other in names[folder]
        if _is_media(other) and os.path.join(folder, other) not in dropped
    }
    own = {one.casefold() for one in (name, os.path.splitext(name)[0])}
    return [
        os.path.join(folder, other)
        for other in names[folder]
        if not _is_media(other)
        and (after := _named_after(other)).isdisjoint(stay)
        and any(one.casefold() in own for one in after)
    ]


def _is_media(name: str) -> bool:
    return os.path.splitext(name)[1].lower() in MEDIA_SUFFIXES


def _named_after(sidecar: str) -> set[str]:
    """What a file is called that a sidecar belongs to: its whole name where that says it, else its stem."""
    inner = os.path.splitext(sidecar)[0]
    return {inner} if stem_of(sidecar) != inner else {inner, without_edit(inner)}


def _has_its_file(sidecar: str) -> bool:
    """Whether a file that a sidecar may belong to lies beside it."""
    folder, name = os.path.split(sidecar)
    after = _named_after(name)
    beside = (other for other in os.listdir(folder) if _is_media(other))
    return any(not after.isdisjoint((other, os.path.splitext(other)[0])) for other in beside)


class _Comparer:
    """Decides for each file, right before it moves, whether it may."""

    def __init__(
        self, library: Library, ledger: Ledger, drops: Mapping[str, Drop], token: str, stop: threading.Event
    ) -> None:
        self._library, self._ledger, self._drops, self._token, self._stop = library, ledger, drops, token, stop
        self._stored = ledger.stored.of(drop.keeper for drop in drops.values())
        self._here = {drive.id: drive.tree for drive in drives_here(library)} if self._stored else {}

    def about(self, row: Row) -> dict[str, Any]:
        """What the journal tells of a move besides."""
        drop = self._drops[row.source]
        return {"keeper": drop.keeper, "degree": drop.degree.value}

    def objection(self, row: Row) -> JutrekError | None:
        """Why a file must stay; None where it may go."""
        drop = self._drops[row.source]
        path = os.path.join(self._library.root, drop.path)
        if row.source != path:
            # All files went before their sidecars: whatever is still there keeps its own.
            stays = _has_its_file(row.source)
            return NotMoved(row.source, "the file that it belongs to stays") if stays else None
        try:
            return self._compared(path, drop)
        except Stopped as stopped:
            return stopped
        except (OSError, Outside):
            return NotMoved(row.source, f"{shown(drop.keeper)}, which was to stay, is gone")
        except FileTrouble as error:
            return NotMoved(row.source, f"it could not be compared: {error}")

    def _compared(self, path: str, drop: Drop) -> JutrekError | None:
        keeper, drive = shown(drop.keeper), self._stored.get(drop.keeper, LIBRARY)
        tree, lies = self._library.tree, self._here.get(drive) if drive else self._library.tree
        if lies is None:
            return NotMoved(path, f"{keeper}, which is to stay, is stored on a drive that is away")
        if drive and drop.carries:
            return NotMoved(
                path, f"what it says can't be carried over to {keeper}, which is stored away; fetch it first"
            )
        known = self._ledger.mark_of(drop.keeper, drive)
        if known is not None and known.state in _DAMAGED:
            return NotMoved(path, f"{keeper}, which was to stay, is known to be damaged ({known.state})")
        one, other = inside(drop.path), inside(drop.keeper)
        status = lies.lstat(other)
        if os.path.samestat(tree.lstat(one), status):
            return NotMoved(path, f"{keeper} is the same file by another name; nothing would come free")
        if not drop.keeper_stamp.unchanged(status):
            return NotMoved(path, f"{keeper}, which was to stay, changed since")
        if drop.degree is Degree.BYTES and not same_bytes(tree, one, other, self._stop, lies):
            return NotMoved(path, f"its bytes are not those of {keeper}")
        return None

    def carry(self, journal: Journal, moved: Sequence[tuple[int, Row]]) -> list[str]:
        """Carry words, rights and dates over to keepers, one sidecar for all that were set aside for it."""
        by_keeper: dict[str, list[tuple[int, Row]]] = defaultdict(list)
        for number, row in moved:
            drop = self._drops[row.source]
            if drop.carries and row.source == os.path.join(self._library.root, drop.path):
                by_keeper[drop.keeper].append((number, row))
        failed = []
        for keeper, rows in by_keeper.items():
            sources = [os.path.join(self._library.root, row.destination or "") for _, row in rows]
            why = carry_over(self._library, keeper, sources, f"{TRAY}/{self._token}", journal, rows[0])
            if why:
                failed.append(why)
        return failed


def same_bytes(tree: Tree, one: Inside, other: Inside, stop: threading.Event, others: Tree | None = None) -> bool:
    """Compare two files byte for byte.

    Args:
        tree: the library.
        one: a file of it.
        other: another one.
        stop: ends the work when it is set.
        others: where the other one lies, if that is an archive drive.

    Raises:
        SourceUnreadable: when one of them cannot be read.
        Stopped: when `stop` was set.
    """
    fds: list[int] = []
    try:
        fds += [open_to_read(tree, one)]
        fds += [open_to_read(others or tree, other)]
        while True:
            if stop.is_set():
                raise Stopped
            block, block_2 = os.read(fds[0], _BLOCK), os.read(fds[1], _BLOCK)
            if block != block_2:
                return False
            if not block:
                return True
    except OSError as error:
        raise SourceUnreadable(tree.at(other if fds else one), error) from error
    finally:
        for fd in fds:
            os.close(fd)
