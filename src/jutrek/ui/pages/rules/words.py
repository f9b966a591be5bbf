"""The section of house rules about keywords and rights: what is said of all that comes home, and of some of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLineEdit, QPushButton

from jutrek.desk.trying import Trial, said_of
from jutrek.filing import HouseRules
from jutrek.filing.arrival import TEXTS, Saying
from jutrek.filing.rules import Places
from jutrek.ui.pages.rules.sections import Section, set_text
from jutrek.ui.plainly import Label, plain
from jutrek.ui.theme import Theme, font

_SOME = {
    "device": ("Device", "a letter or name"), "operator": ("Carried by", "a name"), "job": ("Job", "a number"),
    "words": ("Keywords", "one, another"), "creator": ("Made by", "as above"), "rights": ("Rights", "as above"),
}  # fmt: skip
"""What can be said here of some captures, and of which; all of it can be written on the page of rules."""


class WordsSection(Section):
    """Keywords and rights."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(
            theme,
            "What is said of everything that comes home, in an XMP sidecar beside it, or in its file. Pieces are "
            "filled in as in names: {year}, {operator}, {shoot}, {job}. What a file says itself stays, and is never "
            "contradicted.",
        )
        self.creator = self.line("Made by", "a name, or {operator}")
        self.rights = self.line("Rights", "© {year} {operator}")
        self.usage = self.line("May be used", "ask first")
        self.credit = self.line("To be named", "whoever is to be named beside it")
        self.source = self.line("Comes from", "an archive or an agency")
        self.contact = self.line("To reach", "mail; telephone; page; address")
        self.words = self.line("Keywords", "one, another, {shoot}")
        self.places = self.choice("Where it was, by its position", {
            "none": "is not said", "names": "is said: spot, town, country",
            "names-and-keywords": "is said, and keywords",
        })  # fmt: skip
        self.inside = self.tick("Said in the files, where it is proven that nothing else changes; else beside them")
        self.originals = self.tick("The name that a file had on its source")
        self.dates = self.tick("The corrected date, where a clock was fixed")
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self.add = QPushButton("Something for some of them…")
        self.add.setProperty("small", True)
        self.add.clicked.connect(self._add)
        self.column.addLayout(self._grid)
        self.column.addWidget(self.add, 0, Qt.AlignmentFlag.AlignLeft)
        self.tried = Label("")
        self.tried.setWordWrap(True)
        self.tried.setFont(font(12))
        self.column.addWidget(self.tried)
        self.rows: list[dict[str, QLineEdit]] = []
        self._trial: Trial | None = None
        self.finish()

    def fill(self) -> None:
        rules, said = self.rules, self.rules.saying
        for name in TEXTS:
            set_text(getattr(self, name), getattr(said, name))
        if _words(self.words) != said.words:
            self.words.setText(", ".join(said.words))
        self.places.setCurrentIndex(max(0, self.places.findData(rules.places.value)))
        self.inside.setChecked(rules.inside)
        self.originals.setChecked(rules.originals)
        self.dates.setChecked(rules.sidecars)
        if len(self.rows) != len(rules.sayings):
            self._show_rows(rules.sayings)
        for row, saying in zip(self.rows, rules.sayings, strict=True):
            for name, field in row.items():
                if name == "words" and _words(field) != saying.words:
                    field.setText(", ".join(saying.words))
                elif name != "words":
                    set_text(field, getattr(saying, name))
        self._say_tried()

    def read(self) -> HouseRules:
        saying = Saying(**{name: getattr(self, name).text().strip() for name in TEXTS}, words=_words(self.words))
        sayings = tuple(
            replace(
                old, words=_words(row["words"]),
                **{name: field.text().strip() for name, field in row.items() if name != "words"},
            )
            for old, row in zip(self.rules.sayings, self.rows, strict=True)
        )  # fmt: skip
        rules = replace(
            self.rules, saying=saying, sayings=sayings, originals=self.originals.isChecked(),
            sidecars=self.dates.isChecked(), places=Places(self.places.currentData()),
            inside=self.inside.isChecked(),
        )  # fmt: skip
        self._say_tried(rules)
        return rules

    # ---- of some of them

    def _show_rows(self, sayings: Sequence[Saying]) -> None:
        while (item := self._grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.rows = []
        for column, (title, _) in enumerate(_SOME.values()):
            if sayings:
                label = Label(title)
                label.setFont(font(11.5))
                self._grid.addWidget(label, 0, column)
        for number in range(len(sayings)):
            row: dict[str, QLineEdit] = {}
            for column, (name, (title, hint)) in enumerate(_SOME.items()):
                field = row[name] = QLineEdit()
                field.setPlaceholderText(hint)
                field.setAccessibleName(f"{title}, of some captures, {number + 1}")
                field.textEdited.connect(self.take)
                self._grid.addWidget(field, number + 1, column)
            drop = QPushButton("No more")
            drop.setProperty("link", True)
            drop.setAccessibleName(f"Say no more of some captures, {number + 1}")
            drop.clicked.connect(partial(self._drop, number))
            self._grid.addWidget(drop, number + 1, len(_SOME))
            self.rows.append(row)

    def _add(self) -> None:
        self.rules = replace(self.rules, sayings=(*self.rules.sayings, Saying()))
        self.show_rules(self.rules)
        self.rows[-1]["device"].setFocus()
        self.take()

    def _drop(self, number: int) -> None:
        sayings = self.rules.sayings
        self.rules = replace(self.rules, sayings=(*sayings[:number], *sayings[number + 1 :]))
        self._show_rows(self.rules.sayings)
        self.show_rules(self.rules)
        self.changed.emit(self.rules)

    # ---- tried

    def show_trial(self, trial: Trial) -> None:
        """Try it on the captures at hand."""
        self._trial = trial
        self._say_tried()

    def _say_tried(self, rules: HouseRules | None = None) -> None:
        if self._trial is None or not self._trial.facts:
            self.tried.setText("")
            return
        lines = said_of(self._trial.facts, rules or self.rules)
        said = "\n".join(("Of the captures at hand:", *map(plain, lines)))
        self.tried.setText(said if lines else "Nothing is said of the captures at hand.")


def _words(field: QLineEdit) -> tuple[str, ...]:
    return tuple(dict.fromkeys(word.strip() for word in field.text().split(",") if word.strip()))
