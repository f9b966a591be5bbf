"""Talking to a session as a face does, and hearing events, answers and troubles in one row."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from datetime import date
from typing import Any, get_args

from jutrek.captures import Change, Device
from jutrek.desk import events
from jutrek.desk.board import Board
from jutrek.desk.hub import Hub
from jutrek.desk.services.library import LibraryServices
from jutrek.desk.services.lookup import LookupService
from jutrek.desk.session import Session
from jutrek.errors import JutrekError
from jutrek.filing import HouseRules
from tests.making import PATIENCE


class Ear:
    """Hears a session, and waits for what it wants to hear.

    Attributes:
        heard: what was not waited for yet.
        all: everything.
    """

    def __init__(self) -> None:
        self.heard: list[Any] = []
        self.all: list[Any] = []
        self._more = threading.Condition()

    def __call__(self, event: object) -> None:
        with self._more:
            self.heard.append(event)
            self.all.append(event)
            self._more.notify_all()

    def wait(self, wanted: Callable[[Any], bool] | type, patience: float = PATIENCE) -> Any:
        """The next thing that is wanted, or of a type; what came before it is gone then."""
        fits = (lambda event: isinstance(event, wanted)) if isinstance(wanted, type) else wanted
        deadline = time.monotonic() + patience
        at = 0
        with self._more:
            while time.monotonic() < deadline:
                for event in self.heard[at:]:
                    at += 1
                    if fits(event):
                        del self.heard[:at]
                        return event
                self._more.wait(0.2)
        raise AssertionError(f"not heard; last: {self.heard[-3:]}")

    def board(self, wanted: Callable[[Board], bool] = lambda _: True) -> Board:
        """The next board with a plan that is wanted."""
        event = self.wait(lambda e: isinstance(e, events.BoardChanged) and e.board.plan is not None and wanted(e.board))
        assert isinstance(event, events.BoardChanged)
        return event.board


class Talk(Session):
    """A session whose answers and troubles an ear hears like its events."""

    def __init__(self, ear: Ear) -> None:
        super().__init__(Hub(lambda call: call()))
        self._ear = ear
        for kind in get_args(events.Event):
            self.hub.on(kind, ear)

    def _troubled(self, error: JutrekError) -> None:
        self._ear(events.Trouble("", error))

    def of_library(self, job: Callable[[LibraryServices], object]) -> None:
        self.ask_library(job, self._ear, self._troubled)

    def of_lookup(self, job: Callable[[LookupService], object]) -> None:
        self.ask_lookup(job, self._ear, self._troubled)

    def aside(self, job: Callable[[], object]) -> None:
        self.ask_aside(job, self._ear, self._troubled)

    def open_library(self, path: str, *, chosen: bool = False) -> None:
        self.ask_intake(lambda intake: intake.open_library(path, chosen=chosen), None, self._troubled)

    def add_source(self, path: str) -> None:
        self.ask_intake(lambda intake: intake.add_source(path), None, self._troubled)

    def remove_source(self, root: str) -> None:
        self.ask_intake(lambda intake: intake.remove_source(root), None, self._troubled)

    def change(self, *changes: Change) -> None:
        self.ask_intake(lambda intake: intake.change(*changes), soon=True)

    def answer(self, question: str, number: int) -> None:
        self.ask_intake(lambda intake: intake.answer(question, number), soon=True)

    def accept_certain(self) -> None:
        self.ask_intake(lambda intake: intake.accept_certain(), soon=True)

    def preview(self, question: str) -> None:
        self.ask_intake(lambda intake: intake.preview(question), self._ear, soon=True)

    def undo(self) -> None:
        self.ask_intake(lambda intake: intake.undo(), soon=True)

    def redo(self) -> None:
        self.ask_intake(lambda intake: intake.redo(), soon=True)

    def set_days(self, *, day_starts: int, gap: int, zone: int | None, journeys: tuple[tuple[date, int], ...]) -> None:
        self.ask_intake(
            lambda intake: intake.set_days(day_starts=day_starts, gap=gap, zone=zone, journeys=journeys), soon=True
        )

    def save_plan(self, path: str) -> None:
        self.ask_intake(lambda intake: intake.save_plan(path), self._ear, self._troubled)

    def keep_rules(self, rules: HouseRules, devices: Sequence[Device] = ()) -> None:
        self.of_library(lambda at: at.rules.keep(rules, devices))

    def bring(self) -> None:
        self.bring_home(None, self._ear, self._troubled)
