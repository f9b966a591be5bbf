"""What stands in the middle of the House rules page, one at a time. Each part is made when it is opened first."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QStackedWidget, QVBoxLayout, QWidget

from jutrek.captures import Device
from jutrek.desk.inboxes import WatchedFolder
from jutrek.desk.trying import Trial
from jutrek.ui.pages.rules.inboxes import InboxesSection
from jutrek.ui.pages.rules.sections import (
    CopiesSection,
    DaysSection,
    DevicesSection,
    DoublesSection,
    Section,
    TrustSection,
)
from jutrek.ui.pages.rules.words import WordsSection
from jutrek.ui.theme import Theme
from jutrek.ui.widgets.layout import Card, scrolling

_FORMS = DaysSection, TrustSection, DoublesSection, CopiesSection, WordsSection, DevicesSection, InboxesSection
_FIRST = 2
"""The number of the first section that is a form: those before it are patterns, and share what is shown first."""


class Forms(QStackedWidget):
    """What patterns are tried in; the forms of the other sections; and, behind them, something more."""

    changed = Signal(object)
    broken = Signal(object)
    renamed = Signal(object)
    watched = Signal()
    unwatched = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._devices: tuple[Device, ...] = ()
        self._inboxes: tuple[WatchedFolder, ...] = ()
        self._trial: Trial | None = None
        self._made: dict[int, Section | DevicesSection] = {}
        for _ in ("patterns", *_FORMS, "more"):
            place = QWidget(self)
            QVBoxLayout(place).setContentsMargins(0, 0, 0, 0)
            self.addWidget(place)

    def open(self, number: int) -> Section | None:
        """Open a section by its number. Returns the form that shows rules, if it is one."""
        self.setCurrentIndex(max(0, number - _FIRST + 1))
        form = self._form(number) if number >= _FIRST else None
        return form if isinstance(form, Section) else None

    def open_more(self) -> None:
        """Open what stands behind the sections."""
        self.setCurrentIndex(self.count() - 1)

    @property
    def more_open(self) -> bool:
        """Whether that is open."""
        return self.currentIndex() == self.count() - 1

    def put(self, part: QWidget, *, more: bool) -> None:
        """Put what patterns are tried in, or what stands behind the sections."""
        place = self.widget(self.count() - 1 if more else 0).layout()
        if place is not None:
            place.addWidget(part)

    def show_devices(self, devices: tuple[Device, ...]) -> None:
        """Show the library's devices."""
        self._devices = devices
        for form in self._made.values():
            if isinstance(form, DevicesSection):
                form.show_devices(devices)

    def show_inboxes(self, inboxes: tuple[WatchedFolder, ...]) -> None:
        """Show which folders are watched for the library."""
        self._inboxes = inboxes
        for form in self._made.values():
            if isinstance(form, InboxesSection):
                form.show_inboxes(inboxes)

    def show_trial(self, trial: Trial) -> None:
        """Show what rules would make of the captures at hand."""
        self._trial = trial
        for form in self._made.values():
            if isinstance(form, WordsSection):
                form.show_trial(trial)

    def make_next(self) -> bool:
        """Make a form that was not opened yet. Returns whether there are more."""
        missing = [number for number in range(_FIRST, _FIRST + len(_FORMS)) if number not in self._made]
        if missing:
            self._form(missing[0])
        return len(missing) > 1

    def fields(self, number: int) -> Sequence[tuple[QWidget, str]]:
        """The fields of a section that was made, by its number, with what stands beside them."""
        form = self._made.get(number)
        found = form.findChildren(QWidget) if form is not None else []
        fields = [(one, one.text() if isinstance(one, QCheckBox) else one.accessibleName()) for one in found]
        return [
            (field, words) for field, words in fields if words and field.focusPolicy() is not Qt.FocusPolicy.NoFocus
        ]

    def _form(self, number: int) -> Section | DevicesSection:
        if number not in self._made:
            form = self._made[number] = _FORMS[number - _FIRST](self._theme)
            if isinstance(form, DevicesSection):
                form.renamed.connect(self.renamed)
                form.show_devices(self._devices)
            else:
                form.changed.connect(self.changed)
            if isinstance(form, InboxesSection):
                form.watched.connect(self.watched)
                form.unwatched.connect(self.unwatched)
                form.show_inboxes(self._inboxes)
            if isinstance(form, WordsSection) and self._trial is not None:
                form.show_trial(self._trial)
            form.broken.connect(self.broken)
            place = self.widget(number - _FIRST + 1).layout()
            if place is not None:
                place.addWidget(Card(self._theme, scrolling(form), fills=True))
        return self._made[number]
