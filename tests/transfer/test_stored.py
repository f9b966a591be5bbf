"""What is stored on an archive drive is the library's: known, home, caught up, and no other than it was."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Collection, Iterator, Mapping
from pathlib import Path

import pytest

from jutrek.desk.places import Places
from jutrek.desk.storing import drive_named, forget_archive, store_away, to_fetch, to_store
from jutrek.desk.taking_back import take_back
from jutrek.disk import FileStamp
from jutrek.doubles.degrees import Degree
from jutrek.errors import NotPossible, PlaceUnusable, SourceRefused
from jutrek.filing import Action, HouseRules, Plan, Row
from jutrek.library import (
    LIBRARY,
    add_drive,
    add_place,
    apart,
    new_library,
    survey,
    walking,
)
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source
from jutrek.transfer import Listener, recover, refile
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.certificate import Certificate
from jutrek.transfer.checking import check
from jutrek.transfer.clearing import Way, clear
from jutrek.transfer.folder_moves import FolderMove, move_folders
from jutrek.transfer.journal import Kind
from jutrek.transfer.orders import Orders
from jutrek.transfer.release import release
from jutrek.transfer.setting_aside import Drop, set_aside
from jutrek.views.describing import describe
from jutrek.views.outside import outside
from tests.conftest import Medium
from tests.making import WHEN, jpeg, never, planned, put
from tests.transfer.test_storing import House, house

__all__ = ["house"]


def test_what_is_stored_is_known_without_a_ledger_and_without_its_drive(house: House) -> None:
    """The library's own records tell it; and so do those that the drive carries, for another root."""
    with house.opened() as ledger:
        wanted = to_store(house.library, ledger, ["2024"], house.drive, HouseRules(), Places((house.tarn,)))
        store_away(
            wanted, house.library, ledger, HouseRules(), Places((house.tarn,)), stop=never(),
            report=lambda *_: None, listener=Listener(),
        )  # fmt: skip
        filed = ledger.all_filed()
    os.rename(house.drive.root, f"{house.drive.root} away")
    os.unlink(house.library.ledger_path)
    with house.opened() as ledger:
        assert ledger.all_filed() == filed
        assert len(ledger.stored.all()) == 6
        with pytest.raises(NotPossible, match="Heron is away"):
            to_fetch(house.library, ledger, ["2024"])
    other = Path(house.library.root).with_name("another")
    other.mkdir()
    shutil.copytree(f"{house.drive.root} away/.jutrek/library", other / ".jutrek")
    os.unlink(house.library.ledger_path)
    os.rename(f"{house.drive.root} away", house.drive.root)
    house.library = new_library(str(other))
    with house.opened() as ledger:
        assert ledger.stored.all().keys() == house.files(house.drive.root).keys()
        assert house.fetch(ledger, "").home == 6
    assert len(house.files()) == 6


def _moved(house: House, pairs: Mapping[str, str]) -> None:
    for old, new in pairs.items():
        Path(new).parent.mkdir(parents=True, exist_ok=True)
        os.rename(old, new)


def test_what_is_done_outside_on_a_drive_is_caught_up(house: House) -> None:
    """Moved within it, brought from one side to the other by hand, edited, removed, and put there anew."""
    with house.opened() as ledger:
        house.store(ledger)
    drive, root = house.drive.root, house.library.root
    one, two, three, four, *_ = sorted(house.files(drive))
    Path(drive, "other stuff").mkdir()
    Path(drive, "other stuff", "x.jpg").write_bytes(jpeg(seed=77))
    Path(drive, "2024", "new.jpg").write_bytes(jpeg(seed=78))
    by_hand = sorted(house.files())[0]
    _moved(house, {
        f"{drive}/{one}": f"{drive}/elsewhere/one.jpg", f"{drive}/{two}": f"{root}/back/two.jpg",
        f"{root}/{by_hand}": f"{drive}/{by_hand}",
    })  # fmt: skip
    Path(drive, three).write_bytes(jpeg(seed=79))
    os.unlink(f"{drive}/{four}")
    with Ledger(house.library.ledger_path) as ledger:
        told = survey(house.library, ledger)
        assert dict(told.moves) == {one: "elsewhere/one.jpg", two: "back/two.jpg"}
        assert (told.altered, told.lost, told.came) == ((three,), (four,), ("2024/new.jpg",))
        stored = ledger.stored.all()
        assert stored.keys() == house.files(drive).keys() - {"other stuff/x.jpg"}
        proven = ledger.marks(house.drive.id).keys(), ledger.marks(LIBRARY).keys()
        assert proven[0] == stored.keys() - {"2024/new.jpg", by_hand}
        assert proven[1].isdisjoint({*stored, two})
        assert [one.path for one in ledger.knowledge().gone] == [four]
        assert survey(house.library, ledger) == type(told)(len(ledger.all_files()))
        shutil.copy2(f"{drive}/2024/new.jpg", f"{root}/new.jpg")
        os.makedirs(f"{root}/2024")
        shutil.copy2(f"{drive}/2024/new.jpg", f"{root}/2024/new.jpg")
        assert survey(house.library, ledger).both == ("2024/new.jpg",)
        assert ledger.stored.of(["2024/new.jpg"]) == {}


def test_another_picture_under_a_name_on_a_drive_is_gone_and_new(house: House) -> None:
    """What it says tells that it is no version of the one that was stored."""
    with house.opened() as ledger:
        describe(house.library, ledger, HouseRules(), stop=never())
        house.store(ledger)
        path = sorted(house.files(house.drive.root))[0]
        put(Path(house.drive.root, path), jpeg(WHEN.replace(year=2019), model="M9"), WHEN)
        told = outside(house.library, ledger, HouseRules(), rest=0)
        assert (told.lost, told.came, told.altered) == ((path,), (path,), ())
        assert ledger.stored.of([path]) == {path: house.drive.id}
        assert ledger.mark_of(path, house.drive.id) is None


def test_a_drive_that_fails_on_the_way_makes_nothing_gone(house: House, medium: Callable[[str], Medium]) -> None:
    """Only what was looked at to its end is missed."""
    disk = medium("disk")
    with house.opened() as ledger:
        house.drive = add_drive(house.library, str(disk.top))
        house.store(ledger)
        disk.fail(read_error={"*": (0, 1 << 40)})
        disk.pull()
        told = survey(house.library, ledger)
        assert (told.lost, len(ledger.all_files())) == ((), 12)


def test_a_drive_that_is_gone_in_the_end_makes_nothing_gone(house: House, monkeypatch: pytest.MonkeyPatch) -> None:
    """An empty folder that it left behind at its mount point says nothing."""
    real = walking.walk

    def walk(root: str, wanted: Collection[str] | None = None) -> Iterator[tuple[str, int, int]]:
        if root == house.drive.root:
            os.rename(root, f"{root} away")
            os.mkdir(root)
        yield from real(root, wanted)

    with house.opened() as ledger:
        house.store(ledger)
        monkeypatch.setattr(walking, "walk", walk)
        assert survey(house.library, ledger).lost == ()
        assert len(ledger.stored.all()) == 6


def test_what_may_not_be_looked_at_beside_it_is_passed_over(house: House, monkeypatch: pytest.MonkeyPatch) -> None:
    """A system's own folder on a drive hides nothing of what is stored; a stored one that can't be read does."""
    closed, real = [""], os.scandir

    def scandir(path: str) -> object:
        if closed[0] and path == os.path.join(house.drive.root, closed[0]):
            raise PermissionError(13, "Permission denied", path)
        return real(path)

    with house.opened() as ledger:
        house.store(ledger)
        Path(house.drive.root, "lost+found").mkdir()
        new = put(Path(house.drive.root, "2024/05/new.jpg"), jpeg(seed=90), WHEN)
        monkeypatch.setattr(os, "scandir", scandir)
        closed[0] = "lost+found"
        assert survey(house.library, ledger).came == ("2024/05/new.jpg",)
        new.unlink()
        closed[0] = "2024/05"
        assert survey(house.library, ledger).lost == ()
        closed[0] = ""
        assert survey(house.library, ledger).lost == ("2024/05/new.jpg",)


def test_backups_get_what_is_stored_and_know_what_they_have(house: House, tmp_path: Path) -> None:
    """From the drive where that is here; else it is told. What they have is not taken for more than there is."""
    late = tmp_path / "late"
    late.mkdir()
    other = add_place(house.library, str(late))
    with house.opened() as ledger:
        house.store(ledger)
        assert lacking(house.library, ledger, house.tarn).files == 0
        assert lacking(house.library, ledger, house.tarn).beyond == ()
        assert len(lacking(house.library, ledger, other).rows) == 12
        os.rename(house.drive.root, f"{house.drive.root} away")
        lack = lacking(house.library, ledger, other)
        assert (len(lack.rows), len(lack.away), lack.files) == (6, 6, 12)
        os.rename(f"{house.drive.root} away", house.drive.root)
        wanted = lacking(house.library, ledger, other)
        assert catch_up(wanted, house.library, ledger, stop=never()).home == 12
        assert set(house.files(str(late)).values()) == house.contents
    house.check()


def test_what_is_stored_is_home(house: House, card: Path) -> None:
    """The same card again brings nothing, whether the drive is here or not; and another file gets another name."""
    rules = HouseRules(layout="{year}/{month}", name="{original}")
    with house.opened() as ledger:
        house.store(ledger, "20")
        os.rename(house.drive.root, f"{house.drive.root} away")
        assert planned(house.library, ledger, [card], rules).to_bring() == ()
        put(card / "DCIM" / "P00.jpg", jpeg(WHEN.replace(year=2024), seed=5), WHEN)
        (row,) = planned(house.library, ledger, [card], rules).to_bring()
        assert row.destination not in ledger.all_files()


def test_an_archive_drive_is_no_source(house: House) -> None:
    """It is the library's own, and so is what lies in it."""
    for source in (house.drive.root, f"{house.drive.root}/2024"):
        with pytest.raises(SourceRefused):
            apart(source, house.library)
    assert apart(os.path.dirname(house.drive.root), house.library) >= {house.drive.root}


def test_what_can_be_a_drive_and_what_cannot(house: House, tmp_path: Path) -> None:
    """No backup, nothing in one, not the library; and one of another library neither."""
    inner = Path(house.tarn.root, "inner")
    inner.mkdir()
    for root in (house.library.root, house.tarn.root, str(inner), str(tmp_path / "nowhere")):
        with pytest.raises(PlaceUnusable):
            add_drive(house.library, root)
    with pytest.raises(PlaceUnusable, match="archive drive"):
        add_place(house.library, house.drive.root)
    (tmp_path / "more" / "Heron").mkdir(parents=True)
    assert drive_named(house.library, str(tmp_path / "more" / "Heron")).name == "Heron 2"
    assert drive_named(house.library, "Heron").id == house.drive.id
    os.rename(house.drive.root, tmp_path / "mounted elsewhere")
    with pytest.raises(NotPossible, match="away"):
        drive_named(house.library, "Heron")
    found = drive_named(house.library, str(tmp_path / "mounted elsewhere"))
    assert (found.id, found.name) == (house.drive.id, "Heron")


def test_a_drive_that_is_no_more_leaves_what_can_be_brought_back(house: House) -> None:
    """Forgotten only if somebody says so; then its files are gone, and their copies are known."""
    with house.opened() as ledger:
        house.store(ledger)
        with pytest.raises(NotPossible, match="6 files are stored"):
            forget_archive(house.library, ledger, house.drive, lost=False)
        assert forget_archive(house.library, ledger, house.drive, lost=True) == 6
        assert (len(ledger.all_files()), ledger.stored.all()) == (6, {})
        assert {one.copies for one in ledger.knowledge().gone} == {1}
    os.unlink(house.library.ledger_path)
    with house.opened() as ledger:
        assert (len(ledger.all_files()), ledger.stored.all()) == (6, {})


def test_a_keeper_on_a_drive_is_read_there(house: House) -> None:
    """A double of what is stored is set aside only for the very bytes on the drive, while that is here."""
    with house.opened() as ledger:
        house.store(ledger)
        keeper = sorted(house.files(house.drive.root))[0]
        lies = Path(house.drive.root, keeper)

        def dropped(*, carries: bool = False) -> str:
            """Why the double stays; empty where it went."""
            double = put(Path(house.library.root, "mess", "x.jpg"), lies_as, WHEN)
            survey(house.library, ledger)
            stamp = FileStamp.seen(double.stat())
            drop = Drop("mess/x.jpg", stamp, keeper, kept, Degree.BYTES, carries)
            outcome = set_aside([drop], house.library, ledger, stop=never())
            return outcome.failed[0].why if outcome.failed else ""

        lies_as, kept = lies.read_bytes(), FileStamp.seen(lies.stat())
        assert "can't be carried over" in dropped(carries=True)
        os.rename(house.drive.root, f"{house.drive.root} away")
        assert "on a drive that is away" in dropped()
        os.rename(f"{house.drive.root} away", house.drive.root)
        assert dropped() == ""
        data = bytearray(lies_as)
        data[-1] ^= 1
        lies.write_bytes(data)
        os.utime(lies, ns=(0, kept.mtime_ns))
        assert "its bytes are not those of" in dropped()


def test_a_card_is_safe_by_what_is_stored_while_its_drive_is_here(house: House, card: Path) -> None:
    """It is home there, and may be cleared by it; while the drive is away it is said why not."""
    source = known_source(str(card))
    with house.opened() as ledger:
        house.store(ledger)

        def proven() -> Certificate:
            return release(source, house.library, ledger, [house.tarn], again=True, stop=never())

        os.rename(house.drive.root, f"{house.drive.root} away")
        assert not proven().safe
        assert {one.why for one in proven().files if one.why} == {
            "It is stored on an archive drive that is away: connect it, and prove once more."
        }
        os.rename(f"{house.drive.root} away", house.drive.root)
        certificate = proven()
        assert certificate.safe
        lies = Path(house.drive.root, sorted(house.files(house.drive.root))[0])
        lies.write_bytes(b"x" * lies.stat().st_size)
        cleared = clear(certificate, house.library, ledger, [house.tarn], Way.REMOVE, stop=never())
        assert (cleared.gone, len(cleared.stayed)) == (11, 1)
        bad = check(house.library, ledger, house.drive, stop=never())
        assert [(one.mark.path, str(one.finding)) for one in bad.found] == [
            (str(lies.relative_to(house.drive.root)), "changed")
        ]


def test_what_is_stored_is_not_moved_nor_written_beside(house: House) -> None:
    """It says that it is stored, and where its names are nothing else comes."""
    with house.opened() as ledger:
        house.store(ledger)
        path = sorted(house.files(house.drive.root))[0]
        other = sorted(house.files())[0]
        outcome = move_folders([FolderMove("2024", "old")], house.library, ledger, stop=never())
        assert "fetch it first" in outcome.failed[0].why if outcome.failed else "fetch it first" in outcome.done[0].why
        status = os.stat(os.path.join(house.library.root, other))
        row = Row(
            os.path.join(house.library.root, other), house.library.root, Action.MOVE, path, "", status.st_size,
            status.st_mtime_ns,
        )  # fmt: skip
        plan = Plan(house.library.root, house.library.id, HouseRules(), (row,))
        moved = refile(plan, house.library, ledger, stop=never(), orders=Orders(Kind.TIDY))
        assert (moved.home, len(moved.failed)) == (0, 1)
    house.check()


def test_another_persons_ledger_learns_what_was_stored(house: House, tmp_path: Path) -> None:
    """Also where it missed the files already, or never knew them; what moved on the drive since is not told again."""
    with house.opened():
        pass
    mine, theirs = Path(house.library.ledger_path), tmp_path / "theirs.sqlite"
    shutil.copy2(mine, theirs)
    late = Path(house.library.root, "2024", "late.jpg")
    put(late, jpeg(seed=99), WHEN)
    with house.opened() as ledger:
        house.store(ledger)
    os.rename(house.drive.root, f"{house.drive.root} away")
    with Ledger(str(theirs)) as ledger:
        assert len(survey(house.library, ledger).lost) == 6
        recover(house.library, ledger)
        assert survey(house.library, ledger).lost == ()
        assert len(ledger.stored.all()) == 7
        assert ledger.knowledge().gone == []
        assert len(ledger.all_files()) == 13
        assert ledger.marks(LIBRARY).keys().isdisjoint(ledger.stored.all())
    os.rename(f"{house.drive.root} away", house.drive.root)
    one = sorted(house.files(house.drive.root))[0]
    os.rename(f"{house.drive.root}/{one}", f"{house.drive.root}/2024/other.jpg")
    for path in (mine, theirs):
        with Ledger(str(path)) as ledger:
            assert dict(survey(house.library, ledger).moves) == {one: "2024/other.jpg"}
            recover(house.library, ledger)
            assert survey(house.library, ledger).lost == ()
    with house.opened() as ledger:
        house.fetch(ledger, "")
    with Ledger(str(theirs)) as ledger:
        recover(house.library, ledger)
        told = survey(house.library, ledger)
        assert (told.lost, ledger.stored.all()) == ((), {})


def test_taken_back_by_its_run_and_once_more(house: House) -> None:
    """Taking a storing back fetches; taking that back stores. While the drive is away nothing is done."""
    places = Places((house.tarn,))
    with house.opened() as ledger:
        run = house.store(ledger).run
        os.rename(house.drive.root, f"{house.drive.root} away")
        with pytest.raises(NotPossible, match="away"):
            take_back(house.library, ledger, run, places, stop=never(), listener=Listener())
        os.rename(f"{house.drive.root} away", house.drive.root)
        outcome, left = take_back(house.library, ledger, run, places, stop=never(), listener=Listener())
        assert (outcome.home, left, house.files(house.drive.root)) == (6, [], {})
        again, _ = take_back(house.library, ledger, outcome.run, places, stop=never(), listener=Listener())
        assert (again.home, len(house.files())) == (6, 6)
    house.check()
