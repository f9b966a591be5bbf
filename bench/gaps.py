"""How long the window does not answer: the longest gap of its event loop, by a timer of 5 ms, for each act.

Measured in the real window on Qt's offscreen platform, with 30,000 captures of 15 years on the board, and with a shoot
of 5,000, and over disks that hang (`bench/gaps_disks.py`).
A gap is what a key or a pointer would have waited for. What runs in other threads runs meanwhile.
"""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from bench.story import large_intake

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication

    from jutrek.desk.board import Board
    from jutrek.ui.app.window import MainWindow

_TICK = 5
"""Milliseconds between two turns of the timer."""
_SHOOT = 5_000
WANTED, WANTED_LARGE = 50, 100


class Gaps:
    """Watches the event loop of a window, and prints the longest gap of each thing that is done."""

    def __init__(self, app: QApplication) -> None:
        from PySide6.QtCore import Qt, QTimer

        self._app, self._last, self._longest = app, 0.0, 0.0
        self._timer = QTimer(timerType=Qt.TimerType.PreciseTimer, interval=_TICK)
        self._timer.timeout.connect(self._turn)
        self._timer.start()

    def _turn(self) -> None:
        now = time.perf_counter()
        self._longest = max(self._longest, now - self._last)
        self._last = now

    def rest(self, seconds: float = 0.5) -> None:
        """Let the window come to rest."""
        until = time.perf_counter() + seconds
        while time.perf_counter() < until:
            self._app.processEvents()
            time.sleep(0.001)

    def told(self, what: str, do: Callable[[], object], seconds: float = 0.7, wanted: int = WANTED) -> float:
        """Do something as an event would, go on for a while, and print the longest gap, in milliseconds."""
        from PySide6.QtCore import QTimer

        self.rest(0.2)
        self._last, self._longest = time.perf_counter(), 0.0
        QTimer.singleShot(0, do)
        self.rest(seconds)
        gap = self._longest * 1000
        print(f"{what:62} {gap:6.0f} ms{'' if gap <= wanted else '   more than ' + str(wanted)}", flush=True)
        return gap


def _of_one_day(folder: str) -> Board:
    """A board with one shoot of many captures."""
    from jutrek.desk.board_captures import State
    from jutrek.desk.workbench import Workbench

    bench: Workbench = large_intake("/shoot", folder)
    found = bench.founds["/shoot"]
    first = found.files[0].reading.claims[0].stamp.wall
    files = []
    for number, file in enumerate(found.files[:_SHOOT]):
        (claim,) = file.reading.claims
        stamp = claim.stamp._replace(wall=first.replace(hour=9 + number // 600, minute=number // 10 % 60))
        files.append(replace(file, reading=file.reading._replace(claims=(claim._replace(stamp=stamp),))))
    found.files = files
    bench.sources_changed()
    bench._standings = {}
    bench.refresh()
    board = bench.board()
    assert len(board.days) == 1
    assert board.count(State.BRING) == _SHOOT
    return board


def run() -> None:
    """Print milliseconds."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_CACHE_HOME"] = folder
        from bench.gaps_disks import hanging, hostile, two_starts
        from bench.gaps_library import looking
        from jutrek.ui.app.start import application
        from jutrek.ui.app.window import MainWindow

        app = application()
        gaps = Gaps(app)
        for measure in (_one_shoot, _many_years, looking, hanging, hostile, two_starts):
            window = MainWindow()
            window.resize(1280, 800)
            window.show()
            # What is imported ahead has been by then.
            gaps.rest(4.0)
            measure(gaps, window, os.path.join(folder, measure.__name__))
            window.close_now()
            window.leave(10)
            window.deleteLater()
            gaps.rest(0.2)


def _one_shoot(gaps: Gaps, window: MainWindow, folder: str) -> None:
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest

    from jutrek.desk.board_captures import State
    from jutrek.desk.board_days import day_view

    os.makedirs(folder)
    board = _of_one_day(folder)
    page = window.page("intake").view
    gaps.told("a shoot of 5,000 comes onto the board", lambda: page.show_board(board))
    gaps.told("it is opened", lambda: page.open_day(board.days[0].key))
    grid = page.grid
    grid.setFocus()
    gaps.told("one of its captures is chosen", lambda: grid.choose(board.days[0].captures[7].id))
    control = Qt.KeyboardModifier.ControlModifier
    gaps.told("all of them are selected", lambda: QTest.keyClick(grid, Qt.Key.Key_A, control))
    gaps.told("all selected, the window is painted anew", page.update)
    day = board.days[0]
    for count, words in ((100, "a hundred"), (2500, "two and a half thousand")):
        home = tuple(one._replace(state=State.BROUGHT) for one in day.captures[:count])
        came = day_view(day.key, day.start, home + day.captures[count:])
        after = replace(board, days=(came,)).ready()
        gaps.told(f"{words} of them came home", lambda after=after: page.show_board(after))  # type: ignore[misc]
    gaps.told("the board is drawn up anew", lambda: page.show_board(board))
    gaps.told("it is closed", lambda: page.open_day(board.days[0].key))


def _many_years(gaps: Gaps, window: MainWindow, folder: str) -> None:
    from jutrek.desk.board_captures import State
    from jutrek.filing import HouseRules
    from jutrek.ui.app.finder import Finder

    os.makedirs(folder)
    bench = large_intake("/archive", folder)
    bench.sources_changed()
    bench._standings = {}
    bench.refresh()
    board = bench.board()
    again = bench.board()
    page = window.page("intake").view
    large = WANTED_LARGE

    def click(number: int) -> None:
        page.rows()[number].click()

    gaps.told("30,000 captures of 15 years come onto the board", lambda: page.show_board(board), wanted=large)
    gaps.told("the board is drawn up anew", lambda: page.show_board(again), wanted=large)
    gaps.told("a year is opened", lambda: click(4), wanted=large)
    gaps.told("a month is opened", lambda: click(6), wanted=large)
    gaps.told("a shoot is opened", lambda: click(7), wanted=large)
    gaps.told("the board is narrowed", lambda: page.narrow_states((State.BRING,)), wanted=large)
    gaps.told("and widened", page.show_all, wanted=large)
    gaps.told("it is scrolled to its end", lambda: page.when_area.verticalScrollBar().setValue(10**6), wanted=large)
    gaps.told("a minute goes by", lambda: [window._tidy.turn() for _ in range(60)], wanted=large)
    facts = _facts(bench)
    gaps.told("House rules is opened for the first time", lambda: window.go_to("rules"), wanted=large)
    rules = window.page("rules")
    gaps.told("they are tried on all of it", lambda: rules.view.try_on("the intake", lambda: facts), 2.0, large)
    for pattern in ("{year}/{month}", "{year}/{year}-{month}-{day} {shoot}"):
        made = HouseRules(layout=pattern)
        gaps.told(f"a pattern is typed: {pattern}", lambda made=made: rules.view.edit(made), 2.0, large)
    gaps.told("back to Intake", lambda: window.go_to("intake"), wanted=large)
    gaps.told("everything is to be found", window.find, wanted=large)
    finder = window.findChild(Finder)
    for typed in ("2", "20", "img_0042"):
        gaps.told(f"“{typed}” is looked for", lambda typed=typed: finder.field.setText(typed), wanted=large)
    finder.leave()


def _facts(bench: object) -> object:
    from jutrek.filing.planner import all_facts

    story = bench.story  # type: ignore[attr-defined]
    return all_facts(story.captures, story.wishes)
