"""What every kind of run tells, word by word, on one story: outcomes, journals, what the ledger knows, names on disk.

`chronicle.txt` is what was told when it was read line by line and found right.
"""

from __future__ import annotations

import errno
import fcntl
import json
import os
import re
import time
from collections.abc import Iterable, Iterator
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import Any

import pytest

from jutrek.desk.places import places_of
from jutrek.desk.taking_back import take_back
from jutrek.disk import Inside, Tree
from jutrek.doubles.degrees import Degree
from jutrek.filing import Action, HouseRules, Per, Row
from jutrek.library import Library, Place, as_place, survey
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source
from jutrek.transfer import Listener, Outcome, bring, medium, refile
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.certificate import Certificate
from jutrek.transfer.checking import check, let_go, mend
from jutrek.transfer.clearing import Way, clear
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.hash_lists import write_hash_lists
from jutrek.transfer.release import keep_certificate, release
from jutrek.transfer.run_log import known_of_files, run_log_of, runs
from jutrek.transfer.saying import Words, say
from jutrek.transfer.setting_aside import set_aside
from jutrek.transfer.sidecar_runs import ToSay, write_sidecars
from jutrek.transfer.sidecars import with_label
from jutrek.transfer.tray import empty_tray, tray_of
from tests import making
from tests.making import WHEN, names_below, never, planned, put
from tests.told import as_told
from tests.transfer.doubled import drop
from tests.transfer.test_refiling import plan_of
from tests.transfer.test_release import rot

PAGE = Path(__file__).with_name("chronicle.txt")
RULES = HouseRules(
    layout="{year}/{kind}", name="{date}_{time}< {shoot}>_{counter}", counter_per=Per.DAY, originals=True
)
OTHER = HouseRules(layout="{kind}/{year}", name="{original}<_{job}>")
NOT_TOLD = ("after", "chain", "who", "direct", "at", "inode")
"""What is another at each run, or by the disk."""
LISTED = re.compile("<(?!hostname|tool)[^<]*>.+</")
NAMES = "(?:[0-9]{6}-)?[0-9]{8}-[0-9]{6}-[0-9a-f]{6}|[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}"
"""Of runs, of folders of theirs, and of places."""


def shoot(card: Path) -> None:
    """A pair, a sidecar, a clip, the same file twice, and one that is empty: all of the same hours."""
    put(card / "DCIM" / "DSC1.JPG", making.jpeg(WHEN, seed=1))
    put(card / "DCIM" / "DSC1.DNG", making.dng(WHEN))
    put(card / "DCIM" / "DSC1.XMP", b'<x:xmpmeta xmlns:x="adobe:ns:meta/"/>')
    put(card / "CLIP" / "C1.MP4", making.mp4(WHEN.replace(hour=12), media=b"clip"))
    put(card / "DCIM" / "DSC2.JPG", making.jpeg(WHEN.replace(hour=13), seed=2))
    put(card / "DCIM" / "AGAIN.JPG", making.jpeg(WHEN.replace(hour=13), seed=2))
    put(card / "T1.WAV", making.wav(WHEN.replace(hour=14)))
    for number, path in enumerate(sorted(card.rglob("*.*"))):
        os.utime(path, (1_778_000_000 + number, 1_778_000_000 + number))


class Chronicle:
    """Everything that is told, with names in place of what is another each time."""

    def __init__(self, library: Library, ledger: Ledger, top: Path) -> None:
        self.library, self.ledger, self.top = library, ledger, str(top)
        self.lines: list[str] = []
        self._names: dict[str, str] = {}
        self._before: dict[str, None] = {}

    def act(self, what: str, told: object) -> None:
        """Take down what an act told, and how what is known and there is another since."""
        now = self._plain(self._known())
        changes = sorted(
            [f"- {line}" for line in self._before.keys() - now.keys()]
            + [f"+ {line}" for line in now.keys() - self._before.keys()]
        )
        self.lines += [f"== {what}", *self._plain(_lines(told)), *sorted(self._plain(self._records())), *changes]
        self._before = now

    def _plain(self, lines: Iterable[str]) -> dict[str, None]:
        names = (re.sub(NAMES, self._name, line.replace(self.top, "TOP")) for line in lines)
        today = (re.sub(rf"{date.today():%Y-?%m-?%d}[T_0-9:.+-]*Z?", "NOW", line) for line in names)
        return dict.fromkeys(re.sub(r"\b\d{19}\b", _moment, line) for line in today)

    def _name(self, found: re.Match[str]) -> str:
        return self._names.setdefault(found[0], f"N{len(self._names)}")

    def _records(self) -> Iterator[str]:
        run = runs(self.library)[-1]
        lines = Path(self.library.own, "journal", f"{run}.jsonl").read_text().splitlines()
        told = ({k: v for k, v in json.loads(line).items() if k not in NOT_TOLD} for line in lines)
        # Lanes tell of their files in any order.
        yield from sorted(f"{run} {json.dumps(one, sort_keys=True)}" for one in told)

    def _known(self) -> Iterator[str]:
        for place in (as_place(self.library), *places_of(self.library).here):
            there = {name: Path(place.root, name).stat().st_ino for name in names_below(place.root)}
            for path, mark in self.ledger.marks(place.id).items():
                very = " the very file" if there.get(path) == mark.inode else ""
                yield f"{place.name}: {path} {mark.size} {mark.full.hex()[:8]} {mark.state}{very}"
            yield from (f"{place.name} has {name}" for name in there)
            lists = sorted(Path(place.root, "ascmhl").glob("*.mhl"))
            for number, path in enumerate(lists, 1):
                said = (line.strip() for line in path.read_text().splitlines())
                yield from (f"{place.name}, list {number}: {one}" for one in said if LISTED.search(one))
        learnt = known_of_files(self.library)
        for one in learnt.proofs:
            own = self.ledger.marks(one.place).get(one.path)
            if own is None or (own.full, own.state) != (one.full, one.state):
                where = f"{one.place or 'library'}: {one.path}"
                yield f"another ledger would learn of {where} {one.full.hex()[:8]} {one.state}"
        if learnt.filed != self.ledger.all_filed():
            yield f"another ledger would learn of {sorted(learnt.filed)}"
        yield from (f"{path} is filed by {filed}" for path, filed in self.ledger.all_filed().items())
        yield from (f"{path} was given {number}" for path, number in self.ledger.numbers().items())


def _moment(found: re.Match[str]) -> str:
    """A number of nanoseconds since 1970, by its name where it is of today."""
    return "NOW" if abs(int(found[0]) - time.time_ns()) < 86_400_000_000_000 else found[0]


def _lines(told: object) -> list[str]:
    """An outcome as lines: what each file became, then the rest."""
    if isinstance(told, tuple):
        return [line for one in told for line in _lines(one)]
    if not isinstance(told, Outcome):
        return [str(told)]
    done = sorted(f"{one.row.source} {one.home} {one.untouched} {one.gone} {one.why}" for one in told.done)
    return [*done, str(replace(told, done=[]))]


def everything(library: Library, ledger: Ledger, card: Path, tarn: Place, tell: Chronicle) -> None:
    """One of each kind of run, and each of them taken back where that can be."""
    places, home = [tarn], as_place(library)

    def back(run: str) -> object:
        return take_back(library, ledger, run, places_of(library), stop=never(), listener=Listener())

    plan = planned(library, ledger, [card], RULES)
    stays = Row(str(card / "INDEX.BIN"), str(card), Action.STAY, None, "It is no picture, clip or sound.", 4)
    brought = bring(
        replace(plan, rows=(*plan.rows, stays)), library, ledger, stop=never(), places=places, settled=["A: +1:00:00"]
    )
    tell.act("bring", brought)
    write_hash_lists(run_log_of(library, brought.run), library, places)
    survey(library, ledger)
    tell.act("say", say(library, ledger, [sorted(ledger.all_files())[0]], Words("Yard", person="Ilva", job="7")))
    tell.act("refile", refile(plan_of(library, ledger, OTHER), library, ledger, stop=never(), places=places))
    alike = [drop(library, "Stills/2026/AGAIN.jpg", "Stills/2026/DSC1.jpg", Degree.ALIKE, carries=True)]
    aside = set_aside(alike, library, ledger, stop=never(), places=places)
    tell.act("set aside", aside)
    tell.act("back from the tray", back(aside.run))
    alike = [drop(library, "Stills/2026/AGAIN.jpg", "Stills/2026/DSC1.jpg", Degree.ALIKE)]
    tell.act("set aside again", set_aside(alike, library, ledger, stop=never(), places=places))
    tell.act("empty the tray", empty_tray(tray_of(library), library, places=places, stop=never()))
    rot(Path(library.root, "Stills/2026/DSC1.dng"))
    edited = Path(library.root, "Sound/2026/T1.wav")
    edited.write_bytes(b"somebody's own version")
    os.utime(edited, (1_779_000_000, 1_779_000_000))
    Path(tarn.root, sorted(ledger.all_files())[-1]).unlink()
    for place in (home, tarn):
        found = check(library, ledger, place, stop=never())
        tell.act(f"check {place.name}", [(one.mark.path, str(one.finding), one.why) for one in found.bad])
    bad = [mark for mark in ledger.marks(home.id).values() if not mark.stands]
    tell.act("mend", mend(bad, library, ledger, home, places, stop=never()))
    gone = [path for path, mark in ledger.marks(tarn.id).items() if not mark.stands]
    tell.act("let go", let_go(library, ledger, tarn, gone))
    tell.act("miss again", back(runs(library)[-1]))
    tell.act("catch up", catch_up(lacking(library, ledger, tarn), library, ledger, stop=never()))
    shown: Certificate = release(known_source(str(card)), library, ledger, places, stop=never())
    keep_certificate(shown, library)
    tell.act("release", [(one.path, one.size, len(one.where), one.is_home, one.why) for one in shown.files])
    tell.act("clear", clear(shown, library, ledger, places, Way.REMOVE, stop=never()))
    marks = [ToSay(f"{stem}.xmp", lambda old: with_label(old, "R")) for stem in ("Clips/2026/C1_7", "Stills/2026/DSC1")]
    marked = write_sidecars(marks, "marked R", library, ledger, stop=never())
    lists_follow(library, ledger)
    tell.act("describe", marked.sidecars)
    tell.act("as described before", back(marked.run))
    tell.act("take back", back(brought.run))


def test_everything_is_told_as_it_was(
    library: Library, ledger: Ledger, card: Path, tarn: Place, tmp_path: Path
) -> None:
    """Word by word."""
    shoot(card)
    tell = Chronicle(library, ledger, tmp_path)
    everything(library, ledger, card, tarn, tell)
    as_told(PAGE, tell.lines)


@pytest.mark.parametrize("refuses", ["neither", "opening", "reading"])
def test_what_was_not_read_past_the_cache_is_told_as_that(
    library: Library, ledger: Ledger, card: Path, monkeypatch: pytest.MonkeyPatch, refuses: str
) -> None:
    """In the journal and on the certificate; some disks grant it, and refuse the reading itself."""
    put(card / "A.JPG", making.jpeg(WHEN))
    opened, read = medium.open_regular, os.preadv

    def open_regular(tree: Tree, path: Inside, more: int = 0) -> tuple[int, os.stat_result]:
        return opened(tree, path, more) if not more & os.O_DIRECT else refused()

    def preadv(fd: int, buffers: list[memoryview], at: int) -> int:
        return read(fd, buffers, at) if not fcntl.fcntl(fd, fcntl.F_GETFL) & os.O_DIRECT else refused()

    def refused() -> Any:
        raise OSError(errno.EINVAL, os.strerror(errno.EINVAL))

    monkeypatch.setattr(medium, "_DIRECT", set())
    if refuses == "opening":
        monkeypatch.setattr(medium, "open_regular", open_regular)
    if refuses == "reading":
        monkeypatch.setattr(os, "preadv", preadv)
    outcome = bring(planned(library, ledger, [card]), library, ledger, stop=never())
    (home,) = run_log_of(library, outcome.run).done.values()
    shown = release(known_source(str(card)), library, ledger, (), again=True, stop=never())
    told = [home["direct"], *(where.direct for one in shown.files for where in one.where)]
    assert told == [refuses == "neither" and bool(medium._DIRECT)] * 2
