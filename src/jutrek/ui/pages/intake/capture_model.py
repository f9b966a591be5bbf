"""The captures of the open day as rows: bursts closed to one each, and what is told of a row."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from PySide6.QtCore import QAbstractListModel, QMimeData, QModelIndex, QObject, QPersistentModelIndex, Qt

from jutrek.desk.board_captures import CaptureView, State
from jutrek.ui.pages.intake.dragging import CAPTURES
from jutrek.ui.plainly import tip_text

VIEW = Qt.ItemDataRole.UserRole
STACK, NAME, ALL_HOME = (Qt.ItemDataRole(Qt.ItemDataRole.UserRole + more) for more in (1, 2, 3))
Index = QModelIndex | QPersistentModelIndex
_WORDS = {
    State.BRING: "to bring home",
    State.HOME: "home already",
    State.TWIN: "here twice",
    State.LOOK: "needs a look",
    State.ASIDE: "set aside",
    State.BROUGHT: "came home",
    State.FAILED: "did not come home",
}


class CaptureModel(QAbstractListModel):
    """The captures of one day."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.all: tuple[CaptureView, ...] = ()
        self.words = ""
        self.views: tuple[CaptureView, ...] = ()
        self._stacks: dict[str, int] = {}
        self._fates: dict[str, State] = {}
        self._unstacked: set[str] = set()
        self._rows: dict[str, int] = {}
        self._places: list[int] = []
        """Of each row, which of all captures it shows."""
        self._is_all_home = False
        self._place_of: dict[str, int] = {}
        """Of each capture by its id, which of all it is."""
        self._below: dict[str, list[int]] = {}
        """Of each first frame of a closed burst, which captures lie below it."""

    def show(self, views: tuple[CaptureView, ...]) -> None:
        """Show other captures, bursts as one stack each unless they were opened."""
        self.all = views
        # By columns: each walk over all views that Python makes itself is felt.
        ids, states = [view.id for view in views], [view.state for view in views]
        stacks = [view.stack for view in views]
        self._place_of = dict(zip(ids, range(len(ids)), strict=True))
        # A frame that fares otherwise than the first one is shown beside it.
        fates = self._fates = {one: states[self._place_of[one]] for one in set(stacks) if one in self._place_of}
        in_stacks = [at for at, one in enumerate(stacks) if one and fates.get(one) is states[at]]
        self._stacks = dict(Counter(map(stacks.__getitem__, in_stacks)))
        self._below = {}
        for at in in_stacks:
            if stacks[at] != ids[at] and stacks[at] not in self._unstacked:
                self._below.setdefault(stacks[at], []).append(at)
        hidden = {at for below in self._below.values() for at in below}
        self._places = [at for at in range(len(ids)) if at not in hidden] if hidden else list(range(len(ids)))
        home, brought = State.HOME, State.BROUGHT
        self._is_all_home = all(state is home or state is brought for state in states)
        self._show(tuple(map(views.__getitem__, self._places)), list(map(ids.__getitem__, self._places)))

    def _is_hidden(self, view: CaptureView) -> bool:
        """Whether a capture lies below the first frame of its burst."""
        if not view.stack or view.stack == view.id or view.stack in self._unstacked:
            return False
        return self._fates.get(view.stack) is view.state

    def stack_of(self, view: CaptureView) -> int:
        """How many frames lie below a capture that is shown for its burst; 0 where it stands for itself."""
        closed = view.stack == view.id and view.stack not in self._unstacked
        count = self._stacks.get(view.stack, 0) if closed else 0
        return count if count > 1 else 0

    def turn_stack(self, view: CaptureView) -> bool:
        """Open the burst of a capture, or close it. Returns whether it is in one."""
        if self._stacks.get(view.stack, 0) < 2:
            return False
        self._unstacked ^= {view.stack}
        self.show(self.all)
        return True

    def uncover(self, capture: str) -> bool:
        """Open the burst that a capture lies below in. Returns whether there was one to open."""
        at = self._place_of.get(capture)
        return at is not None and self._is_hidden(self.all[at]) and self.turn_stack(self.all[at])

    def with_stacks(self, rows: Sequence[int]) -> tuple[str, ...]:
        """The ids of rows with those of the frames that lie below them, in the order of shooting."""
        places = [self._places[row] for row in rows]
        if self._below:
            places += [at for row in rows for at in self._below.get(self.views[row].id, ())]
        return tuple(self.all[at].id for at in sorted(places))

    def _show(self, views: tuple[CaptureView, ...], ids: list[str]) -> None:
        """Where they are the same ones, only their looks change; that is told once, as one row costs what all do."""
        if ids == list(self._rows):
            old, self.views = self.views, views
            last = len(views) - 1
            ends = [
                next((row for row in rows if views[row] is not old[row] and views[row] != old[row]), None)
                for rows in (range(last + 1), range(last, -1, -1))
            ]
            if ends[0] is not None and ends[1] is not None:
                self.dataChanged.emit(self.index(ends[0]), self.index(ends[1]))
            return
        self.beginResetModel()
        self.views = views
        self._rows = dict(zip(ids, range(len(ids)), strict=True))
        self.endResetModel()

    def row_of(self, capture: str) -> int | None:
        """The row of a capture, or of the stack that it lies in, or None."""
        row = self._rows.get(capture)
        if row is None:
            at = self._place_of.get(capture)
            row = self._rows.get(self.all[at].stack) if at is not None else None
        return row

    def flags(self, index: Index) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsDragEnabled

    def mimeTypes(self) -> list[str]:
        return [CAPTURES]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        ids = self.with_stacks([index.row() for index in indexes])
        data = QMimeData()
        data.setData(CAPTURES, "\0".join(ids).encode("utf-8", "surrogateescape"))
        return data

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.views)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        view = self.views[index.row()]
        if role == VIEW:
            return view
        if role == STACK:
            return self.stack_of(view)
        if role == ALL_HOME:
            return self._is_all_home
        if role == NAME:
            # What all of them bear would leave no room for what tells them apart.
            stem = view.new_name.rpartition(".")[0]
            return stem.replace(f" {self.words}", "").replace(self.words, "").strip("_- ") if self.words else ""
        if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.DisplayRole):
            return spoken(view)
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip_text("\n".join([view.name, view.why, *view.notes]))
        return None


def spoken(view: CaptureView) -> str:
    """What a screen reader says of a capture."""
    when = f"{view.when:%H:%M:%S}, " if view.when else ""
    new = f", as {view.new_name}" if view.new_name else ""
    return f"{view.name}, {when}device {view.device.letter}, {_WORDS[view.state]}{new}"
