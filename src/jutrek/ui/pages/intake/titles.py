"""The titles of the columns, and what the board is narrowed to."""

from __future__ import annotations

from PySide6.QtCore import QRect
from PySide6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QPushButton, QWidget

from jutrek.desk.board import Board
from jutrek.ui import paint
from jutrek.ui.pages.intake import folder_column, ribbons, tiles
from jutrek.ui.pages.intake.narrowing import standings_of
from jutrek.ui.plainly import caption
from jutrek.ui.theme import Theme, section
from jutrek.ui.widgets.spoken import Part, Spoken


class ColumnTitles(QWidget, Spoken):
    """From, when, lands in: small capitals above the columns, and what the board is narrowed to."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.setFixedHeight(26)
        self.clear = QPushButton("", self)
        self.clear.setProperty("link", True)
        self.clear.hide()
        self.days = QPushButton("", self)
        self.days.setToolTip("When a day starts, after which gap a new shoot begins, and which zone holds")
        self.about = QPushButton("", self)
        self.about.setToolTip("What this intake is for: the house rules file it by that")
        self.standings = QPushButton("show only…", self)
        self.standings.setToolTip("Show only what is new, what is home, or what is there in another way")
        self.back = QPushButton("Back to the days", self)
        self.standings.setAccessibleName("Show only…")
        self.job = QPushButton("", self)
        self.job.setToolTip("The job that this intake is for: what it brings goes into the job's folder")
        for button in (self.days, self.about, self.standings, self.job, self.back):
            button.setProperty("link", True)
            button.hide()
        self._settling = self._copying = self._many = self._has_jobs = self._into = False

    def show_board(self, board: Board) -> None:
        """Show when days and shoots of a board begin."""
        starts = f"{board.day_starts // 60:02}:{board.day_starts % 60:02}"
        self.days.setAccessibleName(f"Days and zones: day starts {starts}, new shoot after {board.gap / 60:g} hours")
        self.days.setText(f"day starts {starts} · new shoot after {board.gap / 60:g} h")
        said = " · ".join(f"{name} {board.said[name]}" for name in board.asks if name in board.said)
        self.about.setText(said or f"say the {', '.join(board.asks)}…" if board.asks else "")
        self.job.setText(caption(f"into {board.into}" if board.into else "into a job…"))
        self._into = bool(board.into)
        self._many = len(standings_of(board)) > 1
        self._show_links(bool(board.sources))

    def stops(self) -> tuple[QWidget, ...]:
        """Where Tab stops, in order."""
        return self.standings, self.job, self.about, self.days, self.back

    def show_jobs(self, there_are: bool) -> None:
        """Offer jobs, where there are any."""
        self._has_jobs = there_are
        self._show_links(not self.days.isHidden())

    def show_settling(self, settling: bool) -> None:
        """Name the columns by the questions, or by the days again."""
        self._settling = settling
        self.back.setVisible(settling)
        self._show_links(not settling)
        further = "to settle, what that changes" if settling else "days, goes to"
        self.setAccessibleName(f"Cards and folders, {further}")
        self.update()

    def _show_links(self, wanted: bool) -> None:
        """Show what can be set for the whole intake, where nothing else stands in its place."""
        shown = wanted and not self._settling and self.clear.isHidden()
        self.days.setVisible(shown and bool(self.days.text()))
        self.about.setVisible(shown and bool(self.about.text()))
        self.standings.setVisible(shown and self._many)
        self.job.setVisible(shown and (self._has_jobs or self._into))
        self._place()

    def show_copying(self, copying: bool) -> None:
        """Name the right column by the places that copies go to, or by the folders again."""
        self._copying = copying
        self.update()

    def narrow(self, words: str) -> None:
        """Offer to show everything again; empty words offer nothing."""
        self.clear.setText(f"only {words} · show all" if words else "")
        self.clear.setVisible(bool(words))
        self._show_links(not words)

    def _place(self) -> None:
        right = self.width() - folder_column.WIDTH - ribbons.WIDTH
        for button in (self.clear, self.days, self.back):
            wide = button.sizeHint().width()
            button.setGeometry(right - wide, 0, wide, 24)
        wide = self.about.sizeHint().width()
        self.about.setGeometry(self.days.x() - wide, 0, wide, 24)
        left = self.about.x() if not self.about.isHidden() else self.days.x()
        for button in (self.job, self.standings):
            if not button.isHidden():
                wide = min(button.sizeHint().width(), 330)
                left -= wide
                button.setGeometry(left, 0, wide, 24)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._place()

    def spoken_parts(self) -> list[Part]:
        middle, right = ("To settle", "What that changes") if self._settling else ("Days", "Goes to")
        right = "Copies" if self._copying and not self._settling else right
        left = tiles.WIDTH + ribbons.WIDTH
        titles = (("Cards and folders", 0), (middle, left), (right, self.width() - folder_column.WIDTH))
        return [Part(words, QRect(at, 2, 200, 22)) for words, at in titles]

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for part in self.spoken_parts():
            paint.text(painter, part.box, part.words.upper(), section(), self._theme.soft)
