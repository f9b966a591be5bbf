"""What the ribbons of the Intake page are tied to: tiles, rows, folders."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QWidget

from jutrek.ui.pages.intake import lands
from jutrek.ui.pages.intake.ribbons import Ribbon

if TYPE_CHECKING:
    from jutrek.ui.pages.intake.days import DayRow
    from jutrek.ui.pages.intake.view import IntakeView


class Ties:
    """The ribbons of a page, as its widgets lie now."""

    def __init__(self, page: IntakeView, accent: QColor) -> None:
        self._page, self._accent = page, accent

    def _row_heights(self, gutter: QWidget) -> Iterator[tuple[DayRow, int]]:
        """Rows in view, with the height of their anchor in a gutter."""
        page = self._page
        if page.settling:
            return
        top = page.when_area.mapTo(page, QPoint(0, 0)).y()
        bottom = top + page.when_area.height()
        shift = gutter.mapTo(page, QPoint(0, 0)).y()
        for row in page.rows():
            at = row.mapTo(page, QPoint(0, row.anchor)).y()
            if top - 10 <= at <= bottom + 10:
                yield row, at - shift

    def from_sources(self) -> Iterator[Ribbon]:
        """From tiles to rows."""
        page = self._page
        for row, right in self._row_heights(page.from_gutter):
            strong = row.view.key == page.when.open_key
            for root, tile in page.from_column.tiles.items():
                count = row.view.sources.get(root, 0)
                if count:
                    left = tile.mapTo(page.from_area, QPoint(0, 38)).y()
                    yield Ribbon(left, right, count, tile.colour(), strong)

    def into_folders(self) -> Iterator[Ribbon]:
        """From rows to folders."""
        page = self._page
        if not page.tree.isVisible():
            return
        for row, left in self._row_heights(page.lands_gutter):
            strong = row.view.key == page.when.open_key
            for folder, count in lands.gathered_folders(row.view).items():
                if (at := page.tree.anchor(folder)) is not None:
                    right = page.tree.mapTo(page, QPoint(0, at)).y() - page.lands_gutter.mapTo(page, QPoint(0, 0)).y()
                    yield Ribbon(left, right, count, self._accent, strong)
