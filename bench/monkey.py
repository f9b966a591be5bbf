"""`./run monkey [SEED] [EVENTS]`: random keys, pointers, drags, and cards that come and go, over the whole real window.

It works on a copy of the demo. After each hundred events it looks whether shares add up, whether anything was raised or
logged as an error, how much memory is used, and how long the window did not answer; in the end, whether everything that
lay on the cards is still on them, at home, or in a trash. A crash prints every thread's stack.
"""

from __future__ import annotations

import contextlib
import faulthandler
import hashlib
import logging
import os
import random
import shutil
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any
from unittest import mock

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from jutrek.demo import Scenario
    from jutrek.ui.app.window import MainWindow

EVENTS, SEED = 2_000, 1
_LOOK = 100
_MEMORY = 700
"""Megabytes that the whole process may have at most."""
_PATIENCE = 300.0
"""Seconds that the window may take to come to rest in the end."""
_NESTED = 0.08
"""Seconds after which an event that has not come back is a menu, a dialog or a drag, which have loops of their own."""

_KEYS = (
    "Tab", "Backtab", "Return", "Space", "Escape", "Delete", "Left", "Right", "Up", "Down", "Home", "End", "PageDown",
    "F2", "A", "B", "Z", "1", "5", "Plus",
)  # fmt: skip
_COMBINED = (
    "1", "2", "3", "5", "6", "A", "F", "H", "K", "M", "O", "S", "V", "X", "Z", "Return", "Plus", "Minus",
)  # fmt: skip
"""Keys that are pressed with Ctrl, and perhaps Shift."""


class Odd(AssertionError):
    """Something did not hold."""


@dataclass
class Told:
    """What came of it.

    Attributes:
        gap: the longest gap of the event loop, in seconds, and what was done then.
        memory: megabytes at most.
        raised: errors of our own.
    """

    events: int = 0
    gap: tuple[float, str] = (0.0, "")
    memory: int = 0
    raised: list[str] = field(default_factory=list)


def memory() -> int:
    """Megabytes that this process has now."""
    with open("/proc/self/status", encoding="ascii") as file:
        return next(int(line.split()[1]) for line in file if line.startswith("VmRSS")) // 1024


class Monkey:
    """Sits before one window."""

    def __init__(self, window: MainWindow, demo: Scenario, seed: int) -> None:
        from PySide6.QtCore import Qt, QTimer
        from PySide6.QtWidgets import QApplication

        self.window, self.demo, self.dice, self.told = window, demo, random.Random(seed), Told()
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        self._app = app
        self._away: dict[str, str] = {}
        self._began, self._what = 0.0, ""
        self._keys = [getattr(Qt.Key, f"Key_{key}") for key in _KEYS]
        self._combined = [getattr(Qt.Key, f"Key_{key}") for key in _COMBINED]
        self._acts: list[tuple[Callable[[], None], int]] = [
            (self._key, 30), (self._click, 30), (self._combine, 8), (self._drag, 8), (self._double, 3), (self._menu, 3),
            (self._wheel, 5), (self._type, 4), (self._card, 2), (self._resize, 1), (self._rest, 6),
        ]  # fmt: skip
        self._nested = QTimer(interval=20)
        self._nested.timeout.connect(self._end_nested)
        self._nested.start()
        self._turned = time.monotonic()
        self._tick = QTimer(timerType=Qt.TimerType.PreciseTimer, interval=5)
        self._tick.timeout.connect(self._turn)
        self._tick.start()

    def _turn(self) -> None:
        now = time.monotonic()
        if now - self._turned > self.told.gap[0]:
            self.told.gap = now - self._turned, self._what
        self._turned = now

    # ---- events

    def go(self, events: int) -> Told:
        """Do so many things.

        Raises:
            Odd: when something does not hold.
        """
        acts, weights = zip(*self._acts, strict=True)
        self._look()
        for number in range(events):
            act = self.dice.choices(acts, weights)[0]
            self._began, self._what = time.monotonic(), act.__name__.strip("_")
            try:
                act()
                self._app.processEvents()
            # Whatever a method of ours raises at an event comes out here.
            except Exception as error:
                words = "".join(traceback.format_exception(error))
                raise Odd(f"after {number:,} events: {words}") from error
            self._began = 0.0
            self.told.events += 1
            if not (number + 1) % _LOOK:
                self._look()
                # What that takes is nothing the window takes.
                self._turned = time.monotonic()
        self._look()
        return self.told

    def _widgets(self) -> list[QWidget]:
        from PySide6.QtWidgets import QWidget

        return [one for one in self.window.findChildren(QWidget) if one.isVisible() and one.isEnabled() and one.width()]

    def _target(self) -> tuple[QWidget, Any]:
        from PySide6.QtCore import QPoint

        widget = self.dice.choice(self._widgets() or [self.window])
        return widget, QPoint(self.dice.randrange(widget.width() or 1), self.dice.randrange(widget.height() or 1))

    def _on(self) -> QWidget:
        return self._app.activePopupWidget() or self._app.activeModalWidget() or self._app.focusWidget() or self.window

    def _key(self) -> None:
        from PySide6.QtTest import QTest

        key, on = self.dice.choice(self._keys), self._on()
        self._what = f"{key.name} on {type(on).__name__}"
        QTest.keyClick(on, key)

    def _combine(self) -> None:
        from PySide6.QtCore import Qt
        from PySide6.QtTest import QTest

        control, shift = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
        key, held, on = self.dice.choice(self._combined), self.dice.choice((control, control | shift)), self._on()
        self._what = f"Ctrl+{key.name} on {type(on).__name__}"
        QTest.keyClick(on, key, held)

    def _type(self) -> None:
        from PySide6.QtTest import QTest

        QTest.keyClicks(
            self._on(), self.dice.choice(("Bridge", "+1:00:00", "{year}/{month}", "2026-05-14", "<{x", "a/.."))
        )

    def _click(self, *, twice: bool = False) -> None:
        from PySide6.QtCore import Qt
        from PySide6.QtTest import QTest

        widget, at = self._target()
        self._what = f"click on {type(widget).__name__} {getattr(widget, 'text', str)()}".strip()
        press = QTest.mouseDClick if twice else QTest.mouseClick
        press(widget, Qt.MouseButton.LeftButton, self._held(), at)

    def _held(self) -> Any:
        from PySide6.QtCore import Qt

        none = Qt.KeyboardModifier.NoModifier
        return self.dice.choice(
            (none, none, none, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier)
        )

    def _double(self) -> None:
        self._click(twice=True)

    def _drag(self) -> None:
        from PySide6.QtCore import QPoint, Qt
        from PySide6.QtTest import QTest

        widget, at = self._target()
        self._what = f"drag on {type(widget).__name__}"
        button, held = Qt.MouseButton.LeftButton, self._held()
        QTest.mousePress(widget, button, held, at)
        for _ in range(self.dice.randint(1, 4)):
            at = QPoint(at.x() + self.dice.randint(-90, 90), at.y() + self.dice.randint(-90, 90))
            self._move(widget, at, pressed=True)
        with contextlib.suppress(RuntimeError):
            # What was pressed may be gone by now.
            QTest.mouseRelease(widget, button, held, at)

    def _move(self, widget: QWidget, at: Any, *, pressed: bool) -> None:
        from PySide6.QtCore import QEvent, QPointF, Qt
        from PySide6.QtGui import QMouseEvent

        buttons = Qt.MouseButton.LeftButton if pressed else Qt.MouseButton.NoButton
        with contextlib.suppress(RuntimeError):
            event = QMouseEvent(
                QEvent.Type.MouseMove, QPointF(at), QPointF(widget.mapToGlobal(at)), Qt.MouseButton.NoButton, buttons,
                Qt.KeyboardModifier.NoModifier,
            )  # fmt: skip
            self._app.sendEvent(widget, event)

    def _menu(self) -> None:
        from PySide6.QtGui import QContextMenuEvent

        widget, at = self._target()
        self._what = f"menu on {type(widget).__name__}"
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
        self._app.sendEvent(widget, event)

    def _wheel(self) -> None:
        from PySide6.QtCore import QPoint, QPointF, Qt
        from PySide6.QtGui import QWheelEvent

        widget, at = self._target()
        by = QPoint(0, self.dice.choice((-120, 120, -480)))
        event = QWheelEvent(
            QPointF(at), QPointF(widget.mapToGlobal(at)), QPoint(), by, Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        self._app.sendEvent(widget, event)

    def _card(self) -> None:
        """A card is pulled, put back, or added."""
        root = self.dice.choice(self.demo.sources)
        if root in self._away:
            os.rename(self._away.pop(root), root)
        elif self.dice.random() < 0.3:
            self._away[root] = f"{root} away"
            os.rename(root, self._away[root])
        else:
            self.window.page("intake").take([root])

    def _resize(self) -> None:
        self.window.resize(self.dice.randint(1024, 1500), self.dice.randint(640, 950))

    def _rest(self) -> None:
        until = time.monotonic() + self.dice.random() * 0.1
        while time.monotonic() < until:
            self._app.processEvents()
            time.sleep(0.002)

    def _end_nested(self) -> None:
        """In the loop of a menu, a dialog or a drag: go on in it, and leave it.

        Each step is one of its own: what it opens has a loop, too, in which this timer has to come again.
        """
        from PySide6.QtCore import QTimer

        if self._began and time.monotonic() - self._began >= _NESTED:
            QTimer.singleShot(0, self._nested, self._step_out)

    def _step_out(self) -> None:
        from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
        from PySide6.QtGui import QMouseEvent
        from PySide6.QtTest import QTest

        if not self._began:
            return
        over = self._app.activePopupWidget() or self._app.activeModalWidget()
        if over is not None:
            keys = (Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Space)
            QTest.keyClick(over, self.dice.choice(keys))
            return
        if self.dice.random() < 0.2:
            QTest.keyClick(self.window, Qt.Key.Key_Escape)
            return
        at = QPoint(self.dice.randrange(self.window.width()), self.dice.randrange(self.window.height()))
        self._move(self.window, at, pressed=True)
        left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
        place = QPointF(self.window.mapToGlobal(at))
        event = QMouseEvent(
            QEvent.Type.MouseButtonRelease, QPointF(at), place, left, none, Qt.KeyboardModifier.NoModifier
        )  # fmt: skip
        self._app.sendEvent(self.window, event)

    # ---- what must hold

    def _look(self) -> None:
        from jutrek.desk.board_captures import State

        board = self.window.page("intake").view.board  # type: ignore[attr-defined]
        by_state = sum(board.count(state) for state in State)
        by_source = sum(source.captures for source in board.sources)
        if not by_state == by_source == board.captures:
            raise Odd(f"{board.captures} captures, {by_state} by what becomes of them, {by_source} by source")
        if board.plan is not None and len({row.source for row in board.plan.rows}) != len(board.plan.rows):
            raise Odd("a file is in the plan twice")
        self.told.memory = max(self.told.memory, memory())
        if self.told.memory > _MEMORY:
            raise Odd(f"{self.told.memory} MB of memory")
        if self.told.raised:
            raise Odd(f"after {self.told.events:,} events: {self.told.raised[0]}")


class _Errors(logging.Handler):
    """Keeps what is logged as an error."""

    def __init__(self, raised: list[str]) -> None:
        super().__init__(logging.ERROR)
        self._raised = raised

    def emit(self, record: logging.LogRecord) -> None:
        self._raised.append(self.format(record))


def _contents(*folders: str) -> set[bytes]:
    found = set()
    for folder in folders:
        for path in Path(folder).rglob("*"):
            if path.is_file() and not path.is_symlink():
                found.add(hashlib.sha256(path.read_bytes()).digest())
    return found


def run(seed: int = SEED, events: int = EVENTS, made: str = "") -> Told:
    """Let a monkey at a new window on a demo.

    Args:
        seed: of its dice.
        events: how many things it does.
        made: where a demo lies that may be spoilt; one is made where none is named.

    Raises:
        Odd: when something does not hold.
    """
    faulthandler.enable()
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    folder = tempfile.mkdtemp(prefix="jutrek-monkey-")
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"):
        os.environ[name] = os.path.join(folder, "own")
    try:
        return _watched(seed, events, folder, made)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _watched(seed: int, events: int, folder: str, made: str) -> Told:
    from PySide6.QtWidgets import QFileDialog

    from jutrek.demo import Scenario, build
    from jutrek.desk.furnishing import furnish
    from jutrek.library import new_library
    from jutrek.ui.app.faults import Faults
    from jutrek.ui.app.start import application, wait
    from jutrek.ui.app.window import MainWindow

    demo = Scenario(made) if made else build(os.path.join(folder, "demo"))
    new_library(demo.library)
    furnish(demo.library, demo.place)
    truth = _contents(*demo.sources)
    app = application()
    window = MainWindow()
    faults = Faults(window.tell_fault, window)
    monkey = Monkey(window, demo, seed)
    errors = _Errors(monkey.told.raised)
    logging.getLogger("jutrek").addHandler(errors)
    chosen = mock.patch.multiple(
        QFileDialog,
        getExistingDirectory=lambda *_: monkey.dice.choice(["", *demo.sources, demo.library]),
        getSaveFileName=lambda *_: (monkey.dice.choice(["", os.path.join(folder, "a.json")]), ""),
        getOpenFileName=lambda *_: (monkey.dice.choice(["", os.path.join(folder, "a.json")]), ""),
    )
    try:
        with chosen:
            window.show()
            window.begin(demo.library, list(demo.sources))
            told = monkey.go(events)
            wait(app, lambda: not window.runs.running, patience=int(_PATIENCE * 1000))
        window.close_now()
        if not window.leave(_PATIENCE):
            raise Odd("the window did not come to its end")
        lost = truth - _contents(demo.root, os.path.join(folder, "own"))
        if lost:
            raise Odd(f"{len(lost)} contents are lost")
        return told
    finally:
        faults.end()
        logging.getLogger("jutrek").removeHandler(errors)


def main(seed: int, events: int, made: str = "") -> int:
    """Print what came of it. Returns 1 when something did not hold."""
    began = time.monotonic()
    try:
        told = run(seed, events, made)
    except Odd as odd:
        sys.stdout.write(f"seed {seed}: {odd}\n")
        # Threads are at work behind a window that was not closed.
        sys.stdout.flush()
        os._exit(1)
    lasted = (time.monotonic() - began) / 60
    sys.stdout.write(
        f"seed {seed}: {told.events:,} events in {lasted:.1f} minutes, clean; {told.memory} MB at most; "
        f"longest gap {told.gap[0] * 1000:.0f} ms ({told.gap[1]})\n"
    )
    return 0


if __name__ == "__main__":
    given = [int(word) for word in sys.argv[1:3]]
    sys.exit(main(given[0] if given else SEED, given[1] if len(given) > 1 else EVENTS, *sys.argv[3:4]))
