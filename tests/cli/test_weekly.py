"""A check every week, by systemd's own tools and a unit search path of the test's."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

from jutrek.desk.weekly import SERVICE, TIMER, end_weekly, is_weekly, keep_weekly
from jutrek.errors import NotPossible
from jutrek.library import new_library

pytestmark = pytest.mark.skipif(not os.path.exists("/usr/bin/systemctl"), reason="there is no systemd here")


def test_a_library_is_checked_every_week_and_no_more(tmp_path: Path) -> None:
    """Whatever its path; the units are sound, start this very program, and serve another library further."""
    roots = [tmp_path / "Velmora line - archive", tmp_path / "50 % done"]
    libraries = []
    for root in roots:
        root.mkdir()
        libraries.append(new_library(str(root)))
    units = tmp_path / "xdg" / "systemd" / "user"
    for library in libraries:
        assert not is_weekly(library)
        keep_weekly(library)
        assert is_weekly(library)
    links = sorted(os.listdir(units / "timers.target.wants"))
    assert [_library_of(link) for link in links] == sorted(str(root) for root in roots)
    line = next(one for one in (units / SERVICE).read_text().splitlines() if one.startswith("ExecStart="))
    program = line.split('"')[1]
    said = subprocess.run([program, "--version"], capture_output=True, text=True, check=True).stdout
    assert said.startswith("Jutrek ")
    verified = subprocess.run(
        ["systemd-analyze", "verify", "--user", str(units / SERVICE), str(units / TIMER)],
        env={**os.environ, "XDG_RUNTIME_DIR": "/run"}, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert (verified.returncode, verified.stderr) == (0, "")
    end_weekly(libraries[0])
    assert [is_weekly(library) for library in libraries] == [False, True]
    end_weekly(libraries[0])


def _library_of(timer: str) -> str:
    instance = timer.partition("@")[2].removesuffix(".timer")
    command = ["systemd-escape", "--unescape", "--path", "--", instance]
    return subprocess.run(command, capture_output=True, text=True, check=True).stdout.strip()


def test_where_it_cannot_be_it_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Without systemd, and with a folder of units that cannot be made: one sentence, and nothing is half done."""
    (tmp_path / "home").mkdir()
    library = new_library(str(tmp_path / "home"))
    blocked = tmp_path / "blocked"
    blocked.write_bytes(b"")
    monkeypatch.setenv("XDG_CONFIG_HOME", str(blocked))
    with pytest.raises(NotPossible, match="the timer can't be written"):
        keep_weekly(library)
    monkeypatch.setenv("PATH", str(tmp_path))
    for act in (keep_weekly, end_weekly):
        with pytest.raises(NotPossible, match="a weekly check needs systemd, which is not here"):
            act(library)
