"""Inboxes on the command line, and as a service: a real process, ended by a real SIGTERM."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from jutrek.desk.inbox_watch import InboxWatcher
from jutrek.desk.watch_service import SERVICE, end_watching, is_watching, keep_watching
from jutrek.errors import NotPossible
from jutrek.library import Library
from tests import making
from tests.cli.calling import jutrek
from tests.making import PATIENCE, names_below, put


@pytest.fixture
def phone(tmp_path: Path) -> Path:
    put(tmp_path / "Phone" / "a.jpg", making.jpeg(seed=1))
    return tmp_path / "Phone"


def test_added_listed_watched_once_and_removed(library: Library, phone: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert "no inbox" in jutrek("watch", "--once", code=2).stderr
    said = jutrek("inbox", "add", phone, "-l", library.root).stderr
    assert "waits to be asked about; nothing goes from it" in said
    monkeypatch.setattr(InboxWatcher.__init__, "__kwdefaults__", {"rests": 0.1})
    (line,) = map(json.loads, jutrek("watch", "--once", "--json").stdout.splitlines())
    assert (line["event"], line["files"]) == ("waits", 1)
    assert "comes home by itself" in jutrek("inbox", "add", phone, "-l", library.root, "--by-itself").stderr
    assert jutrek("inbox", "list").stdout == f"{phone}\t{library.root}\tby itself\n"
    (line,) = map(json.loads, jutrek("watch", "--once", "--json", "-l", library.root).stdout.splitlines())
    assert (line["event"], line["files"]) == ("home", 1)
    assert len([one for one in names_below(library.root) if one.endswith(".jpg")]) == 1
    assert "no inbox any more" in jutrek("inbox", "remove", phone).stderr
    assert jutrek("inbox", "list").stdout == ""
    assert (phone / "a.jpg").exists()


def test_it_ends_on_sigterm(library: Library, phone: Path) -> None:
    jutrek("inbox", "add", phone, "-l", library.root, "--by-itself")
    command = [sys.executable, "-m", "jutrek", "watch", "--json"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as program:
        assert program.stdout is not None
        assert json.loads(program.stdout.readline())["event"] == "watching"
        program.send_signal(signal.SIGTERM)
        assert program.wait(PATIENCE) == 0


@pytest.mark.skipif(not os.path.exists("/usr/bin/systemctl"), reason="there is no systemd here")
def test_as_a_service(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The unit is sound, starts this very program, and is gone again."""
    keep_watching()
    assert is_watching()
    unit = tmp_path / "xdg" / "systemd" / "user" / SERVICE
    verified = subprocess.run(
        ["systemd-analyze", "verify", "--user", str(unit)],
        env={**os.environ, "XDG_RUNTIME_DIR": "/run"}, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert (verified.returncode, verified.stderr) == (0, "")
    assert unit.read_text().count(" watch\n") == 1
    end_watching()
    assert not is_watching()
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(NotPossible, match="watching inboxes needs systemd, which is not here"):
        keep_watching()
