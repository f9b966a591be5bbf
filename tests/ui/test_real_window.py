"""One real window on a real X server: pointer and keys reach it, it paints, and a card comes home."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from PIL import Image

from jutrek.library import Library
from tests import making
from tests.making import names_below, put

CHILD = """
import json, sys
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from jutrek.desk.board_captures import State
from jutrek.ui.app.start import application, wait
from jutrek.ui.app.window import MainWindow
library, card, picture = sys.argv[1:]
app = application()
window = MainWindow()
window.begin(library, [card])
window.show()
QTest.qWaitForWindowExposed(window)
window.activateWindow()
page = window.page("intake").view
wait(app, lambda: page.board.plan is not None and bool(page.board.sources))
wait(app, lambda: False, patience=300)

def drag_an_hour():
    lanes = page.rows()[0].lanes
    start = QPoint(60, lanes.top_of(0) + 3)
    end = start + QPoint(round(3600 / lanes.seconds_per_pixel), 0)
    QTest.mousePress(lanes, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    for step in range(1, 5):
        QTest.mouseMove(lanes, start + (end - start) * step / 4)
        app.processEvents()
    QTest.mouseRelease(lanes, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end)
    QTest.keyClick(page.rows()[0].ask.main, Qt.Key.Key_Return)
    wait(app, lambda: page.board.can_undo != "")
    return page.board.days[0].captures[0].new_name

names = [drag_an_hour()]
QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
wait(app, lambda: page.board.can_undo == "")
names += [page.board.days[0].captures[0].new_name, drag_an_hour()]
QTest.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
wait(app, lambda: page.board.count(State.BROUGHT) > 0 and not window.runs.running)
wait(app, lambda: False, patience=300)
app.primaryScreen().grabWindow(0).save(picture)
print(json.dumps({"platform": app.platformName(), "brought": page.board.count(State.BROUGHT), "names": names}))
window.close()
"""


@pytest.fixture
def display() -> Iterator[str]:
    """An X server without a screen."""
    if shutil.which("Xvfb") is None:
        pytest.skip("Xvfb is not installed")
    read_end, write_end = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write_end), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
        pass_fds=[write_end], stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(write_end)
    with open(read_end) as line:
        number = line.readline().strip()
    yield f":{number}"
    server.terminate()
    server.wait()


def test_a_card_comes_home_in_a_real_window(display: str, library: Library, card: Path, tmp_path: Path) -> None:
    """A lane is dragged by an hour, taken back, and dragged again; Ctrl+Enter brings home; the screen shows it."""
    put(card / "DCIM" / "A.JPG", making.jpeg())
    picture = tmp_path / "screen.png"
    environment = os.environ | {"DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
    done = subprocess.run(
        [sys.executable, "-c", CHILD, library.root, str(card), str(picture)],
        env=environment, capture_output=True, text=True, timeout=90, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    names = [f"20260514_{hour}2613.jpg" for hour in (11, 10, 11)]
    assert json.loads(done.stdout) == {"platform": "xcb", "brought": 1, "names": names}
    assert names_below(library.root) == {"2026/05/20260514_112613.jpg"}
    with Image.open(picture) as shot:
        colours = shot.convert("RGB").getcolors(maxcolors=1_000_000)
    assert shot.size == (1280, 800)
    assert colours is not None
    assert len(colours) > 50
