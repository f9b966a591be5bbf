"""A large intake: 30,000 captures over 15 years on the board, and how soon it answers.

Everything the person waits for is done on the window's thread and measured there, in a window on Qt's offscreen
platform: a row opened, the board narrowed, a description typed, a lane dragged, each from the event to the end of its
paint. What follows in the background (the plan made anew) is told beside it, and does not hold the window up.
"""

from __future__ import annotations

import os
import random
import tempfile
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from statistics import median
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.desk.workbench import Workbench

CAPTURES, YEARS, DEVICES = 30_000, 15, 6
_ROUNDS = 9


def large_intake(root: str, library: str) -> Workbench:
    """A workbench with made-up captures of fifteen years on one source; nothing lies on disk."""
    from jutrek.captures import ReadFile
    from jutrek.desk.intake import Found
    from jutrek.desk.workbench import Workbench
    from jutrek.formats import Claim, DeviceFacts, Kind, Reading, Timestamp
    from jutrek.library import new_library
    from jutrek.sources import Medium, Source, SourceFile

    dice = random.Random(15)
    found = Found(Source(root, "Archive", Medium.FOLDER))
    facts = [DeviceFacts("Arlen", f"M{number}", f"A{number}") for number in range(DEVICES)]
    days = sorted(dice.sample(range(365 * YEARS), 1500))
    times = sorted(
        timedelta(days=days[number * len(days) // CAPTURES], seconds=dice.randrange(10 * 3600))
        for number in range(CAPTURES)
    )
    for number, time_since in enumerate(times):
        day, when = time_since.days, datetime(2011, 1, 1, 8) + time_since
        claim = Claim("exif:original", Timestamp(when), "the camera's time of shooting", "")
        device = facts[min(DEVICES - 1, day * DEVICES // (365 * YEARS) + dice.randrange(2))]
        reading = Reading(Kind.STILL, "jpeg", (claim,), device, width=6000, height=4000)
        file = SourceFile(f"{root}/{number // 900:03}/IMG_{number:05}.JPG", root, 4_000_000 + number, 0)
        found.files.append(ReadFile(file, reading, None))
    bench = Workbench()
    bench.use_library(new_library(library), None)
    bench.founds[root] = found
    return bench


def run() -> None:
    """Print milliseconds."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_DATA_HOME"] = folder
        _measure(folder)


def _measure(folder: str) -> None:
    from PySide6.QtCore import QPoint, Qt
    from PySide6.QtTest import QTest

    from jutrek.captures.decisions import Describe
    from jutrek.desk.board_captures import State
    from jutrek.ui.app.start import application, wait
    from jutrek.ui.app.window import MainWindow

    bench = large_intake("/archive", folder)
    _timed("grouping and lining up, once after reading", bench.sources_changed, 1)
    bench._standings = {}
    _timed("the plan and the board anew, in the background", bench.refresh, 3)
    board = bench.board()
    _timed("the board, in the background", bench.board, 3)
    app = application()
    window = MainWindow()
    page = window.page("intake").view
    _timed("a board shown", lambda: page.show_board(board), 3)
    window.show()
    wait(app, lambda: False, patience=400)

    def then_paint(what: Callable[[], object]) -> Callable[[], None]:
        def done() -> None:
            what()
            app.processEvents()

        return done

    rows = page.rows()
    _timed("a year opened or closed", then_paint(rows[4].click), 2 * _ROUNDS)
    rows[4].click()
    month = page.rows()[6]
    _timed("a month opened or closed", then_paint(month.click), 2 * _ROUNDS)
    month.click()
    shoot = page.rows()[7]
    _timed("a shoot opened or closed", then_paint(shoot.click), 2 * _ROUNDS)
    states = iter([(State.BRING,), ()] * _ROUNDS)
    _timed("the board narrowed or widened", then_paint(lambda: page._narrow_states(next(states))), 2 * _ROUNDS)
    lanes = page.rows()[7].lanes
    press = QPoint(60, lanes.top_of(0) + 3)
    QTest.mousePress(lanes, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, press)
    steps = iter(range(1, 200))
    _timed("a lane dragged a step", then_paint(lambda: QTest.mouseMove(lanes, press + QPoint(next(steps), 0))), _ROUNDS)
    row = page.rows()[7]

    def describe() -> None:
        row.edit()
        assert row._edit is not None
        row._edit.setText(f"Bridge {next(steps)}")
        row._describe()

    _timed("a description typed", then_paint(describe), _ROUNDS)
    change = Describe(row.view.start, row.view.begins, "Bridge survey")
    _timed("a description, plan and all, in the background", lambda: bench.decide([change]), 1)
    window.close()


def _timed(what: str, do: Callable[[], object], rounds: int) -> None:
    times = []
    for _ in range(rounds):
        began = time.perf_counter()
        do()
        times.append((time.perf_counter() - began) * 1000)
    print(f"{what:52} {median(times):7.0f} ms   at most {max(times):.0f}")
