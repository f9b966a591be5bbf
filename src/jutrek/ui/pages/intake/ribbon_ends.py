"""What the ribbons of the Intake page are tied to: tiles, rows, folders."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import QPoint
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QWidget

from jutrek.ui.pages.intake import folder_column
from jutrek.ui.pages.intake.ribbons import Ribbon

if TYPE_CHECKING:
    from jutrek.ui.pages.intake.day_column import DayColumn
    from jutrek.ui.pages.intake.days import DayRow
    from jutrek.ui.pages.intake.ribbons import Gutter
    from jutrek.ui.pages.intake.tiles import FromColumn


class Columns(Protocol):
    """The columns that ribbons run between, on one widget."""

    from_area: QWidget
    from_column: FromColumn
    from_gutter: Gutter
    when_area: QWidget
    when: DayColumn
    lands_gutter: Gutter
    tree: folder_column.FolderTree

    @property
    def settling(self) -> bool:
        """Whether questions stand in the place of the rows."""

    def rows(self) -> list[DayRow]:
        """The rows that are shown."""


class RibbonEnds:
    """The ribbons of a page, as its widgets lie now."""

    def __init__(self, page: QWidget, columns: Columns, accent: QColor) -> None:
        self._page, self._columns, self._accent = page, columns, accent

    def _row_heights(self, gutter: QWidget) -> Iterator[tuple[DayRow, int]]:
        """Rows in view, with the height of their anchor in a gutter."""
        page, columns = self._page, self._columns
        if columns.settling:
            return
        top = columns.when_area.mapTo(page, QPoint(0, 0)).y()
        bottom = top + columns.when_area.height()
        shift = gutter.mapTo(page, QPoint(0, 0)).y()
        for row in columns.rows():
            at = row.mapTo(page, QPoint(0, row.anchor)).y()
            if top - 10 <= at <= bottom + 10:
                yield row, at - shift

    def from_sources(self) -> Iterator[Ribbon]:
        """From tiles to rows."""
        columns = self._columns
        for row, right in self._row_heights(columns.from_gutter):
            strong = row.view.key == columns.when.open_key
            for root, tile in columns.from_column.tiles.items():
                count = row.view.sources.get(root, 0)
                if count:
                    left = tile.mapTo(columns.from_area, QPoint(0, 38)).y()
                    yield Ribbon(left, right, count, tile.colour(), strong)

    def into_folders(self) -> Iterator[Ribbon]:
        """From rows to folders."""
        page, columns = self._page, self._columns
        if not columns.tree.isVisible():
            return
        gutter = columns.lands_gutter
        for row, left in self._row_heights(gutter):
            strong = row.view.key == columns.when.open_key
            for folder, count in folder_column.gathered_folders(row.view).items():
                if (at := columns.tree.anchor(folder)) is not None:
                    right = columns.tree.mapTo(page, QPoint(0, at)).y() - gutter.mapTo(page, QPoint(0, 0)).y()
                    yield Ribbon(left, right, count, self._accent, strong)
