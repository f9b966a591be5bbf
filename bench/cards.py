"""Many cards put in at once, against one card of the same files: from the wish to a plan of all of them.

The files are small pictures of a few days, shot by as many devices as are told. What is measured is a session, with its
threads and its events, and no window.
"""

from __future__ import annotations

import os
import tempfile
import time
from datetime import timedelta
from pathlib import Path

from tests import making
from tests.desk.talk import Ear, Talk

from jutrek.desk import events
from jutrek.library import new_library

_EACH = 300
_STEP = timedelta(seconds=47)
_PATIENCE = 600.0


def _fill(folder: Path, cards: int, devices: int) -> tuple[list[Path], Path]:
    """Cards, and one that holds all of them, by links."""
    whole, made = folder / "whole", []
    for card in range(cards):
        root = folder / f"card {card:02}"
        other = whole / f"{card:02}"
        root.mkdir(parents=True)
        other.mkdir(parents=True)
        device = card % devices
        for number in range(_EACH):
            when = making.WHEN + timedelta(days=card // devices % 5) + _STEP * number + timedelta(seconds=7 * device)
            path = root / f"P{number:04}.JPG"
            path.write_bytes(making.jpeg(when, seed=card, model=f"M{device}"))
            os.link(path, other / path.name)
        made.append(root)
    return made, whole


def _seconds(roots: list[Path], library: Path, count: int) -> tuple[float, float]:
    """How long it takes until all is planned, and until the first of them is on the board with its captures."""
    library.mkdir()
    new_library(str(library))
    ear = Ear()
    session = Talk(ear)
    session.learns = False
    try:
        session.ask_intake(lambda intake: intake.open_library(str(library)))
        ear.board()
        began = time.perf_counter()
        for root in roots:
            session.ask_intake(lambda intake, root=str(root): intake.add_source(root))  # type: ignore[misc]
        ear.wait(lambda one: isinstance(one, events.BoardChanged) and one.board.captures > 0, _PATIENCE)
        first = time.perf_counter() - began
        ear.wait(
            lambda one: isinstance(one, events.BoardChanged) and one.board.captures == count and bool(one.board.plan),
            _PATIENCE,
        )
        return time.perf_counter() - began, first
    finally:
        session.close()


def run() -> None:
    """Print seconds and the ratio, of cards of six devices and of as many devices as cards."""
    for cards, devices in ((60, 6), (60, 60)):
        with tempfile.TemporaryDirectory() as name:
            os.environ["XDG_DATA_HOME"] = name
            folder = Path(name)
            many, whole = _fill(folder, cards, devices)
            count = cards * _EACH
            one, _ = _seconds([whole], folder / "library of one", count)
            all_of_them, first = _seconds(many, folder / "library of many", count)
            print(
                f"{cards} cards of {_EACH} files, {devices} devices: {all_of_them:5.1f} s, the first one {first:.1f} s"
            )
            print(f"one card of the same files: {one:5.1f} s; the cards take {all_of_them / one:.1f} × as long")
