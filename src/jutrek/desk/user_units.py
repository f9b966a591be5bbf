"""Units of systemd that come with Jutrek, put where a person's own systemd finds them.

Follows systemd.unit(5). In each `@program@` stands for how this Jutrek is started.
"""

from __future__ import annotations

import os
import subprocess
import sys
import sysconfig
from collections.abc import Sequence
from importlib.resources import files

from jutrek.desk.programs import asked
from jutrek.disk import chosen, have_folder
from jutrek.errors import NotPossible, reason

_SECONDS = 20.0


class UserUnits:
    """What a person's own systemd does for one purpose."""

    def __init__(self, about: str, what: str, kind: str) -> None:
        """
        Args:
            about: what it concerns, in errors: the root of a library.
            what: it does, in words: `a weekly check`.
            kind: what the unit is called, in errors: `timer`.
        """
        self._about, self._what, self._kind = about, what, kind

    @property
    def folder(self) -> str:
        """Where a person's own units are (systemd.unit(5), unit load path)."""
        base = os.environ.get("XDG_CONFIG_HOME") or os.path.join(os.path.expanduser("~"), ".config")
        return os.path.join(base, "systemd", "user")

    def put(self, names: Sequence[str]) -> None:
        """Put units there.

        Raises:
            NotPossible: when they can't be written.
        """
        try:
            for name in names:
                text = files("jutrek.desk").joinpath("units", name).read_text(encoding="utf-8")
                tree, path = chosen(os.path.join(self.folder, name))
                have_folder(tree.root).write_own(path, text.replace("@program@", _program()).encode())
        except OSError as error:
            raise NotPossible(self._about, f"the {self._kind} can't be written: {reason(error)}") from error

    def keep(self, unit: str) -> bool:
        """Have a unit run from now on.

        Returns:
            Whether it runs already; else it does from the person's next session on.

        Raises:
            NotPossible: when there is no systemd, or it refuses.
        """
        self.systemctl("enable", unit)
        try:
            self.systemctl("daemon-reload")
            self.systemctl("start", unit)
        except NotPossible:
            return False
        return True

    def end(self, unit: str) -> None:
        """Have it run no more. What was put there stays. Raises as `keep`."""
        self.systemctl("disable", unit)
        try:
            self.systemctl("stop", unit)
        except NotPossible:
            # Without a running manager nothing runs that could be stopped.
            if self._is_running(unit):
                raise

    def _is_running(self, unit: str) -> bool:
        try:
            self.systemctl("is-active", unit)
        except NotPossible:
            return False
        return True

    def systemctl(self, *words: str) -> None:
        """Tell the person's systemd something. Raises as `asked`."""
        self.asked("systemctl", "--user", "--quiet", *words)

    def asked(self, *command: str) -> str:
        """What a program of systemd's says.

        Raises:
            NotPossible: when there is none, or it fails: with what it said.
        """
        try:
            ran = asked(command, _SECONDS)
        except FileNotFoundError as error:
            raise NotPossible(self._about, f"{self._what} needs systemd, which is not here") from error
        except (OSError, subprocess.SubprocessError) as error:
            raise NotPossible(self._about, f"systemd did not answer: {error}") from error
        if ran.returncode:
            said = ran.stderr.decode("utf-8", "replace").strip()
            why = said.splitlines()[-1] if said else "no word"
            raise NotPossible(self._about, f"systemd refused {self._what}: {why}")
        return ran.stdout.decode("utf-8", "surrogateescape")


def _program() -> str:
    """How this Jutrek is started, as a line of a unit spells it: systemd knows no search path of the person's."""
    script = os.path.join(sysconfig.get_path("scripts"), "jutrek")
    words = [script] if os.access(script, os.X_OK) else [sys.executable, "-m", "jutrek"]
    return " ".join(_quoted(word) for word in words)


def _quoted(word: str) -> str:
    plain = word.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{plain}"'
