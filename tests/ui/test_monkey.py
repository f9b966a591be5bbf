"""A short turn of the monkey in every run of the tests; `./run monkey` goes on for as long as one likes."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest
from bench import monkey

from jutrek.demo import Scenario


@pytest.mark.long
@pytest.mark.timeout(110)
def test_nothing_that_is_pressed_moved_or_pulled_breaks_the_window(demo: Scenario) -> None:
    """In a process of its own: what breaks the window may end it."""
    words = [sys.executable, "-m", "bench.monkey", os.environ.get("JUTREK_SEED", "1"), "300", demo.root]
    done = subprocess.run(words, capture_output=True, text=True, check=False, timeout=100)
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-3000:]
    assert "300 events" in done.stdout


def test_the_monkey_notices_what_does_not_hold() -> None:
    """What is said of errors, shares and memory is looked at."""
    from unittest.mock import Mock

    from jutrek.desk.board import Board

    one = Mock(spec=monkey.Monkey, told=monkey.Told(), window=Mock())
    board = one.window.page.return_value.view
    board.board = Board()
    monkey.Monkey._look(one)
    one.told.raised.append("oops")
    with pytest.raises(monkey.Odd, match="oops"):
        monkey.Monkey._look(one)
    one.told.raised.clear()
    board.board = Mock(captures=2, sources=(), plan=None, count=lambda _: 0)
    with pytest.raises(monkey.Odd, match="2 captures, 0 by what"):
        monkey.Monkey._look(one)
