"""Composing a layout or a name: for whom it is, the path of chips, its text, and the stock of pieces."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QRect, Qt, Signal
from PySide6.QtGui import QFontDatabase, QFontMetrics, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from jutrek.filing import HouseRules, PatternError, Scheme
from jutrek.filing.facts import Facts
from jutrek.filing.pattern import LAYOUT, Pattern, Piece, parse, trouble_with
from jutrek.filing.pieces import KIND_WORDS
from jutrek.ui import paint
from jutrek.ui.pages.rules.chips import Stock
from jutrek.ui.pages.rules.pathedit import PathEditor
from jutrek.ui.plainly import Label
from jutrek.ui.theme import Theme, font
from jutrek.ui.widgets.buttonflow import ButtonFlow

_INSET = 10


class PatternField(QLineEdit):
    """A pattern as text. What is wrong in it is underlined."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._wrong: int | None = None
        mono = QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont)
        mono.setPixelSize(13)
        self.setFont(mono)
        self.setMinimumHeight(28)

    def point_at(self, wrong: int | None) -> None:
        """Point at a character; None points at nothing."""
        self._wrong = wrong
        self.setProperty("wrong", wrong is not None)
        self.style().unpolish(self)
        self.style().polish(self)
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._wrong is None:
            return
        metrics, text = QFontMetrics(self.font()), self.text()
        # The text may be scrolled: the caret tells by how much.
        start = self.cursorRect().center().x() - metrics.horizontalAdvance(text[: self.cursorPosition()])
        left = start + metrics.horizontalAdvance(text[: self._wrong])
        end = start + metrics.horizontalAdvance(text[: max(_word_end(text, self._wrong), self._wrong + 1)])
        painter = QPainter(self)
        painter.setPen(QPen(self._theme.brick, 2))
        painter.drawLine(left, self.height() - 6, max(end, left + 6), self.height() - 6)


def _word_end(text: str, start: int) -> int:
    """Where what begins at a character ends: at the next brace, bracket, colon or slash."""
    return next((at for at in range(start + 1, len(text)) if text[at] in "{}<>:/"), len(text))


class Composer(QWidget):
    """Edits one pattern of house rules at a time."""

    changed = Signal(object)
    """The rules with the edited pattern or scheme."""
    broken = Signal(object)
    """What is wrong with the text, as a sentence; empty when nothing is any more."""
    chosen = Signal(int)
    """The number of the scheme to edit; as many as there are schemes: that of everything."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.use, self.scheme = LAYOUT, 0
        self._sample: Facts | None = None
        self._rules = HouseRules()
        self.layouts, self.names = PathEditor(theme, LAYOUT), PathEditor(theme, "name")
        self.field = PatternField(theme)
        self.field.setAccessibleName("The pattern as text")
        self.trouble = Label()
        self.trouble.setWordWrap(True)
        self.trouble.setFont(font(12.5))
        self.stock = Stock(theme)
        self.tabs = QWidget()
        self._tab_row = QHBoxLayout(self.tabs)
        self._tab_row.setContentsMargins(0, 0, 0, 2)
        self.conditions = Conditions(theme)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(4)
        for part in (self.tabs, self.conditions, self.layouts, self.names):
            column.addWidget(part)
        for words, part in (("As text", self.field), ("", self.trouble), ("Pieces", self.stock)):
            column.addLayout(_labelled(theme, words, part))
        for path in (self.layouts, self.names):
            path.changed.connect(lambda pattern: self.take(str(pattern)))
            path.refused.connect(self._say)
        self.field.textEdited.connect(self.take)
        self.stock.wanted.connect(self._insert)
        self.conditions.changed.connect(self._condition)
        self.conditions.removed.connect(self._remove_scheme)

    @property
    def path(self) -> PathEditor:
        """The path that is shown."""
        return self.layouts if self.use == LAYOUT else self.names

    def show_rules(self, rules: HouseRules, use: str, scheme: int, sample: Facts | None) -> None:
        """Show a pattern of some rules.

        Args:
            use: `LAYOUT` or `NAME`.
            scheme: its number; as many as there are: that of everything.
            sample: a capture whose values the chips show.
        """
        self._rules, self.use, self._sample = rules, use, sample
        self.scheme = min(scheme, len(rules.schemes))
        self.layouts.setVisible(use == LAYOUT)
        self.names.setVisible(use != LAYOUT)
        self.stock.show_for(names=use != LAYOUT)
        text = self.text()
        if self.field.text() != text:
            self.field.setText(text)
        self.path.show_pattern(parse(text), sample, rules.setting(filed=use == LAYOUT))
        self._say("")
        self._show_tabs()

    def text(self) -> str:
        """The pattern that is shown, as the rules have it."""
        rules = self._rules
        own = ""
        if self.scheme < len(rules.schemes):
            one = rules.schemes[self.scheme]
            own = one.layout if self.use == LAYOUT else one.name
        return own or (rules.layout if self.use == LAYOUT else rules.name)

    def stops(self) -> list[QWidget]:
        """Where Tab stops, in order."""
        tabs = [self._tab_row.itemAt(number).widget() for number in range(self._tab_row.count())]
        return [*filter(None, tabs), *self.conditions.stops(), self.path, self.field, *self.stock.stops()]

    def _insert(self, piece: Piece) -> None:
        if self.path.isEnabled():
            self.path.insert(piece)
            self.path.setFocus()

    def take(self, text: str) -> None:
        """Take a text; while it is no pattern, the chips stay as they were, and cannot be moved.

        One that can be read, and that no folder or name could be made of, is shown and not taken.
        """
        if self.field.text() != text:
            self.field.setText(text)
        try:
            pattern: Pattern = parse(text, self.use)
        except PatternError as error:
            self._say(str(error), error.at)
            return
        trouble = trouble_with(text, self.use)
        # What can be read can be put right by its chips, too.
        self._say(str(trouble) if trouble else "", trouble.at if trouble else None, locked=False)
        self.path.show_pattern(pattern, self._sample, self._rules.setting(filed=self.use == LAYOUT))
        if trouble is None:
            self.changed.emit(self._with(text))

    def _with(self, text: str) -> HouseRules:
        rules, number = self._rules, self.scheme
        name = "layout" if self.use == LAYOUT else "name"
        if number >= len(rules.schemes):
            self._rules = replace(rules, **{name: text})
        else:
            # What is as everything's stays tied to it.
            own = "" if text == getattr(rules, name) else text
            schemes = list(rules.schemes)
            schemes[number] = replace(schemes[number], **{name: own})
            self._rules = replace(rules, schemes=tuple(schemes))
        return self._rules

    def _say(self, words: str, at: int | None = None, *, locked: bool = True) -> None:
        self.field.point_at(at)
        self.path.setEnabled(at is None or not locked)
        self.stock.setEnabled(at is None or not locked)
        self.trouble.setText(words)
        self.trouble.setStyleSheet(f"color: {self._theme.brick.name()}")
        self.trouble.setVisible(bool(words))
        self.broken.emit(words if at is not None else "")

    # ---- schemes

    def _show_tabs(self) -> None:
        while (item := self._tab_row.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        schemes = self._rules.schemes
        for number, words in ((len(schemes), "Everything"), *((n, one.about) for n, one in enumerate(schemes))):
            tab = QPushButton("Everything else" if words == "Everything" and schemes else words)
            tab.setProperty("tab", True)
            tab.setCheckable(True)
            tab.setChecked(number == self.scheme)
            tab.clicked.connect(lambda _=False, number=number: self.chosen.emit(number))
            self._tab_row.addWidget(tab)
        add = QPushButton("For some only…")
        add.setProperty("link", True)
        add.setToolTip("A layout and a name of their own for sound, for clips, for a device, for certain words")
        add.clicked.connect(self._add_scheme)
        self._tab_row.addWidget(add)
        self._tab_row.addStretch()
        is_scheme = self.scheme < len(schemes)
        self.conditions.setVisible(is_scheme)
        if is_scheme:
            self.conditions.show_scheme(schemes[self.scheme])

    def _add_scheme(self) -> None:
        taken = {kind for one in self._rules.schemes for kind in one.kinds}
        kind = next((kind for kind in ("sound", "clip", "still") if kind not in taken), "sound")
        schemes = (*self._rules.schemes, Scheme(kinds=(kind,), layout=f"{KIND_WORDS[kind]}/{self._rules.layout}"))
        self._rules = replace(self._rules, schemes=schemes)
        self.changed.emit(self._rules)
        self.chosen.emit(len(schemes) - 1)

    def _condition(self, kinds: tuple[str, ...], device: str, words: str) -> None:
        if self.scheme >= len(self._rules.schemes):
            # It was taken out while somebody typed.
            return
        schemes = list(self._rules.schemes)
        schemes[self.scheme] = replace(schemes[self.scheme], kinds=kinds, device=device, words=words)
        self._rules = replace(self._rules, schemes=tuple(schemes))
        self.changed.emit(self._rules)
        tab = self._tab_row.itemAt(self.scheme + 1).widget()
        if isinstance(tab, QPushButton):
            tab.setText(schemes[self.scheme].about)

    def _remove_scheme(self) -> None:
        schemes = self._rules.schemes[: self.scheme] + self._rules.schemes[self.scheme + 1 :]
        self._rules = replace(self._rules, schemes=schemes)
        self.changed.emit(self._rules)
        self.chosen.emit(len(schemes))


class Conditions(QWidget):
    """For which captures a scheme is: kinds, a device, words."""

    changed = Signal(object, object, object)
    removed = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.kinds = {kind: QCheckBox(words) for kind, words in KIND_WORDS.items()}
        self.device, self.words = QLineEdit(), QLineEdit()
        self.device.setPlaceholderText("any device")
        self.device.setAccessibleName("Only for this device: its letter, name or model")
        self.words.setPlaceholderText("any words")
        self.words.setAccessibleName("Only where the shoot or the keywords say this")
        self.out = QPushButton("Take it out")
        self.out.setProperty("link", True)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 4)
        row.setSpacing(10)
        row.addWidget(Label("Only for"))
        for box in self.kinds.values():
            row.addWidget(box)
            box.clicked.connect(self._tell)
        row.addWidget(Label("of"))
        row.addWidget(self.device, 1)
        row.addWidget(Label("that say"))
        row.addWidget(self.words, 1)
        row.addWidget(self.out)
        self.device.textEdited.connect(self._tell)
        self.words.textEdited.connect(self._tell)
        self.out.clicked.connect(self.removed)

    def show_scheme(self, scheme: Scheme) -> None:
        """Show the conditions of a scheme."""
        for kind, box in self.kinds.items():
            box.setChecked(kind in scheme.kinds)
        for field, text in ((self.device, scheme.device), (self.words, scheme.words)):
            if field.text() != text:
                field.setText(text)

    def stops(self) -> list[QWidget]:
        """Where Tab stops, in order."""
        return [*self.kinds.values(), self.device, self.words, self.out] if self.isVisible() else []

    def _tell(self) -> None:
        kinds = tuple(kind for kind, box in self.kinds.items() if box.isChecked())
        self.changed.emit(kinds, self.device.text().strip(), self.words.text().strip())


class _Label(QWidget):
    """A small label at the left of a row."""

    def __init__(self, theme: Theme, words: str) -> None:
        super().__init__()
        self._theme, self._words = theme, words
        self.setFixedWidth(60)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        box = QRect(0, 3, self.width(), 20)
        paint.text(QPainter(self), box, self._words, font(12.5), self._theme.soft)


def _labelled(theme: Theme, words: str, part: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    row.setSpacing(4)
    row.addWidget(_Label(theme, words))
    row.addWidget(part, 1, Qt.AlignmentFlag.AlignTop if isinstance(part, ButtonFlow) else Qt.AlignmentFlag(0))
    return row
