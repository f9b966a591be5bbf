"""What lies over the board: days and zones, a device's name, pictures up close. Made when first needed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint, QRect, Qt, Signal
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from jutrek.desk.board import Board, Question
from jutrek.desk.board_captures import CaptureView
from jutrek.ui.pages.intake.narrowing import STANDINGS, standings_of
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import Theme

if TYPE_CHECKING:
    from jutrek.ui.pages.intake.daysetting import AboutPanel, DaysPanel, DevicePanel
    from jutrek.ui.pages.intake.settle.match import MatchPanel
    from jutrek.ui.pages.intake.tiles import SourceTile
    from jutrek.ui.viewer.close_look import CloseLook

_FOOT = 70


class Overlays(QObject):
    """Opens the panels over a page, and passes on what was decided in them."""

    decided = Signal(object)
    set_days = Signal(int, int, object, object)
    narrowed = Signal(object)

    def __init__(self, theme: Theme, pictures: Pictures, page: QWidget) -> None:
        super().__init__(page)
        self._theme, self._pictures, self._page = theme, pictures, page
        self.days: DaysPanel | None = None
        self.device: DevicePanel | None = None
        self.about: AboutPanel | None = None
        self.match: MatchPanel | None = None
        self.look: CloseLook | None = None
        self._question: Question | None = None

    def make_look(self) -> CloseLook:
        """Make what shows captures up close."""
        from jutrek.ui.viewer.close_look import CloseLook

        self.look = CloseLook(self._theme, self._pictures, self._page)
        return self.look

    def renew_look(self, captures: tuple[CaptureView, ...]) -> None:
        """Captures of the open day are others now: who looks at one of them sees what became of it."""
        if self.look is not None and self.look.isVisible():
            self.look.renew(captures)

    def open_days(self, board: Board, button: QPushButton) -> None:
        """Let the person say when days start and which zones hold; below the button that asked."""
        if self.days is None:
            from jutrek.ui.pages.intake.daysetting import DaysPanel

            self.days = DaysPanel(self._theme, self._page)
            self.days.changed.connect(self.set_days)
        self.days.open_on(board)
        corner = button.mapTo(self._page, button.rect().bottomRight())
        self.days.move(corner.x() - self.days.width(), corner.y() + 4)

    def open_about(self, board: Board, button: QPushButton) -> None:
        """Let the person say what the intake is for; below the button that asked."""
        if self.about is None:
            from jutrek.ui.pages.intake.daysetting import AboutPanel

            self.about = AboutPanel(self._theme, self._page)
            self.about.said.connect(self._said)
        self.about.open_on(board)
        corner = button.mapTo(self._page, button.rect().bottomRight())
        self.about.move(max(0, corner.x() - self.about.width()), corner.y() + 4)

    def open_standings(self, board: Board, button: QPushButton) -> None:
        """Let the person choose a standing that the board is narrowed to; below the button that asked."""
        menu = QMenu(self._page)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for standing, count in standings_of(board).items():
            action = menu.addAction(f"{count:,} {STANDINGS[standing]}")
            action.triggered.connect(lambda _=False, standing=standing: self.narrowed.emit(standing))
        menu.popup(button.mapToGlobal(QPoint(0, button.height())))

    def _said(self, said: dict[str, str]) -> None:
        from jutrek.captures import Say

        self.decided.emit([Say(said)])

    def name_device(self, board: Board, tile: SourceTile | None) -> None:
        """Let the person name the main device of a source; its tile may be gone while a menu of it was open."""
        if tile is None or tile.view.device is None:
            return
        device = tile.view.device
        if self.device is None:
            from jutrek.ui.pages.intake.daysetting import DevicePanel

            self.device = DevicePanel(self._theme, self._page)
            self.device.named.connect(self._named)
            self.device.parted.connect(self._parted)
        same = [view for view in board.sources if view.device and view.device.key == device.key]
        self.device.open_on(device.key, device.name, device.operator, several=len(same) > 1)
        at = tile.mapTo(self._page, QPoint(20, tile.height() // 2))
        self.device.move(at.x(), max(0, min(at.y(), self._page.height() - self.device.height() - _FOOT)))

    def _named(self, key: str, name: str, operator: str) -> None:
        from jutrek.captures.decisions import NameDevice

        self.decided.emit([NameDevice(key, name, operator)])

    def _parted(self, key: str) -> None:
        from jutrek.captures.decisions import SplitDevice

        self.decided.emit([SplitDevice(key)])

    def match_pictures(self, board: Board, key: str) -> None:
        """Put two pictures of the same moment side by side to answer a question."""
        self._question = next((one for one in board.questions if one.key == key), None)
        if self._question is None:
            return
        if self.match is None:
            from jutrek.ui.pages.intake.settle.match import MatchPanel

            self.match = MatchPanel(self._theme, self._pictures, self._page)
            self.match.matched.connect(self._matched)
        timed = [(view.when, view.id, view) for day in board.days for view in day.captures if view.when]
        timed.sort(key=lambda one: one[:2])
        wrong, device = self._question.scope, self._question.device.key
        own = [view for *_, view in timed if (view.id in wrong if wrong else view.device.key == device)]
        mine = {view.id for view in own}
        others = [view for *_, view in timed if view.dated and view.id not in mine]
        if own and others:
            self.place(self._place)
            self.match.open(key, own, others, self._question.shift)

    _place = QRect()

    def place(self, box: QRect) -> None:
        """Where what fills the page goes."""
        self._place = box
        for part in (self.match, self.look):
            if part is not None:
                part.setGeometry(box)

    def _matched(self, _: str, seconds: float) -> None:
        from jutrek.captures.decisions import ShiftClock

        if self._question is not None:
            self.decided.emit([ShiftClock(self._question.device.key, seconds, self._question.scope)])
