"""The working files of a job: the versions of each, the next one, and names that tell no version."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QEvent, QPoint, QRect, Qt, Signal
from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from jutrek.desk.working_files import Work
from jutrek.jobs.versions import Line, Version
from jutrek.ui import paint
from jutrek.ui.plainly import tip_text
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken
from jutrek.words import counted

_HEAD, _CHIP, _GAP, _EDGE, _REMARK = 26, 38, 8, 12, 18
_LEAST, _WIDE = 54, 54
_MOST = 60


class _Chip(NamedTuple):
    """A version, the next one (no version), or what a file could be called."""

    box: QRect
    line: Line | None
    version: Version | None
    words: str


class WorkPanel(QWidget, Spoken):
    """Lines of versions, the newest filled, the next dashed."""

    next_wanted = Signal(object)
    """The next version of a line is wanted: the path of its newest, below the job's folder."""
    opened = Signal(object)
    """A version is to be opened in its program: its path, below the job's folder."""
    renaming = Signal(object, object)
    """A file is to be called as it was proposed: its path, below the job's folder, and the name."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._work = Work((), ())
        self._chips: list[_Chip] = []
        self._heads: list[tuple[QRect, str, str]] = []
        self._remarks: list[tuple[QRect, str]] = []
        self.number = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Working files")

    def show_work(self, work: Work) -> None:
        """Show the working files of a job."""
        self._work = work
        self._arrange()

    @property
    def chosen(self) -> Line | None:
        """The line that keys go to."""
        return self._chips[self.number].line if self.number < len(self._chips) else None

    # ---- where it stands

    def _arrange(self) -> None:
        self._chips, self._heads, self._remarks = [], [], []
        top, inner = 6, self.width() - 2 * _EDGE
        for line in self._work.lines[:_MOST]:
            self._heads.append((QRect(_EDGE, top, inner, _HEAD), line.title, line.newest.named.suffix))
            top += _HEAD
            room = max(1, (inner + _GAP) // (_LEAST + _GAP))
            shown: list[Version | None] = [*line.versions[-(room - 1) or len(line.versions) :], None]
            for at, version in enumerate(shown):
                box = QRect(_EDGE + at * (_WIDE + _GAP), top, _WIDE, _CHIP)
                words = _words(version) if version is not None else f"next version of {line.title}"
                self._chips.append(_Chip(box, line, version, words))
            top += _CHIP + 4
            for number in line.twice:
                self._remarks.append((QRect(_EDGE, top, inner, _REMARK), _twice(line, number)))
                top += _REMARK
            top += 6
        for vague in self._work.vague[:_MOST]:
            name = vague.path.rpartition("/")[2]
            self._remarks.append((QRect(_EDGE, top, inner, _REMARK), f"“{name}” tells no version"))
            box = QRect(_EDGE, top + _REMARK + 2, inner, 26)
            self._chips.append(_Chip(box, None, None, f"call it {vague.proposed}"))
            top += _REMARK + 36
        self.number = max(0, min(self.number, len(self._chips) - 1))
        self.setFixedHeight(max(40, top))
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._arrange()

    # ---- keys and the pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._at(event.position().toPoint())
        if number is not None and event.button() is Qt.MouseButton.LeftButton:
            self.number = number
            self.update()
            self._do(number)

    def _at(self, point: QPoint) -> int | None:
        return next((number for number, chip in enumerate(self._chips) if chip.box.contains(point)), None)

    def _do(self, number: int) -> None:
        chip = self._chips[number]
        if chip.version is not None:
            self.opened.emit(chip.version.path)
        elif chip.line is not None:
            self.next_wanted.emit(chip.line.newest.path)
        else:
            vague = self._work.vague[number - sum(one.line is not None for one in self._chips)]
            self.renaming.emit(vague.path, vague.proposed)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        key = Qt.Key(event.key())
        if key in steps and self._chips:
            self.number = max(0, min(len(self._chips) - 1, self.number + steps[key]))
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self._chips:
            self._do(self.number)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            number = self._at(event.pos())
            QToolTip.showText(event.globalPos(), tip_text(self._tip(number)) if number is not None else "", self)
            return True
        return super().event(event)

    def _tip(self, number: int) -> str:
        chip = self._chips[number]
        if chip.version is not None:
            return f"{chip.version.name}\nOpen it in its program"
        if chip.line is not None:
            return f"Copy {chip.line.newest.name} under the next number that nobody has"
        return "Give it this name. That can be taken back."

    # ---- how it looks

    def spoken_parts(self) -> list[Part]:
        heads = [Part(f"{title} {suffix}", box) for box, title, suffix in self._heads]
        remarks = [Part(words, box) for box, words in self._remarks]
        focus = self.hasFocus()
        chips = [Part(one.words, one.box, None, focus and at == self.number) for at, one in enumerate(self._chips)]
        return sorted([*heads, *remarks, *chips], key=lambda part: (part.box.top(), part.box.left()))

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._chips:
            words = "No file here tells its version, such as “v01”."
            paint.text(painter, QRect(_EDGE, 8, self.width() - 2 * _EDGE, 20), words, font(13), theme.soft)
        for box, title, suffix in self._heads:
            paint.text(painter, box.adjusted(0, 0, -50, 0), title, font(13.5, SEMIBOLD), theme.ink)
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            paint.text(painter, box, suffix, font(12), theme.soft, align=right)
        for box, words in self._remarks:
            paint.text(painter, box, words, font(12, SEMIBOLD), theme.amber)
        for number, chip in enumerate(self._chips):
            self._paint_chip(painter, chip, has_focus=self.hasFocus() and number == self.number)

    def _paint_chip(self, painter: QPainter, chip: _Chip, *, has_focus: bool) -> None:
        theme, box = self._theme, chip.box
        is_next = chip.version is None
        newest = chip.line is not None and chip.version is chip.line.newest
        pen = QPen(theme.ink if has_focus else theme.accent if is_next or newest else theme.line, 2 if has_focus else 1)
        if is_next:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(theme.accent if newest else theme.card)
        painter.drawRoundedRect(box.adjusted(0, 0, -1, -1), 4, 4)
        middle = Qt.AlignmentFlag.AlignCenter
        if chip.line is None:
            inner = box.adjusted(8, 0, -8, 0)
            paint.text(painter, inner, chip.words, font(12.5, SEMIBOLD), theme.accent, cut=Qt.TextElideMode.ElideMiddle)
            return
        named = (chip.version or chip.line.newest).named
        number = named.number + 1 if is_next else named.number
        ink = theme.on_accent if newest else theme.accent if is_next else theme.ink
        soft = theme.on_accent if newest else theme.accent if is_next else theme.soft
        upper = QRect(box.left(), box.top() + 3, box.width(), 17)
        paint.text(painter, upper, f"v{number:0{named.digits}}", font(13, SEMIBOLD), ink, align=middle)
        below = "next" if is_next else named.initials
        paint.text(painter, upper.translated(0, 16), below, font(11.5), soft, align=middle)


def _words(version: Version) -> str:
    named = version.named
    return f"version {named.number}" + (f" by {named.initials}" if named.initials else "")


def _twice(line: Line, number: int) -> str:
    own = [one.named for one in line.versions if one.named.number == number]
    who = [named.initials for named in own if named.initials]
    count = {2: "two"}.get(len(own), counted(len(own), "file"))
    by = f", by {' and '.join(who)}" if len(set(who)) > 1 else ""
    return f"{count} called v{number:0{own[0].digits}}{by}"
