"""The sections of house rules that are no patterns: days, trust, doubles, copies, words and rights, devices."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from jutrek.captures import Device
from jutrek.desk.typed import clock_of, journeys_of, offset_of, offset_words
from jutrek.filing import Extensions, HouseRules, OnChanged, OnDouble, Order, Per, Structure, Undated
from jutrek.filing.dates import knows_language
from jutrek.filing.pieces import KIND_WORDS
from jutrek.ui.plainly import Label
from jutrek.ui.theme import Theme, font

RUNG_WORDS = {
    "shooting": "The time of shooting that the device wrote into the file",
    "digitized": "The second date from the camera",
    "satellite": "GPS time in the file",
    "written": "A date that somebody wrote into the metadata",
    "container": "The container's own date, of a clip or sound",
    "name": "A date in the file's name",
    "folder": "A date in the folder's name",
    "file": "The file's time of last change",
}


class Section(QWidget):
    """A form for some of the rules. It tells the rules with what was changed, or what is wrong."""

    changed = Signal(object)
    broken = Signal(object)

    def __init__(self, theme: Theme, lead: str, parent: QWidget | None = None) -> None:
        """
        Args:
            lead: what the section is about, in a sentence or two.
        """
        super().__init__(parent)
        self._theme = theme
        self.rules = HouseRules()
        self._showing = False
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(18, 12, 18, 14)
        self.column.setSpacing(10)
        words = Label(lead)
        words.setWordWrap(True)
        words.setStyleSheet(f"color: {theme.soft.name()}")
        self.column.addWidget(words)
        self.form = QFormLayout()
        self.form.setHorizontalSpacing(18)
        self.form.setVerticalSpacing(8)
        self.column.addLayout(self.form)
        self._trouble = Label()
        self._trouble.setWordWrap(True)
        self._trouble.setStyleSheet(f"color: {theme.brick.name()}")
        self._trouble.hide()

    def finish(self) -> None:
        """Put what comes last."""
        self.column.addWidget(self._trouble)
        self.column.addStretch()

    def show_rules(self, rules: HouseRules) -> None:
        """Show rules."""
        self.rules, self._showing = rules, True
        self.fill()
        self._showing = False
        self._say("")

    def fill(self) -> None:
        """Put the rules into the fields."""

    def read(self) -> HouseRules:
        """The rules with what stands in the fields.

        Raises:
            ValueError: when that cannot be read, with the sentence to show.
        """
        return self.rules

    def take(self, *_: object) -> None:
        """Take what stands in the fields."""
        if self._showing:
            return
        try:
            self.rules = self.read()
        except ValueError as error:
            self._say(str(error))
            return
        self._say("")
        self.changed.emit(self.rules)

    def _say(self, words: str) -> None:
        self._trouble.setText(words)
        self._trouble.setVisible(bool(words))
        self.broken.emit(words)

    def line(self, label: str, hint: str = "") -> QLineEdit:
        """A line to type into."""
        field = QLineEdit()
        field.setPlaceholderText(hint)
        field.setAccessibleName(label)
        field.textEdited.connect(self.take)
        self.form.addRow(label, field)
        return field

    def choice(self, label: str, choices: dict[str, str]) -> QComboBox:
        """A choice of a few: values with their words."""
        box = QComboBox()
        box.setAccessibleName(label)
        for value, words in choices.items():
            box.addItem(words, value)
        box.currentIndexChanged.connect(self.take)
        self.form.addRow(label, box)
        return box

    def tick(self, words: str) -> QCheckBox:
        """Something to be or not to be."""
        box = QCheckBox(words)
        box.toggled.connect(self.take)
        self.form.addRow(box)
        return box


def set_text(field: QLineEdit, text: str) -> None:
    """Put a text into a field unless it stands there, so that the caret stays where it is."""
    if field.text() != text:
        field.setText(text)


class DaysSection(Section):
    """When a day starts."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(
            theme, "What is shot in the night goes with the day before. The Intake page can change this for one intake."
        )
        self.starts = self.line("A day starts at", "04:00")
        self.gap = self.line("A new shoot after hours without a capture", "6")
        self.zone = self.line("Zone at home, for times known only in UTC", "this computer's")
        self.journeys = self.line("Journeys: from which day which zone holds", "2026-05-12 +01:00, 2026-05-20 +02:00")
        self.finish()

    def fill(self) -> None:
        rules = self.rules
        set_text(self.starts, f"{rules.day_starts // 60:02}:{rules.day_starts % 60:02}")
        set_text(self.gap, f"{rules.gap / 60:g}")
        set_text(self.zone, "" if rules.zone is None else offset_words(rules.zone))
        set_text(self.journeys, ", ".join(f"{day} {offset_words(minutes)}" for day, minutes in rules.journeys))

    def read(self) -> HouseRules:
        try:
            gap = round(float(self.gap.text().replace(",", ".")) * 60)
        except ValueError as error:
            raise ValueError(f"Hours are written such as 6 or 1.5, not “{self.gap.text()}”.") from error
        if not 1 <= gap <= 24 * 60:
            raise ValueError("A gap is between a minute and 24 hours.")
        zone = offset_of(self.zone.text()) if self.zone.text().strip() else None
        journeys = journeys_of(self.journeys.text())
        return replace(
            self.rules, day_starts=clock_of(self.starts.text()), gap=gap, zone=zone, journeys=journeys
        )  # fmt: skip


class TrustSection(Section):
    """Which date to trust."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(
            theme,
            "Of all dates in and around a file, the first of this list that there is counts. What stands only around a "
            "file asks for a look, wherever it is in the list.",
        )
        self.list = QListWidget()
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.list.setAccessibleName("Dates, the most trusted first")
        self.list.setProperty("menu", True)
        self.list.setFixedHeight(8 * 27 + 4)
        self.list.model().rowsMoved.connect(self.take)
        self.up, self.down = QPushButton("Trust it more"), QPushButton("Trust it less")
        row = QHBoxLayout()
        for button, step in ((self.up, -1), (self.down, 1)):
            button.setProperty("small", True)
            button.clicked.connect(lambda _=False, step=step: self.move_chosen(step))
            row.addWidget(button)
        row.addStretch()
        self.column.addWidget(self.list)
        self.column.addLayout(row)
        self.undated = QCheckBox("Captures without a date to trust go to Unfiled, instead of staying on their source")
        self.undated.toggled.connect(self.take)
        self.column.addWidget(self.undated)
        self.finish()

    def fill(self) -> None:
        order = tuple(self._names())
        if order != self.rules.trust:
            self.list.clear()
            for name in self.rules.trust:
                item = QListWidgetItem(RUNG_WORDS[name])
                item.setSizeHint(QSize(200, 27))
                item.setData(Qt.ItemDataRole.UserRole, name)
                self.list.addItem(item)
            self.list.setCurrentRow(0)
        self.undated.setChecked(self.rules.undated is Undated.UNFILED)

    def _names(self) -> list[str]:
        return [str(self.list.item(row).data(Qt.ItemDataRole.UserRole)) for row in range(self.list.count())]

    def move_chosen(self, step: int) -> None:
        """Move the chosen kind of date up or down."""
        row = self.list.currentRow()
        if 0 <= row + step < self.list.count():
            item = self.list.takeItem(row)
            self.list.insertItem(row + step, item)
            self.list.setCurrentRow(row + step)
            self.take()

    def read(self) -> HouseRules:
        undated = Undated.UNFILED if self.undated.isChecked() else Undated.STAY
        return replace(self.rules, trust=tuple(self._names()), undated=undated)


class DoublesSection(Section):
    """Doubles."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(
            theme,
            "Exactly the same file never comes home twice, whatever it is called. What belongs to it may still be new. "
            "What is there already in another way is known once all of the library was looked at.",
        )
        fates = {"ask": "waits for an answer", "bring": "comes home, too", "stay": "stays on its source"}
        self.retagged = self.choice("Same picture or sound, other notes", fates)
        self.reencoded = self.choice("Same picture, saved another way", fates)
        self.alike = self.choice("A picture that only looks like one", fates)
        self.beside = self.tick("What belongs to a capture that is home already comes beside it")
        self.finish()

    def fill(self) -> None:
        rules = self.rules
        self.beside.setChecked(rules.beside)
        for box, fate in (
            (self.retagged, rules.retagged),
            (self.reencoded, rules.reencoded),
            (self.alike, rules.alike),
        ):
            box.setCurrentIndex(max(0, box.findData(fate.value)))

    def read(self) -> HouseRules:
        retagged, reencoded, alike = (
            OnDouble(box.currentData()) for box in (self.retagged, self.reencoded, self.alike)
        )
        beside = self.beside.isChecked()
        return replace(self.rules, beside=beside, retagged=retagged, reencoded=reencoded, alike=alike)


class CopiesSection(Section):
    """What is copied and how it is proven, and how names end."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "What comes home beside the captures, and how their names are written.")
        self.structure = self.choice(
            "Indexes and play lists of a card",
            {"alone": "stay: clips are filed alone", "beside": "come along, beside the clips"},
        )
        self.order = self.choice("Files come home", {"time": "in the order of time", "small": "small ones first"})
        self.changed_copies = self.choice(
            "A copy that was changed outside",
            {
                "ask": "waits until somebody says which is right",
                "library": "is replaced by the library's, and kept aside",
                "copy": "comes home, and the library's is kept aside",
            },
        )
        self.twice = self.tick("Read every file twice from its card, and compare")
        self.second = self.tick("Keep a cryptographic sum (BLAKE3) beside the fingerprint")
        self.lists = self.tick("Leave a hash list (ASC MHL) of every intake in the library and each backup")
        self.owners = self.tick("{operator} writes the owner or artist in a file, where nobody said who made it")
        self.developed = self.line("Pictures developed beside a raw", "with their raws; or a layout: JPEG/{year}")
        self.extensions = self.choice(
            "Extensions", {"lower": "in small letters: .jpg", "upper": "in capitals: .JPG", "kept": "as they are"}
        )
        self.per = self.choice(
            "A counter counts within",
            {
                "folder": "the folder",
                "day": "the day",
                "shoot": "the shoot",
                "intake": "the intake",
                "library": "the library",
            },
        )
        self.start = self.line("and begins with", "1")
        self.language = self.line("Language of months and weekdays", "en")
        self.kinds = {
            kind: self.line(f"{words} {'is' if kind == 'sound' else 'are'} called", words)
            for kind, words in KIND_WORDS.items()
        }
        self.finish()

    def fill(self) -> None:
        rules = self.rules
        values = (
            (self.structure, rules.structure), (self.extensions, rules.extensions), (self.per, rules.counter_per),
            (self.order, rules.order), (self.changed_copies, rules.changed),
        )  # fmt: skip
        for tick, on in ((self.twice, rules.twice), (self.second, rules.second_sum), (self.lists, rules.hash_lists),
                         (self.owners, rules.owners)):  # fmt: skip
            tick.setChecked(on)
        for box, value in values:
            box.setCurrentIndex(box.findData(value.value))
        set_text(self.start, str(rules.counter_start))
        set_text(self.language, rules.language)
        set_text(self.developed, rules.developed)
        for kind, field in self.kinds.items():
            set_text(field, rules.kinds[kind])

    def read(self) -> HouseRules:
        start, language = self.start.text().strip(), self.language.text().strip()
        if not start.isascii() or not start.isdigit() or len(start) > 9:
            raise ValueError(f"A counter begins with a number, not with “{start}”.")
        if not knows_language(language):
            raise ValueError(f"No language “{language}” is known; a language is written like en, de, pt_BR.")
        kinds = {kind: field.text().strip() or KIND_WORDS[kind] for kind, field in self.kinds.items()}
        return replace(
            self.rules,
            structure=Structure(self.structure.currentData()),
            order=Order(self.order.currentData()),
            changed=OnChanged(self.changed_copies.currentData()),
            twice=self.twice.isChecked(),
            second_sum=self.second.isChecked(),
            hash_lists=self.lists.isChecked(),
            owners=self.owners.isChecked(),
            developed=self.developed.text().strip(),
            extensions=Extensions(self.extensions.currentData()),
            counter_per=Per(self.per.currentData()),
            counter_start=int(start),
            language=language,
            kinds=kinds,
        )


class DevicesSection(Section):
    """What the library's devices are called."""

    renamed = Signal(object)
    """The devices, as they are to be called."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(
            theme, "The devices that this library knows. They keep letter and colour from one intake to the next."
        )
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._devices: tuple[Device, ...] = ()
        self.fields: list[tuple[QLineEdit, QLineEdit, QLineEdit]] = []
        self.column.addLayout(self._grid)
        self.finish()

    def show_devices(self, devices: Sequence[Device]) -> None:
        """Show devices."""
        self._devices = tuple(devices)
        while (item := self._grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.fields = []
        titles = ("Letter", "Called", "Carried by") if devices else ("No device is known yet.",)
        for column, title in enumerate(titles):
            label = Label(title)
            label.setFont(font(11.5))
            self._grid.addWidget(label, 0, column)
        for row, device in enumerate(devices, 1):
            letter, name, operator = (QLineEdit(text) for text in (device.letter, device.name, device.operator))
            letter.setMaximumWidth(52)
            for column, (field, what) in enumerate(((letter, "Letter"), (name, "Name"), (operator, "Carried by"))):
                field.setAccessibleName(f"{what} of {device.name}")
                field.textEdited.connect(self._read)
                self._grid.addWidget(field, row, column)
            self.fields.append((letter, name, operator))

    def _read(self) -> None:
        made = [
            replace(device, letter=letter.text().strip().upper(), name=name.text().strip(), operator=who.text().strip())
            for device, (letter, name, who) in zip(self._devices, self.fields, strict=True)
        ]
        letters = [device.letter for device in made]
        if not all(device.name and device.letter for device in made):
            self._say("Every device needs a letter and a name.")
        elif len(set(letters)) < len(letters):
            twice = next(letter for letter in letters if letters.count(letter) > 1)
            self._say(f"Two devices have the letter {twice}.")
        else:
            self._say("")
            self.renamed.emit(tuple(made))
