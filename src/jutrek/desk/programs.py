"""Other programs: asked, or given a file to show.

A program that is started closes first what this one has open, and closing waits for a disk that hangs, whichever it is.
For as long the thread waits that starts it: so that is never the window's own.
"""

from __future__ import annotations

import os
import subprocess
from collections.abc import Sequence
from urllib.parse import quote

from jutrek.errors import NotPossible

_PATIENCE = 10.0
"""Seconds that a file manager may take to answer: it may have to start first."""
_SHOWING = (("xdg-open",), ("gio", "open"))
"""What a desktop has to show a file in the program for it, by turns."""


def asked(command: Sequence[str], seconds: float) -> subprocess.CompletedProcess[bytes]:
    """Run a program to its end, and take what it says.

    Raises:
        OSError: when it can't be started.
        subprocess.TimeoutExpired: when it takes longer than this; it is killed then.
    """
    return subprocess.run(command, capture_output=True, timeout=seconds, check=False)


def show_file(path: str) -> None:
    """Show a file in the program that the desktop has for it, which outlives this one. Waits until it is shown.

    Raises:
        NotPossible: when there is no such file, or nothing to show it.
    """
    if not os.path.exists(path):
        raise NotPossible(path, "it is not there any more")
    for command in _SHOWING:
        try:
            ran = subprocess.run(
                [*command, path], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                start_new_session=True, check=False,
            )  # fmt: skip
        except FileNotFoundError:
            continue
        except OSError as error:
            raise NotPossible(path, f"it can't be shown: {error}") from error
        if ran.returncode:
            raise NotPossible(path, f"{command[0]} knows no program to show it")
        return
    raise NotPossible(path, "this desktop has nothing to show it with")


def show_on_disk(path: str) -> None:
    """Show a file or folder where it is, chosen, in the desktop's file manager. Waits until it is shown.

    By `org.freedesktop.FileManager1` (freedesktop.org, File Manager DBus Interface); where nobody answers to that
    name, its folder is opened by the program that the desktop has for folders.

    Raises:
        NotPossible: when there is no such file, or nothing to show it.
    """
    if not os.path.lexists(path):
        raise NotPossible(path, "it is not there any more")
    if not _asked_manager(path):
        show_file(path if os.path.isdir(path) else os.path.dirname(path))


def _asked_manager(path: str) -> bool:
    """Ask the file manager on the session's bus. Returns whether it answered."""
    from jeepney import DBusAddress, MessageType, new_method_call
    from jeepney.io.blocking import open_dbus_connection

    manager = DBusAddress(
        "/org/freedesktop/FileManager1", "org.freedesktop.FileManager1", "org.freedesktop.FileManager1"
    )
    uri = "file://" + quote(os.fsencode(path))
    try:
        with open_dbus_connection(bus="SESSION") as connection:
            call = new_method_call(manager, "ShowItems", "ass", ([uri], ""))
            answer = connection.send_and_get_reply(call, timeout=_PATIENCE)
    except (OSError, KeyError, ValueError, TimeoutError):
        return False
    return answer.header.message_type is MessageType.method_return
