"""The first paint with 10,000 captures on the board, and scrolling it.

The baseline is a program that shows an empty `QMainWindow`. Both are whole processes, from their start to the end of
their first paint. The board is made up before and loaded from a pickle; that does not count, since where a board comes
from is not the window's matter.
"""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
import tempfile
from datetime import date, datetime, timedelta
from statistics import median

_ROUNDS = 15
_CAPTURES, _DAYS = 10_000, 50

_EMPTY = """
import time, sys
from PySide6.QtWidgets import QApplication, QMainWindow
class Window(QMainWindow):
    def paintEvent(self, event):
        super().paintEvent(event)
        print(time.clock_gettime(time.CLOCK_BOOTTIME)); sys.stdout.flush(); app.quit()
app = QApplication([])
window = Window()
window.resize(1280, 800)
window.show()
app.exec()
"""

_BOARD = """
import pickle, sys, time
from PySide6.QtCore import QCoreApplication, QEvent, QObject, Qt
from jutrek.ui.app.start import application
app = application()
from jutrek.ui.app.window import MainWindow
with open(sys.argv[1], "rb") as file:
    began = time.perf_counter(); board = pickle.load(file); loaded = time.perf_counter() - began
window = MainWindow()
window.page("intake").view.show_board(board)
class FirstPaint(QObject):
    # The whole window is painted in one go. What is posted meanwhile with a high priority comes right behind it, and
    # before the session's start, which the window has queued.
    def eventFilter(self, watched, event):
        if event.type() == QEvent.Type.Paint:
            watched.removeEventFilter(self)
            QCoreApplication.postEvent(self, QEvent(QEvent.Type.User), Qt.EventPriority.HighEventPriority.value)
        return False
    def customEvent(self, event):
        print(time.clock_gettime(time.CLOCK_BOOTTIME) - loaded); sys.stdout.flush(); app.quit()
eye = FirstPaint()
window.page("intake").view.when_area.viewport().installEventFilter(eye)
window.show()
app.exec()
sys.stdout.flush()
import os; os._exit(0)
"""

_SCROLL = """
import pickle, sys, time
from statistics import median
from jutrek.ui.app.start import application, wait
app = application()
from jutrek.ui.app.window import MainWindow
with open(sys.argv[1], "rb") as file:
    board = pickle.load(file)
window = MainWindow()
window.page("intake").view.show_board(board)
window.show()
wait(app, lambda: False, patience=300)
window.page("intake").view.open_day(board.days[0].key)
wait(app, lambda: False, patience=1500)
bar = window.page("intake").view.when_area.verticalScrollBar()
frames = []
for step in range(200):
    began = time.perf_counter()
    bar.setValue(bar.maximum() * step // 200)
    app.processEvents()
    frames.append((time.perf_counter() - began) * 1000)
frames.sort()
print(median(frames), frames[int(len(frames) * 0.95)])
sys.stdout.flush()
import os; os._exit(0)
"""


def _board() -> bytes:
    from jutrek.captures import Device
    from jutrek.desk.board import Board, FolderView, SourceView, Storage
    from jutrek.desk.board_captures import CaptureView, State
    from jutrek.desk.board_days import day_view
    from jutrek.formats import Kind
    from jutrek.sources import Medium, Source

    devices = tuple(Device(letter, f"Arlen M{number}", letter, number) for number, letter in enumerate("ABCD"))
    days, each = [], _CAPTURES // _DAYS
    for number in range(_DAYS):
        start = datetime(2026, 3, 1, 7) + timedelta(days=number)
        views = []
        for shot in range(each):
            when, device = start + timedelta(seconds=shot * 200), devices[shot % 4]
            name = f"DSC{number * each + shot:05}.DNG"
            to = f"{when:%Y/%m/%Y%m%d_%H%M%S}.dng"
            views.append(
                CaptureView(f"/card/{name}", f"/card{shot % 4}", name, State.BRING if shot % 9 else State.HOME, to, (),
                            device, Kind.STILL, when, "Date from the camera's time of shooting.", 0.0, 25_000_000, ())
            )  # fmt: skip
        days.append(day_view(f"{start:%Y-%m-%d}", date(start.year, start.month, start.day), views))
    sources = tuple(
        SourceView(Source(f"/card{number}", f"Card {device.letter}", Medium.CARD), device, _CAPTURES // 4,
                   ((Kind.STILL, _CAPTURES // 4),), 60 * 10**9, ((State.BRING, _CAPTURES // 4),), ())
        for number, device in enumerate(devices)
    )  # fmt: skip
    folders = tuple(FolderView(f"2026/{month:02}", 5000, 0, exists=False) for month in (3, 4))
    place = Storage("Velmora line archive", "/library", 10**12, 4 * 10**12)
    return pickle.dumps(Board(sources, tuple(days), folders, None, 240 * 10**9, place).ready())


def _process(code: str, *words: str) -> list[float]:
    from time import CLOCK_BOOTTIME, clock_gettime

    began = clock_gettime(CLOCK_BOOTTIME)
    command = [sys.executable, "-c", code, *words]
    # As on a person's machine, where Python keeps what it compiled.
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    out = subprocess.run(command, capture_output=True, text=True, check=True, env=environment).stdout
    return [began, *(float(word) for word in out.split())]


def run() -> None:
    """Print milliseconds and ratios."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.NamedTemporaryFile() as file:
        file.write(_board())
        file.flush()
        empty, board = [], []
        for _ in range(_ROUNDS):
            for code, words, times in ((_EMPTY, (), empty), (_BOARD, (file.name,), board)):
                began, painted = _process(code, *words)[:2]
                times.append((painted - began) * 1000)
        print(f"empty QMainWindow, start to first paint      {median(empty):6.0f} ms")
        print(f"the board with {_CAPTURES:,} captures                {median(board):6.0f} ms")
        # Each pair ran back to back, so what else the machine does weighs on both.
        print(f"ratio {median(one / other for one, other in zip(board, empty, strict=True)):.2f}")
        _, middle, worst = _process(_SCROLL, file.name)
        print(f"scrolling the board: median {middle:.1f} ms a frame, 95 % within {worst:.1f} ms")
