"""Turning in place: back to the same bytes, home still for what was turned, and whole or not at all after a kill."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from jutrek.desk.places import places_of
from jutrek.desk.sidecars import follow
from jutrek.desk.taking_back import take_back
from jutrek.desk.turning import TurnedCaptures, turn_captures
from jutrek.doubles import Standing, compare
from jutrek.filing import HouseRules, Undated
from jutrek.formats import read
from jutrek.library import Library, Place, as_place, survey
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source, scan
from jutrek.sources.scan import SourceFile
from jutrek.transfer import Listener, bring, recover
from jutrek.transfer.catching_up import lacking
from jutrek.transfer.checking import check
from jutrek.transfer.clearing import Way as Clearing
from jutrek.transfer.clearing import clear
from jutrek.transfer.release import release
from jutrek.transfer.run_log import head_of, run_log_of, runs
from jutrek.turning.ways import Way
from tests.cli.test_captioning import columns_of
from tests.killing import die, killed_in
from tests.making import WHEN, names_below, never, planned, put
from tests.turning.test_patching import clip, picture


@pytest.fixture
def home(library: Library, ledger: Ledger, card: Path, tarn: Place) -> Library:
    """A card that is home in two places: pictures that say which way is up, and a clip."""
    for number, kind in enumerate(("JPEG", "PNG", "WEBP", "TIFF")):
        put(card / f"DCIM/P{number}.{kind}", picture(kind, (1, 6, 8, 3)[number]), WHEN.replace(hour=9 + number))
    put(card / "DCIM/C4.MP4", clip(), WHEN.replace(hour=15))
    rules = HouseRules(undated=Undated.UNFILED)
    bring(planned(library, ledger, [card], rules), library, ledger, stop=never(), places=[tarn])
    return library


def files(home: Library) -> dict[str, tuple[bytes, int]]:
    """What lies at home, and when it was changed."""
    names = [one for one in names_below(home.root) if not one.startswith((".jutrek", "ascmhl"))]
    return {one: (Path(home.root, one).read_bytes(), os.stat(Path(home.root, one)).st_mtime_ns) for one in names}


def turn(home: Library, ledger: Ledger, way: Way, *, follows: bool = True) -> TurnedCaptures:
    columns = columns_of(home, ledger)
    done = turn_captures(columns, range(columns.count), way, home, ledger, stop=never())
    if follows:
        assert follow(done.files, home, ledger, places_of(home), stop=never()) == ""
    return done


def back(home: Library, ledger: Ledger, run: str) -> list[str]:
    return take_back(home, ledger, run, places_of(home), stop=never(), listener=Listener())[1]


def at_home(home: Library, ledger: Ledger, card: Path) -> set[str]:
    """The files of a card that count as home."""
    survey(home, ledger)
    found = [one for one in scan(str(card)) if isinstance(one, SourceFile)]
    stands = compare(found, ledger, home.root)
    return {os.path.basename(path) for path, one in stands.items() if one.standing is Standing.HOME}


def test_turned_and_turned_back_to_the_same_bytes(home: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """In any order; what the card holds is home all along; backups and hash lists follow."""
    before = files(home)
    told = {one: read(os.path.join(home.root, one)).orientation for one in before}
    made = [turn(home, ledger, way).run for way in (Way.LEFT, Way.HALF, Way.UPRIGHT)]
    assert len(files(home).keys() & before.keys()) == 5
    assert all(read(os.path.join(home.root, one)).orientation == 1 for one in before)
    assert files(home).keys() == before.keys() == {one for one in names_below(tarn.root) if one in before}
    assert {one: Path(tarn.root, one).read_bytes() for one in before} == {one: files(home)[one][0] for one in before}
    assert not lacking(home, ledger, tarn).rows
    for place in (as_place(home), tarn):
        assert not check(home, ledger, place, stop=never()).found
    assert len(at_home(home, ledger, card)) == 5
    for run in reversed(made):
        assert back(home, ledger, run) == []
    assert files(home) == before
    assert ledger.turned.standing() == []
    # The taking back of a taking back turns them once more.
    again = next(run for run in runs(home) if head_of(home, run).get("takes_back") == made[0])
    assert back(home, ledger, again) == []
    assert {one: read(os.path.join(home.root, one)).orientation for one in before} != told
    assert len(at_home(home, ledger, card)) == 5


def test_a_card_is_proven_and_cleared_though_its_pictures_were_turned(
    home: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    turn(home, ledger, Way.RIGHT)
    certificate = release(known_source(str(card)), home, ledger, [tarn], again=False, stop=never())
    assert certificate.safe, [one.why for one in certificate.files]
    # What differs by more than what was turned is no proof of it.
    for one in ledger.turned.standing():
        ledger.turned.put([one._replace(was=one.now, now=one.was, patches={0: (b"x", b"y")})])
    path = next(iter(files(home)))
    Path(home.root, path).write_bytes(files(home)[path][0][:-1] + b"!")
    assert not release(known_source(str(card)), home, ledger, [tarn], again=True, stop=never()).safe
    turned_again = clear(certificate, home, ledger, [tarn], way=Clearing.REMOVE, stop=never())
    assert [os.path.basename(one) for one, _ in turned_again.stayed]


def test_a_lost_ledger_learns_what_was_turned_and_moved(home: Library, ledger: Ledger, card: Path) -> None:
    turn(home, ledger, Way.LEFT)
    known = {one.path: one for one in ledger.turned.standing()}
    assert len(known) == 5
    old, new = next(iter(known)), "2026/elsewhere.bin"
    ledger.move([(old, new)])
    assert {one.path for one in ledger.turned.standing()} == {new, *known} - {old}
    with Ledger(f"{ledger.path}.new") as other:
        other.is_new = True
        recover(home, other)
        assert {one.path: one for one in other.turned.standing()} == known
        assert len(at_home(home, other, card)) == 5


@pytest.mark.parametrize("cut", range(1, 8))
def test_a_kill_leaves_each_file_whole_as_it_was_or_turned(
    cut: int, home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    """At every write of bytes: also between a value and its checksum."""
    before = files(home)
    columns = columns_of(home, ledger)

    def go() -> None:
        left, write = [cut], os.pwrite

        def dying(fd: int, data: bytes, offset: int) -> int:
            left[0] -= 1
            if not left[0]:
                die()
            return write(fd, data, offset)

        monkeypatch.setattr(os, "pwrite", dying)
        turn_captures(columns, range(columns.count), Way.LEFT, home, ledger, stop=never())
        die()

    killed_in(go)
    recover(home, ledger)
    whole = {one: data for one, (data, _) in files(home).items()}
    run_log = run_log_of(home, runs(home)[-1])
    done = {str(run_log.to_say[row]["to"]) for row in run_log.sidecars}
    assert {one for one, data in whole.items() if data != before[one][0]} == done
    assert {one.path for one in ledger.turned.standing()} == done
    assert all(not read(os.path.join(home.root, one)).notes for one in whole)
    assert back(home, ledger, run_log.run) == []
    assert {one: data for one, (data, _) in files(home).items()} == {one: data for one, (data, _) in before.items()}


def test_what_cannot_be_turned_stays_and_is_told(home: Library, ledger: Ledger, tmp_path: Path) -> None:
    """A second name on the disk, another program's change, nothing to be changed, no orientation at all."""
    first, second, *_ = sorted(files(home))
    os.link(Path(home.root, first), tmp_path / "second name")
    before = files(home)
    done = turn(home, ledger, Way.LEFT)
    assert (done.captures, len(done.left)) == (4, 1)
    assert "another name on the disk" in done.why
    assert files(home)[first] == before[first]
    os.unlink(tmp_path / "second name")
    path = Path(home.root, second)
    path.write_bytes(path.read_bytes() + b"theirs")
    survey(home, ledger)
    assert [one for one in back(home, ledger, done.run) if "changed since" in one] == [
        f"{second} can't be turned: It was changed since."
    ]
    assert path.read_bytes().endswith(b"theirs")
