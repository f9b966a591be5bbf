"""How long the window does not answer on the Library page, with 30,000 and 500,000 captures in its columns."""

from __future__ import annotations

import os
from functools import partial
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from bench.gaps import Gaps
    from jutrek.ui.app.window import MainWindow

_COUNT, _LARGE = 30_000, 100


def looking(gaps: Gaps, window: MainWindow, folder: str) -> None:
    """Print milliseconds."""
    from bench.views import _fill
    from jutrek.desk.viewing import Views
    from jutrek.library import new_library
    from jutrek.library.ledger import Ledger
    from jutrek.views.sentence import parse

    os.makedirs(folder)
    library = new_library(folder)
    with Ledger(library.ledger_path) as ledger:
        _fill(ledger, _COUNT)
        views = Views(library, ledger)
        whole, stills, month = (views.lay(parse(said)) for said in ("", "stills", "in May 2018"))
    page = window.page("library").view
    gaps.told("Library is opened for the first time", lambda: window.go_to("library"), wanted=_LARGE)
    gaps.told("30,000 captures of it are shown", partial(page.show_view, whole), wanted=_LARGE)
    gaps.told("they are narrowed to stills", partial(page.show_view, stills), wanted=_LARGE)
    gaps.told("and to a month", partial(page.show_view, month), wanted=_LARGE)
    gaps.told("and widened", partial(page.show_view, whole), wanted=_LARGE)
    bar = page.grid.verticalScrollBar()
    gaps.told("they are scrolled through", lambda: [bar.setValue(at) for at in range(0, 4000, 200)], wanted=_LARGE)
    gaps.told("all of them are chosen", page.grid.pick_all, wanted=_LARGE)
    gaps.told("they are walked by folder", page.turn, wanted=_LARGE)
    for path in ("2018", "2018/05"):
        gaps.told(f"down to {path}", partial(page.stairs.go, path), wanted=_LARGE)
    gaps.told("all folders are opened", lambda: page.folders.list.rows.open_all(True), wanted=_LARGE)
    gaps.told("folders with “shoot 7” are sought", lambda: page.folders.field.setText("shoot 7"), wanted=_LARGE)
