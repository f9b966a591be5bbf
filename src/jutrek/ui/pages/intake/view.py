"""The Intake page: sources at the left, days in the middle, folders at the right, ribbons between them."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QRect, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from jutrek.desk.board import Board, home_view
from jutrek.desk.board_captures import State
from jutrek.ui.pages.intake import folder_column, ribbons, tiles
from jutrek.ui.pages.intake.actionbar import ActionBar
from jutrek.ui.pages.intake.copies import CopiesPanel
from jutrek.ui.pages.intake.day_column import DayColumn
from jutrek.ui.pages.intake.narrowing import Narrowing
from jutrek.ui.pages.intake.outcome import OutcomeBar
from jutrek.ui.pages.intake.overlays import Overlays
from jutrek.ui.pages.intake.ribbon_ends import RibbonEnds
from jutrek.ui.pages.intake.running import AfterPanel, TroubleCard
from jutrek.ui.pages.intake.ticks import RunTicks
from jutrek.ui.pages.intake.titles import ColumnTitles
from jutrek.ui.pages.intake.welcome import Welcome
from jutrek.ui.pages.intake.words import board_words, head_words, questions_words
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import Theme
from jutrek.ui.widgets.headline import Headline
from jutrek.ui.widgets.layout import Card, scrolling

if TYPE_CHECKING:
    from jutrek.desk import events
    from jutrek.ui.pages.intake.days import DayRow
    from jutrek.ui.pages.intake.grid import CaptureGrid
    from jutrek.ui.pages.intake.settle.view import SettleView
    from jutrek.ui.viewer.close_look import CloseLook, Details

_MARGIN = 18


class IntakeView(QWidget):
    """The board. It draws what it is told and passes wishes on as signals."""

    wanted_source = Signal()
    wanted_library = Signal()
    wanted_demo = Signal()
    removed_source = Signal(object)
    decided = Signal(object)
    answered = Signal(object, int)
    wondered = Signal(object)
    accepted_certain = Signal()
    set_days = Signal(int, int, object, object)
    brought = Signal()
    saved = Signal()
    stopped = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.board = Board()
        self._narrowing = Narrowing()
        self.capture = ""
        self._running = self._working = False
        self._meanwhile = ""
        self._notice: tuple[str, str, str, bool] | None = None
        self.headline = Headline(theme)
        self.outcome = OutcomeBar(theme)
        self.titles = ColumnTitles(theme)
        self.from_column = tiles.FromColumn(theme)
        self.tree = folder_column.FolderTree(theme)
        self.copies = CopiesPanel(theme)
        self.proven = folder_column.ProvenPanel(theme)
        self.ticks = RunTicks(theme)
        self.after = AfterPanel(theme)
        self.trouble = TroubleCard(theme)
        for part in (self.proven, self.ticks, self.after):
            part.hide()
        self.action_bar = ActionBar(theme)
        self.welcome = Welcome(theme)
        self._pictures = pictures
        self.when = DayColumn(theme, pictures)
        self._settle: SettleView | None = None
        self.overlays = Overlays(theme, pictures, self)
        self.details: Details = lambda _: None
        self._lay_out()
        self._connect()
        self._teach()
        self._refresh_words()

    @property
    def grid(self) -> CaptureGrid:
        """The grid of the open row."""
        return self.when.grid

    @property
    def settle(self) -> SettleView:
        """The questions; made when they are opened for the first time."""
        if self._settle is None:
            from jutrek.ui.pages.intake.settle.view import SettleView

            settle = self._settle = SettleView(self._theme, self._pictures)
            settle.hide()
            settle.answered.connect(self.answered)
            settle.decided.connect(self.decided)
            settle.wondered.connect(self.wondered)
            settle.matching.connect(lambda key: self.overlays.match_pictures(self.board, key))
            self.settle_area = scrolling(settle)
            self.settle_area.hide()
            settle.effect.hide()
            at = self._board_row.indexOf(self._middle) + 1
            self._board_row.insertWidget(at, self.settle_area, 1)
            self._board_row.addWidget(settle.effect)
        return self._settle

    @property
    def settling(self) -> bool:
        """Whether the questions are shown."""
        return self._settle is not None and not self._settle.isHidden()

    def open_settle(self, day: str | None = None) -> None:
        """Show the questions in place of the days.

        Args:
            day: the key of a row: the first question about its captures is chosen.
        """
        if not self.board.questions:
            return
        settle = self.settle
        for part in (self._middle, self._right):
            part.hide()
        shown: tuple[QWidget, ...] = (settle, self.settle_area, settle.effect)
        for part in shown:
            part.show()
        self.titles.show_settling(True)
        settle.show_board(self.board)
        self._refresh_words()
        self._chain_focus()
        row = next((one for one in self.board.days if one.key == day), None)
        wanted = {view.id for view in row.captures if view.state is State.LOOK} if row else set[str]()
        questions = self.board.questions
        chosen = next((one for one in questions if wanted & set(one.captures)), questions[0])
        settle.choose(chosen.key)
        settle.cards[chosen.key].buttons[0].setFocus()
        QTimer.singleShot(0, self, lambda: self._show_card(chosen.key))
        self._ribbons_moved()

    def _show_card(self, key: str) -> None:
        """Scroll to a question, once it has its place."""
        card = self._settle.cards.get(key) if self._settle is not None else None
        if card is not None:
            self.settle_area.ensureWidgetVisible(card, 0, 8)

    def close_settle(self) -> None:
        """Show the days again."""
        if self._settle is None or not self.settling:
            return
        hidden: tuple[QWidget, ...] = (self._settle, self.settle_area, self._settle.effect)
        for part in hidden:
            part.hide()
        self._middle.show()
        self._right.show()
        self.titles.show_settling(False)
        self._refresh_words()
        self._chain_focus()
        self._ribbons_moved()

    @property
    def close_look(self) -> CloseLook:
        """Up close; made when it is opened for the first time."""
        if self.overlays.look is None:
            look = self.overlays.make_look()
            look.other_of = lambda view: home_view(view, self.board)
            look.walked.connect(self.grid.choose)
            look.closed.connect(self.grid.setFocus)
            self._place_look()
            return look
        return self.overlays.look

    def look_close(self) -> None:
        """Look closely at the chosen capture of the open day."""
        days = (day for day in self.when.days() if any(view.id == self.capture for view in day.captures))
        if (day := next(days, None)) is not None:
            self.open_day(day.key)
            self.close_look.look(day.captures, self.capture, self.details)

    def _place_look(self) -> None:
        self.overlays.place(QRect(0, 0, self.width(), self.action_bar.y()))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        QTimer.singleShot(0, self, self._place_look)

    def _lay_out(self) -> None:
        self.when.put_first(self.welcome)
        self.from_area = scrolling(self.from_column)
        self.from_area.setFixedWidth(tiles.WIDTH + 2)
        self.when_area = scrolling(self.when)
        self._ends = RibbonEnds(self, self, self._theme.accent)
        self.from_gutter = ribbons.Gutter("From cards to days", self._ends.from_sources)
        self.lands_gutter = ribbons.Gutter("From days to folders", self._ends.into_folders)
        right = self._right = QWidget()
        right.setFixedWidth(folder_column.WIDTH)
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(12)
        self._tree_card = Card(self._theme, self.tree)
        for panel in (self._tree_card, self.proven, self.copies, self.after):
            column.addWidget(panel)
        column.addStretch()
        self._board_row: QHBoxLayout = QHBoxLayout()
        board = self._board_row
        board.setSpacing(0)
        self._middle: QWidget = QWidget()
        middle = QVBoxLayout(self._middle)
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(8)
        middle.addWidget(self.when_area, 1)
        middle.addWidget(self.trouble)
        middle.addWidget(self.ticks)
        for part in (self.from_area, self.from_gutter, self._middle, self.lands_gutter, right):
            board.addWidget(part, 1 if part is self._middle else 0)
        inner = QVBoxLayout()
        inner.setContentsMargins(_MARGIN, 0, _MARGIN, 8)
        inner.setSpacing(0)
        for part in (self.headline, self.outcome, self.titles):
            inner.addWidget(part)
        inner.addSpacing(4)
        inner.addLayout(board, 1)
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(0)
        page.addLayout(inner, 1)
        page.addWidget(self.action_bar)

    def _connect(self) -> None:
        self.from_column.wanted.connect(self.wanted_source)
        self.from_column.removed.connect(self.removed_source)
        tiles_now = self.from_column.tiles
        self.from_column.named.connect(lambda root: self.overlays.name_device(self.board, tiles_now.get(root)))
        self.titles.days.clicked.connect(lambda: self.overlays.open_days(self.board, self.titles.days))
        self.titles.about.clicked.connect(lambda: self.overlays.open_about(self.board, self.titles.about))
        self.overlays.decided.connect(self.decided)
        self.overlays.set_days.connect(self.set_days)
        self.titles.standings.clicked.connect(lambda: self.overlays.open_standings(self.board, self.titles.standings))
        self.overlays.narrowed.connect(self.narrow_standing)
        self.titles.back.clicked.connect(self.close_settle)
        self.when.chosen.connect(self._choose)
        self.when.looked.connect(self.look_close)
        self.when.settled.connect(self.open_settle)
        self.when.decided.connect(self.decided)
        self.when.moved.connect(self._ribbons_moved)
        self.when.slid.connect(self.when_area.roll)
        self.when.filled.connect(self._chain_focus)
        self.action_bar.accepted.connect(self.accepted_certain)
        self.welcome.wanted_library.connect(self.wanted_library)
        self.welcome.wanted_source.connect(self.wanted_source)
        self.welcome.wanted_demo.connect(self.wanted_demo)
        self.outcome.narrowed.connect(self.narrow_states)
        self.titles.clear.clicked.connect(self.show_all)
        self.tree.narrowed.connect(self.narrow_folder)
        self.action_bar.brought.connect(self.brought)
        self.action_bar.saved.connect(self.saved)
        self.action_bar.stopped.connect(self.stopped)
        self.trouble.again.connect(self.brought)
        for area in (self.from_area, self.when_area):
            area.verticalScrollBar().valueChanged.connect(self._ribbons_moved)
        self.tree.verticalScrollBar().valueChanged.connect(self._ribbons_moved)
        for moving in (self.when, self.from_column, self._tree_card):
            moving.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Ribbons follow what they are tied to, whenever a column is laid out anew."""
        if event.type() in (QEvent.Type.Resize, QEvent.Type.Move, QEvent.Type.LayoutRequest):
            self._ribbons_moved()
        return super().eventFilter(watched, event)

    def show_board(self, board: Board) -> None:
        """Show a board."""
        self.board = board
        self.outcome.show_board(board)
        self.from_column.show_sources(board.sources)
        self.tree.show_folders(board.folders)
        self.copies.show_board(board)
        self.trouble.show_board(board, running=self._running)
        self.titles.show_board(board)
        self._show_days()
        self._teach()
        if self._settle is not None:
            self._settle.show_board(board)
            focused = self.window().focusWidget()
            if self.settling and (focused is None or not focused.isVisible()):
                # The card that had the focus is gone with its question.
                next(iter(self._settle.stops()), self.titles.back).setFocus()
        self._chain_focus()
        self._choose(self.capture)
        self._refresh_words()
        self.overlays.renew_look(next((day.captures for day in self.when.days() if day.key == self.when.open_key), ()))

    def show_running(self, event: events.Running | None) -> None:
        """Show a run at work, or the board again."""
        running = event is not None
        self.outcome.show_progress(event.progress if event else None)
        if event is not None:
            progress = event.progress
            standing = sum(not stream.lost for stream in progress.places)
            self.proven.show_names(event.proven, standing)
            if not self._running:
                self.ticks.begin(self.from_column.signs())
            self.ticks.see(progress, event.ticks)
            self.from_column.show_progress(progress)
            self.action_bar.say_progress(progress)
            self.action_bar.show_paused(progress.paused)
        self.copies.show_progress(event.progress if event else None)
        if running != self._running:
            self._running = running
            self.action_bar.begin(stopping=False)
            self.close_settle()
            for part in (self.proven, self.ticks, self.after):
                part.setVisible(running)
            self._teach()
            for tile in self.from_column.tiles.values():
                tile.show_running(running)
            self._show_days()
            self._refresh_words()

    def show_reading(self, root: str, files: int, all_files: int) -> None:
        """Show how far the reading of a source is."""
        if root in self.from_column.tiles:
            self.from_column.tiles[root].show_reading(files, all_files)

    def show_silent(self, root: str, seconds: int) -> None:
        """Show that a source has not answered for some seconds; of none it answers."""
        if root in self.from_column.tiles:
            self.from_column.tiles[root].show_silent(seconds)
            self._refresh_words()

    def show_all(self) -> None:
        """Widen the board again; from the questions go back to the days."""
        if self.settling:
            self.close_settle()
            return
        self._narrowing.clear()
        self._show_days()

    def show_meanwhile(self, what: str, done: int, total: int) -> None:
        """Show how far something is that goes on beside everything else; of none says nothing."""
        self._meanwhile = f"{what}, {done:,} of {total:,}" if total else ""
        self._refresh_words()

    def _teach(self) -> None:
        """An empty intake shows how to begin, and no empty panels."""
        empty = not self.board.sources
        self.welcome.setVisible(empty)
        self.welcome.show_library(self.board.place.name if self.board.place else "")
        copying = self._running and bool(self.board.places)
        self.titles.show_copying(copying)
        self._tree_card.setVisible(bool(self.board.folders) and not copying)
        self.copies.setVisible(not empty)

    def _chain_focus(self) -> None:
        """Tab goes from → when → lands in; tiles and rows that come later take their place in the chain."""
        tree, bar = self.tree, self.action_bar
        rows = [part for row in self.rows() for part in row.stops()]
        if self._settle is not None and self.settling:
            rows = self._settle.stops()
        start = (self.welcome.library, self.welcome.source, self.welcome.demo)
        stops = [
            self.outcome,
            *self.from_column.stops(),
            *start,
            *rows,
            tree,
            self.copies,
            self.copies.add,
            self.after.prove,
            self.after.eject,
            self.trouble.button,
            *self.titles.stops(),
            bar.save,
            bar.accept,
            *reversed(bar.answers),
            bar.pause,
            bar.stop,
            bar.main,
        ]
        for one, other in pairwise(stops):
            QWidget.setTabOrder(one, other)

    def rows(self) -> list[DayRow]:
        """The rows that are shown."""
        return self.when.rows()

    def open_day(self, key: str) -> None:
        """Open a shoot's row, if there is one."""
        self.when.open_day(key)

    @property
    def narrowed(self) -> bool:
        """Whether only some of the board is shown."""
        return bool(self._narrowing)

    def show_source(self, root: str) -> None:
        """Go to the tile of a source."""
        if root in self.from_column.tiles:
            self.from_column.tiles[root].setFocus()
            self.from_area.ensureWidgetVisible(self.from_column.tiles[root])

    def narrow_states(self, states: tuple[State, ...]) -> None:
        """Show only captures that fare so; where they need a look, their questions."""
        if states == (State.LOOK,) and self.board.questions:
            self.open_settle()
            return
        self.close_settle()
        self._narrowing.states = states
        self._show_days()

    def narrow_folder(self, path: str) -> None:
        """Show only what goes to a folder; again shows everything."""
        self._narrowing.folder = "" if path == self._narrowing.folder else path
        self._show_days()

    def narrow_standing(self, standing: str) -> None:
        """Show only captures of a standing."""
        self.close_settle()
        self._narrowing.standing = standing
        self._show_days()

    def _show_days(self) -> None:
        narrowing = self._narrowing
        self.outcome.narrow(narrowing.states)
        self.titles.narrow(narrowing.words)
        self.when.show_days(self.board, narrowing.days(self.board), running=self._running)

    def _choose(self, capture: str) -> None:
        self.capture = capture
        view = self.board.find(capture) if capture else None
        self.tree.mark(view.folder if view else "")
        if view is not None and self.when.is_open and self.grid.isVisible():
            box = self.grid.chosen_box
            at = self.grid.mapTo(self.when, box.center())
            self.when_area.ensureVisible(at.x(), at.y(), 0, box.height() * 2 // 3)
        self._ribbons_moved()

    def show_size(self, step: int) -> None:
        """Show small pictures in another size, the smallest for 0."""
        self.when.show_size(step)
        QTimer.singleShot(0, self, lambda: self._choose(self.capture))

    def _refresh_words(self) -> None:
        board, running = self.board, self._running
        to_bring = board.count(State.BRING, State.FAILED)
        self.action_bar.offer(
            to_bring if board.plan else 0, running=running, working=self._working, not_compared=board.not_compared
        )
        certain = sum(question.certainty == "certain" for question in board.questions)
        self.action_bar.offer_accepting(certain if self.settling else 0)
        silent = sum(tile.silent > 0 for tile in self.from_column.tiles.values())
        self.headline.say(*head_words(board, silent, self._meanwhile, running=running))
        if not running and not self._working:
            self._say_state()

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        """Say something that stays until the person does something else; no words end it.

        Args:
            state: a few words.
            more: what else there is to know, beside them.
            under: a line below.
            brick: whether it is trouble.
        """
        self._notice = (state, more, under, brick) if state else None
        if state:
            self.action_bar.say(state, more, under, brick=brick)
        elif not self._running:
            self._refresh_words()

    def show_working(self, words: str, figures: str = "") -> None:
        """Show that something longer is going on and can be stopped; no words end it."""
        self._working = bool(words)
        self.action_bar.say_working(words, figures)
        self._refresh_words()

    def _say_state(self) -> None:
        if self._notice is not None:
            state, more, under, brick = self._notice
        elif self.settling:
            state, more, under, brick = questions_words(self.board)
        elif self.board.captures or self.board.place is None or not self.board.sources:
            state, more, under, brick = board_words(self.board)
        else:
            return
        self.action_bar.say(state, more, under, brick=brick)

    def _ribbons_moved(self) -> None:
        self.from_gutter.follow()
        self.lands_gutter.follow()
