"""Workers and their tickets: whose turn it is, who hears what, and how one waits for another."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from jutrek.desk import events
from jutrek.desk import pool as pool_room
from jutrek.desk.events import Who
from jutrek.desk.hub import Hub, Teller
from jutrek.desk.pool import Pool
from jutrek.desk.watchman import Watchman
from jutrek.desk.worker import Urgency, Worker
from jutrek.errors import JutrekError, NotPossible, OurFault, Stopped
from tests.desk.talk import Ear

WAIT = 10.0


def until(holds: Callable[[], object]) -> None:
    """Wait until something holds."""
    deadline = time.monotonic() + WAIT
    while not holds():
        assert time.monotonic() < deadline
        time.sleep(0.005)


@pytest.fixture
def two(ear: Ear) -> Iterator[tuple[Worker, Worker]]:
    """Two workers; what nobody asked to hear of, the ear hears, and what they are about."""
    hub = Hub(lambda call: call())
    hub.on(events.Working, ear)
    workers = tuple(Worker(Teller(hub, who), hub.post, ear) for who in (Who.INTAKE, Who.LIBRARY))
    for worker in workers:
        worker.start()
    yield workers  # type: ignore[misc]
    for worker in workers:
        worker.end()
        worker.join()


def waits(
    one: Worker, other: Worker, job: Callable[[], object], *hear: Callable[[Any], object], to_the_end: bool = False
) -> None:
    """Let one wait for a job of the other, and see that it does."""
    begun = threading.Event()

    def ask() -> object:
        begun.set()
        return one.have_done(other, job, to_the_end=to_the_end)

    one.ask(ask, *hear)
    assert begun.wait(WAIT)


def held(worker: Worker) -> tuple[threading.Event, threading.Event]:
    """Keep a worker busy until the second event is set; the first says that it is."""
    begun, gate = threading.Event(), threading.Event()
    worker.ask(lambda: (begun.set(), gate.wait(WAIT)))
    assert begun.wait(WAIT)
    return begun, gate


def test_the_most_urgent_comes_first_and_each_hears_its_own(two: tuple[Worker, Worker], ear: Ear) -> None:
    """Of one urgency, in the order of asking; a given-up one ends as stopped without having begun."""
    worker, done = two[0], []
    _, gate = held(worker)
    troubles: list[JutrekError] = []
    for name, urgency in (("c", Urgency.TURN), ("b", Urgency.SOON), ("d", Urgency.TURN), ("a", Urgency.NOW)):
        worker.ask(lambda name=name: name, done.append, urgency=urgency)
    ticket = worker.ask(lambda: done.append("never"), None, troubles.append)
    ticket.give_up()
    worker.ask(lambda: 1 / 0)
    gate.set()
    fault = ear.wait(OurFault)
    assert "ZeroDivisionError" in str(fault)
    assert (done, [type(one) for one in troubles]) == (["a", "b", "c", "d"], [Stopped])


def test_between_two_steps_only_what_is_urgent_is_served(two: tuple[Worker, Worker]) -> None:
    """A job that reads a source serves decisions, and nothing that waits for its turn."""
    worker, done = two[0], []
    begun, gate = threading.Event(), threading.Event()

    def job() -> None:
        begun.set()
        gate.wait(WAIT)
        worker.serve()
        done.append("job")

    worker.ask(job)
    assert begun.wait(WAIT)
    worker.ask(lambda: done.append("turn"))
    worker.ask(lambda: done.append("soon"), urgency=Urgency.SOON)
    gate.set()
    until(lambda: len(done) == 3)
    assert done == ["soon", "job", "turn"]


def test_one_waits_for_another_and_does_meanwhile_what_must_be(two: tuple[Worker, Worker]) -> None:
    """Decisions wait; what must be done now does not; the answer and the trouble come through."""
    one, other = two
    done: list[object] = []
    _, gate = held(other)
    waits(one, other, lambda: "answer", done.append)
    one.ask(lambda: done.append("soon"), urgency=Urgency.SOON)
    one.ask(lambda: done.append("now"), urgency=Urgency.NOW)
    until(lambda: done == ["now"])
    gate.set()
    until(lambda: len(done) == 3)
    assert done == ["now", "answer", "soon"]

    def refuse() -> None:
        raise NotPossible("here", "it is only a try")

    waits(one, other, refuse, done.append, lambda error: done.append(type(error)))
    until(lambda: done[-1] is NotPossible)


def test_a_stop_goes_on_to_who_is_waited_for(two: tuple[Worker, Worker]) -> None:
    """Whether that has begun or still waits; where it must not be broken off, it is not."""
    one, other = two
    done: list[object] = []
    begun, gate = threading.Event(), threading.Event()

    def long() -> bool:
        begun.set()
        return other.stop.wait(WAIT)

    waits(one, other, long, done.append)
    assert begun.wait(WAIT)
    one.stop.set()
    until(lambda: done == [True])
    _, gate = held(other)
    waits(one, other, lambda: "never", done.append, lambda error: done.append(type(error)))
    one.stop.set()
    time.sleep(0.1)
    assert not other.stop.is_set()
    gate.set()
    until(lambda: done[-1] is Stopped)
    _, gate = held(other)
    waits(one, other, lambda: "done", done.append, to_the_end=True)
    one.stop.set()
    gate.set()
    until(lambda: done[-1] == "done")


def test_what_waits_when_it_ends_is_told_so(two: tuple[Worker, Worker]) -> None:
    """Also what is asked for afterwards; nobody waits for ever."""
    worker, troubles = two[0], []
    _, gate = held(worker)
    worker.ask(lambda: None, None, troubles.append)
    worker.end()
    gate.set()
    worker.join()
    worker.ask(lambda: None, None, troubles.append)
    assert [type(one) for one in troubles] == [Stopped, Stopped]


def test_what_is_told_of_work_ends_with_it(two: tuple[Worker, Worker], ear: Ear) -> None:
    """A job that said what it does is followed by a word that nothing is done any more, before its answer."""
    worker = two[1]
    worker.ask(lambda: worker.teller.working("Looking", 3, 9) or "seen", ear)
    ear.wait(str)
    assert ear.all == [events.Working("Looking", 3, 9, who=Who.LIBRARY), events.Working("", who=Who.LIBRARY), "seen"]


def test_a_pool_serves_the_newest_of_each_line_and_forgets_the_oldest() -> None:
    """The lower rank first; a job at work can ask whether something newer waits."""
    pool, gate, begun = Pool(1), threading.Event(), threading.Event()
    large, small = pool.line(0), pool.line(2, waiting=2)
    done: list[object] = []
    small.wish("first", lambda superseded: (begun.set(), gate.wait(WAIT), done.append(superseded())))
    assert begun.wait(WAIT)
    for name in "abc":
        small.wish(name, lambda _, name=name: done.append(name))
        large.wish("", lambda _, name=name: done.append(name.upper()))
    assert not pool.idle
    gate.set()
    until(lambda: pool.idle)
    assert done == [True, "C", "c", "b"]
    pool.end()
    assert pool.join(WAIT)


def test_a_medium_that_hangs_takes_nobody_elses_turn(monkeypatch: pytest.MonkeyPatch) -> None:
    """Its jobs stay; of it nothing more is begun; all others are served, as many at a time as ever."""
    monkeypatch.setattr(pool_room, "LATE", 0.2)
    pool, gate = Pool(2), threading.Event()
    line, done, at_once = pool.line(0, at_once=2, waiting=50), list[str](), list[int]()
    counting = threading.Lock()

    def quick(name: str) -> None:
        with counting:
            at_once.append(1)
            most.append(len(at_once))
        time.sleep(0.02)
        with counting:
            at_once.pop()
            done.append(name)

    most: list[int] = []
    for number in range(6):
        line.wish(f"bad {number}", lambda _: gate.wait(WAIT), "Card B")
    for number in range(10):
        line.wish(f"good {number}", lambda _, number=number: quick(f"good {number}"), "Card A")
    until(lambda: len(done) == 10)
    assert max(most) <= 2
    line.wish("again", lambda _: quick("again"), "Card A")
    until(lambda: "again" in done)
    assert len(line.late(time.monotonic())) <= 2
    gate.set()
    until(lambda: pool.idle)
    pool.end()
    assert pool.join(WAIT)


@pytest.mark.long
def test_who_writes_for_long_is_not_taken_for_one_that_hangs(
    two: tuple[Worker, Worker], ear: Ear, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    """While every disk tells its room, it is said later, and given up much later; who looks is left alone."""
    # So far apart that a machine that is slow just now does not pass over one of them.
    for name, seconds in (("LATE", 0.2), ("_SLOW", 1.5), ("_DEAD", 4.0)):
        monkeypatch.setattr(f"jutrek.desk.watchman.{name}", seconds)
    worker, gate, given_up, troubles = two[1], threading.Event(), list[Worker](), list[JutrekError]()
    disks = {str(tmp_path): "Archive"}
    watch = Watchman(lambda: two, lambda: disks, lambda one, _: given_up.append(one), lambda _: False)
    watch.start()
    worker.about, worker.begins = "Archive", watch.nudge
    began = time.monotonic()
    worker.ask(lambda: until(worker.stop.is_set) or gate.wait(WAIT), None, troubles.append)
    time.sleep(2.0)
    assert ear.all == []
    worker.stop.set()
    try:
        until(lambda: given_up)
        assert time.monotonic() - began >= 2.0 + 4.0
        said = [one.what for one in ear.all]
        # A machine that is slow just now may pass over the first.
        said = said[said[0] == "Asking Archive" :]
        assert said == sorted(said)
        assert {one.rpartition(" for ")[0] for one in said} == {"Archive has not answered"}
        assert said[-1] in ("Archive has not answered for 2 s", "Archive has not answered for 3 s")
    finally:
        gate.set()
        until(lambda: not worker.busy)
        watch.end()
