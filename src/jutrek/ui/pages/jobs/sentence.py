"""A new job as one sentence whose blanks are filled."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import date

from PySide6.QtCore import QDate, QEvent, QRect, Qt, Signal
from PySide6.QtGui import QFocusEvent, QFontMetrics, QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QCompleter, QDateEdit, QLineEdit, QPushButton, QSizePolicy, QWidget

from jutrek.desk.jobs import Said
from jutrek.jobs.blanks import CLIENT, JOB, OPERATOR, TITLE, Blank
from jutrek.jobs.shelf import Kept
from jutrek.ui import paint
from jutrek.ui.plainly import caption, plain
from jutrek.ui.theme import Theme, font

_SIZE, _HIGH, _LINE, _GAP, _EDGE, _NOTE = 16, 28, 40, 8, 14, 22
_LEAST = 44
_MOST_OFFERS = 200


class BlankField(QLineEdit):
    """A field of the sentence, as wide as what stands in it, with what was filled in before below it."""

    left = Signal()

    def __init__(self, name: str, hint: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.name = name
        self.setFont(font(_SIZE))
        self.setPlaceholderText(hint)
        self.setAccessibleName(f"{hint} of the job")
        self.setMaxLength(200)

    def offer(self, words: Mapping[str, str]) -> None:
        """Offer words while something is typed, each with what it stands for."""
        told = {f"{one} = {whole}" if whole else one: one for one, whole in list(words.items())[:_MOST_OFFERS]}
        completer = QCompleter([plain(one) for one in told], self)
        # The field writes down what was chosen as it is shown, and that goes again.
        completer.activated[str].connect(  # type: ignore[index]
            lambda text: self._take(told.get(text, text)), Qt.ConnectionType.QueuedConnection
        )
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.setCompleter(completer)

    def _take(self, word: str) -> None:
        self.setText(word)
        self.textEdited.emit(word)

    @property
    def wide(self) -> int:
        """How wide it has to be, in pixels."""
        metrics = QFontMetrics(self.font())
        return max(_LEAST, metrics.horizontalAdvance(self.text() or self.placeholderText()) + 24)

    def show_trouble(self, words: str) -> None:
        """Show that what stands in it can't be; no words end it."""
        if bool(self.property("wrong")) != bool(words):
            self.setProperty("wrong", bool(words))
            self.style().unpolish(self)
            self.style().polish(self)
        self.setToolTip(plain(words))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Down offers all that there is."""
        completer = self.completer()
        if event.key() == Qt.Key.Key_Down and completer is not None and not completer.popup().isVisible():
            completer.setCompletionPrefix(self.text())
            completer.complete()
            return
        super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.left.emit()


class JobSentence(QWidget):
    """The sentence: its words are painted, its blanks are fields."""

    changed = Signal()
    """Something else stands in it."""
    entered = Signal()
    """Enter was pressed in one of its blanks."""
    outlines_asked = Signal(object)
    """The outlines are wanted in a menu: the widget that it opens at."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._kept: Kept | None = None
        self._blanks: dict[str, Blank] = {}
        self._number, self._note, self._is_trouble = "", "", False
        self.fields: list[BlankField] = []
        self._words: list[tuple[QRect, str]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.outline = QPushButton(self)
        self.outline.setFont(font(_SIZE))
        self.outline.setProperty("small", True)
        self.outline.setAccessibleName("The outline")
        self.outline.clicked.connect(lambda: self.outlines_asked.emit(self.outline))
        self.number = self._field(JOB, "number")
        self.number.setToolTip("The next free number; another one can be typed")
        self.day = QDateEdit(QDate.currentDate(), self)
        self.day.setDisplayFormat("d MMMM yyyy")
        self.day.setCalendarPopup(True)
        self.day.setFont(font(_SIZE))
        self.day.setAccessibleName("The day on which it starts")
        self.day.dateChanged.connect(lambda _: self.changed.emit())
        self.setFixedHeight(_LINE + _NOTE + 2 * _EDGE)

    def _field(self, name: str, hint: str) -> BlankField:
        field = BlankField(name, hint, self)
        field.textEdited.connect(self._edited)
        field.returnPressed.connect(self.entered)
        return field

    def _edited(self) -> None:
        self.arrange()
        self.changed.emit()

    # ---- what stands in it

    def show_outline(self, kept: Kept, used: Mapping[str, Sequence[str]]) -> None:
        """Ask for the blanks of an outline; what stands in those of the same name stays.

        Args:
            kept: the outline, one that can be used.
            used: what was filled in before, by the names of blanks.
        """
        blanks = kept.outline.blanks if kept.outline is not None else {}
        self._kept, known = kept, self._blanks
        self._blanks = dict(blanks)
        self.outline.setText(caption(kept.name))
        if known == self._blanks:
            # Whoever types in one keeps it.
            for field in self.fields:
                field.offer(_offers(blanks[field.name], used.get(field.name, ())))
            return
        before = {field.name: field.text() for field in self.fields}
        for old in self.fields:
            old.hide()
            old.deleteLater()
        self.fields = []
        for name in _in_order(blanks):
            blank, field = blanks[name], self._field(name, _hint(name))
            self.fields.append(field)
            field.offer(_offers(blank, used.get(name, ())))
            first = blank.usual or (next(iter(used.get(name, ())), "") if name == OPERATOR else "")
            field.setText(before.get(name) or first)
            field.setMaxLength(max(blank.most, 200 if blank.choices else blank.most))
            field.show()
        before_day = [field for field in self.fields if field.name != OPERATOR]
        previous: QWidget = self.number
        for one in (*before_day, self.day, *(field for field in self.fields if field.name == OPERATOR)):
            QWidget.setTabOrder(previous, one)
            previous = one
        self.arrange()

    def said(self) -> Said | None:
        """What is said of the job; None where there is no outline."""
        if self._kept is None:
            return None
        values = {field.name: " ".join(field.text().split()) for field in self.fields}
        wanted = self.number.text().strip()
        if wanted and wanted != self._number:
            values[JOB] = wanted
        day = self.day.date()
        return Said(self._kept.name, values, day=date(day.year(), day.month(), day.day()))

    @property
    def initials(self) -> str:
        """Who is at work, as far as those are initials; empty for nobody."""
        text = next((field.text().strip() for field in self.fields if field.name == OPERATOR), "")
        return text if text.isalpha() and 2 <= len(text) <= 4 else ""

    def show_number(self, number: str) -> None:
        """Show the number that the job would get. One that somebody typed stays."""
        if self.number.text() in ("", self._number):
            self.number.setText(plain(number))
            self._number = number
            self.arrange()

    def clear(self) -> None:
        """Empty the blanks, but for what stands in them usually."""
        for field in self.fields:
            blank = self._kept.outline.blanks.get(field.name) if self._kept and self._kept.outline else None
            field.setText(blank.usual if blank else "" if field.name != OPERATOR else field.text())
        self.number.setText("")
        self._number = ""
        self.day.setDate(QDate.currentDate())
        self._edited()

    def say(self, words: str, *, blank: str = "", trouble: bool = False) -> None:
        """Say something below the sentence.

        Args:
            words: a line.
            blank: the blank that it is about; empty for none.
            trouble: whether it keeps the job from being started.
        """
        self._note, self._is_trouble = words, trouble
        self.setAccessibleDescription(plain(words))
        for field in (self.number, *self.fields):
            # What nobody came to yet is no fault.
            is_wrong = trouble and field.name == blank and bool(field.text())
            field.show_trouble(words if is_wrong else "")
        self.update()

    def take_focus(self) -> None:
        """The first blank that is empty is asked for."""
        field = next((one for one in self.fields if not one.text()), None)
        (field or self.number).setFocus()

    # ---- how it looks

    def _parts(self) -> Iterator[str | QWidget]:
        """Its words and its blanks, in order."""
        by_name = {field.name: field for field in self.fields}
        yield "Start a"
        yield self.outline
        yield "as job"
        yield self.number
        if CLIENT in by_name:
            yield "for"
            yield by_name[CLIENT]
        if TITLE in by_name:
            yield ":"
            yield by_name[TITLE]
        for field in self.fields:
            if field.name not in (CLIENT, TITLE, OPERATOR):
                yield f", {field.name.replace('-', ' ')}"
                yield field
        yield ", on"
        yield self.day
        if OPERATOR in by_name:
            yield ", by"
            yield by_name[OPERATOR]

    def arrange(self) -> None:
        """Put words and blanks where they fit, over as many lines as they need."""
        left, top, self._words = _EDGE, _EDGE, []
        metrics = QFontMetrics(font(_SIZE))
        for part in self._parts():
            wide = metrics.horizontalAdvance(part) if isinstance(part, str) else _wide(part)
            follows = isinstance(part, str) and part[0] in ":,"
            if left + wide > self.width() - _EDGE and left > _EDGE and not follows:
                left, top = _EDGE, top + _LINE
            start = left - (_GAP - 2 if follows else 0)
            box = QRect(start, top, wide, _HIGH)
            if isinstance(part, str):
                self._words.append((box, part))
            else:
                part.setGeometry(box)
            left = start + wide + _GAP
        self.setFixedHeight(top + _HIGH + _NOTE + _EDGE)
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.arrange()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.FontChange:
            self.arrange()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        for box, words in self._words:
            paint.text(painter, box.adjusted(0, 0, 4, 0), words, font(_SIZE), theme.soft)
        line = QRect(_EDGE, self.height() - _NOTE - 6, self.width() - 2 * _EDGE, _NOTE)
        paint.text(painter, line, self._note, font(12), theme.amber if self._is_trouble else theme.soft)


def _wide(part: QWidget) -> int:
    return part.wide if isinstance(part, BlankField) else part.sizeHint().width()


def _in_order(blanks: Mapping[str, Blank]) -> list[str]:
    """Blanks in the order of the sentence, which is that of Tab, too."""
    first = [name for name in (CLIENT, TITLE) if name in blanks]
    last = [name for name in (OPERATOR,) if name in blanks]
    return [*first, *(name for name in blanks if name not in (*first, *last)), *last]


def _hint(name: str) -> str:
    return {CLIENT: "client", TITLE: "title", OPERATOR: "initials"}.get(name, name.replace("-", " "))


def _offers(blank: Blank, used: Sequence[str]) -> dict[str, str]:
    """What may be filled in, with what it stands for: what was used before first; choices only where there are some."""
    if not blank.choices:
        return dict.fromkeys(used, "")
    return {one: blank.choices[one] for one in dict.fromkeys([*used, *blank.choices]) if one in blank.choices}
