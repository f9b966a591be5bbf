"""Cards and drives on a real bus, with a stand-in for the service; and the mount table where there is none."""

from __future__ import annotations

import asyncio
import os
import subprocess
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from jutrek.errors import DriveBusy, DriveTrouble
from jutrek.simulate.drives import Card, Service
from jutrek.sources import Drive, Watch, drive_at, drives, drives_now, filesystem_of, let_go, mount, mounts


class Bus:
    """A bus of its own with the stand-in on it, in a thread."""

    def __init__(self, folder: Path) -> None:
        self.address = f"unix:path={folder / 'bus'}"
        command = ["dbus-daemon", "--session", "--nofork", f"--address={self.address}", "--print-address=1"]
        self._daemon = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        assert self._daemon.stdout is not None
        # It tells its address once it listens; the socket is there before.
        assert self._daemon.stdout.readline()
        self.calls: list[tuple[str, str]] = []
        self.service = Service(lambda what, card: self.calls.append((what, card.label)))
        self.loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self.loop.run_forever)
        self._thread.start()
        asyncio.run_coroutine_threadsafe(self.service.begin(self.address), self.loop).result(10)

    def do(self, act: Callable[[Card], None], card: Card) -> None:
        async def go() -> None:
            act(card)

        asyncio.run_coroutine_threadsafe(go(), self.loop).result(10)

    def end(self) -> None:
        self.loop.call_soon_threadsafe(self.service.end)
        time.sleep(0.1)
        self.loop.call_soon_threadsafe(self.loop.stop)
        self._thread.join()
        self.loop.close()
        self._daemon.terminate()
        self._daemon.communicate()


def wait_for(true: Callable[[], bool]) -> None:
    for _ in range(200):
        if true():
            return
        time.sleep(0.05)
    raise AssertionError("it did not come to that")


@pytest.fixture
def bus(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Bus]:
    made = Bus(tmp_path)
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", made.address)
    yield made
    made.end()


def test_cards_are_known_with_what_the_service_says_of_them(bus: Bus, tmp_path: Path) -> None:
    """Label, size, mount point in any letters; one that is not mounted is mounted on demand."""
    card = Card("CARD Ä", str(tmp_path / "CARD Ä"), 32 * 10**9)
    bus.do(bus.service.put_in, card)
    (found,) = drives_now()
    assert (found.label, found.size, found.mount, found.filesystem, found.ejectable) == (
        "CARD Ä", 32 * 10**9, str(tmp_path / "CARD Ä"), "exfat", True,
    )  # fmt: skip
    (tmp_path / "CARD Ä" / "DCIM").mkdir(parents=True)
    assert drive_at(str(tmp_path / "CARD Ä" / "DCIM")) == found
    assert drive_at("/") is None
    card.mount = ""
    (found,) = drives_now()
    assert found.mount == ""
    assert mount(found) == str(tmp_path / "CARD Ä")


@pytest.mark.parametrize("switch", [False, True])
def test_a_medium_is_let_go_and_says_that_it_may_be_pulled(switch: bool, bus: Bus, tmp_path: Path) -> None:
    """Unmounted, then ejected or switched off; what is busy says so and stays."""
    card = Card("Tarn", str(tmp_path), can_power_off=switch, busy=True)
    bus.do(bus.service.put_in, card)
    (found,) = drives_now()
    with pytest.raises(DriveBusy, match="still uses it"):
        let_go(found)
    assert bus.calls == []
    card.busy = False
    words = let_go(found)
    assert words == f"Tarn is unmounted and {'switched off' if switch else 'ejected'}. It may be pulled."
    assert [what for what, _ in bus.calls] == ["Unmount", "PowerOff" if switch else "Eject"]
    wait_for(lambda: drives_now() == [])


def test_media_that_come_and_go_are_told(bus: Bus, tmp_path: Path) -> None:
    """Within a moment, each change once."""
    told: list[list[str]] = []
    watch = Watch(lambda drives: told.append([drive.label for drive in drives]))
    wait_for(lambda: told == [[]])
    card = Card("A", str(tmp_path))
    bus.do(bus.service.put_in, card)
    wait_for(lambda: told[-1:] == [["A"]])
    bus.do(bus.service.pull_out, card)
    wait_for(lambda: told[-1:] == [[]])
    watch.close()
    assert len(told) == 3


@pytest.mark.parametrize("early", [False, True])
def test_without_the_service_the_mount_table_tells(
    early: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is mounted where media are, also just before anybody listens; letting go is the person's, with a reason."""
    if os.geteuid() != 0:
        pytest.skip("mounting needs root")
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", f"unix:path={tmp_path / 'nothing'}")
    top = Path(f"/mnt/jutrek test é {early}")
    top.mkdir(exist_ok=True)

    def come(*_: object) -> None:
        if not os.path.ismount(top):
            subprocess.run(["mount", "-t", "tmpfs", "-o", "size=1m", "none", top], check=True)
        if early:
            raise DriveTrouble("", "there is no bus")

    if early:
        # The first look finds no service and no medium; the medium comes while the service is asked for once more.
        monkeypatch.setattr(drives, "drives_now", drives._of_mount_table)
        monkeypatch.setattr(drives, "_connection", come)
    told: list[list[Drive]] = []
    watch = Watch(told.append)
    try:
        if not early:
            come()
        wait_for(lambda: any(one.mount == str(top) for one in told[-1]) if told else False)
        (found,) = [one for one in drives_now() if one.mount == str(top)]
        assert (found.label, filesystem_of(str(top / "x"))) == (top.name, "tmpfs")
        with pytest.raises(DriveTrouble, match="UDisks2 is not running"):
            let_go(found)
    finally:
        watch.close()
        subprocess.run(["umount", top], check=False)
        top.rmdir()


def test_the_mount_table_is_read_with_its_escapes(tmp_path: Path) -> None:
    """Blanks come as octal; what holds no files is left out; a missing table is an empty one."""
    table = tmp_path / "mountinfo"
    table.write_text(
        "36 35 98:0 / /media/u/CARD\\040A ro,noatime - exfat /dev/sdb1 ro\n"
        "37 35 0:5 / /proc rw - proc proc rw\nbroken\n"
    )
    (found,) = mounts(str(table))
    assert (found.point, found.filesystem, found.read_only) == ("/media/u/CARD A", "exfat", True)
    assert mounts(str(tmp_path / "none")) == []
