"""Guards and places that all tests share: nothing leaks, nothing touches the person's own folders."""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

import jutrek.demo
from jutrek.demo import Scenario, build
from jutrek.library import Library, Place, add_place, new_library
from jutrek.library.ledger import Ledger
from jutrek.simulate.faults import Faults

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["TZ"] = "UTC"
time.tzset()
# How long an example takes says more about the machine than about the code: speeds are measured in `bench/`.
settings.register_profile("here", deadline=None)
settings.load_profile("here")


@pytest.fixture(autouse=True)
def own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every test has XDG folders of its own, and a home where they are: a home's trash is for its own disk."""
    monkeypatch.setenv("HOME", str(tmp_path))
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "xdg"))
    for name in [name for name in sys.modules if name.startswith("send2trash")]:
        # It looks where the trash is when it is imported.
        monkeypatch.delitem(sys.modules, name)


@pytest.fixture(autouse=True)
def no_threads_left() -> Iterator[None]:
    """A thread that outlives its test is a leak."""
    before = set(threading.enumerate())
    yield
    deadline = time.monotonic() + 3
    while time.monotonic() < deadline and (left := _ours() - before):
        time.sleep(0.02)
    assert not left, f"threads left over: {left}"


def _ours() -> set[threading.Thread]:
    """Threads, but for those that were left with a disk that hangs, be it another test's."""
    return {thread for thread in threading.enumerate() if not thread.name.startswith("asks ")}


@pytest.fixture
def library(tmp_path: Path) -> Library:
    """An empty library."""
    root = tmp_path / "library"
    root.mkdir()
    return new_library(str(root))


@pytest.fixture
def ledger(library: Library) -> Iterator[Ledger]:
    """The open ledger of `library`."""
    with Ledger(library.ledger_path) as opened:
        yield opened


@pytest.fixture
def card(tmp_path: Path) -> Path:
    """An empty card."""
    root = tmp_path / "Card A"
    (root / "DCIM").mkdir(parents=True)
    return root


@pytest.fixture
def small_place(tmp_path: Path) -> Iterator[Path]:
    """A real file system of 24 MB."""
    place = tmp_path / "small"
    place.mkdir()
    mounted = os.geteuid() == 0 and not subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=24m", "none", place], capture_output=True, check=False
    ).returncode  # fmt: skip
    if not mounted:
        pytest.skip("mounting a small file system needs root")
    yield place
    subprocess.run(["umount", "--lazy", place], check=True)


@pytest.fixture(scope="session")
def exfat(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """A real exFAT, through FUSE on a loop device: no hard links, no exclusive rename, no case."""
    if os.geteuid() != 0:
        pytest.skip("mounting exFAT needs root")
    folder = tmp_path_factory.mktemp("exfat")
    image, place = folder / "image", folder / "place"
    place.mkdir()
    with image.open("wb") as file:
        file.truncate(64_000_000)
    try:
        subprocess.run(["mkfs.exfat", image], check=True, capture_output=True)
        loop = subprocess.run(
            ["losetup", "-f", "--show", image], check=True, capture_output=True, text=True
        ).stdout.strip()
        subprocess.run(["mount.exfat-fuse", loop, place], check=True, capture_output=True)
    except (OSError, subprocess.CalledProcessError) as error:
        pytest.skip(f"exFAT cannot be mounted here: {error}")
    yield place
    subprocess.run(["umount", "--lazy", place], check=True)
    subprocess.run(["losetup", "-d", loop], check=True)


@pytest.fixture(scope="session")
def demo_made(request: pytest.FixtureRequest) -> Scenario:
    """The demo, made once for as long as what makes it stays the same. Tests that change it take `demo`."""
    makers = sorted(Path(jutrek.demo.__file__).parent.rglob("*.py"))
    told = hashlib.sha256(b"".join(path.read_bytes() for path in makers)).hexdigest()[:16]
    kept = request.config.cache.mkdir("demo") / told  # type: ignore[union-attr]
    with (kept.parent / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not kept.exists():
            for old in kept.parent.glob("*[0-9a-f]"):
                shutil.rmtree(old)
            made = kept.with_suffix(".making")
            shutil.rmtree(made, ignore_errors=True)
            build(str(made))
            made.rename(kept)
    return Scenario(str(kept))


@pytest.fixture
def demo(demo_made: Scenario, tmp_path: Path) -> Scenario:
    """A copy of the demo of one's own, with all times kept, and its library."""
    shutil.copytree(demo_made.root, tmp_path / "demo")
    scenario = Scenario(str(tmp_path / "demo"))
    new_library(scenario.library)
    return scenario


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
        # It goes with whoever started it: one that hangs would keep even a killed process from ending.
        alone = ["setpriv", "--pdeathsig", "KILL"]
        command = [*alone, sys.executable, "-m", "jutrek.simulate.filesystem", str(below), str(top), str(page)]
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


@pytest.fixture(params=["plain", "blind", "exfat"])
def top(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    """A folder on a medium that tells case, on one that is blind to it, and on a real exFAT."""
    if request.param == "exfat":
        folder = Path(request.getfixturevalue("exfat")) / f"s{os.urandom(4).hex()}"
        folder.mkdir()
        return folder
    if request.param == "blind" and (os.geteuid() != 0 or not os.path.exists("/dev/fuse")):
        pytest.skip("mounting a medium that is blind to case needs root and FUSE")
    from bench.torture.world import Medium

    medium = Medium.make(tmp_path, "medium", request.param)
    request.addfinalizer(medium.close)
    return medium.top
