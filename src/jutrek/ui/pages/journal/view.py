"""The Journal page: runs at the left, the chosen one in the middle, places at the right."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from jutrek.desk.records import FileRecord, Record
from jutrek.ui import paint
from jutrek.ui.pages.journal.opened import OpenedRun
from jutrek.ui.pages.journal.places import PlacesColumn
from jutrek.ui.pages.journal.records import RecordList
from jutrek.ui.theme import Theme
from jutrek.ui.widgets.headline import Headline
from jutrek.ui.widgets.layout import Card, scrolling
from jutrek.ui.widgets.statebar import StateBar
from jutrek.ui.widgets.teaching import Teaching

_MARGIN = 18
_NARROW = 1200
_TAUGHT = (
    ("What came home", "From which card, under which name, and that it was read back."),
    ("What moved, was set aside, or said anew", "Each run with its files, before and after."),
    ("Cards that were proved", "With the certificate that says why one is safe to clear."),
    ("Take it back", "A whole run or single files of it, as long as nobody changed them since."),
)


class JournalView(QWidget):
    """Shows what was done, and passes wishes on as signals."""

    opened = Signal(object)
    taken_back = Signal(object, object)
    finished = Signal(object)
    reported = Signal(object)
    certified = Signal(object)
    emptied = Signal()
    stopped = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._working = False
        self._notice: tuple[str, str, str, bool] | None = None
        self.headline = Headline(theme)
        self.list = RecordList(theme)
        self.run = OpenedRun(theme)
        self.places = PlacesColumn(theme)
        self.empty = QPushButton("Empty what was taken back")
        self.empty.setToolTip("Put it into the trash of its drive, so that the room is free")
        self.more = QPushButton("Report")
        self.stop = QPushButton("Stop")
        self.main = QPushButton("Take back")
        self.bar = StateBar(theme, (self.empty, self.more, self.stop, self.main))
        self.teaching = Teaching(theme, "Every change on disk will be written down here", _TAUGHT)
        self._left = Card(theme, self.list, fills=True)
        self._right = scrolling(self.places)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(self.teaching, 1, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self._left)
        row.addWidget(self.run, 1)
        row.addWidget(self._right)
        inner = QVBoxLayout()
        inner.setContentsMargins(_MARGIN, 0, _MARGIN, 12)
        inner.setSpacing(4)
        inner.addWidget(self.headline)
        inner.addLayout(row, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(inner, 1)
        column.addWidget(self.bar)
        self.list.chosen.connect(self._open)
        self.run.selected.connect(self._refresh)
        self.main.clicked.connect(self._do_main)
        self.more.clicked.connect(self._do_more)
        self.empty.clicked.connect(self.emptied)
        self.stop.clicked.connect(self.stopped)
        self._teach(True)
        self._refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a small window the middle gets what the sides can do without."""
        narrow = self.width() < _NARROW
        self._left.setFixedWidth(250 if narrow else 330)
        self._right.setFixedWidth(232 if narrow else 266)
        self.run.show_sources(not narrow)
        super().resizeEvent(event)

    def show_records(self, records: tuple[Record, ...]) -> None:
        """Show the runs of the library."""
        chosen = self.list.record()
        self.list.show_records(records, chosen.run if chosen else "")
        broken = sum(bool(record.broken) for record in records)
        whole = (
            f"{paint.counted(broken, 'record was', 'records were')} changed afterwards"
            if broken
            else "nothing in it was altered"
        )
        count = paint.counted(len(records), "run")
        self.headline.say("Journal", f"{count} · {whole}" if records else "Nothing was done in this library yet.")
        if not records:
            self.run.head.show_record(None)
            self.run.show_files(())
        self._teach(not records)
        self._refresh()

    def _teach(self, is_empty: bool) -> None:
        self.teaching.setVisible(is_empty)
        self._left.setVisible(not is_empty)
        self.run.setVisible(not is_empty)

    def _open(self, run: str) -> None:
        self.run.head.show_record(self.list.record())
        self.run.show_files(())
        self.opened.emit(run)
        self._refresh()

    def show_files(self, run: str, files: tuple[FileRecord, ...]) -> None:
        """Show the files of a run, if it still is the one that is chosen."""
        record = self.list.record()
        if record is not None and record.run == run:
            self.run.show_files(files)
            self._refresh()

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

    def _refresh(self) -> None:
        record, working = self.list.record(), self._working
        self.stop.setVisible(working)
        self.main.setVisible(not working and bool(self._main_words(record)))
        self.main.setText(self._main_words(record) or "Take back")
        self.more.setVisible(not working and bool(self._more_words(record)))
        self.more.setText(self._more_words(record))
        taken = any(one.taken_back and one.kind == "intake" for one in self.list.rows.records)
        self.empty.setVisible(not working and taken)
        if working:
            return
        if self._notice is not None:
            state, more, under, brick = self._notice
            self.bar.say(state, more, under, brick=brick)
        elif record is None:
            self.bar.say("Nothing to take back.")
        else:
            self.bar.say(*_words(record))

    def _main_words(self, record: Record | None) -> str:
        if record is None:
            return ""
        if record.can_finish:
            return f"Finish: {paint.counted(record.left, 'file')}"
        if not record.can_take_back:
            return ""
        if record.kind == "take back":
            return "Do again what was taken back"
        chosen = len(self.run.chosen_paths())
        return f"Take {paint.counted(chosen, 'file')} back" if chosen else "Take it back"

    def _more_words(self, record: Record | None) -> str:
        if record is None:
            return ""
        if record.can_finish and record.can_take_back:
            return "Take it back"
        if record.certificate:
            return "Certificate"
        return "Report" if record.kind == "intake" and record.files else ""

    def _do_main(self) -> None:
        record = self.list.record()
        if record is None:
            return
        if record.can_finish:
            self.finished.emit(record.run)
        else:
            self.taken_back.emit(record.run, self.run.chosen_paths())

    def _do_more(self) -> None:
        record, words = self.list.record(), self.more.text()
        if record is None:
            return
        if words == "Take it back":
            self.taken_back.emit(record.run, frozenset())
        elif words == "Certificate":
            self.certified.emit(record.certificate)
        else:
            self.reported.emit(record.run)


def _words(record: Record) -> tuple[str, str, str]:
    """What the bar says of a run."""
    if record.broken:
        return "This record was changed.", record.broken, "What the files themselves are, a check of the copies tells."
    if not record.ended:
        return "It is at work.", "What came of it stands here when it has ended.", ""
    if record.taken_back:
        return "Taken back.", "What it did is undone; its files are put away, not removed.", ""
    if record.can_finish:
        return (
            "It did not end.",
            f"{paint.counted(record.left, 'file')} did not come home.",
            "Finishing reads only those.",
        )
    if record.can_take_back and record.kind == "take back":
        return "This took something back.", "It can be done again as long as the files are unchanged.", ""
    if record.can_take_back:
        return "It can be taken back.", "What was changed since is listed, and stays; nothing is removed.", ""
    return "It changed nothing that could be taken back.", "", ""
