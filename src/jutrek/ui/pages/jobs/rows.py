"""The jobs of a library, one below the other: pictures, what each is called, and how much lies in each of its parts."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.decoding import Shown
from jutrek.desk.jobs import JobSeen
from jutrek.formats import MEDIA_SUFFIXES, Kind
from jutrek.ui import paint
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken

_HIGH, _PICTURE, _PART, _SHOWN = 54, QSize(46, 34), 74, 3
_MOST_PARTS = 5
_STILLS = frozenset({".jpg", ".jpeg", ".dng", ".png", ".heic", ".tif", ".tiff", ".webp", ".avif"})


class JobRows(QWidget, Spoken):
    """Rows of jobs, of which one is chosen."""

    chosen = Signal(object)
    """A job, as it is seen."""
    opened = Signal(object)
    """The folder of a job is wanted."""
    asked = Signal(object, object)
    """What may be done with a job: it, and where a menu opens."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self._root = ""
        self.jobs: tuple[JobSeen, ...] = ()
        self.number = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Jobs")
        pictures.ready.connect(lambda _: self.update())

    @property
    def job(self) -> JobSeen | None:
        """The job that is chosen."""
        return self.jobs[self.number] if self.number < len(self.jobs) else None

    def show_jobs(self, jobs: Sequence[JobSeen], root: str) -> None:
        """Show jobs; the one that is chosen stays so.

        Args:
            jobs: the newest first.
            root: of their library.
        """
        before = self.job
        self.jobs, self._root = tuple(jobs), root
        ids = [one.placed.folder for one in self.jobs]
        self.number = ids.index(before.placed.folder) if before and before.placed.folder in ids else 0
        self.setFixedHeight(max(1, len(self.jobs)) * _HIGH)
        self.update()

    def choose(self, number: int) -> None:
        """Choose a job by its place among them."""
        if 0 <= number < len(self.jobs):
            self.number = number
            self.update()
            self.chosen.emit(self.jobs[number])

    def box(self, number: int) -> QRect:
        """Where a row is."""
        return QRect(0, number * _HIGH, self.width(), _HIGH)

    # ---- keys and the pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            self.choose(int(event.position().y()) // _HIGH)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if (job := self.job) is not None:
            self.opened.emit(job)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_PageUp: -8, Qt.Key.Key_PageDown: 8}
        key, job = Qt.Key(event.key()), self.job
        if key in steps and self.jobs:
            self.choose(max(0, min(len(self.jobs) - 1, self.number + steps[key])))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and job is not None:
            self.opened.emit(job)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.choose(event.pos().y() // _HIGH if event.reason() is QContextMenuEvent.Reason.Mouse else self.number)
        if (job := self.job) is not None:
            self.asked.emit(job, event.globalPos())

    # ---- how it looks

    def spoken_parts(self) -> list[Part]:
        return [
            Part(_spoken(one), self.box(number), number == self.number, number == self.number)
            for number, one in enumerate(self.jobs)
        ]

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.jobs:
            words = "No job yet. Fill in the sentence above, and start one."
            paint.text(painter, QRect(12, 0, self.width() - 24, _HIGH), words, font(13), self._theme.soft)
        first, last = event.rect().top() // _HIGH, event.rect().bottom() // _HIGH + 1
        for number in range(max(0, first), min(last, len(self.jobs))):
            self._paint_row(painter, number)

    def _paint_row(self, painter: QPainter, number: int) -> None:
        one, theme, box = self.jobs[number], self._theme, self.box(number)
        if number == self.number:
            painter.setPen(theme.accent if self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(theme.accent_wash)
            painter.drawRoundedRect(box.adjusted(1, 2, -2, -3), 4, 4)
        left = 12
        for path in pictures_of(one)[:_SHOWN]:
            frame = QRect(left, box.top() + 10, _PICTURE.width(), _PICTURE.height())
            paint.filling(painter, frame, self._picture(path), theme.track)
            left += _PICTURE.width() + 4
        left = 12 + _SHOWN * (_PICTURE.width() + 4) + 10
        parts = one.counts[:_MOST_PARTS]
        room = self.width() - left - 12 - len(parts) * _PART
        if room < 160:
            parts, room = (), self.width() - left - 12
        words = one.placed.job.called
        paint.text(painter, QRect(left, box.top() + 8, room, 20), words, font(14, SEMIBOLD), theme.ink)
        paint.text(painter, QRect(left, box.top() + 28, room, 16), _about(one), font(12), theme.soft)
        middle = Qt.AlignmentFlag.AlignCenter
        for at, (name, count) in enumerate(parts):
            cell = QRect(self.width() - 12 - (len(parts) - at) * _PART, box.top() + 8, _PART - 4, 20)
            figures = "–" if one.is_away else f"{count:,}"
            ink = theme.ink if count else theme.soft
            paint.text(painter, cell, figures, font(14, SEMIBOLD), ink, align=middle)
            paint.text(
                painter, cell.translated(0, 19).adjusted(0, 0, 0, -3), name, font(11.5), theme.soft, align=middle
            )

    def _picture(self, path: str) -> object:
        return self._pictures.of(
            Shown(f"{self._root}/{path}", Kind.STILL), self._root, _PICTURE, at_home=True
        )  # fmt: skip


def pictures_of(one: JobSeen) -> list[str]:
    """The paths of a job's stills, relative to the library, spread over all of them."""
    lands = one.placed.job.lands
    stills = [
        path for path, _, _ in one.held.files
        if _suffix(path) in _STILLS and (not lands or path.startswith(f"{lands}/"))
    ]  # fmt: skip
    stills.sort()
    step = max(1, len(stills) // 8)
    return [f"{one.placed.folder}/{path}" for path in stills[::step]]


def captures_in(one: JobSeen) -> int:
    """How many files of captures lie in a job where they land."""
    lands = one.placed.job.lands
    return sum(
        _suffix(path) in MEDIA_SUFFIXES and (not lands or path.startswith(f"{lands}/")) for path, _, _ in one.held.files
    )


def _spoken(one: JobSeen) -> str:
    return ", ".join([one.placed.job.called, _about(one), *(f"{count} {name}" for name, count in one.counts)])


def _suffix(path: str) -> str:
    dot = path.rfind(".")
    return path[dot:].lower() if dot >= 0 else ""


def _about(one: JobSeen) -> str:
    """What changed last, and by whom."""
    if one.is_away:
        return "stored away, its drive is not here"
    changed = one.held.changed_ns
    if not changed:
        return f"started {one.placed.job.started}"
    day = datetime.fromtimestamp(changed / 1e9)
    days = (datetime.now().date() - day.date()).days
    when = {0: f"today, {day:%H:%M}", 1: "yesterday"}.get(days, f"{day.day} {day:%B %Y}")
    return f"last change {when}" + (f", {one.initials}" if one.initials else "")
