"""The Doubles page: groups at the left, the chosen one side by side; or the tray."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QApplication, QCheckBox, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from jutrek.desk.doubles import LABELS, Decided, FileFacts, Pile, Verdict, beside_keeper, carried_words, piles_of
from jutrek.doubles.degrees import Degree, Group
from jutrek.ui import paint
from jutrek.ui.pages.doubles.facts import FactTable
from jutrek.ui.pages.doubles.groups import GroupList
from jutrek.ui.pages.doubles.pair import PairView
from jutrek.ui.pages.doubles.piles import PilesPanel
from jutrek.ui.pages.doubles.tray import TrayView
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import Theme, font, section
from jutrek.ui.widgets.headline import Headline
from jutrek.ui.widgets.keyed import keyed
from jutrek.ui.widgets.layout import Card
from jutrek.ui.widgets.statebar import StateBar
from jutrek.ui.widgets.teaching import Teaching

if TYPE_CHECKING:
    from jutrek.desk import events
    from jutrek.transfer.tray import Trayed

_MARGIN, _LIST, _NARROW = 18, 286, 240


_TAUGHT = (
    ("Exactly the same", "One file under several names, wherever in the library they are."),
    ("Same picture, other notes", "Equal to the last pixel; keywords, dates or rights differ."),
    ("Same picture, saved another way", "Smaller, cut, turned, or in another format."),
    ("Look alike", "Bursts, series, one motif again. You decide each of them."),
    ("What does not stay", "is set aside for a last look, and can be had back."),
)


class _Titles(QWidget):
    """Small capitals above the columns, and how pictures are looked at."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.left = _LIST
        self.setFixedHeight(26)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.text(painter, QRect(0, 2, 200, 22), "GROUPS", section(), theme.soft)
        right = QRect(self.left + 16, 2, self.width() - self.left - 16, 22)
        paint.text(painter, right, "SIDE BY SIDE", section(), theme.soft)
        words = "hold Space to swap · scroll zooms all · drag moves all"
        paint.text(painter, right, words, font(12), theme.soft, align=paint.RIGHT)


class DoublesView(QWidget):
    """Shows doubles and takes decisions; what is to be done with them it passes on as signals."""

    opened = Signal(object)
    """A group: its facts are wanted."""
    carried_out = Signal(object)
    """What was decided."""
    emptied = Signal(object)
    taken_back = Signal(object)
    """Files of the tray."""
    paused = Signal(bool)
    stopped = Signal()
    counted = Signal(int)
    """How many groups are not decided yet, once they were looked for."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._working = False
        self._notice: tuple[str, str, str, bool] | None = None
        self._learning: events.Learning | None = None
        self._all: tuple[Group, ...] = ()
        self._found = False
        self._root = self._library = ""
        self._facts: dict[str, tuple[FileFacts, ...]] = {}
        self.decided = Decided()
        self.frame = 0
        self.headline = Headline(theme)
        self.tray_link = QPushButton("")
        self.pause = QPushButton("")
        for link in (self.tray_link, self.pause):
            link.setProperty("link", True)
        self.titles = _Titles(theme)
        self.list = GroupList(theme, pictures)
        self.piles = PilesPanel(theme)
        self.pair = PairView(theme, pictures)
        self.facts = FactTable(theme, LABELS)
        self.carry = QCheckBox("")
        self.carry.setChecked(True)
        self.tray = TrayView(theme, pictures)
        self.last_look = PairView(theme, pictures, stacked=True)
        self.both = keyed(QPushButton("All stay"), "A")
        self.stop = QPushButton("Stop")
        self.main = keyed(QPushButton(""), "Enter")
        self.bar = StateBar(theme, (self.stop, self.both, self.main))
        self._lay_out()
        self._connect()
        self._refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self.headline, 1)
        head.addWidget(self.pause)
        head.addWidget(self.tray_link)
        left = self._left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(Card(self._theme, self.list, fills=True), 1)
        self._piles_card = Card(self._theme, self.piles)
        column.addWidget(self._piles_card)
        right = QVBoxLayout()
        right.setSpacing(12)
        right.addWidget(self.pair, 1)
        right.addWidget(self.facts)
        right.addWidget(self.carry)
        groups = QWidget()
        row = QHBoxLayout(groups)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(16)
        row.addWidget(left)
        row.addLayout(right, 1)
        self.views = QStackedWidget()
        self.views.addWidget(groups)
        trayed = QWidget()
        beside = QHBoxLayout(trayed)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(16)
        beside.addWidget(self.tray, 3)
        beside.addWidget(self.last_look, 2)
        self.views.addWidget(trayed)
        self.teaching = QWidget()
        taught = QVBoxLayout(self.teaching)
        taught.setContentsMargins(0, 4, 0, 0)
        taught.addWidget(Teaching(self._theme, "What you have twice will stand here, side by side", _TAUGHT))
        taught.addStretch()
        self.views.addWidget(self.teaching)
        inner = QVBoxLayout()
        inner.setContentsMargins(_MARGIN, 0, _MARGIN, 12)
        inner.setSpacing(0)
        inner.addLayout(head)
        inner.addWidget(self.titles)
        inner.addWidget(self.views, 1)
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(0)
        page.addLayout(inner, 1)
        page.addWidget(self.bar)

    def _connect(self) -> None:
        self.list.chosen.connect(self._open)
        self.list.view.installEventFilter(self)
        self.pair.framed.connect(self.frame_file)
        self.piles.decided.connect(self.decide_pile)
        self.tray.picked.connect(self._show_trayed)
        self.tray_link.clicked.connect(lambda: self.open_tray(not self.on_tray))
        self.pause.clicked.connect(lambda: self.paused.emit(self._learning is None or not self._learning.paused))
        self.both.clicked.connect(self._second)
        self.main.clicked.connect(self._first)
        self.piles.carried_out.connect(self.go)
        self.stop.clicked.connect(self.stopped)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._left.setFixedWidth(_LIST if self.width() >= 1200 else _NARROW)
        self.titles.left = self._left.width()
        super().resizeEvent(event)

    @property
    def on_tray(self) -> bool:
        """Whether the tray is shown."""
        return self.views.currentIndex() == 1

    def open_tray(self, wanted: bool) -> None:
        """Show the tray, or the groups again."""
        self._notice = None
        self.views.setCurrentIndex(1 if wanted else 0)
        (self.tray if wanted else self.list.view).setFocus()
        self._refresh()

    # ---- what is shown ----------------------------------------------------------------------------------------------

    def show_doubles(self, groups: tuple[Group, ...], tray: tuple[Trayed, ...], root: str) -> None:
        """Show the doubles of a library, and its tray. What was decided about groups that are there still holds."""
        before = {group.key: group for group in self._all}
        self._all, self._found, self._root = groups, True, root
        # A decision was made about files that were seen: of other ones, or changed ones, it says nothing.
        there = {group.key: group for group in groups if same_files(group, before.get(group.key))}
        kept = [replaced(one, there[key]) for key, one in self.decided.verdicts.items() if key in there]
        self.decided = Decided({one.group.key: one for one in kept})
        self._facts = {key: facts for key, facts in self._facts.items() if key in there}
        notice = self._notice
        self.list.show_groups(groups, root)
        self.tray.show_tray(tray, root)
        if self.on_tray and not tray:
            self.open_tray(False)
        self._notice = notice
        self._show_decided()

    def show_facts(self, key: str, files: tuple[FileFacts, ...]) -> None:
        """Show what tells the files of a group apart."""
        self._facts[key] = files
        group = self.list.group()
        if group is not None and group.key == key:
            self._show_group(group)

    def show_learning(self, learning: events.Learning) -> None:
        """Show how far the library was looked at."""
        self._learning = learning
        self._refresh()

    def show_library(self, name: str) -> None:
        """Show another library: nothing is known of its doubles yet, and nothing was decided."""
        self.show_doubles((), (), "")
        self.decided, self._found, self._learning, self._library = Decided(), False, None, name
        self._show_decided()

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        """Say something that stays until the person does something else; no words end it.

        Args:
            state: a few words.
            more: what else there is to know, beside them.
            under: a line below.
            brick: whether it is trouble.
        """
        self._notice = (state, more, under, brick) if state else None
        self._refresh()

    def show_working(self, words: str, figures: str = "") -> None:
        """Show that something longer is going on, and can be stopped; no words end it."""
        self._working = bool(words)
        if words:
            self.bar.say(words, figures)
        self._refresh()

    # ---- decisions --------------------------------------------------------------------------------------------------

    def frame_file(self, number: int) -> None:
        """Frame another file of the group: it is the one that stays."""
        group = self.list.group()
        if group is not None and 0 <= number < len(group.files):
            self.frame = number
            self._show_group(group)

    def keep_framed(self) -> None:
        """The framed file stays, the rest is set aside; on to the next group."""
        group = self.list.group()
        if group is not None and not self._working:
            carries = self.carry.isChecked() and bool(self.carry.text())
            self._decide([Verdict(group, group.files[self.frame].path, carries)])
            self.list.step(1, undecided=True)

    def keep_all(self) -> None:
        """All files of the group stay, and it is not asked about again; on to the next group."""
        group = self.list.group()
        if group is not None and not self._working:
            self._decide([Verdict(group, "")])
            self.list.step(1, undecided=True)

    def decide_pile(self, pile: Pile) -> None:
        """Decide many groups as proposed."""
        self._decide([Verdict(group, group.keeper) for group in pile.groups])

    def reopen(self) -> None:
        """What was decided about the chosen group is open again."""
        group = self.list.group()
        if group is not None and group.key in self.decided.verdicts:
            self.decided = self.decided.without(group.key)
            self._show_decided()

    def undo(self) -> None:
        """Take back the last decision; nothing was moved for it."""
        if self.decided.before is not None:
            self.decided = self.decided.before
            self._show_decided()

    def go(self) -> None:
        """Carry out what was decided; in the tray, empty it."""
        if self._working:
            return
        if self.on_tray:
            chosen = self.tray.chosen() or self.tray.items
            if chosen:
                self.emptied.emit(chosen)
        elif self.decided.verdicts:
            self.carried_out.emit(self.decided)

    def _first(self) -> None:
        if self.on_tray:
            self.go()
        else:
            self.keep_framed()

    def _second(self) -> None:
        if self.on_tray:
            self.taken_back.emit(self.tray.chosen() or self.tray.items)
        else:
            self.keep_all()

    def _decide(self, verdicts: list[Verdict]) -> None:
        self._notice = None
        self.decided = self.decided.with_all(verdicts)
        self._show_decided()

    def _show_decided(self) -> None:
        self.list.show_decided(self.decided)
        self._show_piles()
        self._refresh()

    def _show_piles(self) -> None:
        self.piles.show_piles(piles_of(self.list.groups(), self.decided), self.decided)
        self._piles_card.setVisible(not self.piles.isHidden())

    # ---- the chosen group -------------------------------------------------------------------------------------------

    def _open(self, group: Group | None) -> None:
        self._notice = None
        self.frame = 0
        if group is not None:
            verdict = self.decided.verdicts.get(group.key)
            paths = [one.path for one in group.files]
            self.frame = paths.index(verdict.keeper) if verdict is not None and verdict.keeper else 0
            if group.key not in self._facts:
                self.opened.emit(group)
        self._show_group(group)
        self._show_piles()

    def _show_group(self, group: Group | None) -> None:
        files = self._facts.get(group.key, ()) if group is not None else ()
        self.pair.show_files(files, min(self.frame, max(0, len(files) - 1)))
        why = ""
        if group is not None:
            why = f"Why {_name(group.keeper)} is proposed to stay: {group.why[:1].lower()}{group.why[1:]}"
        self.facts.show_files(files, self.pair.frame, self.pair.shown(), why)
        wanted = files and group is not None and group.degree in (Degree.PAYLOAD, Degree.PICTURE)
        words = carried_words(files, self.pair.frame) if wanted else ""
        self.carry.setText(f"Carry over into its sidecar: {words}" if words else "")
        self.carry.setVisible(bool(words))
        self._refresh()

    def _show_trayed(self) -> None:
        """Show what is chosen of the tray large, above the file that it was set aside for."""
        item = self.tray.current()
        files = beside_keeper(item, self._root) if item is not None else ()
        self.last_look.show_files(files, max(0, len(files) - 1))
        self._refresh()

    def _refresh(self) -> None:
        if not self.on_tray:
            self.views.setCurrentIndex(0 if self._all else 2)
        self.titles.setVisible(self.views.currentIndex() == 0)
        self._say_headline()
        group = self.list.group()
        chosen = self.tray.chosen() or self.tray.items
        self.stop.setVisible(self._working)
        offers = not self._working and (bool(chosen) if self.on_tray else group is not None)
        self.both.setVisible(offers)
        self.both.setText(f"Take {paint.counted(len(chosen), 'file')} back" if self.on_tray else "All stay")
        self.main.setVisible(offers)
        if self.on_tray:
            self.main.setText(f"Put {paint.counted(len(chosen), 'file')} into the trash")
        elif group is not None:
            self.main.setText("This one stays")
        if self._working:
            return
        if self._notice is not None:
            state, more, under, brick = self._notice
            self.bar.say(state, more, under, brick=brick)
        elif self.on_tray:
            size = paint.size_words(sum(one.size for one in chosen))
            more = "From the trash of its drive the Journal takes it back, as long as the trash keeps it."
            self.bar.say(f"{paint.counted(len(chosen), 'file')}, {size}.", more)
        elif group is None:
            self.bar.say("Nothing to decide here.")
        else:
            keys = "Enter: this one stays · A: all stay · arrows move the frame · Ctrl+Z takes a decision back"
            others = len(group.files) - 1
            aside = "1 is set aside." if others == 1 else f"{others} are set aside."
            self.bar.say(f"Group {self.list.row + 1} of {len(self.list.groups())}. {aside}", keys)

    def _say_headline(self) -> None:
        if self._found:
            self.counted.emit(sum(group.key not in self.decided.verdicts for group in self._all))
        learning, tray = self._learning, self.tray.items
        size = paint.size_words(sum(one.size for one in tray))
        words = f"Set aside: {paint.counted(len(tray), 'file')}, {size}, for a last look" if tray else ""
        self.tray_link.setText("Back to the groups" if self.on_tray else words)
        self.tray_link.setVisible(bool(tray) or self.on_tray)
        at_work = learning is not None and not learning.complete
        self.pause.setVisible(at_work)
        self.pause.setText("Go on looking" if learning is not None and learning.paused else "Pause")
        if self.on_tray:
            self.headline.say("Set aside, for a last look", "Nothing has left the disk.")
        elif not self._library:
            self.headline.say("No library yet", "Choose the folder where your captures are at home, at the top right.")
        elif at_work and learning is not None and not (learning.content and self._all):
            state = "paused at" if learning.paused else "so far"
            what = "what was saved another way and what looks alike" if learning.content else "doubles"
            self.headline.say(
                "Looking through the library", f"{state} {_far(learning)} · {what} are known when all was seen"
            )
        elif not self._found:
            self.headline.say("Looking for doubles", "What was seen of the library is compared.")
        elif not self._all:
            self.headline.say("No doubles", "What is the same, or looks alike, would stand here.")
        else:
            free = sum(group.free for group in self._all if group.degree is not Degree.ALIKE)
            still = f" · still looking, {_far(learning)}" if at_work and learning is not None else ""
            more = f"{paint.size_words(free)} would come free · nothing is removed without you{still}"
            self.headline.say(f"{paint.counted(len(self._all), 'group')} of doubles", more)

    # ---- keys -------------------------------------------------------------------------------------------------------

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The list of groups has the focus; keys that it does not need are the page's."""
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            return self._press(event)
        if event.type() == QEvent.Type.KeyRelease and isinstance(event, QKeyEvent):
            if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
                self.pair.blink(False)
                return True
        elif event.type() == QEvent.Type.FocusOut:
            self.pair.blink(False)
        return super().eventFilter(watched, event)

    def _press(self, event: QKeyEvent) -> bool:
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            return False
        key = event.key()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.keep_framed()
        elif key == Qt.Key.Key_A:
            self.keep_all()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.frame_file(self.frame + (1 if key == Qt.Key.Key_Right else -1))
        elif key == Qt.Key.Key_Space:
            self.pair.blink(True)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.pair.magnify(1 / 1.25 if key == Qt.Key.Key_Minus else 1.25)
        elif key == Qt.Key.Key_Backspace:
            self.reopen()
        else:
            return False
        return True

    def focus_first(self) -> None:
        """Give the focus to what is worked with, unless something on the page has it."""
        focused = QApplication.focusWidget()
        if focused is None or not self.isAncestorOf(focused):
            (self.tray if self.on_tray else self.list.view).setFocus()


def _far(learning: events.Learning) -> str:
    """How far looking through a library is: every file is read once, and decoded once."""
    return f"{learning.done / learning.total:.0%} of it" if learning.total else "its folders"


def _name(path: str) -> str:
    return path.rpartition("/")[2]


def same_files(group: Group, other: Group | None) -> bool:
    """Whether two groups are of the same files, unchanged and in the same order."""
    return other is not None and [one[:3] for one in group.files] == [one[:3] for one in other.files]


def replaced(verdict: Verdict, group: Group) -> Verdict:
    """A verdict about a group as it is now."""
    return Verdict(group, verdict.keeper, verdict.carries)
