"""Errors that nobody foresaw: the window goes on, says what they mean for the files, and the run with them."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtGui import QPainter
from pytestqt.qtbot import QtBot

import jutrek.ui
from jutrek.library import Library
from jutrek.ui.app.faults import Faults
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.intake.lanes import Lanes
from tests.ui.conftest import PATIENCE, intake

_UI = Path(jutrek.ui.__file__).parent
_FALLING = """
import sys
from PySide6.QtCore import QTimer
from jutrek.ui import paint
from jutrek.ui.app import start
from jutrek.ui.app.header import Header
from jutrek.ui.app.window import MainWindow
from PySide6.QtGui import QPainter

def falls(self, event):
    painter = QPainter(self)
    painter.drawText(5, 5, "x")
    raise ValueError("a brush is missing")

Header.paintEvent = paint.safely(falls)
ticks = []

def tick():
    ticks.append(1)
    window = start.application().activeWindow() or start.application().topLevelWidgets()[0].window()
    window.header.update()
    if len(ticks) == 3:
        raise KeyError("no such answer")
    if len(ticks) == 6:
        print(window.current.view.action_bar.words())
        window.close()

app = start.application()
timer = QTimer()
timer.timeout.connect(tick)
timer.start(100)
sys.exit(start.run_window([], None))
"""


def test_everything_that_paints_fails_alone() -> None:
    """Each of these methods is caught: what one leaves in the air would end the process."""
    bare = []
    for path in _UI.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.FunctionDef) and node.name in ("paintEvent", "paint"):
                ways = [ast.unparse(one) for one in node.decorator_list]
                if ways != ["paint.safely"]:
                    bare.append(f"{path.name}:{node.lineno}")
    assert bare == []


def test_a_window_that_cannot_paint_itself_lives_and_says_so() -> None:
    """A real start: errors of painting, again and again, and one of a timer; told once each, then closed as ever."""
    ran = subprocess.run([sys.executable, "-c", _FALLING], capture_output=True, text=True, timeout=60, check=False)
    assert ran.returncode == 0, ran.stderr
    assert "Something went wrong in Jutrek itself (KeyError: 'no such answer')" in ran.stdout
    assert "Sources are untouched, and what is home is proven." in ran.stdout
    assert ran.stderr.count("a brush is missing") == 1
    assert "active painter" not in ran.stderr


def test_a_run_is_not_lost_by_an_error_of_the_window(
    qtbot: QtBot, small: MainWindow, library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Lanes that cannot be drawn keep nothing from coming home."""

    def falls(_self: Lanes, _event: object) -> None:
        painter = QPainter(_self)
        painter.drawLine(0, 0, 1, 1)
        raise ZeroDivisionError

    faults = Faults(small.tell_fault, small)
    monkeypatch.setattr(Lanes, "paintEvent", jutrek.ui.paint.safely(falls))
    qtbot.waitUntil(intake(small).action_bar.main.isEnabled, timeout=PATIENCE)
    ended: list[object] = []
    small.runs.ended.connect(ended.append)
    intake(small).action_bar.main.click()
    intake(small).repaint()
    qtbot.waitUntil(lambda: bool(ended), timeout=PATIENCE)
    faults.end()
    assert ended[0].home == 3  # type: ignore[attr-defined]
