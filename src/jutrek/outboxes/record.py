"""The record of an outbox: what Jutrek made in it, and of what. It lies among the person's own files.

`$XDG_STATE_HOME/jutrek/outboxes/<folder>.jsonl`, a line for each thing that happened, written before it happens. What a
line tells is believed only as far as the folder agrees: a file is Jutrek's own while it is, byte by byte, one that was
made under its name. While a record is open nobody else has it.
"""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, NamedTuple, Self

import platformdirs

from jutrek.disk import append_line, chosen, have_folder
from jutrek.errors import NotPossible, OutboxBusy, reason, shown

if TYPE_CHECKING:
    from types import TracebackType

    from jutrek.disk import Inside, Tree

_SLACK = 200
"""Lines beyond twice of what is needed from which on a record is written anew."""
_FLAGS = os.O_RDWR | os.O_APPEND | os.O_CREAT | os.O_CLOEXEC | os.O_NONBLOCK
COARSE = 2_000_000_000
"""Nanoseconds that times may differ by on a file system that keeps them in steps (FAT: 2 s)."""


class Stamp(NamedTuple):
    """A copy as it was made: size in bytes, time of last change in nanoseconds, SHA-256 in hexadecimal digits."""

    size: int
    mtime_ns: int
    digest: str


class Of(NamedTuple):
    """What a copy was made of.

    Attributes:
        path: where it lay in its library.
        size, quick, mtime_ns: how it was: bytes, quick fingerprint in hexadecimal digits, time of last change.
    """

    path: str
    size: int
    quick: str
    mtime_ns: int

    def same(self, other: Of) -> bool:
        """Whether both are the same content, wherever it lay."""
        near = abs(self.mtime_ns - other.mtime_ns) <= COARSE
        return near and (self.size, self.quick) == (other.size, other.quick)


class Copy(NamedTuple):
    """A copy in an outbox.

    Attributes:
        name: in the folder.
        stamps: as it was made last, and as it was before that, where it was made several times.
        of: what it was made of.
        how: it was made, as `Asked.made_as`.
        words: what it says, as `Words.key`.
    """

    name: str
    stamps: tuple[Stamp, ...]
    of: Of
    how: str
    words: str


class Record:
    """The record of one outbox, held.

    Attributes:
        copies: by their names.
        cannot: why no copy can be made, by of what, and how.
    """

    def __init__(self, folder: str) -> None:
        """
        Args:
            folder: the absolute path of the outbox.

        Raises:
            OutboxBusy: when somebody else holds it.
            NotPossible: when it can't be read or written.
        """
        self._folder = folder
        self.copies: dict[str, Copy] = {}
        self.cannot: dict[tuple[Of, str], str] = {}
        self._tree, self._path = _place(folder)
        try:
            have_folder(self._tree.root, private=True)
            self._fd = self._held()
        except OSError as error:
            raise self._refused(error) from error
        try:
            self._read()
        except BaseException:
            os.close(self._fd)
            raise

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: type[BaseException] | BaseException | TracebackType | None) -> None:
        os.close(self._fd)

    def _held(self) -> int:
        while True:
            fd = self._tree.open(self._path, _FLAGS, 0o600)
            try:
                fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
                if os.path.samestat(os.fstat(fd), self._tree.lstat(self._path)):
                    return fd
                # Somebody wrote it anew in between.
                os.close(fd)
            except OSError as error:
                os.close(fd)
                if isinstance(error, BlockingIOError):
                    raise OutboxBusy(self._folder) from error
                raise

    def _read(self) -> None:
        from jutrek.library import pages
        from jutrek.outboxes.lines import LINE

        # Lines that are damaged cost only themselves: what they told of is nobody's then, and stays.
        good, bad = pages.lines(LINE, self._tree, self._path)
        for line in good:
            self._take(line)
        if len(good) + len(bad) > 2 * (len(self.copies) + len(self.cannot)) + _SLACK:
            self._write_anew()

    def _take(self, line: Mapping[str, Any]) -> None:
        if "made" in line:
            stamps = tuple(Stamp(*one) for one in line["stamps"])
            self.copies[line["made"]] = Copy(line["made"], stamps, Of(*line["of"]), line["how"], line["words"])
        elif "gone" in line:
            self.copies.pop(line["gone"], None)
        else:
            self.cannot[Of(*line["cannot"]), line["how"]] = line["why"]

    def _write_anew(self) -> None:
        """Write it without what holds no more. It stays the same file, which is held."""
        lines = [_made(one) for one in self.copies.values()]
        lines += [_cannot(of, how, why) for (of, how), why in self.cannot.items()]
        try:
            self._tree.write_own(self._path, b"".join(_text(line) + b"\n" for line in lines))
            # The old one is let go once the new one is held: in between it would be anybody's.
            old, self._fd = self._fd, self._held()
            os.close(old)
        except OSError as error:
            raise self._refused(error) from error

    # ---- what is written

    def made(self, copy: Copy) -> None:
        """Write down a copy, before it has its name.

        Raises:
            NotPossible: when it can't be written: it must not have its name then.
        """
        self._append(_made(copy))
        self.copies[copy.name] = copy

    def gone(self, name: str) -> None:
        """Write down that a copy is gone, or that it is nobody's any more. Raises as `made`."""
        self._append({"gone": name})
        self.copies.pop(name, None)

    def cannot_make(self, of: Of, how: str, why: str) -> None:
        """Write down that no copy can be made of something, so that it is not tried again. Raises as `made`."""
        self._append(_cannot(of, how, why))
        self.cannot[of, how] = why

    def _append(self, line: Mapping[str, Any]) -> None:
        try:
            append_line(self._fd, _text(line))
        except OSError as error:
            raise self._refused(error) from error

    def _refused(self, error: OSError) -> NotPossible:
        return NotPossible(self._folder, f"the record of this outbox can't be written: {reason(error)}")


def _place(folder: str) -> tuple[Tree, Inside]:
    name = hashlib.sha256(os.fsencode(folder)).hexdigest()[:24]
    return chosen(os.path.join(platformdirs.user_state_dir("jutrek"), "outboxes", f"{name}.jsonl"))


def _made(one: Copy) -> dict[str, Any]:
    return {"made": one.name, "stamps": one.stamps, "of": one.of, "how": one.how, "words": one.words}


def _cannot(of: Of, how: str, why: str) -> dict[str, Any]:
    return {"cannot": of, "how": how, "why": shown(why)}


def _text(line: Mapping[str, Any]) -> bytes:
    return json.dumps(line, separators=(",", ":")).encode()
