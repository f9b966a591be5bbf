"""The Jobs page: the sentence of a new one, what it makes, and the jobs that there are; at the right what is chosen."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from jutrek.desk.jobs import JobSeen, JobsSeen
from jutrek.desk.working_files import Work
from jutrek.jobs.making import Whole
from jutrek.jobs.shelf import Kept
from jutrek.ui.pages.jobs.captures import JobPictures
from jutrek.ui.pages.jobs.rows import JobRows, captures_in, pictures_of
from jutrek.ui.pages.jobs.sentence import JobSentence
from jutrek.ui.pages.jobs.whole import WholeStairs
from jutrek.ui.pages.jobs.working import WorkPanel
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.plainly import Label, caption
from jutrek.ui.theme import Theme, font, section
from jutrek.ui.widgets.headline import Headline
from jutrek.ui.widgets.layout import Card, scrolling
from jutrek.ui.widgets.statebar import StateBar
from jutrek.ui.widgets.teaching import Teaching
from jutrek.words import counted

_MARGIN, _SIDE, _SLIM, _NARROW = 18, 378, 300, 1200
_TAUGHT = (
    ("An outline", "Folders and starter files with blanks, kept in the library: the same for everybody who opens it."),
    ("A sentence", "Its blanks are filled, what it makes is shown, and the job gets a number that nobody else has."),
    ("What follows", "Cards come into the job's own folder; working files get their next version by one click."),
    ("Take it back", "As long as nothing else lies in it, a job goes as it came, and its number is free again."),
)


class JobsView(QWidget):
    """Shows jobs, and passes wishes on as signals."""

    changed = Signal()
    """Something else is said of the job that is to be started."""
    started = Signal()
    stopped = Signal()
    cleared = Signal()
    edited = Signal()
    """The outline is to be edited."""
    brought = Signal(object)
    """A card is to be brought into a job."""
    in_library = Signal(object)
    """The captures of a job are to be shown in the library."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._root, self._whole, self._number = "", None, ""  # type: tuple[str, Whole | None, str]
        self._can_start = self.there = False
        self._jobs: tuple[JobSeen, ...] = ()
        self._working = False
        self._notice: tuple[str, str, str, bool] | None = None
        self.headline = Headline(theme)
        self.sentence = JobSentence(theme)
        self.stairs = WholeStairs(theme)
        self.rows = JobRows(theme, pictures)
        self.work = WorkPanel(theme)
        self.pictures = JobPictures(theme, pictures)
        self._what, self._figures = _section("WHAT IT MAKES"), Label()
        self._foot = Label("Dashed: a file that is copied in, its blanks filled. Nothing is made before you start.")
        for label in (self._figures, self._foot):
            label.setFont(font(12))
            label.setStyleSheet(f"color: {theme.soft.name()}")
        self.narrow = QLineEdit()
        self.narrow.setPlaceholderText("Narrow: a client, a title, a year…")
        self.narrow.setAccessibleName("Narrow the jobs")
        self.narrow.setFixedWidth(240)
        self.narrow.setClearButtonEnabled(True)
        self.edit = _link("Edit this outline…")
        self.bring, self.show_ = _link("Bring a card into this job…"), _link("Show in the library")
        self._working_title, self._captures_title = _section("WORKING FILES"), _section("CAPTURES")
        self.teaching = Teaching(theme, "Every job begins the same way", _TAUGHT)
        self.clear, self.stop, self.main = QPushButton("Clear"), QPushButton("Stop"), QPushButton("Start")
        self.bar = StateBar(theme, (self.clear, self.stop, self.main))
        self._lay_out(theme)
        self.sentence.changed.connect(self.changed)
        self.sentence.entered.connect(self._enter)
        self.main.clicked.connect(self.started)
        self.stop.clicked.connect(self.stopped)
        self.clear.clicked.connect(self.cleared)
        self.edit.clicked.connect(self.edited)
        self.rows.chosen.connect(self.show_job)
        self.narrow.textChanged.connect(self._narrow)
        self.bring.clicked.connect(lambda: self._with_job(self.brought))
        self.show_.clicked.connect(lambda: self._with_job(self.in_library))
        self.pictures.wanted.connect(lambda: self._with_job(self.in_library))
        self.show_job(None)
        # Until it is known what there is.
        self._body.hide()
        self.teaching.hide()
        self._refresh()

    def _lay_out(self, theme: Theme) -> None:
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addLayout(_line(self._what, self._figures))
        self.steps = scrolling(self.stairs)
        left.addWidget(self.steps)
        left.addWidget(self._foot)
        left.addLayout(_line(_section("JOBS"), self.narrow))
        self._list = Card(theme, scrolling(_stacked(self.rows)), fills=True)
        left.addWidget(self._list, 1)
        self._side = QWidget()
        right = QVBoxLayout(self._side)
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(6)
        right.addLayout(_line(self._working_title, None))
        right.addWidget(Card(theme, scrolling(_stacked(self.work)), fills=True), 1)
        right.addLayout(_line(self._captures_title, None))
        below = QWidget()
        lines = QVBoxLayout(below)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(2)
        lines.addWidget(self.pictures)
        lines.addLayout(_line(self.bring, self.show_))
        right.addWidget(Card(theme, below))
        row = QHBoxLayout()
        row.setSpacing(24)
        row.addLayout(left, 1)
        row.addWidget(self._side)
        self._body = QWidget()
        inner = QVBoxLayout(self._body)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(8)
        inner.addWidget(self.sentence)
        inner.addLayout(row, 1)
        column = QVBoxLayout()
        column.setContentsMargins(_MARGIN, 0, _MARGIN, 10)
        column.setSpacing(4)
        column.addLayout(_line(self.headline, self.edit, stretch=True))
        column.addWidget(self.teaching, 0, Qt.AlignmentFlag.AlignTop)
        column.addWidget(self._body, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(column, 1)
        whole.addWidget(self.bar)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a small window the jobs get what the side can do without."""
        self._side.setFixedWidth(_SLIM if self.width() < _NARROW else _SIDE)
        super().resizeEvent(event)

    # ---- what is shown

    def show_jobs(self, seen: JobsSeen, root: str) -> None:
        """Show the jobs of a library.

        Args:
            seen: all that is shown of them.
            root: of the library.
        """
        self._root = root
        jobs, outlines = counted(len(seen.jobs), "job"), counted(len(seen.outlines), "outline")
        more = "kept in the library, the same for everybody who opens it"
        if seen.idle:
            some = ", ".join(claim.written for claim in seen.idle[:5])
            more = f"{more} · numbers that lead to no job: {some}"
        if seen.gaps:
            more = f"{more} · passed over: {', '.join(seen.gaps[:3])}"
        self.headline.say(f"{jobs}, {outlines}", seen.bad[0] if seen.bad else more)
        self._jobs = seen.jobs
        self._narrow()
        self.teaching.setVisible(not seen.jobs and not seen.outlines)
        self._body.setVisible(bool(seen.jobs or seen.outlines))
        self.edit.setText("Edit this outline…" if seen.outlines else "Write an outline…")
        self.sentence.setVisible(bool(seen.outlines))
        self.show_job(self.rows.job)

    def choose(self, folder: str) -> None:
        """Choose the job of a folder, if it is shown."""
        number = next((at for at, one in enumerate(self.rows.jobs) if one.placed.folder == folder), None)
        if number is not None:
            self.rows.choose(number)

    def _narrow(self) -> None:
        """Show the jobs that have all words that are typed in what they are called, their outline or their folder."""
        words = self.narrow.text().casefold().split()
        told = ((one, _told(one)) for one in self._jobs)
        self.rows.show_jobs([one for one, text in told if all(word in text for word in words)], self._root)

    def show_outline(self, kept: Kept, seen: JobsSeen) -> None:
        """Ask for the blanks of an outline."""
        self.sentence.show_outline(kept, seen.used)

    def show_whole(self, whole: Whole | None, number: str, *, can_start: bool = False, there: bool = False) -> None:
        """Show what would be made, and the number that the job would get; None for nothing yet.

        Args:
            whole: what would be made.
            number: of the job.
            can_start: whether it can be started so.
            there: whether its folder is there already.
        """
        self._whole, self._number, self._can_start, self.there = whole, number, can_start, there
        self.stairs.show_whole(whole)
        self.steps.setFixedHeight(min(self.stairs.height() + 2, 222))
        self._foot.setVisible(whole is not None and whole.files > 0)
        if whole is None:
            self._figures.setText("")
        else:
            above = whole.folder.rpartition("/")[0]
            files = counted(whole.files, "starter file")
            self._figures.setText(f"{counted(whole.folders, 'folder')} and {files}, in {above or 'the library'}")
        self._refresh()

    def show_job(self, one: JobSeen | None) -> None:
        """Show what lies in a job; None for none."""
        number = f" OF {one.placed.job.number}" if one is not None else ""
        self._captures_title.setText(f"CAPTURES{number}")
        self._working_title.setText(f"WORKING FILES{number}")
        for button in (self.bring, self.show_):
            button.setEnabled(one is not None and not one.is_away and one.placed.landing is not None)
        if one is None:
            self.pictures.show_pictures("", (), "Choose a job to see what lies in it.")
            self.work.show_work(Work((), ()))
            return
        count, lands = captures_in(one), one.placed.job.lands
        where = f" in {lands}" if lands else ""
        by = f", by {one.placed.job.by.strip('{}').partition(':')[0]}" if one.placed.job.by and count else ""
        self.pictures.show_pictures(self._root, pictures_of(one), f"{counted(count, 'file')}{where}{by}")

    def show_work(self, work: Work) -> None:
        """Show the working files of the job that is chosen."""
        self.work.show_work(work)

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        """Say something that stays until the person does something else; no words end it."""
        self._notice = (state, more, under, brick) if state else None
        self._refresh()

    def show_working(self, words: str, figures: str = "") -> None:
        """Show that something longer is going on, and can be stopped; no words end it."""
        self._working = bool(words)
        if words:
            self.bar.say(words, figures)
        self._refresh()

    # ---- within

    def _with_job(self, signal: object) -> None:
        if (job := self.rows.job) is not None:
            signal.emit(job)

    def _enter(self) -> None:
        # What goes into a folder that is there is agreed to by its button alone.
        if not self.there and self.main.isEnabled() and self.main.isVisibleTo(self):
            self.started.emit()

    def _refresh(self) -> None:
        self.stop.setVisible(self._working)
        self.clear.setVisible(not self._working)
        self.main.setVisible(not self._working)
        self.main.setEnabled(self._can_start)
        start = f"Start job {self._number}" if self._number else "Start"
        self.main.setText(caption("Add what is missing" if self.there else start))
        if self._working:
            return
        if self._notice is not None:
            state, more, under, brick = self._notice
            self.bar.say(state, more, under, brick=brick)
            return
        more = "A folder that exists is never written into without being named."
        self.bar.say(
            "Nothing is made yet.", more, "Tab walks the blanks · Enter starts · N next version of the chosen file"
        )


def _told(one: JobSeen) -> str:
    job = one.placed.job
    return " ".join((job.called, job.outline, one.placed.folder, job.started, *job.blanks.values())).casefold()


def _section(words: str) -> Label:
    label = Label(words)
    label.setFont(section())
    return label


def _link(words: str) -> QPushButton:
    button = QPushButton(words)
    button.setProperty("link", True)
    return button


def _line(left: QWidget, right: QWidget | None, *, stretch: bool = False) -> QHBoxLayout:
    line = QHBoxLayout()
    line.setContentsMargins(0, 0, 0, 0)
    line.addWidget(left, 1 if stretch else 0)
    if not stretch:
        line.addStretch()
    if right is not None:
        line.addWidget(right)
    return line


def _stacked(inner: QWidget) -> QWidget:
    """A widget of a height of its own, at the top of what scrolls."""
    made = QWidget()
    lines = QVBoxLayout(made)
    lines.setContentsMargins(0, 0, 0, 0)
    lines.addWidget(inner)
    lines.addStretch()
    return made
