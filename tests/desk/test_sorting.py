"""Answers of a sorting on real files: done, cut off, refused, taken back; the record and the disk agree afterwards."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from jutrek.desk import sorting
from jutrek.desk.places import Places
from jutrek.desk.services.sorting import Sortings, SortingService
from jutrek.desk.sorting import Job, Settled
from jutrek.desk.tidying import Tidied, Tidying, gathered, moving, tidy
from jutrek.desk.viewing import Views
from jutrek.errors import LibraryBusy, NotPossible
from jutrek.filing import HouseRules
from jutrek.filing.tidying import Answer, Wish
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.sorting import record
from jutrek.sorting.bench import Bench
from jutrek.sorting.piles import By
from jutrek.sorting.record import At, What, new_id
from jutrek.transfer import Listener
from jutrek.transfer.lock import locked
from jutrek.views.conditions import Is, Sort, State, Value
from tests import making
from tests.killing import die, killed_in
from tests.making import WHEN, names_below, never, put

MESS = Value(Sort.FOLDER, "/mess")


class Desk:
    """A library with a mess in it, and one who sorts it."""

    def __init__(self, library: Library, ledger: Ledger) -> None:
        self.library, self.ledger = library, ledger
        self.views = Views(library, ledger)
        self.sortings = Sortings(library, self.views)
        self.id = ""

    def open(self) -> Bench:
        """The sorting as it is on the disk now."""
        self.views = Views(self.library, self.ledger)
        self.views.catch_up(never(), lambda *_: None, look=True)
        while self.views.read_some(never()):
            pass
        self.views.renew(soon=False)
        self.sortings = Sortings(self.library, self.views)
        self.id = self.sortings.begin(MESS)
        return self.sortings.open(self.id).bench

    def figures(self) -> tuple[int, int, int]:
        bench = self.open()
        return bench.filed, bench.aside, bench.to_go

    def job(self, what: What, to: str, *paths: str, **more: Any) -> Job:
        bench = self.open()
        rows = bench.columns.rows_of(paths)
        setting = HouseRules().setting(filed=True)
        own = tuple(rows[path] for path in paths)
        return Job(self.id, new_id(), what, to, bench.columns, own, setting, **more)

    def carry_out(self, wanted: Tidying) -> Tidied:
        return tidy(wanted, self.library, self.ledger, Places(), stop=never())

    def settle(self, job: Job, carry_out: Callable[[Tidying], Tidied] | None = None) -> Settled:
        return sorting.settle(job, self.library, carry_out or self.carry_out)

    def back(self, runs: Sequence[str]) -> tuple[int, str]:
        from jutrek.desk.taking_back import take_back

        for run in reversed(runs):
            outcome, left = take_back(
                self.library, self.ledger, run, Places(), stop=never(), listener=Listener()
            )  # fmt: skip
            if left:
                return outcome.home, " ".join(left)
        return len(runs), ""

    @property
    def names(self) -> set[str]:
        return {one for one in names_below(self.library.root) if not one.startswith(".jutrek/")}


@pytest.fixture
def desk(library: Library, ledger: Ledger) -> Desk:
    root = Path(library.root)
    for number in range(4):
        put(root / "mess" / f"P{number}.jpg", making.jpeg(WHEN.replace(minute=number), seed=number))
    put(root / "mess" / "P0.jpg.note", b"note")
    put(root / "mess" / "deep" / "x.jpg", making.jpeg(None, seed=9))
    put(root / "yard" / "P1.jpg", making.jpeg(WHEN.replace(hour=3), seed=40))
    return Desk(library, ledger)


def test_filed_aside_and_left(desk: Desk) -> None:
    """Each by itself; all that belongs to a capture goes along; and all of it taken back, the last first."""
    before = desk.names
    assert desk.settle(desk.job(What.FILED, "Theme/{year} {month}", "mess/P0.jpg", "mess/deep/x.jpg")).back == ()
    assert {"Theme/2026 05/P0.jpg", "Theme/2026 05/P0.jpg.note", "Theme/x.jpg"} <= desk.names
    assert desk.settle(desk.job(What.ASIDE, "", "mess/P1.jpg")).back == ()
    assert desk.settle(desk.job(What.LEFT, "", "mess/P2.jpg")).back == ()
    assert desk.settle(desk.job(What.FILED, "mess", "mess/P3.jpg")).back == ()
    assert desk.figures() == (4, 1, 0)
    # What is filed within what is sorted is not asked again, also when it moved on.
    Path(desk.library.root, "mess/deep").mkdir(exist_ok=True)
    Path(desk.library.root, "mess/P2.jpg").rename(Path(desk.library.root, "mess/deep/P2.jpg"))
    assert desk.figures() == (4, 1, 0)
    Path(desk.library.root, "mess/deep/P2.jpg").rename(Path(desk.library.root, "mess/P2.jpg"))
    told = []
    while (back := sorting.take_back(desk.library, desk.id, desk.back)) is not None:
        assert back.stays == ""
        told.append((back.what, sorted(back.paths)))
    assert told == [
        (What.FILED, ["mess/P3.jpg"]), (What.LEFT, ["mess/P2.jpg"]), (What.ASIDE, ["mess/P1.jpg"]),
        (What.FILED, ["mess/P0.jpg", "mess/deep/x.jpg"]),
    ]  # fmt: skip
    assert desk.names == before
    assert desk.figures() == (0, 0, 5)


def test_a_name_that_is_taken_is_asked_and_the_rest_goes(desk: Desk) -> None:
    settled = desk.settle(desk.job(What.FILED, "yard", "mess/P0.jpg", "mess/P1.jpg"))
    assert (settled.back, settled.why) == (("mess/P1.jpg",), "P1.jpg is taken in yard.")
    assert settled.clashing is not None
    assert [one.capture for one in settled.clashing.clashes] == ["mess/P1.jpg"]
    assert desk.figures() == (1, 0, 4)
    again = desk.settle(desk.job(What.FILED, "yard", "mess/P1.jpg", answers={"mess/P1.jpg": Answer.BOTH}))
    assert again.back == ()
    assert {"yard/P0.jpg", "yard/P1.jpg", "yard/P1_2.jpg"} <= desk.names
    assert desk.figures() == (2, 0, 3)


def test_the_house_names_them(desk: Desk) -> None:
    job = desk.job(What.FILED, "yard", "mess/P2.jpg")
    assert desk.settle(job._replace(anew=lambda wholes: [Wish(one, "mess", "20260514") for one in wholes])).back == ()
    assert "yard/20260514.jpg" in desk.names
    assert desk.figures() == (1, 0, 4)


def refuse(_: Tidying) -> Tidied:
    raise LibraryBusy("library")


def test_what_did_not_move_comes_back(desk: Desk) -> None:
    """Where the library was busy, or a file is gone; and nothing counts that is not so."""
    settled = desk.settle(desk.job(What.FILED, "yard", "mess/P0.jpg"), refuse)
    assert settled.back == ("mess/P0.jpg",)
    assert settled.why
    assert desk.figures() == (0, 0, 5)
    job = desk.job(What.ASIDE, "", "mess/P0.jpg", "mess/P2.jpg")
    Path(desk.library.root, "mess/P0.jpg").unlink()
    settled = desk.settle(job)
    assert (settled.back, settled.why) == (("mess/P0.jpg",), "mess/P0.jpg is gone.")
    assert desk.figures() == (0, 1, 3)
    # Two sortings file the same picture: the second one is told.
    job = desk.job(What.FILED, "yard", "mess/P3.jpg")
    assert desk.settle(job).back == ()
    assert desk.settle(job._replace(answer=new_id(), to="depot")).why == "mess/P3.jpg is gone."
    assert desk.figures() == (1, 1, 2)


@pytest.mark.parametrize("when", ["before", "after", "between"])
def test_cut_off_at_any_moment(desk: Desk, when: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """What counts is what moved; and what was cut off is told where it can be taken back."""
    job = desk.job(What.FILED, "depot", "mess/P0.jpg", "mess/P1.jpg")

    def carry_out(wanted: Tidying) -> Tidied:
        if when == "before":
            die()
        done = desk.carry_out(wanted)
        die()
        return done

    if when == "between":
        monkeypatch.setattr(record, "moved", die)
    killed_in(lambda: desk.settle(job, desk.carry_out if when == "between" else carry_out))
    went = when != "before"
    assert desk.figures() == ((2, 0, 3) if went else (0, 0, 5))
    assert ("depot/P0.jpg" in desk.names) is went
    if went:
        with pytest.raises(NotPossible, match="Journal takes it back"):
            sorting.take_back(desk.library, desk.id, desk.back)
    else:
        assert sorting.take_back(desk.library, desk.id, desk.back) is None


def test_what_the_journal_took_back_is_to_go_and_not_taken_back_twice(desk: Desk) -> None:
    desk.settle(desk.job(What.LEFT, "", "mess/P3.jpg"))
    desk.settle(desk.job(What.FILED, "depot", "mess/P0.jpg"))
    desk.back(list(record.record_of(desk.library, desk.id).answers.values())[-1].runs)
    assert desk.figures() == (1, 0, 4)
    back = sorting.take_back(desk.library, desk.id, desk.back)
    assert back is not None
    assert (back.what, back.paths) == (What.LEFT, ("mess/P3.jpg",))


class _Stand:
    """What the service needs of what is open."""

    def __init__(self, desk: Desk) -> None:
        self.library, self.ledger = desk.library, desk.ledger


def test_a_record_leads_to_no_run_that_did_anything_else(desk: Desk) -> None:
    """Somebody else's record says that an answer was done by the run that brought everything home."""
    job = desk.job(What.FILED, "depot", "mess/P1.jpg")
    wholes, _ = gathered(desk.library, job.columns, job.rows)
    copied = desk.carry_out(moving(desk.library, wholes, "copies", copies=True))
    service = SortingService(_Stand(desk), None, HouseRules)  # type: ignore[arg-type]
    desk.settle(desk.job(What.FILED, "depot", "mess/P0.jpg"))
    one = next(iter(record.record_of(desk.library, desk.id).answers))
    for run in ("../../etc/passwd", "20260101-000000-0001", *copied.runs):
        record.moved(desk.library, desk.id, one, [run])
        with pytest.raises(NotPossible):
            service.take_back(desk.id)
    assert {"depot/P0.jpg", "copies/P1.jpg"} <= desk.names


def test_a_record_of_somebody_elses_leads_nowhere(desk: Desk) -> None:
    """Paths that leave the library, or are none: a sentence, and nothing moves."""
    desk.open()
    before = desk.names
    for path in ("../../etc/passwd", "/etc/passwd", "", "a\0b", ".jutrek/journal"):
        one = record.Answer(new_id(), datetime.now(UTC), What.FILED, "yard", {path: At("yard/x.jpg", 7)})
        record.answered(desk.library, desk.id, one)
        with pytest.raises(NotPossible, match="Journal takes it back"):
            sorting.take_back(desk.library, desk.id, desk.back)
    assert desk.figures()[2] == 5
    assert desk.names == before


def test_what_there_is_to_go_on_with(desk: Desk) -> None:
    bench = desk.open()
    assert [(one.key, one.to_go, one.began) for one in bench.piles(By.MONTH)] == [("2026-05", 4, 4), ("", 1, 1)]
    put(Path(desk.library.root, "mess/late.jpg"), making.jpeg(WHEN.replace(month=6), seed=50))
    desk.settle(desk.job(What.FILED, "depot", "mess/P0.jpg", "mess/late.jpg"))
    desk.open()
    with pytest.raises(NotPossible, match="nothing to sort"):
        desk.sortings.begin(Is(State.UNFILED))
    found, bad = desk.sortings.all()
    assert bad == []
    assert [(one.name, one.view, one.filed, one.to_go, one.sitting) for one in found] == [
        ("mess", "in folder /mess", 2, 4, "2 captures in this sitting")
    ]
    bench = desk.open()
    assert [(one.key, one.to_go, one.began) for one in bench.piles(By.MONTH)] == [
        ("2026-05", 3, 4), ("2026-06", 0, 1), ("", 1, 1)
    ]  # fmt: skip
    assert bench.record.head.captures == 6
    assert len(np.unique(bench.rows_of(By.FOLDER, "mess"))) == 3
    desk.sortings.end(found[0].id)
    assert desk.sortings.all()[0] == []
    # The same view once more is another sorting.
    assert desk.sortings.begin(MESS) != found[0].id
    with locked(desk.library):
        assert desk.figures() == (0, 0, 4)
