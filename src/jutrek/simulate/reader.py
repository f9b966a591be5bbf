"""The simulated card reader: a folder becomes a card that appears, is slow, fails, is pulled, and is let go."""

from __future__ import annotations

import asyncio
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from types import TracebackType
from typing import Self

from jutrek.errors import SourceUnreadable
from jutrek.simulate.drives import Card, Service
from jutrek.simulate.faults import Faults

_PATIENCE = 10.0


@dataclass(frozen=True, slots=True)
class Troubles:
    """What goes wrong with a card.

    Attributes:
        speed: bytes a second that it gives at most; 0 for as fast as it goes.
        fails_at: after which share of its bytes a spot cannot be read, from 0 to 1; None for never.
        pulled_at: after which share of its bytes it is pulled; None for never.
    """

    speed: int = 0
    fails_at: float | None = None
    pulled_at: float | None = None

    def of(self, folder: str) -> Faults:
        """The faults of a medium with the content of a folder."""
        files = sorted(
            (os.path.join(top, name) for top, _, names in os.walk(folder) for name in names),
            key=lambda path: os.path.relpath(path, folder),
        )
        total = sum(os.path.getsize(path) for path in files)
        errors = {}
        if self.fails_at is not None:
            left = int(total * self.fails_at)
            for path in files:
                size = os.path.getsize(path)
                if left < size:
                    errors["/" + os.path.relpath(path, folder)] = (left, size)
                    break
                left -= size
        pulled = int(total * self.pulled_at) if self.pulled_at is not None else -1
        return Faults(read_speed=self.speed, read_error=errors, pulled_after=pulled)


class Reader:
    """A reader with cards in it, while it is open. Programs that are to see them get its `environment`."""

    def __init__(self) -> None:
        self._stack = ExitStack()
        self._folder = self._stack.enter_context(tempfile.TemporaryDirectory(prefix="jutrek-reader-"))
        self._loop = asyncio.new_event_loop()
        self._service = Service(self._hear)
        self._mounts: dict[str, subprocess.Popen[bytes]] = {}
        self.address = f"unix:path={os.path.join(self._folder, 'bus')}"

    @property
    def environment(self) -> dict[str, str]:
        """The environment in which its cards are seen."""
        return {**os.environ, "DBUS_SYSTEM_BUS_ADDRESS": self.address}

    def __enter__(self) -> Self:
        command = ["dbus-daemon", "--session", "--nofork", f"--address={self.address}", "--print-address=1"]
        self._daemon = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        self._stack.callback(self._daemon.communicate)
        self._stack.callback(self._daemon.terminate)
        if self._daemon.stdout is not None:
            # It tells its address once it listens; the socket is there before.
            self._daemon.stdout.readline()
        self._loop.run_until_complete(self._service.begin(self.address))
        return self

    def __exit__(self, *_: type[BaseException] | BaseException | TracebackType | None) -> None:
        for mount in list(self._mounts):
            self._unmount(mount)
        self._service.end()
        self._loop.run_until_complete(asyncio.sleep(0.1))
        self._loop.close()
        self._stack.close()

    def put_in(self, folder: str, label: str, troubles: Troubles) -> Card:
        """Put a card in: what is in a folder, under a label.

        Raises:
            SourceUnreadable: when the folder is none, or cannot be mounted.
        """
        if not os.path.isdir(folder):
            raise SourceUnreadable(folder, NotADirectoryError(20, os.strerror(20)))
        mount, page = os.path.join(self._folder, label), os.path.join(self._folder, f"{label}.json")
        os.mkdir(mount)
        # The mount opens its files anew when they are listed; faults begin once it is there.
        troubles.of(folder).keep(page)
        command = [sys.executable, "-m", "jutrek.simulate.filesystem", os.path.abspath(folder), mount, page]
        self._mounts[mount] = subprocess.Popen(command)
        if not _is_mounted(mount):
            raise SourceUnreadable(folder, OSError("it could not be mounted; is FUSE there (package fuse3)?"))
        card = Card(label, mount, sum(os.path.getsize(os.path.join(t, n)) for t, _, ns in os.walk(folder) for n in ns))

        async def appear() -> None:
            self._service.put_in(card)

        self._loop.run_until_complete(appear())
        return card

    def serve(self, seconds: float) -> None:
        """Answer for a while."""
        self._loop.run_until_complete(asyncio.sleep(seconds))

    def serve_while(self, command: Sequence[str]) -> int:
        """Answer while a program runs that sees the cards. Returns its exit code."""
        with subprocess.Popen(list(command), env=self.environment) as program:
            while program.poll() is None:
                self.serve(0.2)
            return program.returncode

    def _hear(self, what: str, card: Card) -> None:
        if what == "Unmount":
            self._unmount(card.mount)

    def _unmount(self, mount: str) -> None:
        process = self._mounts.pop(mount, None)
        if process is not None:
            how = ["umount", "--lazy"] if os.geteuid() == 0 else ["fusermount3", "-u", "-z"]
            subprocess.run([*how, mount], check=False, capture_output=True)
            process.terminate()
            process.wait()


def _is_mounted(path: str) -> bool:
    """Whether something is mounted there, at once or after some waiting."""
    end = time.monotonic() + _PATIENCE
    while time.monotonic() < end:
        if os.path.ismount(path):
            return True
        time.sleep(0.05)
    return False
