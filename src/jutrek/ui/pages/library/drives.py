"""The root of a library, its backups and its archive drives: how much room each has, and whether it is here."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QLocale, QPoint, QRect, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.plainly import local, plain, tip
from jutrek.ui.theme import SEMIBOLD, Theme, font

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jutrek.desk.drives_shown import DriveState

_EACH, _MOST = 44, 6
_NEARLY_FULL = 0.05
"""Share of free room below which a drive is told as nearly full."""


class Drives(QWidget):
    """Two lines and a bar for each, the library's first."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._places: tuple[DriveState, ...] = ()
        self._over: DriveState | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_EACH)

    def show_places(self, places: Sequence[DriveState]) -> None:
        """Show where a library's captures are kept."""
        self._places = tuple(places[:_MOST])
        self.setFixedHeight(_EACH * max(1, len(self._places)))
        lines = [f"{plain(one.place.name)}: {_room(one)}, {_held(one)}" for one in self._places]
        self.setAccessibleName("; ".join(lines))
        tip(self, "\n".join(f"{plain(one.place.root)}: {_used(one)}" for one in self._places))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(240, self.height())

    def drive_at(self, place: QPoint) -> DriveState | None:
        """The archive drive at a point of the screen, if it is here; None for anything else."""
        point = self.mapFromGlobal(place)
        number = point.y() // _EACH if self.isVisible() and self.rect().contains(point) else -1
        one = self._places[number] if 0 <= number < len(self._places) else None
        return one if one is not None and one.place.archive and one.here else None

    def hang_over(self, place: QPoint | None) -> None:
        """Show on which archive drive would be stored what hangs at a point of the screen; None for no longer."""
        over = self.drive_at(place) if place is not None else None
        if over != self._over:
            self._over = over
            self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        for number, one in enumerate(self._places):
            line = QRect(4, _EACH * number, self.width() - 8, 18)
            if one is self._over:
                painter.setPen(QPen(theme.accent, 2))
                painter.drawRect(QRect(1, line.top() - 2, self.width() - 2, _EACH - 2))
            used = paint.text(painter, line, _room(one), font(12), self._ink(one), align=paint.RIGHT)
            paint.text(painter, line.adjusted(0, 0, -used - 8, 0), one.place.name, font(12.5, SEMIBOLD), theme.ink)
            paint.text(painter, line.translated(0, 17), _held(one), font(11.5), theme.soft)
            bar = QRect(line.left(), line.bottom() + 18, line.width(), 3)
            painter.fillRect(bar, theme.track)
            if one.here and one.total:
                share = 1 - one.free / one.total
                full = QRect(bar.topLeft(), QSize(round(bar.width() * share), bar.height()))
                painter.fillRect(full, theme.brick if _is_nearly_full(one) else theme.home)

    def _ink(self, one: DriveState) -> QColor:
        theme = self._theme
        return theme.brick if _is_nearly_full(one) else theme.soft if one.here else theme.amber


def _is_nearly_full(one: DriveState) -> bool:
    return one.here and one.total > 0 and one.free < _NEARLY_FULL * one.total


def _room(one: DriveState) -> str:
    if not one.here:
        return "away"
    if not one.total:
        return "does not answer"
    nearly = "nearly full, " if _is_nearly_full(one) else ""
    return f"{nearly}{paint.size_words(one.free)} free"


def _held(one: DriveState) -> str:
    """What is kept there, and since when that is proven."""
    oldest = local(one.proved)
    day = QLocale(QLocale.Language.English).toString(oldest, "d MMM yyyy") if oldest is not None else ""
    what = "stored" if one.place.archive else "proven" if not one.place.id else "copied"
    files = f"{paint.counted(one.files, 'file')} {what}, {paint.size_words(one.size)}"
    return f"{files}, read since {day}" if day else files


def _used(one: DriveState) -> str:
    if not one.here or not one.total:
        return _room(one)
    return f"{paint.size_words(one.total - one.free)} used of {paint.size_words(one.total)}"
