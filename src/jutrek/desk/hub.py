"""Events by their type: who wants to hear of something says so once, and hears what is the case at once.

A face has one thread on which it hears everything; `post` brings calls there. Subscribing is done on that thread.
"""

from __future__ import annotations

import threading
import time
from collections import defaultdict
from collections.abc import Callable
from functools import partial
from typing import Any, TypeVar

from jutrek.desk import events

Post = Callable[[Callable[[], None]], None]
"""Has something called on the thread of a face, in the order in which it is passed."""
_E = TypeVar("_E")
_EVERY = 0.05
"""Seconds between two events of a kind that only say how far something is."""


class Hub:
    """Passes events on to those that subscribed to their type."""

    def __init__(self, post: Post) -> None:
        self._post = post
        self._closed = False
        self._hear: defaultdict[type, list[Callable[[Any], None]]] = defaultdict(list)
        self._latest: dict[type, object] = {}

    def post(self, call: Callable[[], None]) -> None:
        """From any thread: have something called on the face's, unless that hears nothing any more."""
        if not self._closed:
            self._post(call)

    def close(self) -> None:
        """Nothing is heard any more."""
        self._closed = True

    def on(self, kind: type[_E], hear: Callable[[_E], None], *, latest: bool = False) -> None:
        """Hear every event of a type from now on.

        Args:
            latest: whether the one that was told last, if there is one, is heard at once.
        """
        self._hear[kind].append(hear)
        if latest and isinstance(event := self._latest.get(kind), kind):
            hear(event)

    def tell(self, event: events.Event) -> None:
        """Tell something, from any thread."""
        self.post(partial(self._pass_on, event))

    def _pass_on(self, event: events.Event) -> None:
        self._latest[type(event)] = event
        for hear in tuple(self._hear[type(event)]):
            hear(event)


class Teller:
    """Tells what one worker is about."""

    def __init__(self, hub: Hub, who: events.Who) -> None:
        self._hub, self.who = hub, who
        self._last: dict[type, float] = {}
        self._lock = threading.Lock()
        self._works = self._muted = False
        self.words = ""
        """What was told last to be going on."""
        self.moving: tuple[object, ...] | None = None
        """While a run is at work: what changes as long as any file gets on; empty where that says nothing."""

    def mute(self) -> None:
        """Tell nothing any more: whoever it tells of was left behind."""
        if self._works:
            self._hub.tell(events.Working("", who=self.who))
        self._muted = True

    @property
    def works(self) -> bool:
        """Whether it was told that something is going on."""
        return self._works

    def tell(self, event: events.Event) -> None:
        """Tell an event."""
        if not self._muted:
            self._hub.tell(event)

    def often(self, event: events.Event, *, last: bool = False) -> None:
        """Tell an event unless one of its kind was told just now."""
        now = time.monotonic()
        with self._lock:
            if not last and now - self._last.get(type(event), 0.0) <= _EVERY:
                return
            self._last[type(event)] = now
        self.tell(event)

    def working(
        self,
        what: str,
        done: int = 0,
        total: int = 0,
        *,
        sizes: bool = False,
        speed: float = 0.0,
        changes: bool = False,
    ) -> None:
        """Tell what is going on, and how far it is; what is new is told at once.

        Args:
            what: a few words.
            done: how much of it is done.
            total: of how much; 0 where that is not known.
            sizes: whether these are bytes.
            speed: bytes a second, where it is known.
            changes: whether files are copied or moved by it.
        """
        self._works, self.words = True, what
        self.often(events.Working(what, done, total, sizes, speed, self.who, changes), last=total == 0 == done)

    def reading(self, root: str, files: int, all_files: int) -> None:
        """Tell how far the reading of a source is."""
        self._works = True
        self.often(events.Reading(root, files, all_files), last=files == all_files)

    def resting(self) -> None:
        """Tell that nothing is going on any more, if it was told that something is."""
        if self._works:
            self._works, self.words = False, ""
            self.tell(events.Working("", who=self.who))
