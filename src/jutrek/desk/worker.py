"""A thread that does jobs one after the other, the most urgent first, and in between what can wait.

Whoever asks for a job gets a ticket, and hears the answer or the trouble where it asked: nobody else does.
"""

from __future__ import annotations

import contextlib
import heapq
import logging
import os
import threading
import time
from collections.abc import Callable, Iterator
from enum import IntEnum
from typing import Any, Generic, Protocol, TypeVar

from jutrek.desk.hub import Post, Teller
from jutrek.errors import JutrekError, LibraryMissing, OurFault, Stopped, reason

_T = TypeVar("_T")
_LOOK_EVERY = 0.05
"""Seconds after which a thread that waits for another looks what is urgent."""

LATE = 2.0
"""Seconds without a sign after which a disk is said not to answer, and can be given up."""

_LOOK_ANEW = 1.0
"""Seconds after which a thread that has nothing to do looks again."""

_log = logging.getLogger(__name__)


class Urgency(IntEnum):
    """When a job has its turn."""

    NOW = 0
    """Also while another job waits for something."""
    SOON = 1
    """Before everything else that waits, and between two steps of a job that allows it."""
    TURN = 2
    """After everything that was asked for before."""


class Stop(threading.Event):
    """Set to end a job. Whoever looks whether it is shows that it does not hang.

    Attributes:
        seen: when it was looked at last, by the monotonic clock.
    """

    def __init__(self) -> None:
        super().__init__()
        self.seen = time.monotonic()

    def is_set(self) -> bool:
        self.seen = time.monotonic()
        return super().is_set()

    @property
    def wanted(self) -> bool:
        """Whether it is set, asked by somebody else than the job."""
        return super().is_set()


class Ticket(Generic[_T]):
    """Something that was asked for.

    Attributes:
        given_up: whether it need not begin any more.
        over: whether it was heard of already what came of it.
    """

    def __init__(
        self, job: Callable[[], _T], answer: Callable[[_T], None] | None, trouble: Callable[[JutrekError], None] | None
    ) -> None:
        self.job, self.answer, self.trouble = job, answer, trouble
        self.given_up = self.over = False

    def give_up(self) -> None:
        """If it has not begun yet, let it end as stopped."""
        self.given_up = True


class IdleWork(Protocol):
    """What is done while no job waits: a little at a time, never longer than a person would notice."""

    @property
    def has_work(self) -> bool:
        """Whether there is something to do."""

    def go_on(self) -> None:
        """Do a little of it."""


class Worker:
    """One thread and its jobs. Jobs are asked for from any thread.

    Attributes:
        stop: set to end the job at hand; jobs look at it.
        teller: tells what goes on.
        about: the name of what its jobs ask, such as a library: it is told where no answer comes.
        begins: called with every job, on the thread.
        left: called on the thread when it ends after it was abandoned: closes what it had open.
        idle: what is done while no job waits, if anything.
        rests: called, on the thread, whenever it has done all its jobs.
    """

    def __init__(self, teller: Teller, post: Post, heard: Callable[[JutrekError], None]) -> None:
        """
        Args:
            teller: tells what goes on, and who it is.
            post: brings answers and troubles to the face's thread.
            heard: told of troubles that nobody asked to hear of, on the worker's thread.
        """
        self.stop = Stop()
        self.teller, self.who = teller, teller.who
        self.about = ""
        self.begins: Callable[[], None] = _nothing
        self.left: Callable[[], None] = _nothing
        self.idle: IdleWork | None = None
        self.rests: Callable[[], None] = _nothing
        self._post, self._heard = post, heard
        self._more = threading.Condition()
        self._queue: list[tuple[Urgency, int, Ticket[Any]]] = []
        self._asked = self._depth = 0
        self._busy = self._closed = False
        self._at_hand: Ticket[Any] | None = None
        self._began = 0.0
        self._clock: int | None = None
        self._abandoned = False
        self._thread = threading.Thread(target=self._work, name=teller.who, daemon=True)

    def start(self) -> None:
        """Begin with what was asked for."""
        self._thread.start()

    def ask(
        self,
        job: Callable[[], _T],
        answer: Callable[[_T], None] | None = None,
        trouble: Callable[[JutrekError], None] | None = None,
        *,
        urgency: Urgency = Urgency.TURN,
    ) -> Ticket[_T]:
        """Ask for a job.

        Args:
            answer: hears what came of it, on the face's thread.
            trouble: hears why nothing did, on the face's thread; `Stopped` where it was stopped. Without it, the
                worker's owner does.
        """
        ticket = Ticket(job, answer, trouble)
        self._put(ticket, urgency)
        return ticket

    def _put(self, ticket: Ticket[Any], urgency: Urgency) -> None:
        with self._more:
            ended = self._closed
            if not ended:
                self._asked += 1
                heapq.heappush(self._queue, (urgency, self._asked, ticket))
                self._more.notify_all()
        if ended:
            self._fail(ticket, Stopped())

    @property
    def busy(self) -> bool:
        """Whether it does a job, or one waits."""
        return self._busy or bool(self._queue)

    @property
    def wanted(self) -> bool:
        """Whether jobs wait, or it is to end."""
        return self._closed or bool(self._queue)

    @property
    def alive(self) -> bool:
        """Whether its thread runs."""
        return self._thread.is_alive()

    @property
    def abandoned(self) -> bool:
        """Whether it was left behind."""
        return self._abandoned

    @property
    def closing(self) -> bool:
        """Whether it is to end."""
        return self._closed

    def stop_at(self, ticket: Ticket[Any]) -> None:
        """End a job, if it is the one at hand."""
        with self._more:
            if self._at_hand is ticket:
                self.stop.set()

    def nudge(self) -> None:
        """Look again whether something can be done meanwhile."""
        with self._more:
            self._more.notify_all()

    def end(self) -> None:
        """Stop what it does, and take nothing up any more. `join` waits until it has ended."""
        with self._more:
            self._closed = True
            self.stop.set()
            self._more.notify_all()

    def abandon(self, error: JutrekError) -> None:
        """Leave it where it hangs: the job at hand ends with an error, whatever waits behind it as stopped.

        Nothing that it comes to later is heard of, and as soon as it looks it is told to stop.
        """
        with self._more:
            self._closed = self._abandoned = True
            at_hand, waiting = self._at_hand, [ticket for _, _, ticket in sorted(self._queue)]
            self._queue.clear()
            self.stop.set()
            self._more.notify_all()
        self.teller.mute()
        if at_hand is not None:
            self._fail(at_hand, error)
        for ticket in waiting:
            self._fail(ticket, Stopped())

    # ---- looked at by others

    @property
    def signs(self) -> object:
        """What changes as long as the job at hand gets on: bytes that were carried; else when it looked at `stop`
        last, and seconds that it computed. None where there is no job."""
        if self._at_hand is None or self._clock is None:
            return None
        if self.teller.moving:
            return self.teller.moving
        try:
            return self._began, self.stop.seen, round(time.clock_gettime(self._clock), 2)
        except OSError:
            return None

    def say(self, words: str) -> None:
        """Tell what is going on in place of the job at hand, as long as there is one."""
        with self._more:
            if self._at_hand is not None and not self._closed:
                self.teller.working(words)

    def unsay(self, words: str) -> None:
        """What was said in place of the job at hand no longer holds; what it said itself since does."""
        with self._more:
            if self.teller.words == words:
                self.teller.resting()

    def join(self, patience: float | None = None) -> bool:
        """Wait until the thread has ended, for some seconds at most. Returns whether it has."""
        self._thread.join(patience)
        return not self._thread.is_alive()

    # ---- on its own thread

    def serve(self, urgency: Urgency = Urgency.SOON) -> None:
        """Do what is at least that urgent: called by a job between two of its steps."""
        while (ticket := self._take(urgency)) is not None:
            self._do(ticket)

    def have_done(self, other: Worker, job: Callable[[], _T], *, to_the_end: bool = False) -> _T:
        """Have another worker do a job, and do meanwhile what must be done here now.

        Args:
            other: who does it.
            job: what it does.
            to_the_end: whether a stop of this worker is none of that job.

        Raises:
            JutrekError: what the other one met with; `Stopped` where one of them ends.
        """
        ticket = _Passed(job, self)
        other._put(ticket, Urgency.TURN)
        while not ticket.ended:
            self.serve(Urgency.NOW)
            if self.stop.is_set() and not to_the_end:
                ticket.give_up()
                other.stop_at(ticket)
            with self._more:
                if not ticket.ended:
                    self._more.wait(_LOOK_EVERY)
        self.serve(Urgency.NOW)
        if ticket.error is not None:
            raise ticket.error
        return ticket.value  # type: ignore[no-any-return]

    @contextlib.contextmanager
    def holding(self, lock: threading.RLock, *, idly: bool = False) -> Iterator[None]:
        """Hold a lock that another worker may hold for long, and do until then what must be done here now.

        Args:
            lock: of which one thread at a time is the holder.
            idly: whether it is waited for only as long as no job waits.

        Raises:
            Stopped: when it is not to be waited for any longer.
        """
        while not lock.acquire(timeout=_LOOK_EVERY):
            if self.stop.is_set() or (idly and self.wanted):
                raise Stopped
            self.serve(Urgency.NOW)
        try:
            yield
        finally:
            lock.release()

    def _take(self, urgency: Urgency) -> Ticket[Any] | None:
        with self._more:
            if self._closed or not self._queue or self._queue[0][0] > urgency:
                return None
            return heapq.heappop(self._queue)[2]

    def _work(self) -> None:
        self._clock = time.pthread_getcpuclockid(threading.get_ident())
        while not self._closed:
            ticket = self._take(Urgency.TURN)
            if ticket is not None:
                self._busy = True
                self._begin(ticket)
                self._do(ticket)
                continue
            if self._busy:
                self._busy = False
                self.rests()
            if self.idle is not None and self.idle.has_work:
                ticket = Ticket(self.idle.go_on, None, None)
                self._begin(ticket)
                self._do(ticket)
                continue
            with self._more:
                if not self._queue and not self._closed:
                    # What the other workers do says whether something can be done meanwhile.
                    self._more.wait(_LOOK_ANEW)
        self._busy = False
        for _, _, ticket in sorted(self._queue):
            self._fail(ticket, Stopped())
        if self._abandoned:
            self.left()

    def _begin(self, ticket: Ticket[Any]) -> None:
        with self._more:
            self._at_hand, self._began = ticket, time.monotonic()
            if not self._closed:
                self.stop.clear()
        self.begins()

    def _do(self, ticket: Ticket[Any]) -> None:
        self._depth += 1
        try:
            value, error = self._tried(ticket)
        finally:
            self._depth -= 1
        if not self._depth:
            with self._more:
                self._at_hand = None
            self.teller.resting()
        if error is None:
            self._settle(ticket, value)
        else:
            self._fail(ticket, error)

    def _tried(self, ticket: Ticket[Any]) -> tuple[Any, JutrekError | None]:
        """What a job answers, or why it was not done."""
        try:
            if ticket.given_up:
                raise Stopped
            return ticket.job(), None
        except JutrekError as error:
            return None, error
        except OSError as error:
            # A drive that went away meanwhile, above all.
            return None, LibraryMissing(os.fsdecode(error.filename or "on that drive"), reason(error))
        # The thread must outlive an error of our own: the person sees it, and can go on or close the window.
        except Exception as error:  # noqa: BLE001
            _log.exception("A job of the %s failed.", self._thread.name)
            return None, OurFault(error)

    def _settle(self, ticket: Ticket[Any], value: object) -> None:
        if self._is_over(ticket):
            return
        if isinstance(ticket, _Passed):
            ticket.end(value, None)
        elif ticket.answer is not None:
            answer = ticket.answer
            self._post(lambda: answer(value))

    def _is_over(self, ticket: Ticket[Any]) -> bool:
        """Whether a ticket has ended, which it has from now on."""
        with self._more:
            over, ticket.over = ticket.over, True
        return over

    def _fail(self, ticket: Ticket[Any], error: JutrekError) -> None:
        if self._is_over(ticket):
            return
        if isinstance(ticket, _Passed):
            ticket.end(None, error)
            return
        if ticket.trouble is not None:
            trouble = ticket.trouble
            self._post(lambda: trouble(error))
        elif not isinstance(error, Stopped):
            self._heard(error)


class _Passed(Ticket[Any]):
    """What one worker asked of another, and waits for."""

    def __init__(self, job: Callable[[], Any], waiting: Worker) -> None:
        super().__init__(job, None, None)
        self._waiting = waiting
        self.ended = False
        self.value: Any = None
        self.error: JutrekError | None = None

    def end(self, value: object, error: JutrekError | None) -> None:
        """It is done, or could not be."""
        self.value, self.error = value, error
        self.ended = True
        self._waiting.nudge()


def _nothing() -> None:
    return
