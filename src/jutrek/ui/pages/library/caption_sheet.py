"""What captures say, beside the pictures: keywords that all or some have, and words; written when it is asked for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import partial

from PySide6.QtCore import QEvent, QPoint, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from jutrek.desk.captioning import Around, Shared
from jutrek.ui import paint
from jutrek.ui.pages.library.titles import Title
from jutrek.ui.plainly import Label, caption, plain, tip
from jutrek.ui.theme import THIN, Theme, font
from jutrek.ui.widgets.askbar import keeps_escape
from jutrek.ui.widgets.chipflow import ChipFlow
from jutrek.ui.widgets.keyed import keyed
from jutrek.ui.widgets.layout import scrolling
from jutrek.ui.widgets.wordfield import Offer, WordField
from jutrek.wording.caption import Caption
from jutrek.wording.keywords import Change
from jutrek.wording.properties import Field
from jutrek.wording.spelling import Branch, key
from jutrek.wording.tree import WordTrouble, branch_text

WIDE = 364
_MARGIN, _SCROLL = 14, 12
_FIELDS = {
    Field.TITLE: "Title", Field.DESCRIPTION: "To be seen", Field.CREATOR: "Made by", Field.RIGHTS: "Rights",
    Field.USAGE: "May be used", Field.CREDIT: "To be named", Field.PLACE: "Place", Field.JOB: "Job",
}  # fmt: skip
_OFFERED = 8


class CaptionSheet(QWidget):
    """Shows what captures say, and what is to be said of them. Escape leaves all as it is."""

    wanted = Signal(object)
    """What is to be said (`Caption`)."""
    left = Signal()
    menu_wanted = Signal(object, object)
    """More is to be done with a keyword: the keyword, and where a menu goes."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._count = 0
        self._shared, self._around = Shared(), Around()
        self._add: dict[str, Branch] = {}
        self._remove: dict[str, str] = {}
        self.recent: dict[str, None] = {}
        """Keywords that were given lately, the last one first."""
        self.setAutoFillBackground(True)
        inner = WIDE - 2 * _MARGIN - _SCROLL
        self.words, self.offers = ChipFlow(inner), ChipFlow(inner)
        self.word = WordField("another keyword", self._completions)
        self.word.taken.connect(self._take)
        self.instead = QCheckBox("in place of all that they have")
        self.instead.toggled.connect(self._show)
        self.fields = {one: QLineEdit() for one in _FIELDS}
        self._sum = Label("")
        self._sum.setWordWrap(True)
        self.write, self.leave = keyed(QPushButton("Write it"), "Ctrl+Enter"), QPushButton("Leave it")
        self.write.setProperty("main", True)
        self.write.clicked.connect(self._write)
        self.leave.clicked.connect(self.close_it)
        self._lay_out()
        self.hide()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for row, (one, line) in enumerate(self.fields.items()):
            label = Label(_FIELDS[one])
            label.setFont(font(12))
            line.setAccessibleName(_FIELDS[one])
            line.textEdited.connect(self._show_sum)
            grid.addWidget(label, row, 0)
            grid.addWidget(line, row, 1)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.leave)
        buttons.addWidget(self.write)
        self._offers_title = Title(self._theme, "LATELY, AND BESIDE THEM", ())
        body = QWidget()
        inside = QVBoxLayout(body)
        inside.setContentsMargins(0, 0, _SCROLL, 0)
        inside.setSpacing(8)
        for part in (
            Title(self._theme, "KEYWORDS", ()), self.words, self.word, self.instead, self._offers_title, self.offers,
            Title(self._theme, "WORDS", ()),
        ):  # fmt: skip
            inside.addWidget(part)
        inside.addLayout(grid)
        inside.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(_MARGIN, 54, _MARGIN, 12)
        column.addWidget(scrolling(body), 1)
        column.addWidget(self._sum)
        column.addLayout(buttons)

    # ---- what is shown

    def open(self, count: int, words: Mapping[str, int]) -> None:
        """Show what captures say, as far as that is known at once.

        Args:
            count: how many they are.
            words: of each keyword how many have it.
        """
        self._count, self._shared, self._around = count, Shared(count, words), Around()
        self._add, self._remove = {}, {}
        self.instead.setChecked(False)
        for line in self.fields.values():
            line.clear()
            line.setPlaceholderText("")
            line.setEnabled(False)
        self._show()
        self.show()
        self.raise_()
        self.word.setFocus()

    def fill(self, shared: Shared, around: Around) -> None:
        """Show all that is known, once that was read."""
        self._shared, self._around = shared, around
        for one, line in self.fields.items():
            values = shared.fields[one] if shared.fields is not None else None
            line.setEnabled(True)
            if values is None:
                line.setPlaceholderText("not read: they are too many")
            elif len(values) == 1:
                line.setText(next(iter(values)))
                line.setCursorPosition(0)
            else:
                line.setPlaceholderText(f"{len(values):,} different ones")
        self._show()

    def place(self, above: QRect) -> None:
        """Stand at the right of a page."""
        self.setGeometry(QRect(above.right() - WIDE + 1, above.top(), WIDE, above.height()))

    @property
    def touched(self) -> bool:
        """Whether something is to be said."""
        return bool(self.caption())

    def _show(self) -> None:
        self.words.show_chips([*self._chips()])
        offered = [*self._offered()]
        self.offers.show_chips(offered)
        self._offers_title.setVisible(bool(offered))
        self._show_sum()

    def _chips(self) -> Iterable[QPushButton]:
        """What they have, those that all have first, and what is added."""
        known = self._shared.words
        for word, count in sorted(known.items(), key=lambda one: (-one[1], key(one[0]))):
            gone = key(word) in self._remove or (self.instead.isChecked() and key(word) not in self._add)
            if key(word) in self._add:
                yield self._chip(f"+ {word}", "All get it. Click to leave it as it is", partial(self._drop, word), word)
            elif gone:
                yield self._chip(f"− {word}", "It is taken off. Click to keep it", partial(self._keep, word), word)
            elif count == self._count:
                yield self._chip(word, "All have it. Click to take it off", partial(self._off, word), word)
            else:
                few = f"{count:,} of {self._count:,}"
                words = f"{few} have it. Click to give it to all, once more to take it off"
                yield self._chip(f"{word} · {few}", words, partial(self._give, word), word)
        for branch in self._add.values():
            if key(branch[-1]) not in {key(word) for word in known}:
                above = f" · under {branch_text(branch[:-1])}" if len(branch) > 1 else ""
                word = branch[-1]
                yield self._chip(f"+ {word}{above}", "All get it. Click to leave it", partial(self._drop, word), word)

    def _chip(self, words: str, about: str, then: object, word: str) -> QPushButton:
        chip = QPushButton(caption(words))
        chip.setProperty("chip", True)
        tip(chip, about)
        chip.setAccessibleName(f"{plain(words)}. {about}")
        chip.clicked.connect(then)
        chip.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        chip.customContextMenuRequested.connect(
            lambda at: self.menu_wanted.emit(word, chip.mapToGlobal(at if isinstance(at, QPoint) else QPoint()))
        )
        return chip

    def _offered(self) -> Iterable[QPushButton]:
        """Keywords given lately, and those of their neighbours."""
        have = {key(word) for word, count in self._shared.words.items() if count == self._count} | self._add.keys()
        words = (word for word in (*self.recent, *self._around.near) if key(word) not in have)
        for word in list(dict.fromkeys(words))[:_OFFERED]:
            yield self._chip(word, "Click to give it to all", partial(self._take, word), word)

    def _show_sum(self) -> None:
        said = self.caption()
        self.write.setEnabled(bool(said))
        self._say(_sum_of(said) if said else "Nothing is changed yet.")

    def _say(self, words: str) -> None:
        self._sum.setText(words)

    # ---- what is wanted

    def caption(self) -> Caption:
        """What is to be said."""
        change = Change(tuple(self._add.values()), tuple(self._remove.values()), self.instead.isChecked())
        fields: dict[Field, str] = {}
        for one, line in self.fields.items():
            values = self._shared.fields[one] if self._shared.fields is not None else {}
            text = line.text().strip()
            if line.isEnabled() and (text if len(values) != 1 else text != next(iter(values)).strip()):
                fields[one] = text
        return Caption(change, fields)

    def _completions(self, typed: str) -> list[Offer]:
        if self._around.completer is None:
            return []
        found = []
        for one in self._around.completer.find(typed):
            branch = one.branch
            above = f"  under {branch_text(branch[:-1])}" if len(branch) > 1 else ""
            also = f"  = {one.synonym}" if one.synonym else ""
            count = f"  {one.captures:,}" if one.captures else ""
            found.append((plain(f"{branch[-1]}{also}{above}{count}"), branch_text(branch)))
        return found

    def _take(self, text: str) -> None:
        """A keyword is given to all."""
        try:
            branch = self._around.tree.meant(text)
        except WordTrouble as trouble:
            self._say(str(trouble))
            return
        self._remove.pop(key(branch[-1]), None)
        self._add[key(branch[-1])] = branch
        self._show()
        self.word.setFocus()

    def _give(self, word: str) -> None:
        found = self._around.tree.find(word)
        self._add[key(word)] = self._around.tree.branch(found[0]) if len(found) == 1 else (word,)
        self._show()

    def _off(self, word: str) -> None:
        self._remove[key(word)] = word
        self._show()

    def _keep(self, word: str) -> None:
        if self._remove.pop(key(word), None) is None:
            self._give(word)
        self._show()

    def _drop(self, word: str) -> None:
        self._add.pop(key(word), None)
        if 0 < self._shared.words.get(word, 0) < self._count:
            self._remove[key(word)] = word
        self._show()

    def _write(self) -> None:
        said = self.caption()
        if not said:
            return
        for branch in said.keywords.add:
            self.recent = {branch[-1]: None, **{word: None for word in self.recent if key(word) != key(branch[-1])}}
        self.hide()
        self.wanted.emit(said)
        self.left.emit()

    def close_it(self) -> None:
        """Leave all as it is."""
        if self.isVisible():
            self.hide()
            self.left.emit()

    def event(self, event: QEvent) -> bool:
        return keeps_escape(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close_it()
        else:
            super().keyPressEvent(event)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.fillRect(self.rect(), theme.card)
        painter.fillRect(QRect(0, 0, 1, self.height()), theme.line)
        words = f"What {paint.counted(self._count, 'capture says', 'captures say')}"
        paint.text(painter, QRect(_MARGIN, 12, self.width() - 2 * _MARGIN, 34), words, font(22, THIN), theme.ink)


def _sum_of(said: Caption) -> str:
    """What is to be said, in a sentence."""
    change = said.keywords
    parts = []
    if change.instead and not change.add:
        parts.append("takes all keywords off")
    elif change.add:
        more = " in place of all others" if change.instead else ""
        parts.append(f"gives {_some([branch[-1] for branch in change.add])}{more}")
    if change.remove and not change.instead:
        parts.append(f"takes {_some(list(change.remove))} off")
    parts += [f"{'says' if value else 'no longer says'} “{_FIELDS[one]}”" for one, value in said.fields.items()]
    text = "; ".join(parts)
    return f"{text[:1].upper()}{text[1:]}."


def _some(words: Sequence[str]) -> str:
    return ", ".join(words[:4]) + (f" and {len(words) - 4} more" if len(words) > 4 else "")
