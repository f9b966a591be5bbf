"""Names that are taken: both pictures beside each other, and what is done about it, before anything moves."""

from __future__ import annotations

import os
from collections.abc import Mapping
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QRect, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from jutrek.decoding import Shown
from jutrek.filing.tidying import Answer, Clash
from jutrek.ui import paint
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import SEMIBOLD, THIN, Theme, font
from jutrek.ui.widgets.askbar import keeps_escape
from jutrek.ui.widgets.keyed import keyed

if TYPE_CHECKING:
    from jutrek.desk.tidying import Tidying

_MARGIN, _HEAD, _FOOT, _GAP = 36, 118, 76, 28
_PICTURE = QSize(640, 480)


class ClashSheet(QWidget):
    """Goes through the captures that can't have their names. Escape leaves everything where it is."""

    decided = Signal(object)
    """What was decided, by the paths of captures."""
    refused = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self._root = ""
        self._left: list[Clash] = []
        self._all = 0
        self._answers: dict[str, Answer] = {}
        self._where: Mapping[str, str] = {}
        self.both = keyed(QPushButton("Keep both, under two names"), "B")
        self.same = keyed(QPushButton("The same: one is enough"), "S")
        self.leave = keyed(QPushButton("Leave this one"), "L")
        self.nothing = QPushButton("Move nothing")
        self.rest = QCheckBox("and so for all that are left")
        row = QHBoxLayout()
        row.setSpacing(10)
        row.addWidget(self.rest)
        row.addStretch(1)
        for button in (self.nothing, self.leave, self.same, self.both):
            row.addWidget(button)
        self.both.setProperty("main", True)
        column = QVBoxLayout(self)
        column.setContentsMargins(_MARGIN, 0, _MARGIN, 22)
        column.addStretch(1)
        column.addLayout(row)
        for button, answer in ((self.both, Answer.BOTH), (self.same, Answer.SAME), (self.leave, Answer.LEAVE)):
            button.clicked.connect(partial(self._decide, answer))
        self.nothing.clicked.connect(self._refuse)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAutoFillBackground(True)
        pictures.ready.connect(lambda _: self.update() if self.isVisible() else None)
        self.hide()

    def open(self, wanted: Tidying, root: str) -> None:
        """Ask about the clashes of what was asked for."""
        self._root, self._answers = root, {}
        first: dict[str, Clash] = {}
        for clash in wanted.clashes:
            # A capture goes whole: where only some of its bytes may be the same, they are not all.
            known = first.setdefault(clash.capture, clash)
            first[clash.capture] = known._replace(may_be_same=known.may_be_same and clash.may_be_same)
        self._left = list(first.values())
        self._all = len(self._left)
        self.rest.setChecked(False)
        self._show_current()
        self.show()
        self.raise_()
        self.setFocus()

    @property
    def clash(self) -> Clash | None:
        """The one that is asked about."""
        return self._left[0] if self._left else None

    def _show_current(self) -> None:
        clash = self.clash
        if clash is None:
            return
        self.same.setEnabled(clash.may_be_same)
        self.same.setToolTip("" if clash.may_be_same else "Their sizes differ: they are not the same.")
        more = len(self._left) - 1
        self.rest.setVisible(more > 0)
        self.rest.setText(f"and so for the other {more:,}" if more > 1 else "and so for the other one")
        self.setAccessibleName(f"{self._title()} {clash.file.path} can't be {clash.to}: {clash.there} has that name.")
        self.update()

    def _title(self) -> str:
        number = self._all - len(self._left) + 1
        return f"Name {number} of {self._all} is taken." if self._all > 1 else "That name is taken."

    def _decide(self, answer: Answer) -> None:
        clash = self.clash
        if clash is None or (answer is Answer.SAME and not clash.may_be_same):
            return
        meant = self._left if self.rest.isChecked() else [clash]
        if answer is Answer.SAME:
            meant = [one for one in meant if one.may_be_same]
        self._answers.update((one.capture, answer) for one in meant)
        self._left = [one for one in self._left if one.capture not in self._answers]
        if self._left:
            self.rest.setChecked(False)
            self._show_current()
            self.setFocus()
        else:
            self.hide()
            self.decided.emit(dict(self._answers))

    def _refuse(self) -> None:
        self.hide()
        self._left = []
        self.refused.emit()

    def event(self, event: QEvent) -> bool:
        return keeps_escape(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = {Qt.Key.Key_B: Answer.BOTH, Qt.Key.Key_S: Answer.SAME, Qt.Key.Key_L: Answer.LEAVE}
        if event.key() == Qt.Key.Key_Escape:
            self._refuse()
        elif event.key() in keys and not event.modifiers():
            self._decide(keys[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, clash = QPainter(self), self._theme, self.clash
        painter.fillRect(self.rect(), theme.paper)
        if clash is None:
            return
        whole = QRect(_MARGIN, 12, self.width() - 2 * _MARGIN, 36)
        paint.text(painter, whole, self._title(), font(26, THIN), theme.ink)
        words = "Nothing has moved yet. All files of a capture keep one name; what is decided holds for all of them."
        paint.text(painter, whole.translated(0, 34), words, font(13), theme.soft)
        wide = (whole.width() - _GAP) // 2
        high = self.height() - _HEAD - _FOOT - 58
        for number, (title, path) in enumerate((("GOES THERE", clash.file.path), ("IS THERE", clash.there))):
            box = QRect(whole.left() + number * (wide + _GAP), _HEAD, wide, high)
            self._side(painter, box, title, path)

    def _side(self, painter: QPainter, box: QRect, title: str, path: str) -> None:
        theme = self._theme
        line = QRect(box.left(), box.top() - 22, box.width(), 18)
        paint.text(painter, line, title, font(11.5, SEMIBOLD), theme.soft)
        paint.card(painter, box, theme.card, theme.line)
        whole = os.path.join(self._root, path)
        picture = self._pictures.of(Shown(whole), self._root, _PICTURE, at_home=True)
        if picture is not None and not picture.isNull():
            size = picture.deviceIndependentSize().toSize().scaled(
                box.size() - QSize(16, 16), Qt.AspectRatioMode.KeepAspectRatio
            )  # fmt: skip
            place = QRect(0, 0, size.width(), size.height())
            place.moveCenter(box.center())
            painter.drawPixmap(place, picture)
        else:
            paint.text(painter, box, "no picture", font(13), theme.soft, align=paint.CENTRE)
        under = QRect(box.left(), box.bottom() + 8, box.width(), 20)
        folder, _, name = path.rpartition("/")
        paint.name(painter, under, name, font(14, SEMIBOLD), theme.ink)
        about = " · ".join(filter(None, (folder or "the root", self._stamp_words(path))))
        paint.text(painter, under.translated(0, 21), about, font(12), theme.soft, cut=Qt.TextElideMode.ElideMiddle)

    def _stamp_words(self, path: str) -> str:
        clash = self.clash
        if clash is None or path != clash.file.path:
            return "the same size" if clash is not None and clash.may_be_same else ""
        changed = datetime.fromtimestamp(clash.file.mtime_ns / 1e9)
        return f"{paint.size_words(clash.file.size)} · changed {changed.day} {changed:%B %Y}"
