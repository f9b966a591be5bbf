"""The open day: its captures, and what can be done with those that are selected."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from itertools import pairwise

from PySide6.QtCore import QRect, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from jutrek.desk.board_captures import CLIP, SOUND, STILL, CaptureView, State
from jutrek.desk.board_days import DayView
from jutrek.ui import paint
from jutrek.ui.pages.intake.grid import CaptureGrid
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.plainly import caption
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.askbar import AskBar
from jutrek.ui.widgets.buttonflow import ButtonFlow
from jutrek.ui.widgets.keyed import keyed

_ASK, _GAP, _COUNT = 34, 6, 92
_AT_HOME = frozenset({State.HOME, State.BROUGHT})
_KINDS = ((STILL, "stills"), (CLIP, "clips"), (SOUND, "takes of sound"))


class Opened(QWidget):
    """A grid of captures below a bar that counts what is selected and offers what can be done with it."""

    split = Signal(object)
    aside = Signal(tuple, bool)
    """Ids of captures, and whether they are taken in again."""
    shifting = Signal(tuple, object)
    """Ids of captures, and the shift that was typed."""
    placing = Signal(tuple, object)
    """Ids of captures, and the date that was typed."""
    carried = Signal(tuple, object)
    worded = Signal(tuple, object)
    told = Signal(tuple, object)
    fitted = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._view: DayView | None = None
        self._back = False
        self._many = False
        """Whether several are selected: how many is told beside the buttons."""
        # A click beside what it holds does nothing: it is not one on the row.
        self.setAttribute(Qt.WidgetAttribute.WA_NoMousePropagation)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.grid = CaptureGrid(theme, pictures, self)
        self.grid.selected.connect(self._show_selection)
        self.grid.resized.connect(self.fitted)
        self.grid.discarded.connect(self.set_aside)
        self.ask: AskBar | None = None
        self.buttons: dict[str, QPushButton] = {}
        for key, words, tip, press in (
            ("select", "Select…", "All of one device, or of one kind", self._select),
            ("tell", "Describe…", "Say what they were; they become a shoot of their own", self._ask_words),
            ("split", "New shoot here", "The chosen capture begins a new shoot", self._split),
            ("shift", "Shift their clock…", "Add to the times of what is selected", self._ask_shift),
            ("place", "Date them…", "Say when they were made: a year, a month, a day or a time", self._ask_date),
            ("carried", "Made by…", "Say who made them", self._ask_operator),
            ("worded", "Keywords…", "Say which keywords they have, beside those of the house", self._ask_keywords),
            ("aside", "Set aside", "Leave them out of this intake; nothing is deleted (Delete)", self.set_aside),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(press)
            self.buttons[key] = button
        keyed(self.buttons["aside"], "Delete")
        self._flow = ButtonFlow(list(self.buttons.values()), self)

    def show_day(self, view: DayView) -> None:
        """Show a row's captures."""
        if self._view is None or view.key != self._view.key:
            self._end_ask()
        self._view = view
        self.grid.show_captures(view.captures, view.words)
        self._show_selection()

    def stops(self) -> tuple[QWidget, ...]:
        """What can take the focus, in order."""
        return (*self.buttons.values(), self.grid, self.grid.strip.look)

    def height_for(self, width: int) -> int:
        """The height that shows all captures at a width, in pixels."""
        return self._bar(width) + _GAP + self.grid.height_for(width)

    def _bar(self, width: int) -> int:
        """The height of what stands above the pictures."""
        return _ASK if self.ask is not None else self._flow.height_for(self._room(width))

    def _room(self, width: int) -> int:
        """The width that is there for buttons."""
        return width - (_COUNT if self._many else 4)

    def resizeEvent(self, event: object) -> None:
        self._place()

    def _place(self) -> None:
        bar = self._bar(self.width())
        self.grid.setGeometry(0, bar + _GAP, self.width(), max(0, self.height() - bar - _GAP))
        self._flow.setGeometry(4, 0, self._room(self.width()), bar)
        self._flow.arrange()
        if self.ask is not None:
            self.ask.setGeometry(0, 0, self.width() - 4, _ASK)

    def _show_selection(self) -> None:
        ids = self.grid.picked()
        self._many = len(ids) > 1
        views = self._views(ids)
        dated = bool(self._view and self._view.start is not None)
        asking = self.ask is not None
        # What is home keeps the name and the place that it has.
        to_come = any(view.state not in _AT_HOME for view in views)
        later = bool(self._view and views and views[0].id != self._view.captures[0].id)
        names: dict[str, bool] = {
            "select": True,
            "tell": dated and to_come and len(views) > 1,
            "split": dated and to_come and later,
            "shift": dated and to_come,
            "place": to_come,
            "carried": to_come and len(views) > 1,
            "worded": to_come,
            "aside": to_come,
        }
        for key, button in self.buttons.items():
            button.setVisible(names[key] and not asking)
        self._back = bool(views) and all(view.state is State.ASIDE for view in views)
        self.buttons["aside"].setText("Take in again" if self._back else "Set aside")
        if self.height() and self._bar(self.width()) + _GAP != self.grid.y():
            self.fitted.emit()
        self._place()
        self.update()

    def _views(self, ids: tuple[str, ...]) -> list[CaptureView]:
        wanted = set(ids)
        return [view for view in self._view.captures if view.id in wanted] if self._view else []

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        if self.ask is not None:
            return
        count = len(self.grid.picked())
        words = f"{count:,} selected" if count > 1 else ""
        box = QRect(self.width() - _COUNT, 4, _COUNT - 8, 28)
        paint.text(QPainter(self), box, words, font(12.5, SEMIBOLD), self._theme.accent, align=paint.RIGHT)

    def _select(self) -> None:
        if self._view is None:
            return
        menu = QMenu(self)
        for words, do in self.selections():
            menu.addAction(caption(words), do)
        menu.exec(self.buttons["select"].mapToGlobal(self.buttons["select"].rect().bottomLeft()))

    def selections(self) -> list[tuple[str, Callable[[], object]]]:
        """What can be selected at once, in words."""
        if self._view is None:
            return []
        acts: list[tuple[str, Callable[[], object]]] = [("All", self.grid.selectAll)]
        for device in self._view.devices:
            acts.append((f"{device.letter} · {device.name}", partial(self._select_device, device.key)))
        kinds = {view.kind.value for view in self._view.captures}
        acts += [(f"All {words}", partial(self._select_kind, kind)) for kind, words in _KINDS if kind in kinds]
        return acts

    def _select_device(self, key: str) -> None:
        self.grid.pick_like(lambda view: view.device.key == key)

    def _select_kind(self, kind: str) -> None:
        self.grid.pick_like(lambda view: view.kind == kind)

    def _split(self) -> None:
        if ids := self.grid.picked():
            self.split.emit(ids[0])

    def set_aside(self) -> None:
        """Leave what is selected out of this intake, or take it in again."""
        if not self.buttons["aside"].isHidden():
            self.aside.emit(self.grid.picked(), self._back)

    def _ask_words(self) -> None:
        self._ask("They were:", "Keep that", "what it was", self.told)

    def _ask_shift(self) -> None:
        self._ask("Add to their times:", "Shift them", "+1:00:00", self.shifting)

    def _ask_date(self) -> None:
        self._ask("They were made:", "Date them", "2026-05-14 or 2026-05-14 09:30", self.placing)

    def _ask_operator(self) -> None:
        self._ask("They were made by:", "Keep that", "a name", self.carried)

    def _ask_keywords(self) -> None:
        said = {view.keywords for view in self._views(self.grid.picked())}
        have = ", ".join(next(iter(said))) if len(said) == 1 else ""
        self._ask("Their keywords:", "Keep those", "one, another", self.worded, have)

    def _ask(self, words: str, answer: str, hint: str, signal: object, have: str = "") -> None:
        ids = self.grid.picked()
        if not ids:
            return
        self._end_ask()
        self.ask = AskBar(self._theme, words, answer, self, field=have, hint=hint)
        emit: Callable[[tuple[str, ...], str], None] = signal.emit
        self.ask.accepted.connect(lambda text: emit(ids, text))
        self.ask.refused.connect(self._end_ask)
        self.ask.show()
        for one, other in pairwise((*self.buttons.values(), *self.ask.stops(), self.grid)):
            QWidget.setTabOrder(one, other)
        self._show_selection()
        if self.ask.field is not None:
            self.ask.field.setFocus()

    def answered(self, trouble: str) -> None:
        """What was typed was taken; or it was not, and why."""
        if trouble and self.ask is not None:
            self.ask.say(trouble)
        else:
            self._end_ask()
            self.grid.setFocus()

    def _end_ask(self) -> None:
        if self.ask is not None:
            self.ask.hide()
            self.ask.deleteLater()
            self.ask = None
            self._show_selection()
