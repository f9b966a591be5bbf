"""The way to the session: it begins once the window was painted, and everything is heard on the window's thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QObject, Signal

from jutrek.desk import events
from jutrek.desk.events import Who
from jutrek.desk.hub import Hub
from jutrek.ui import paint

if TYPE_CHECKING:
    from jutrek.desk.session import Session

_E = TypeVar("_E")


class Client(QObject):
    """Holds the session, passes events on, and knows who is at work.

    Attributes:
        session: None until the window was painted, and after it was closed.
        hub: where events are heard.
    """

    worked = Signal(object)
    """Somebody's work went on, or ended: who."""
    _told = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session: Session | None = None
        self._ended: Session | None = None
        self._told.connect(lambda call: call())
        self.hub = Hub(self._told.emit)
        self._working: dict[Who, tuple[str, str]] = {}
        self._changes: dict[Who, str] = {}
        self.hub.on(events.Working, self._hear_working)
        self.hub.on(events.Reading, self._hear_reading)

    def start(self) -> Session:
        """Begin the session, unless it has begun."""
        if self.session is None:
            # Here, once the window was painted.
            from jutrek.desk.session import Session

            self.session = Session(self.hub)
        return self.session

    def on(self, kind: type[_E], hear: Callable[[_E], None]) -> None:
        """Hear every event of a type from now on, and the last one, if there is one, at once."""
        self.hub.on(kind, hear, latest=True)

    def end(self) -> None:
        """End the session, and wait for nobody."""
        self._ended, self.session = self.session, None
        if self._ended is not None:
            self._ended.end()

    def join(self, patience: float) -> bool:
        """Wait until a session that was ended has done what it was at, for some seconds. Returns whether it has."""
        return self._ended is None or self._ended.close(patience)

    def words_of(self, minds: tuple[Who, ...]) -> tuple[str, str]:
        """What is going on, and how far it is, by the first of some who are at work; empty where none is."""
        return next((self._working[who] for who in minds if who in self._working), ("", ""))

    @property
    def changes(self) -> str:
        """What is going on that copies or moves files, besides a run of the intake; empty where nothing is."""
        return next(iter(self._changes.values()), "")

    def stop(self, minds: tuple[Who, ...]) -> None:
        """End what the first of some who are at work is doing, safely."""
        who = next((who for who in minds if who in self._working), None)
        if self.session is not None and who is not None:
            self.session.stop(who)

    def _hear_working(self, event: events.Working) -> None:
        if event.what:
            self._working[event.who] = (f"{event.what}.", _figures(event))
        else:
            self._working.pop(event.who, None)
        if event.changes:
            self._changes[event.who] = f"{event.what}."
        else:
            self._changes.pop(event.who, None)
        self.worked.emit(event.who)

    def _hear_reading(self, event: events.Reading) -> None:
        if event.files < event.all_files or not event.all_files:
            self._working[Who.INTAKE] = ("Reading.", "")
        else:
            self._working.pop(Who.INTAKE, None)
        self.worked.emit(Who.INTAKE)


def _figures(event: events.Working) -> str:
    done, total = event.done, event.total
    if event.sizes:
        return f"{paint.size_words(done)} of {paint.size_words(total)}"
    figures = f"{done:,} of {total:,}" if total else paint.counted(done, "file") if done else ""
    return f"{figures} · {paint.size_words(event.speed)}/s" if event.speed else figures
