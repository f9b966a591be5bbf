"""Several places from one reading: each proven, each failing alone, each caught up later."""

from __future__ import annotations

import errno
import os
import shutil
import signal
import subprocess
import threading
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path

import pytest
from bench.torture.round import Child

from jutrek.desk.places import caught_up
from jutrek.disk import naming
from jutrek.errors import PlaceUnusable
from jutrek.filing import HouseRules, OnChanged, Order, Plan, Row
from jutrek.library import (
    LIBRARY,
    Library,
    Place,
    add_place,
    connected,
    forget_place,
    known_places,
    new_library,
    survey,
)
from jutrek.library.fingerprint import full
from jutrek.library.ledger import Ledger
from jutrek.transfer import Choice, Control, Listener, Outcome, Progress, bring, recover
from jutrek.transfer.at_work import at_work_in
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.checking import check
from jutrek.transfer.moving import refile
from jutrek.transfer.run_log import known_of_files, run_log_of
from jutrek.transfer.taking_back import plan_taking_back
from tests import making
from tests.conftest import Medium
from tests.making import WHEN, names_below, never, planned, put
from tests.transfer.test_bring import fill

Media = Callable[[str], Medium]


def go(
    plan: Plan, library: Library, ledger: Ledger, places: Sequence[Place], listener: Listener | None = None
) -> Outcome:
    return bring(plan, library, ledger, stop=never(), places=places, listener=listener)


def same_trees(library: Library, place: Place) -> bool:
    here, there = names_below(library.root), names_below(place.root)
    return here == there and all(
        Path(library.root, name).read_bytes() == Path(place.root, name).read_bytes() for name in here
    )


def test_two_places_hold_the_same_tree_from_one_reading(
    library: Library, ledger: Ledger, card: Path, tarn: Place, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Every byte of the card is read once, proven in both places, and told by place."""
    fill(card)
    seen: list[Progress] = []
    outcome = go(planned(library, ledger, [card]), library, ledger, [tarn], Listener(progress=seen.append))
    assert (outcome.home, outcome.failed, outcome.lost) == (7, [], {})
    assert same_trees(library, tarn)
    size = sum(path.stat().st_size for path in card.rglob("*") if path.is_file())
    last = seen[-1]
    assert (last.read_bytes, [stream.bytes for stream in last.places]) == (size, [size, size])
    assert [(stream.name, stream.files) for stream in (*last.sources, *last.places)] == [
        (str(card), 7), (LIBRARY, 7), (tarn.id, 7),
    ]  # fmt: skip
    run_log = run_log_of(library, outcome.run)
    assert set(run_log.copied[tarn.id]) == set(run_log.done)
    assert ledger.proofs(tarn.id).keys() == ledger.proofs(LIBRARY).keys() == names_below(library.root)
    assert run_log.end["copies"] == {tarn.id: 7}
    assert (run_log.end["how"], run_log.end["home"], run_log.end["left"]) == ("done", 7, 0)
    assert run_log.end["bytes"] == size


def test_a_ledger_that_was_lost_knows_every_proof_again(
    library: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """From the journals alone, for the library and every other place."""
    fill(card)
    go(planned(library, ledger, [card]), library, ledger, [tarn])
    before = {place: ledger.proofs(place) for place in (LIBRARY, tarn.id)}
    with Ledger(f"{library.ledger_path}.new") as other:
        recover(library, other)
        for place, marks in before.items():
            found = other.proofs(place)
            assert {path: mark[:5] for path, mark in found.items()} == {path: mark[:5] for path, mark in marks.items()}
        assert other.all_filed() == ledger.all_filed()


@pytest.mark.parametrize(
    "fault",
    [
        {"write_error": errno.EIO}, {"sync_error": errno.EIO}, {"rename_error": errno.EIO}, {"room": 4_000_000},
        {"write_error": errno.EROFS}, {"gone": errno.ENODEV}, {"loses_writes": True},
        {"flips": {"*": 100}}, {"read_error": {"*": (0, 10**9)}},
    ],
    ids="-".join,
)  # fmt: skip
def test_a_place_that_fails_drops_out_alone_and_is_caught_up(
    fault: dict[str, object], library: Library, ledger: Ledger, card: Path, medium: Media
) -> None:
    """Whatever a place does, everything comes home; nothing unproven bears a name there; later it has everything."""
    fill(card)
    drive = medium("Tarn")
    place = add_place(library, str(drive.top))
    drive.fail(**fault)
    outcome = go(planned(library, ledger, [card]), library, ledger, [place])
    assert (outcome.home, outcome.failed, outcome.trouble) == (7, [], None)
    assert outcome.lacking(place.id) > 0
    drive.fail()
    named = {name for name in names_below(str(drive.top)) if ".jutrek-" not in name}
    assert ledger.proofs(place.id).keys() == named
    assert all((drive.below / name).read_bytes() == Path(library.root, name).read_bytes() for name in named)
    survey(library, ledger)
    wanted = lacking(library, ledger, place)
    assert wanted.files == 7 - len(named)
    caught = catch_up(wanted, library, ledger, stop=never())
    assert (caught.home, caught.failed, caught.trouble) == (wanted.files, [], None)
    assert same_trees(library, place)
    assert lacking(library, ledger, place).files == 0


def test_a_place_that_is_unplugged_while_files_are_written(
    library: Library, ledger: Ledger, card: Path, medium: Media
) -> None:
    """The library goes on; the journal says when the place dropped out."""
    fill(card, 20)
    drive = medium("Tarn")
    place = add_place(library, str(drive.top))
    pulled = threading.Event()

    def step(name: str, row: object) -> None:
        if name == "half copied" and not pulled.is_set():
            pulled.set()
            drive.pull()

    outcome = go(planned(library, ledger, [card]), library, ledger, [place], Listener(step=step))
    assert pulled.is_set()
    assert (outcome.home, outcome.trouble) == (21, None)
    assert list(outcome.lost) == [place.id]
    assert any(entry["entry"] == "place lost" for entry in run_log_of(library, outcome.run).others)
    assert connected(place) is None


def test_what_a_pulled_place_kept_half_done_is_cleared_up_when_it_is_back(
    library: Library, ledger: Ledger, card: Path, medium: Media, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also if the run has ended and further starts did not find the place: no empty name, no temporary, no page."""
    fill(card, 8)
    drive = medium("Tarn")
    place = add_place(library, str(drive.top))
    rename, pulled = os.rename, threading.Event()

    def pull(old: str, new: str, **folders: int) -> None:
        if not pulled.is_set():
            pulled.set()
            drive.pull()
        rename(old, new, **folders)

    monkeypatch.setattr(os, "rename", pull)
    outcome = go(planned(library, ledger, [card]), library, ledger, [place])
    monkeypatch.undo()
    assert (pulled.is_set(), outcome.trouble, list(outcome.lost)) == (True, None, [place.id])
    assert recover(library, ledger) == []
    subprocess.run(["umount", "--lazy", drive.top], check=True)
    shutil.copytree(drive.below, drive.top, dirs_exist_ok=True)
    files = [path for path in drive.top.rglob("*") if path.is_file() and ".jutrek" not in path.parts]
    assert any(not path.stat().st_size for path in files)
    assert any(path.name.startswith(".jutrek-") for path in files)
    assert recover(library, ledger) == []
    files = [path for path in drive.top.rglob("*") if path.is_file() and ".jutrek" not in path.parts]
    assert {path.read_bytes() for path in files} <= {path.read_bytes() for path in (card / "DCIM").iterdir()}
    assert not any(path.name.startswith(".jutrek-") for path in files)
    assert os.listdir(drive.top / ".jutrek" / "at-work") == []


@pytest.mark.parametrize("act", ["bring", "refile"])
def test_a_place_says_that_a_run_did_not_end_in_order_there(
    act: str, library: Library, ledger: Ledger, card: Path, medium: Media
) -> None:
    """Its drive fails and stays: the page is left for the next start, which clears up and takes it away."""
    from tests.transfer.test_refiling import plan_of

    fill(card, 3)
    drive = medium("Tarn")
    place = add_place(library, str(drive.top))
    plan = planned(library, ledger, [card])
    if act == "refile":
        go(plan, library, ledger, [place])
        assert at_work_in(place.tree) == []
    drive.fail(rename_error=errno.EIO)
    if act == "bring":
        outcome = go(plan, library, ledger, [place])
    else:
        other = plan_of(library, ledger, HouseRules(layout="{kind}"))
        outcome = refile(other, library, ledger, stop=never(), places=[place])
    assert outcome.home == 4
    assert at_work_in(place.tree) == [outcome.run]
    drive.fail()
    assert recover(library, ledger) == []
    assert at_work_in(place.tree) == []
    assert not [name for name in os.listdir(drive.below) if name.startswith(".jutrek-")]


def test_moves_follow_into_the_place_or_are_caught_up(
    library: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """A connected place moves with the library; one that was away moves its files later, and copies nothing twice."""
    fill(card, 3)
    outcome = go(planned(library, ledger, [card]), library, ledger, [tarn])
    back, left = plan_taking_back(library, outcome.run)
    assert left == []
    undone = refile(back, library, ledger, stop=never(), takes_back=outcome.run, places=[tarn])
    assert undone.home == 4
    assert (names_below(library.root), names_below(tarn.root)) == (set(), set())
    again, _ = plan_taking_back(library, undone.run)
    assert refile(again, library, ledger, stop=never(), takes_back=undone.run).home == 4
    survey(library, ledger)
    wanted = lacking(library, ledger, tarn)
    assert wanted.files == 4
    other = HouseRules(layout="{kind}")
    from tests.transfer.test_refiling import plan_of

    catch_up(wanted, library, ledger, stop=never())
    refile(plan_of(library, ledger, other), library, ledger, stop=never())
    survey(library, ledger)
    wanted = lacking(library, ledger, tarn)
    assert (len(wanted.moves), wanted.rows) == (4, ())
    assert catch_up(wanted, library, ledger, stop=never()).moved == 4
    assert same_trees(library, tarn)
    assert lacking(library, ledger, tarn).files == 0


@pytest.mark.parametrize(("act", "renames"), [("catch up", 0), ("refile", 4)])
def test_a_kill_while_a_copy_follows_its_file_leaves_no_empty_name(
    act: str, renames: int, library: Library, ledger: Ledger, card: Path, tarn: Place, monkeypatch: pytest.MonkeyPatch
) -> None:
    """On a medium where a name must be reserved first."""
    from tests.transfer.test_refiling import plan_of

    fill(card, 3)
    go(planned(library, ledger, [card]), library, ledger, [tarn])
    plan = plan_of(library, ledger, HouseRules(layout="{kind}"))
    if act == "catch up":
        refile(plan, library, ledger, stop=never())
        survey(library, ledger)
    rename, done = os.rename, list[str]()

    def killed(*names: str, **folders: int) -> None:
        done.append(names[0])
        if len(done) > renames:
            os.kill(os.getpid(), signal.SIGKILL)
        rename(*names, **folders)

    def run() -> str:
        monkeypatch.setattr(naming, "WAYS", (naming.reserve_and_rename,))
        monkeypatch.setattr(naming.os, "rename", killed)
        with Ledger(library.ledger_path) as own:
            if act == "catch up":
                catch_up(lacking(library, own, tarn), library, own, stop=never())
            else:
                refile(plan, library, own, stop=never(), places=[tarn])
        return "done"

    def empty() -> list[str]:
        return [name for name in names_below(tarn.root) if not Path(tarn.root, name).stat().st_size]

    assert Child(run).result() == "died"
    assert len(empty()) == 1
    recover(library, ledger)
    assert empty() == []
    survey(library, ledger)
    catch_up(lacking(library, ledger, tarn), library, ledger, stop=never())
    assert same_trees(library, tarn)


@pytest.mark.parametrize("same_time", [False, True])
def test_an_older_version_is_put_aside_and_what_is_beyond_is_left(
    library: Library, ledger: Ledger, card: Path, tarn: Place, same_time: bool
) -> None:
    """Catching up replaces nothing and removes nothing."""
    fill(card, 2)
    go(planned(library, ledger, [card]), library, ledger, [tarn])
    changed, gone = sorted(names_below(library.root))[:2]
    old, times = Path(library.root, changed).read_bytes(), Path(library.root, changed).stat()
    put(Path(library.root, changed), old + b"edited", WHEN.replace(year=2027))
    if same_time:
        os.utime(Path(library.root, changed), ns=(times.st_atime_ns, times.st_mtime_ns))
    Path(library.root, gone).unlink()
    survey(library, ledger)
    wanted = lacking(library, ledger, tarn)
    assert (wanted.replaced, wanted.beyond) == ((changed,), (gone,))
    assert catch_up(wanted, library, ledger, stop=never()).home == 1
    assert Path(tarn.root, changed).read_bytes() == old + b"edited"
    assert Path(tarn.root, gone).exists()
    (aside,) = Path(tarn.root, ".jutrek", "replaced").rglob("*.*")
    assert aside.read_bytes() == old


@pytest.mark.parametrize("right", list(OnChanged))
def test_what_was_changed_in_a_place_is_settled(
    right: OnChanged, library: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """It waits until somebody says which version is right; the other one is kept aside, where it was."""
    fill(card, 2)
    go(planned(library, ledger, [card]), library, ledger, [tarn])
    path, other = sorted(ledger.all_files())[:2]
    mine, theirs = Path(library.root, path), Path(tarn.root, path)
    before = mine.read_bytes()
    theirs.write_bytes(b"edited in the place")
    Path(tarn.root, other).unlink()
    lack = lacking(library, ledger, tarn)
    assert (lack.changed, lack.replaced, [row.destination for row in lack.rows]) == ((path,), (), [other])
    outcome = caught_up(lack, library, ledger, right, stop=never())
    assert outcome.trouble is None
    assert outcome.home == (1 if right is OnChanged.ASK else 2)
    assert Path(tarn.root, other).exists()
    survey(library, ledger)
    aside = {root: list(Path(root, ".jutrek").glob("replaced/*/*/*/*")) for root in (library.root, tarn.root)}
    if right is OnChanged.ASK:
        assert (mine.read_bytes(), theirs.read_bytes()) == (before, b"edited in the place")
        assert lacking(library, ledger, tarn).changed == (path,)
        return
    good, old, where = (
        (before, b"edited in the place", tarn.root) if right is OnChanged.LIBRARY
        else (b"edited in the place", before, library.root)
    )  # fmt: skip
    assert mine.read_bytes() == theirs.read_bytes() == good
    assert [one.read_bytes() for one in aside.pop(where)] == [old]
    assert list(aside.values()) == [[]]
    assert lacking(library, ledger, tarn).files == 0
    assert {mark.full for mark in (ledger.proofs("")[path], ledger.proofs(tarn.id)[path])} == {full(str(mine))}
    filed = ledger.filed(path)
    assert filed is not None and filed.original


def test_a_changed_copy_of_a_changed_file_waits_too(library: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """As does one that a check found changed; what is gone or empty there does not."""
    fill(card, 3)
    go(planned(library, ledger, [card]), library, ledger, [tarn])
    both, found, empty = sorted(ledger.all_files())[:3]
    for root, data in ((library.root, b"here"), (tarn.root, b"there")):
        Path(root, both).write_bytes(data)
    Path(tarn.root, empty).write_bytes(b"")
    there = Path(tarn.root, found)
    there.write_bytes(there.read_bytes() + b"x")
    survey(library, ledger)
    (touched,) = set(ledger.all_files()) - {both, found, empty}
    os.utime(Path(tarn.root, touched), (1, 1))
    assert {one.mark.path for one in check(library, ledger, tarn, stop=never()).found} == {both, found, empty}
    assert touched in ledger.proofs(tarn.id)
    spare = put(Path(tarn.root, "elsewhere.bin"), Path(library.root, found).read_bytes())
    mark = ledger.proofs("")[found]
    ledger.put_proofs([mark._replace(place=tarn.id, path="elsewhere.bin", mtime_ns=spare.stat().st_mtime_ns)])
    lack = lacking(library, ledger, tarn)
    assert (lack.changed, lack.replaced, lack.moves) == ((both, found), (empty,), ())
    assert lacking(library, ledger, tarn, connected=False).changed == ()


def test_what_rotted_at_home_is_not_copied_on(library: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """A file that reads differently than when it was proven, at the same time, does not reach another place."""
    fill(card, 2)
    go(planned(library, ledger, [card]), library, ledger, [])
    path = Path(library.root, sorted(names_below(library.root))[0])
    stamp = path.stat()
    path.write_bytes(path.read_bytes()[:-1] + b"?")
    os.utime(path, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    survey(library, ledger)
    outcome = catch_up(lacking(library, ledger, tarn), library, ledger, stop=never())
    assert "reads differently than when it was proven" in outcome.failed[0].why
    assert len(names_below(tarn.root)) == 2


@pytest.mark.parametrize("choice", list(Choice))
def test_a_full_place_pauses_the_run_and_asks(choice: Choice, library: Library, card: Path, small_place: Path) -> None:
    """Making room goes on, doing without goes on, stopping stops; nothing is half there either way."""
    fill(card)
    library = new_library(str(small_place)) if choice is not Choice.WITHOUT else library
    with Ledger(library.ledger_path) as ledger:
        places = [add_place(library, str(small_place))] if choice is Choice.WITHOUT else []
        filler = small_place / "filler"
        plan = planned(library, ledger, [card])
        control = Control()
        control.may_ask = True
        asked: list[str] = []

        def on_progress(progress: Progress) -> None:
            for place in progress.asked:
                asked.append(place.id)
                filler.unlink(missing_ok=choice is Choice.STOP)
                control.answer(place.id, choice)

        def step(name: str, row: Row) -> None:
            if name == "begin" and row.source.endswith("CLIP.MP4"):
                with filler.open("wb", buffering=0) as file, suppress(OSError):
                    while True:
                        file.write(bytes(4096))

        listener = Listener(progress=on_progress, step=step)
        outcome = bring(plan, library, ledger, stop=control.stop, listener=listener, places=places, control=control)
        assert asked
        filler.unlink(missing_ok=True)
        assert outcome.home == 7 if choice is not Choice.STOP else outcome.home < 7
        assert bool(outcome.lost) == (choice is Choice.WITHOUT)
        assert not list(small_place.rglob(".jutrek-*"))


def test_a_pause_holds_every_file_until_it_goes_on(library: Library, ledger: Ledger, card: Path) -> None:
    """While a run pauses nothing is read; afterwards everything comes home."""
    fill(card, 30)
    control = Control()
    held: list[int] = []

    def on_progress(progress: Progress) -> None:
        if control.paused:
            held.append(progress.read_bytes)
            if len(held) == 12:
                control.go_on()

    def step(name: str, _row: Row) -> None:
        if name == "half copied" and not held:
            control.pause()

    outcome = bring(
        planned(library, ledger, [card]), library, ledger, stop=control.stop, control=control,
        listener=Listener(progress=on_progress, step=step),
    )  # fmt: skip
    assert held[6:12] == [held[6]] * 6
    assert outcome.home == 31


def test_small_files_first_where_rules_say_so(library: Library, ledger: Ledger, card: Path) -> None:
    """Otherwise in the order of shooting."""
    fill(card, 3)
    begun: list[str] = []
    rules = HouseRules(order=Order.SMALL)
    listener = Listener(step=lambda name, row: begun.append(row.source) if name == "begin" else None)
    go(planned(library, ledger, [card], rules), library, ledger, [], listener)
    assert begun[-1].endswith("CLIP.MP4")


@pytest.mark.parametrize("where", ["library", "inside", "around", "other", "nowhere"])
def test_what_cannot_be_a_place_is_refused(where: str, library: Library, tmp_path: Path) -> None:
    """A library, a folder in or around it, the place of another library, and what is not there."""
    (tmp_path / "another").mkdir()
    another = new_library(str(tmp_path / "another"))
    (tmp_path / "theirs").mkdir()
    add_place(another, str(tmp_path / "theirs"))
    paths = {
        "library": another.root, "inside": f"{library.root}/.jutrek", "around": str(tmp_path),
        "other": str(tmp_path / "theirs"), "nowhere": str(tmp_path / "nowhere"),
    }  # fmt: skip
    with pytest.raises(PlaceUnusable):
        add_place(library, paths[where])
    assert known_places(library) == ()


def test_a_place_is_known_by_its_mark_wherever_it_is_mounted(library: Library, tarn: Place, tmp_path: Path) -> None:
    """A drive under another mount point is found; an empty folder at its old path is not it."""
    elsewhere = tmp_path / "mnt"
    os.rename(tarn.root, elsewhere)
    Path(tarn.root).mkdir()
    assert connected(tarn) is None
    found = connected(Place(tarn.id, tarn.name, tarn.root, library=library.id), [str(elsewhere)])
    assert found is not None
    assert found.root == str(elsewhere)
    assert [place.name for place in known_places(library)] == ["Tarn"]
    forget_place(library, tarn.id)
    assert known_places(library) == ()


def test_known_of_files_ignores_other_runs_rows(library: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """What a place was caught up with counts for the place, not for the library."""
    put(card / "A.JPG", making.jpeg())
    go(planned(library, ledger, [card]), library, ledger, [])
    survey(library, ledger)
    catch_up(lacking(library, ledger, tarn), library, ledger, stop=never())
    filed, proofs, *_ = known_of_files(library)
    assert sorted(mark.place for mark in proofs) == sorted([LIBRARY, tarn.id])
    assert next(iter(filed.values())).original == "A.JPG"
