"""Up close, over the captures of a view: what files say is read as one walks."""

from __future__ import annotations

import os
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, overload

import numpy as np
from PySide6.QtCore import QObject, QRect, Signal
from PySide6.QtWidgets import QWidget

from jutrek.captures import Device
from jutrek.desk.board_captures import CaptureView, State
from jutrek.desk.details import CaptureDetails
from jutrek.formats import Kind
from jutrek.ui.pages.library.chosen import facts_of
from jutrek.ui.pages.library.words import mark_words
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import Theme
from jutrek.views.columns import KINDS, Names

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.desk.laid_out import View
    from jutrek.desk.viewing import LookedAt
    from jutrek.ui.viewer.close_look import CloseLook

_KEPT = 64


class _Walk(Sequence[CaptureView]):
    """The captures of a view as up close walks through them; each is made when it is looked at."""

    def __init__(self, view: View, rows: NDArray[np.int64], known: Callable[[str], LookedAt | None]) -> None:
        self._view, self._rows, self._known = view, rows, known

    def __len__(self) -> int:
        return len(self._rows)

    @overload
    def __getitem__(self, at: int) -> CaptureView: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[CaptureView]: ...
    def __getitem__(self, at: int | slice) -> CaptureView | Sequence[CaptureView]:
        if isinstance(at, slice):
            return [self[one] for one in range(len(self))[at]]
        view, row = self._view, int(self._rows[at])
        columns = view.columns
        path = columns.path(row)
        known = self._known(path)
        device = columns.names[Names.DEVICE][columns.device[row]]
        letter, _, name = device.partition(" ")
        has_letter = device in view.colours and bool(name)
        picture = known.picture if known is not None else None
        return CaptureView(
            view.whole(row), view.top(row), columns.name(row), State.HOME, path,
            tuple(one.rpartition("/")[2] for one in columns.companions(row)),
            Device(device, name if has_letter else device, letter if has_letter else "", view.colours.get(device, 0)),
            Kind(KINDS[columns.kind[row]]), columns.when(row), known.details.why if known is not None else "",
            int(columns.length[row]) / 1000, int(columns.size[row]), (),
            picture.format if picture else "", picture.orientation if picture else 1,
            picture.previews if picture else (),
        )  # fmt: skip


class Closely(QObject):
    """Opens up close over a page, and reads what it shows."""

    wanted = Signal(object)
    """What a file says is wanted, by its path in the library."""
    walked = Signal(int)
    """To another capture of the view: which one."""
    closed = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, page: QWidget) -> None:
        super().__init__(page)
        self._theme, self._pictures, self._page = theme, pictures, page
        self._known: OrderedDict[str, LookedAt] = OrderedDict()
        self._root = ""
        self.look: CloseLook | None = None
        self._rows: NDArray[np.int64] | None = None
        self._view: View | None = None

    @property
    def is_open(self) -> bool:
        """Whether it is shown."""
        return self.look is not None and self.look.isVisible()

    def open(self, view: View, rows: NDArray[np.int64], at: int) -> None:
        """Look at one of the captures of a view.

        Args:
            view: the view.
            rows: its captures as they are walked through.
            at: which of them.
        """
        if not 0 <= at < len(rows):
            return
        if self.look is None:
            from jutrek.ui.viewer.close_look import CloseLook

            self.look = CloseLook(self._theme, self._pictures, self._page, back="Back to the library")
            self.look.walked.connect(self._on_walked)
            self.look.closed.connect(self.closed)
        self._view, self._rows, self._root = view, rows, view.root
        walk = _Walk(view, rows, self._known.get)
        self.look.look(walk, walk[at].id, self._details, at)

    def renew(self, view: View, rows: NDArray[np.int64]) -> None:
        """Another view is shown below: what is looked at is shown as it is told there, if it is a part of it."""
        now = self.look.capture() if self.look is not None and self.is_open else None
        if self.look is None or now is None:
            return
        at = np.flatnonzero(rows == view.columns.row_of(now.destination))
        if len(at):
            self._view, self._rows, self._root = view, rows, view.root
            self.look.renew_at(_Walk(view, rows, self._known.get), int(at[0]))

    def _on_walked(self, path: str) -> None:
        if self.look is not None:
            self.walked.emit(self.look.at)

    def _details(self, path: str) -> CaptureDetails:
        """What is known of a capture; read, if it is not known yet."""
        name = self._view.below(path) if self._view is not None else path
        known = self._known.get(name)
        if known is not None:
            return self._with_mark(name, known.details)
        self.wanted.emit(name)
        return CaptureDetails(path, (), "What the file says is being read.", True, (), ())

    def _with_mark(self, path: str, details: CaptureDetails) -> CaptureDetails:
        """What is known of a capture, with the mark that it has now before all else."""
        row = self._view.columns.row_of(path) if self._view is not None else -1
        if self._view is None or row < 0:
            return details
        own = (("Mark", mark_words(self._view, row)), ("Lies", self._view.lies(row)))
        return replace(details, facts=(*((label, words) for label, words in own if words), *details.facts))

    def take(self, path: str, found: LookedAt) -> None:
        """What a file says was read."""
        self._known[path] = found
        while len(self._known) > _KEPT:
            self._known.popitem(last=False)
        if self.look is not None and self._shows(path):
            self.look.show_again()

    def fail(self, path: str, why: str) -> None:
        """A file could not be read."""
        if self.look is not None and self._shows(path):
            facts: tuple[tuple[str, str], ...] = ()
            row = self._view.columns.row_of(path) if self._view is not None else -1
            drive = self._view.drive_of(row) if self._view is not None and row >= 0 else None
            if self._view is not None and drive is not None and not drive.here:
                facts = tuple((label, words) for label, words in facts_of(self._view, row) if words)
                why = "The drive is away: this is what was kept of it."
            self.look.say_instead(CaptureDetails(os.path.join(self._root, path), (), why, False, facts, ()))

    def _shows(self, path: str) -> bool:
        view = self.look.capture() if self.look is not None and self.is_open else None
        return view is not None and view.destination == path

    def show_anew(self) -> None:
        """What is looked at is another picture now."""
        self.forget()
        if self.look is not None and self.is_open and self._view is not None and self._rows is not None:
            self.open(self._view, self._rows, self.look.at)
            self.look.stage.show_anew()

    def forget(self) -> None:
        """Other things may be known of all files."""
        self._known.clear()

    def place(self, box: QRect) -> None:
        """Where it lies over the page."""
        if self.look is not None:
            self.look.setGeometry(box)

    def leave(self) -> None:
        """Close it."""
        if self.look is not None:
            self.look.leave()
