"""Media that fail: a real mount whose faults are set while it is in use."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from jutrek.library import Library, Place, add_place
from jutrek.simulate.faults import Faults


@dataclass
class Medium:
    """A mount with faults: `top` is what is seen, `below` what is really there."""

    top: Path
    below: Path
    page: Path
    process: subprocess.Popen[bytes]

    def fail(self, **faults: Any) -> None:
        """Let it fail from now on, in these ways only."""
        Faults(**faults).keep(str(self.page))

    def pull(self) -> None:
        """Pull it out."""
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


@pytest.fixture
def medium(tmp_path: Path) -> Iterator[Callable[[str], Medium]]:
    """Makes media. A folder that is there already is what is on one."""
    made: list[Medium] = []

    def make(name: str) -> Medium:
        if os.geteuid() != 0 or not os.path.exists("/dev/fuse"):
            pytest.skip("mounting a failing medium needs root and FUSE")
        below, top, page = tmp_path / f"{name} below", tmp_path / name, tmp_path / f"{name}.json"
        below.mkdir(exist_ok=True)
        top.mkdir()
        command = [sys.executable, "-m", "jutrek.simulate.filesystem", str(below), str(top), str(page)]
        process = subprocess.Popen(command, stderr=subprocess.DEVNULL)
        found = Medium(top, below, page, process)
        made.append(found)
        for _ in range(200):
            if os.path.ismount(top):
                return found
            time.sleep(0.05)
        raise AssertionError("the medium was not mounted")

    yield make
    for one in made:
        subprocess.run(["umount", "--lazy", one.top], check=False, capture_output=True)
        one.process.kill()
        one.process.wait()


@pytest.fixture
def tarn(library: Library, tmp_path: Path) -> Place:
    """A second place."""
    (tmp_path / "Tarn").mkdir()
    return add_place(library, str(tmp_path / "Tarn"))
