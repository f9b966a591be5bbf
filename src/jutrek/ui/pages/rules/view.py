"""The House rules page: sections at the left, what is edited and tried in the middle, what it makes at the right."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import islice, pairwise

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from jutrek.captures import Device
from jutrek.desk import events
from jutrek.desk.answers import HomeRead, Refiled, RefilingPlanned
from jutrek.desk.pool import Pool
from jutrek.desk.trying import Trial, Trier
from jutrek.errors import OurFault
from jutrek.filing import HouseRules
from jutrek.filing.facts import Facts
from jutrek.filing.pattern import LAYOUT, NAME
from jutrek.filing.starting import Start
from jutrek.ui import paint
from jutrek.ui.pages.rules.composer import Composer
from jutrek.ui.pages.rules.forms import Forms
from jutrek.ui.pages.rules.menu import SECTIONS, SectionMenu
from jutrek.ui.pages.rules.refile import RefileView
from jutrek.ui.pages.rules.tried import MadeTree, Title, TriedTable, TriedTitle
from jutrek.ui.plainly import Label
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.headline import Headline
from jutrek.ui.widgets.keyed import keyed
from jutrek.ui.widgets.layout import Card, scrolling
from jutrek.ui.widgets.statebar import StateBar

_RIGHT, _RIGHT_NARROW, _WIDE, _MARGIN = 330, 230, 1200, 18
_TRIALS = 1
_LOOKED_THROUGH = 500
"""Captures among which one is looked for whose values are shown: it is looked for on the window's thread."""
"""When trials are served, among what else waits in the background."""


class _Told(QObject):
    """Carries trials from the trier's thread to the window's."""

    trial = Signal(object)


class RulesView(QWidget):
    """Composes house rules. It keeps nothing by itself: wishes are signals."""

    kept = Signal(object, object)
    """House rules, and devices where they were renamed."""
    wanted_others = Signal()
    wanted_export = Signal()
    wanted_refiling = Signal(object)
    wanted_back = Signal()
    refiled = Signal(object)
    said = Signal(object, object)
    """Captures, and what is said of them."""
    stopped = Signal()

    def __init__(self, theme: Theme, pool: Pool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.rules = self._kept = HouseRules()
        self._devices: tuple[Device, ...] = ()
        self._renamed: tuple[Device, ...] = ()
        self._scheme = 0
        self._before: list[HouseRules] = []
        self._after: list[HouseRules] = []
        self._broken = ""
        self._notice: tuple[str, str, bool] | None = None
        self._working = False
        self._home: HomeRead | None = None
        self._on = ""
        self.trial: Trial | None = None
        self._told = _Told()
        self._told.trial.connect(self._show_trial)
        self._trier = Trier(pool.line(_TRIALS), self._told.trial.emit)
        self.headline = Headline(theme)
        self.menu = SectionMenu(theme)
        self.composer = Composer(theme)
        self.title = Title(theme, SECTIONS[0])
        self.tried_title, self.table = TriedTitle(theme), TriedTable(theme)
        self.tree = MadeTree(theme)
        self._refiling: RefileView | None = None
        self.forms = Forms(theme, self)
        self.plan_refiling = QPushButton("Plan a re-filing…")
        self.take_back = QPushButton("Take the last one back…")
        self.stop, self.keep = QPushButton("Stop"), keyed(QPushButton("Keep"), "Ctrl+S")
        self.put_back = QPushButton("Drop these changes")
        self.bar = StateBar(theme, (self.stop, self.put_back, self.keep))
        self.stop.hide()
        self._lay_out()
        self._connect()
        self.open_section(0)

    # ---- how it is laid out

    def _lay_out(self) -> None:
        tried = QWidget()
        below = QVBoxLayout(tried)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        below.addWidget(Card(self._theme, self.composer))
        below.addWidget(self.tried_title)
        below.addWidget(Card(self._theme, self.table, fills=True), 1)
        self.forms.put(tried, more=False)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.title)
        middle.addWidget(self.forms, 1)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(Title(self._theme, "The library it makes"))
        right.addWidget(Card(self._theme, self.tree, fills=True), 1)
        right.addWidget(self._home_panel())
        left = QVBoxLayout()
        left.setSpacing(0)
        left.addWidget(Title(self._theme, "Rules"))
        menu = scrolling(self.menu)
        menu.setFixedWidth(self.menu.width() + 10)
        left.addWidget(Card(self._theme, menu, fills=True), 1)
        board = QHBoxLayout()
        board.setSpacing(16)
        board.addLayout(left)
        board.addLayout(middle, 1)
        self._made = QWidget()
        self._made.setFixedWidth(_RIGHT)
        self._made.setLayout(right)
        right.setContentsMargins(0, 0, 0, 0)
        board.addWidget(self._made)
        inner = QVBoxLayout()
        inner.setContentsMargins(_MARGIN, 0, _MARGIN, 10)
        inner.setSpacing(0)
        inner.addWidget(self.headline)
        inner.addLayout(board, 1)
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(0)
        page.addLayout(inner, 1)
        page.addWidget(self.bar)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._made.setFixedWidth(_RIGHT if self.width() >= _WIDE else _RIGHT_NARROW)
        super().resizeEvent(event)

    def _home_panel(self) -> QWidget:
        """What changes for files that are home already."""
        panel = QWidget()
        panel.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        column = QVBoxLayout(panel)
        column.setContentsMargins(2, 10, 2, 0)
        column.setSpacing(6)
        title = Label("What is home already")
        title.setFont(font(12.5, SEMIBOLD))
        self.home_words = Label("Nothing there moves by itself: a re-filing is planned and shown first.")
        self.home_words.setWordWrap(True)
        self.home_words.setStyleSheet(f"color: {self._theme.soft.name()}")
        row = QHBoxLayout()
        for button in (self.plan_refiling, self.take_back):
            button.setProperty("small", True)
            row.addWidget(button)
        row.addStretch()
        self.take_back.hide()
        for part in (title, self.home_words):
            column.addWidget(part)
        column.addLayout(row)
        return panel

    def _connect(self) -> None:
        self.menu.opened.connect(self.open_section)
        self.menu.started.connect(self.start_from)
        self.menu.wanted_others.connect(self.wanted_others)
        self.menu.wanted_export.connect(self.wanted_export)
        self.composer.changed.connect(self._take)
        self.composer.broken.connect(self._break)
        self.forms.changed.connect(self._take)
        self.forms.broken.connect(self._break)
        self.forms.renamed.connect(self._rename)
        self.composer.chosen.connect(self._choose_scheme)
        self.tried_title.narrowed.connect(lambda _: self._show_rows())
        self.plan_refiling.clicked.connect(self.open_refiling)
        self.take_back.clicked.connect(self._open_taking_back)
        self.put_back.clicked.connect(self._put_back_or_leave)
        self.keep.clicked.connect(self.keep_or_refile)
        self.stop.clicked.connect(self.stopped)

    @property
    def refiling(self) -> RefileView:
        """What files anew what is home; made when it is needed."""
        if self._refiling is None:
            view = self._refiling = RefileView(self._theme)
            view.wanted.connect(self.wanted_refiling)
            view.selection().selectionChanged.connect(lambda *_: self._refresh())
            view.said.connect(self.said)
            self.forms.put(Card(self._theme, view, fills=True), more=True)
        return self._refiling

    # ---- what is shown

    @property
    def refiling_open(self) -> bool:
        """Whether a re-filing is shown in place of the rules."""
        return self.forms.more_open

    @property
    def changed(self) -> bool:
        """Whether there is something to keep."""
        return self.rules != self._kept or bool(self._renamed)

    def open_section(self, number: int) -> None:
        """Open a section by its number."""
        self.menu.mark(number)
        self.title.say(SECTIONS[number])
        self.forms.open(number)
        self._show_rules()
        self._chain_focus()

    def open_refiling(self) -> None:
        """Show what a re-filing would move."""
        self._open_refiling("File anew what is home")
        self.refiling.open(self._home.home.years() if self._home else [])

    def _open_refiling(self, title: str) -> None:
        self._notice = None
        self.refiling.show_nothing()
        self.title.say(title)
        self.forms.open_more()
        self.menu.mark(-1)
        self._refresh()

    def _open_taking_back(self) -> None:
        self._open_refiling("Take the last re-filing back")
        self.wanted_back.emit()

    def show_house(self, known: events.RulesKnown) -> None:
        """Show the rules that hold; what is being edited stays, unless it is what is kept now."""
        was_changed = self.rules not in (self._kept, known.rules)
        self._kept = known.rules
        self._devices, self._renamed = known.devices, ()
        self.forms.show_devices(known.devices)
        if not was_changed:
            self.rules = known.rules
            self._before.clear()
            self._after.clear()
        self._notice = ("The rules file is broken.", known.trouble, True) if known.trouble else None
        self._scheme = len(self.rules.schemes)
        self._show_rules()

    def show_library(self, name: str) -> None:
        """Say whose rules they are."""
        words = f"House rules of “{name}”" if name else "House rules"
        more = "kept in the library itself, so that everyone who opens it files the same way"
        self.headline.say(words, more if name else "Choose a library to keep them in.")
        self._has_library = bool(name)
        self._refresh()

    _has_library = False

    def edit(self, rules: HouseRules) -> None:
        """Edit other rules, such as those of another library; they can be put back."""
        self._scheme = len(rules.schemes)
        self._take(rules)
        self._show_rules()

    def start_from(self, start: Start) -> None:
        """Take a common way to file as the starting point."""
        from dataclasses import replace

        self._scheme = len(self.rules.schemes)
        self.edit(replace(self.rules, layout=start.layout, name=start.name))
        if self.menu.current not in (0, 1):
            self.open_section(0)

    def _show_rules(self) -> None:
        number = self.menu.current
        if number in (0, 1):
            use = LAYOUT if number == 0 else NAME
            self.composer.show_rules(self.rules, use, self._scheme, self._sample())
        elif number >= 0 and (form := self.forms.open(number)) is not None:
            form.show_rules(self.rules)
        self._trier.try_rules(self.rules)
        self._refresh()

    def _sample(self) -> Facts | None:
        """A capture whose values the chips show: the first of which a shoot's words are known, else the first."""
        first = islice(self.trial.facts if self.trial else (), _LOOKED_THROUGH)
        facts = [one for one in first if one.capture.trusted]
        if self._scheme < len(self.rules.schemes):
            facts = [one for one in facts if self.rules.schemes[self._scheme].fits(one)] or facts
        return next((one for one in facts if one.shoot), facts[0] if facts else None)

    def _chain_focus(self) -> None:
        stops = [*self.menu.stops(), *(self.composer.stops() if self.menu.current in (0, 1) else [])]
        stops += [self.table, self.tried_title.only, self.tree, self.plan_refiling, self.take_back]
        for one, other in pairwise([*stops, self.stop, self.put_back, self.keep]):
            QWidget.setTabOrder(one, other)

    # ---- editing

    def _take(self, rules: HouseRules) -> None:
        if rules == self.rules:
            return
        self._before.append(self.rules)
        self._after.clear()
        self.rules = rules
        self._notice = None
        self._trier.try_rules(rules)
        self._refresh()

    def undo(self) -> None:
        """Take the last edit back; first what cannot be kept."""
        if self._broken:
            self._go_to(self.rules)
        elif self._before:
            self._after.append(self.rules)
            self._go_to(self._before.pop())

    def redo(self) -> None:
        """Do it again."""
        if self._after:
            self._before.append(self.rules)
            self._go_to(self._after.pop())

    def _go_to(self, rules: HouseRules) -> None:
        self.rules = rules
        self._scheme = min(self._scheme, len(rules.schemes))
        self._show_rules()

    def _break(self, words: str) -> None:
        self._broken = words
        self._refresh()

    def _choose_scheme(self, number: int) -> None:
        self._scheme = number
        self._show_rules()
        self._chain_focus()

    def _rename(self, devices: tuple[Device, ...]) -> None:
        self._renamed = devices if devices != self._devices else ()
        self._refresh()

    def _put_back_or_leave(self) -> None:
        if self.refiling_open:
            self.open_section(0)
            return
        self._renamed = ()
        self.forms.show_devices(self._devices)
        self._scheme = len(self._kept.schemes)
        self._take(self._kept)
        self._show_rules()

    def keep_or_refile(self) -> None:
        """Keep the rules; where a re-filing is shown, carry it out."""
        if not self.keep.isEnabled():
            return
        if self.refiling_open:
            self.show_working("Moving.")
            self.refiled.emit(self.refiling.chosen())
        else:
            self.kept.emit(self.rules, self._renamed)

    # ---- trials

    def try_on(self, on: str, captures: Callable[[], Sequence[Facts]]) -> None:
        """Try the rules on these captures from now on; `on` says which they are."""
        self._on = on
        self._trier.try_on(captures)

    def _show_trial(self, trial: Trial | OurFault) -> None:
        if isinstance(trial, OurFault):
            self.notify("That could not be tried.", str(trial), brick=True)
            return
        had = self.trial.facts if self.trial else ()
        self.trial = trial
        self.forms.show_trial(trial)
        self._show_rows()
        if trial.tally is not None:
            self.tree.show_folders(trial.tree)
        if not had and self.menu.current in (0, 1) and not self._broken:
            use = LAYOUT if self.menu.current == 0 else NAME
            self.composer.show_rules(self.rules, use, self._scheme, self._sample())

    def _show_rows(self) -> None:
        trial = self.trial
        if trial is None:
            return
        only = self.tried_title.only.isChecked()
        self.table.rows.show_trial(trial, standing_out=only and trial.tally is not None)
        self.tried_title.show_tally(self._on, trial.tally, len(trial.standing_out))

    # ---- what is home

    def show_home(self, home: HomeRead) -> None:
        """Learn what is home, and which re-filing can be taken back."""
        self._home = home
        self.take_back.setVisible(bool(home.last_refiling))

    def show_planned(self, planned: RefilingPlanned) -> None:
        """Show the plan of a re-filing."""
        if self.refiling_open:
            if self._home is not None and not planned.takes_back and self.refiling.years.count() < 2:
                self.refiling.fill_years(self._home.home.years())
            self.refiling.show_plan(planned)
            self._refresh()

    def show_said(self, files: int) -> None:
        """Say of how many files something was said, and plan by it."""
        if self.refiling_open:
            self.refiling.want_again()
            self.notify(f"Said of {paint.counted(files, 'file')}.", "The moves follow it; nothing has moved yet.")

    def show_refiled(self, refiled: Refiled) -> None:
        """Say how a re-filing ended."""
        self.show_working("")
        outcome = refiled.outcome
        left = len(outcome.done) - outcome.home
        went = "are back where they were" if refiled.takes_back else "moved"
        words = f"{paint.counted(outcome.home, 'file')} {went}."
        why = str(outcome.trouble or next((done.why for done in outcome.done if not done.home), ""))
        self.take_back.setVisible(not refiled.takes_back and outcome.home > 0)
        self._home = None
        self.open_section(0)
        if left or outcome.trouble:
            self.notify(words, f"{left:,} stay where they were. {why}", brick=True)
        else:
            more = "" if refiled.takes_back else "It can be taken back as long as the files stay unchanged."
            self.notify(words, more)

    # ---- what is said

    def notify(self, state: str, more: str = "", *, brick: bool = False) -> None:
        """Say something that stays until something is edited."""
        self._notice = (state, more, brick) if state else None
        self._refresh()

    def show_working(self, words: str, figures: str = "") -> None:
        """Show that something longer is going on and can be stopped; no words end it."""
        self._working = bool(words)
        self.stop.setVisible(self._working)
        if words:
            self.bar.say(words, figures)
        self._refresh()

    def _refresh(self) -> None:
        """What can be done now, and the sentence at the bottom."""
        if self.refiling_open:
            planned = self.refiling.model.planned
            only = self.refiling.chosen()
            rows = planned.plan.rows if planned else ()
            chosen = len({row.capture for row in rows} & only)
            count = len(rows) if chosen or not only else 0
            words = f"Move the {chosen:,} chosen" if chosen else f"Move {paint.counted(count, 'file')}"
            self.keep.setText(words if count else "Nothing to move")
            self.keep.setEnabled(count > 0 and not self._working)
            self.put_back.setText("Back to the rules")
            self.put_back.setEnabled(not self._working)
        else:
            self.keep.setText("Keep")
            self.keep.setEnabled(self.changed and not self._broken and self._has_library and not self._working)
            self.put_back.setText("Drop these changes")
            self.put_back.setEnabled(self.changed or bool(self._broken))
        self.plan_refiling.setEnabled(self._has_library and not self.changed and not self._working)
        self.take_back.setEnabled(not self._working)
        if not self._working:
            self._say()

    def _say(self) -> None:
        if self._notice is not None:
            state, more, brick = self._notice
            self.bar.say(state, more, brick=brick)
        elif self.refiling_open:
            self.bar.say("Nothing has moved yet.", "Names and folders change; the files themselves stay as they are.")
        elif self._broken:
            self.bar.say("This can't be kept yet.", self._broken, brick=True)
        elif self.changed:
            more = "The Intake page goes by the old ones until you keep these." if self._has_library else ""
            self.bar.say("Changed, not kept yet.", more, amber=True)
        else:
            self.bar.say("These rules hold.", "Change one, and it is tried at once.")
