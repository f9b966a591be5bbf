"""Programs that are started beside this one."""

from __future__ import annotations

import os
import subprocess
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from jeepney import HeaderFields, message_bus, new_method_return
from jeepney.io.blocking import open_dbus_connection

from jutrek.desk.programs import show_file, show_on_disk
from jutrek.errors import NotPossible
from tests.conftest import Medium
from tests.making import PATIENCE, put


def test_what_cannot_be_shown_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A file that is gone; a desktop without a program for it, and one whose program can't be run, or fails."""
    with pytest.raises(NotPossible, match="not there any more"):
        show_file(str(tmp_path / "gone"))
    page, programs = put(tmp_path / "report.html", b"<p>"), tmp_path / "bin"
    programs.mkdir()
    monkeypatch.setenv("PATH", str(programs))
    with pytest.raises(NotPossible, match="nothing to show it with"):
        show_file(str(page))
    put(programs / "xdg-open", b"no program").chmod(0o755)
    with pytest.raises(NotPossible, match="can't be shown"):
        show_file(str(page))
    put(programs / "xdg-open", b"#!/bin/sh\nexit 3\n")
    with pytest.raises(NotPossible, match="xdg-open knows no program"):
        show_file(str(page))


@pytest.mark.long
def test_starting_one_over_a_disk_that_hangs_holds_nothing_else(
    medium: Callable[[str], Medium], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Only the thread that starts it waits; it is started as soon as the disk answers."""
    told = tmp_path / "shown"
    put(tmp_path / "bin" / "xdg-open", f"#!/bin/sh\n: > {told}\n".encode()).chmod(0o755)
    monkeypatch.setenv("PATH", str(tmp_path / "bin"), prepend=os.pathsep)
    card = medium("Card A")
    put(card.below / "a.jpg", b"a picture")
    # Were this process held, nothing in it could let the disk go.
    guard = subprocess.Popen(["sh", "-c", f"sleep 8; kill -9 {card.process.pid}"], start_new_session=True)
    held = os.open(card.top / "a.jpg", os.O_RDONLY)
    card.fail(hangs=True)
    thread = threading.Thread(target=show_file, args=(str(put(tmp_path / "report.html", b"<p>")),), daemon=True)
    thread.start()
    began = last = time.monotonic()
    longest = 0.0
    while last < began + 1.5:
        time.sleep(0.01)
        longest, last = max(longest, time.monotonic() - last), time.monotonic()
    assert longest < 1
    assert not told.exists()
    card.fail()
    thread.join(PATIENCE)
    while not told.exists() and time.monotonic() < began + PATIENCE:
        time.sleep(0.05)
    assert told.exists()
    guard.kill()
    guard.wait()
    os.close(held)


@pytest.fixture
def bus(monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """A session bus of its own."""
    daemon = subprocess.Popen(
        ["dbus-daemon", "--session", "--nofork", "--print-address"], stdout=subprocess.PIPE, text=True
    )
    assert daemon.stdout is not None
    address = daemon.stdout.readline().strip()
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", address)
    yield address
    daemon.kill()
    daemon.wait()
    daemon.stdout.close()


def test_a_file_is_shown_by_the_file_manager_on_the_bus(bus: str, tmp_path: Path) -> None:
    """With its name as bytes; and a file that is gone is told before anybody is asked."""
    asked: list[object] = []
    with open_dbus_connection(bus=bus) as manager:
        manager.send_and_get_reply(message_bus.RequestName("org.freedesktop.FileManager1"))

        def serve() -> None:
            call = manager.receive(timeout=PATIENCE)
            asked.extend((call.header.fields[HeaderFields.member], call.body))
            manager.send(new_method_return(call))

        server = threading.Thread(target=serve)
        server.start()
        path = put(tmp_path / os.fsdecode(b"a \xff b.jpg"), b"x")
        show_on_disk(str(path))
        server.join()
    assert asked == ["ShowItems", ([f"file://{tmp_path}/a%20%FF%20b.jpg"], "")]
    with pytest.raises(NotPossible, match="not there any more"):
        show_on_disk(str(tmp_path / "gone"))


@pytest.mark.parametrize("has_bus", [True, False])
def test_without_a_file_manager_on_the_bus_the_folder_is_opened(
    has_bus: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest
) -> None:
    if has_bus:
        request.getfixturevalue("bus")
    else:
        monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", f"unix:path={tmp_path}/nothing")
    told = tmp_path / "told"
    put(tmp_path / "bin" / "xdg-open", f'#!/bin/sh\necho "$1" > {told}\n'.encode()).chmod(0o755)
    monkeypatch.setenv("PATH", str(tmp_path / "bin"), prepend=os.pathsep)
    show_on_disk(str(put(tmp_path / "2026" / "a.jpg", b"x")))
    assert told.read_text() == f"{tmp_path}/2026\n"
