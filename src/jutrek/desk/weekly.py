"""A check every week: units of systemd that come with Jutrek, put where a person's own systemd finds them.

Follows systemd.unit(5), systemd.timer(5) and systemd-escape(1). What they do is `jutrek check --minutes 30`.
"""

from __future__ import annotations

import os
import subprocess
import sys
import sysconfig
from importlib.resources import files

from jutrek.desk.programs import asked
from jutrek.disk import chosen, have_folder
from jutrek.errors import NotPossible, reason
from jutrek.library import Library

SERVICE, TIMER = "jutrek-check@.service", "jutrek-check@.timer"
_SECONDS = 20.0


def keep_weekly(library: Library) -> bool:
    """Have a library checked every week.

    Returns:
        Whether the timer runs already; else it does from the person's next session on.

    Raises:
        NotPossible: when there is no systemd, or it refuses.
    """
    timer = _timer_of(library)
    _put_units(library)
    _systemctl(library, "enable", timer)
    try:
        _systemctl(library, "daemon-reload")
        _systemctl(library, "start", timer)
    except NotPossible:
        return False
    return True


def end_weekly(library: Library) -> None:
    """Have it checked no more. The units stay, since they may serve other libraries.

    Raises:
        NotPossible: when there is no systemd, or it refuses.
    """
    timer = _timer_of(library)
    _systemctl(library, "disable", timer)
    try:
        _systemctl(library, "stop", timer)
    except NotPossible:
        # Without a running manager nothing runs that could be stopped.
        if _is_running(library, timer):
            raise


def is_weekly(library: Library) -> bool:
    """Whether it is checked every week."""
    wants = os.path.join(_folder(), "timers.target.wants", _timer_of(library))
    return os.path.lexists(wants)


def _is_running(library: Library, timer: str) -> bool:
    try:
        _systemctl(library, "is-active", timer)
    except NotPossible:
        return False
    return True


def _folder() -> str:
    """Where a person's own units are (systemd.unit(5), unit load path)."""
    base = os.environ.get("XDG_CONFIG_HOME") or os.path.join(os.path.expanduser("~"), ".config")
    return os.path.join(base, "systemd", "user")


def _timer_of(library: Library) -> str:
    return TIMER.replace("@", f"@{_asked(library, 'systemd-escape', '--path', '--', library.root).strip()}")


def _put_units(library: Library) -> None:
    try:
        for name in (SERVICE, TIMER):
            text = files("jutrek.desk").joinpath("units", name).read_text(encoding="utf-8")
            tree, path = chosen(os.path.join(_folder(), name))
            have_folder(tree.root).write_own(path, text.replace("@program@", _program()).encode())
    except OSError as error:
        raise NotPossible(library.root, f"the timer can't be written: {reason(error)}") from error


def _program() -> str:
    """How this Jutrek is started, as a line of a unit spells it: systemd knows no search path of the person's."""
    script = os.path.join(sysconfig.get_path("scripts"), "jutrek")
    words = [script] if os.access(script, os.X_OK) else [sys.executable, "-m", "jutrek"]
    return " ".join(_quoted(word) for word in words)


def _quoted(word: str) -> str:
    plain = word.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{plain}"'


def _systemctl(library: Library, *words: str) -> None:
    _asked(library, "systemctl", "--user", "--quiet", *words)


def _asked(library: Library, *command: str) -> str:
    """What a program of systemd's says.

    Raises:
        NotPossible: when there is none, or it fails: with what it said.
    """
    try:
        ran = asked(command, _SECONDS)
    except FileNotFoundError as error:
        raise NotPossible(library.root, "a weekly check needs systemd, which is not here") from error
    except (OSError, subprocess.SubprocessError) as error:
        raise NotPossible(library.root, f"systemd did not answer: {error}") from error
    if ran.returncode:
        said = ran.stderr.decode("utf-8", "replace").strip()
        raise NotPossible(
            library.root, f"systemd refused a weekly check: {said.splitlines()[-1] if said else 'no word'}"
        )
    return ran.stdout.decode("utf-8", "surrogateescape")
