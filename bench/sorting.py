"""How fast sorting by hand is: opening one, answering by a key, making piles."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

import numpy as np

_OPENED, _PILED, _ANSWERED, _KEYS = 100_000, 500_000, 30_000, 40


def run() -> None:
    """Print seconds and milliseconds, each beside what is wanted."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_CACHE_HOME"] = folder
        _opening(os.path.join(folder, "one"))
        _piles(os.path.join(folder, "other"))


def _library(folder: str, count: int):
    from bench.views import _fill
    from jutrek.desk.viewing import Views
    from jutrek.library import new_library
    from jutrek.library.ledger import Ledger

    os.makedirs(folder)
    library = new_library(folder)
    ledger = Ledger(library.ledger_path)
    _fill(ledger, count)
    views = Views(library, ledger)
    return library, views


def _took(what: str, do: Callable[[], object], wanted: float, unit: float = 1.0) -> object:
    """Print how long something takes: the least of three times."""
    times, found = [], None
    for _ in range(3):
        began = time.perf_counter()
        found = do()
        times.append(time.perf_counter() - began)
    print(f"{what:60} {min(times) / unit:8.2f} wanted {wanted / unit:8.2f} {'s' if unit == 1 else 'ms'}")
    return found


def _opening(folder: str) -> None:
    from jutrek.desk.services.sorting import Sortings
    from jutrek.sorting import record
    from jutrek.sorting.record import Answer, At, What
    from jutrek.views.conditions import EVERYTHING

    library, views = _library(folder, _OPENED)
    sortings = Sortings(library, views)
    columns = views.lay(EVERYTHING).columns
    id_ = sortings.begin(EVERYTHING)
    at = datetime.now(UTC) - timedelta(days=20)
    for start in range(0, _ANSWERED, 6):
        rows = range(start, start + 6)
        own = {path: At(f"Sorted/{path}", int(columns.moment[row])) for row in rows for path in (columns.path(row),)}
        one = Answer(record.new_id(), at + timedelta(seconds=start), What.FILED, "Sorted", own)
        _quickly(library, id_, one)
    found = _took("opening 100,000 captures, 30,000 of them answered", lambda: sortings.open(id_), 1.0)
    _keys(found)


def _quickly(library, sorting: str, one) -> None:
    """Write an answer down without syncing each."""
    from unittest.mock import patch

    from jutrek.sorting import record

    with patch("os.fsync"):
        record.answered(library, sorting, one)


def _keys(found) -> None:
    from PySide6.QtCore import QObject, Qt
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from jutrek.desk.pool import Pool
    from jutrek.ui.app.start import application
    from jutrek.ui.pages.library.sorting.answers import Answers
    from jutrek.ui.pages.library.sorting.shown import Asks, Shown
    from jutrek.ui.pages.library.sorting.view import SortingView
    from jutrek.ui.pictures.service import Pictures
    from jutrek.ui.theme import current

    application()
    pictures = Pictures(Pool(2), 1.0)
    view, keeper = SortingView(current(), pictures), QObject()
    asks = Asks(lambda *_, **__: None, lambda *_, **__: None, lambda: None, lambda: None)
    shown = Shown(view, keeper)
    Answers(shown, asks, keeper)
    view.resize(1280, 760)
    view.show()
    shown.take(found)
    QApplication.processEvents()
    view.grid.setFocus()
    times = []
    for _ in range(_KEYS):
        QTest.keyClick(view.grid, Qt.Key.Key_1)
        QApplication.processEvents()
        began = time.perf_counter()
        QTest.keyClick(view.cards, Qt.Key.Key_Return)
        QApplication.processEvents()
        times.append((time.perf_counter() - began) * 1000)
    print(f"{'Enter files one, and the next is shown: middle':60} {np.median(times):8.1f} wanted     50.0 ms")
    assert shown.found is not None and shown.found.bench.filed >= _KEYS
    print(f"{'the longest of them':60} {max(times):8.1f}")
    pictures.end()


def _piles(folder: str) -> None:
    from jutrek.sorting.bench import Bench
    from jutrek.sorting.piles import By
    from jutrek.sorting.record import Head, Record
    from jutrek.views.conditions import EVERYTHING

    _, views = _library(folder, _PILED)
    view = views.lay(EVERYTHING)
    head = Head("00000000", "x", "", datetime.now(UTC), _PILED, {})
    bench = Bench(Record(head), view.columns, view.laid.rows)
    for by in By:
        bench.piles(by)
        _took(f"piles of 500,000 by {by}", lambda by=by: bench.piles(by), 0.1, 0.001)  # type: ignore[misc]
