"""Other programs: asked, or given a file to show.

A program that is started closes first what this one has open, and closing waits for a disk that hangs, whichever it is.
For as long the thread waits that starts it: so that is never the window's own.
"""

from __future__ import annotations

import os
import subprocess
from collections.abc import Sequence

from jutrek.errors import NotPossible

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
