"""Folders stored away and fetched back, cut off anywhere: every byte lies on one side, exactly once, and is known."""

from __future__ import annotations

import os
import random
import shutil
import subprocess
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import pytest
import xxhash

from jutrek.desk.places import Places
from jutrek.desk.storing import to_store
from jutrek.disk import TEMPORARY, Inside, Tree
from jutrek.errors import JutrekError, NotPossible, PlaceFull, PlaceLost
from jutrek.filing import HouseRules
from jutrek.library import (
    LIBRARY,
    Library,
    Place,
    add_drive,
    add_place,
    drives_here,
    new_library,
    survey,
)
from jutrek.library.ledger import Ledger
from jutrek.transfer import Control, Listener, Outcome, bring, recover
from jutrek.transfer.at_work import at_work_in
from jutrek.transfer.checking import check
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.run_log import broken_records, known_of_files, runs, unfinished
from jutrek.transfer.storing import Copies, fetch, store
from tests.conftest import Medium
from tests.killing import die, killed_in, killing_at
from tests.making import WHEN, jpeg, never, planned, put

_STEPS = ("begin", "copied", "synced", "named", "folder synced", "proven there", "original gone")


class House:
    """A library of a dozen files in two folders, proven here and in a backup, and an archive drive."""

    def __init__(self, library: Library, tarn: Place, drive: Place) -> None:
        self.library, self.tarn, self.drive = library, tarn, drive
        self.contents = set(self.files().values())

    def files(self, root: str = "") -> dict[str, bytes]:
        """Contents by path in the root, or below another."""
        top = Path(root or self.library.root)
        own = (".jutrek", "ascmhl")
        found = (one for one in top.rglob("*") if one.is_file() and one.relative_to(top).parts[0] not in own)
        return {str(one.relative_to(top)): one.read_bytes() for one in found}

    @contextmanager
    def opened(self) -> Iterator[Ledger]:
        with Ledger(self.library.ledger_path) as ledger:
            recover(self.library, ledger)
            survey(self.library, ledger)
            yield ledger

    def store(self, ledger: Ledger, folder: str = "2024", listener: Listener | None = None, least: int = 1) -> Outcome:
        paths = [path for path in ledger.all_files() if path.startswith(folder) and not ledger.stored.of([path])]
        copies = Copies(ledger, [self.tarn], [], least)
        return store(
            paths, self.library, ledger, self.drive, copies, control=Control(never()), listener=listener
        )  # fmt: skip

    def fetch(self, ledger: Ledger, folder: str = "2024", listener: Listener | None = None) -> Outcome:
        paths = list(ledger.stored.below(folder))
        return fetch(paths, self.library, ledger, self.drive, control=Control(never()), listener=listener)

    def check(self) -> None:
        """Everything lies on one side, once, and what is said of it is so."""
        here, there = self.files(), self.files(self.drive.root)
        assert sorted([*here.values(), *there.values()]) == sorted(self.contents)
        assert here.keys().isdisjoint(there)
        tops = Path(self.library.root), Path(self.drive.root)
        assert [str(one) for top in tops for one in top.rglob(f"{TEMPORARY}*") if ".jutrek" not in one.parts] == []
        assert list(unfinished(self.library)) == []
        assert broken_records(self.library) == {}
        assert at_work_in(self.drive.tree) == []
        with self.opened() as ledger:
            assert ledger.all_files().keys() == here.keys() | there.keys()
            assert ledger.stored.all() == dict.fromkeys(there, self.drive.id)
            marks = ledger.marks_at_home()
            told = known_of_files(self.library)
            for path, data in {**here, **there}.items():
                assert marks[path].full == xxhash.xxh3_128_digest(data)
                assert marks[path].stands
            assert told.stored == dict.fromkeys(there, self.drive.id)


def make_house(top: Path, card: Path) -> House:
    for name in ("archive", "copies", "Heron"):
        (top / name).mkdir(parents=True)
    library = new_library(str(top / "archive"))
    tarn, drive = add_place(library, str(top / "copies")), add_drive(library, str(top / "Heron"))
    for number in range(12):
        own = WHEN.replace(year=2024 + number % 2, second=number)
        put(card / "DCIM" / f"P{number:02}.jpg", jpeg(own).ljust(4096 * number + 9000, bytes([number])), own)
    rules = HouseRules(layout="{year}/{month}", name="{original}")
    with Ledger(library.ledger_path) as ledger:
        assert bring(planned(library, ledger, [card], rules), library, ledger, stop=never(), places=[tarn]).home == 12
    return House(library, tarn, drive)


@pytest.fixture
def house(tmp_path: Path, card: Path) -> House:
    return make_house(tmp_path / "house", card)


def test_stored_and_fetched_again_everything_is_as_it_was(house: House) -> None:
    """Proven there before it goes here; the folders go, and come again."""
    before = house.files()
    with house.opened() as ledger:
        seen: list[str] = []
        outcome = house.store(ledger, listener=Listener(done=lambda one: seen.append(one.row.destination or "")))
        assert (outcome.home, outcome.failed, outcome.trouble) == (6, [], None)
        assert sorted(seen) == sorted(house.files(house.drive.root))
        assert ledger.marks(LIBRARY).keys() == house.files().keys()
        assert all(home.quick and home.full for home in ledger.of_paths(house.files(house.drive.root)).values())
    assert sorted(os.listdir(house.library.root)) == [".jutrek", "2025"]
    house.check()
    with house.opened() as ledger:
        assert house.fetch(ledger).home == 6
    assert house.files() == before
    assert not Path(house.drive.root, "2024").exists()
    house.check()


@pytest.mark.parametrize("way", ["store", "fetch"])
@pytest.mark.parametrize("step", _STEPS)
def test_a_kill_at_any_step_leaves_each_file_on_one_side(house: House, step: str, way: str) -> None:
    """And doing it again goes on with what is left."""
    if way == "fetch":
        with house.opened() as ledger:
            house.store(ledger)
    for count in (2, 5):

        def job(count: int = count) -> None:
            with house.opened() as ledger:
                getattr(house, way)(ledger, listener=Listener(step=killing_at(step, count)))
                die()

        killed_in(job)
        with house.opened():
            pass
        house.check()
    with house.opened() as ledger:
        assert getattr(house, way)(ledger).trouble is None
    assert bool(house.files(house.drive.root)) == (way == "store")
    house.check()


@pytest.mark.parametrize("way", ["store", "fetch"])
@pytest.mark.parametrize("where", ["note", "sync", "end"])
def test_a_kill_while_the_journal_is_written_loses_nothing(
    house: House, way: str, where: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before and after each time that it is written, or made durable."""
    if way == "fetch":
        with house.opened() as ledger:
            house.store(ledger)
    for count in range(1, 7):
        before = count % 2 == 0

        def job(count: int = count, before: bool = before) -> None:
            with house.opened() as ledger:
                monkeypatch.setattr(Journal, where, _dying(getattr(Journal, where), (count + 1) // 2, before=before))
                getattr(house, way)(ledger)
                die()

        killed_in(job)
        with house.opened():
            pass
        house.check()


def _dying(act: Callable[..., None], count: int, *, before: bool) -> Callable[..., None]:
    left = [count]

    def instead(*args: object, **more: object) -> None:
        left[0] -= 1
        if before and not left[0]:
            die()
        act(*args, **more)
        if not left[0]:
            die()

    return instead


def _walk(house: House, seed: int, kills: int) -> None:
    """Store, fetch and kill at random, with the drive now and then away when it is cleared up."""
    rng = random.Random(seed)
    for _ in range(kills):
        way, step, count = rng.choice(("store", "fetch")), rng.choice(_STEPS), rng.randrange(1, 9)
        folder = rng.choice(("2024", "2025", "20"))

        def job(way: str = way, step: str = step, count: int = count, folder: str = folder) -> None:
            with house.opened() as ledger:
                getattr(house, way)(ledger, folder, Listener(step=killing_at(step, count)))
                die()

        killed_in(job)
        if rng.random() < 0.5:
            away = f"{house.drive.root} away"
            os.rename(house.drive.root, away)
            with house.opened() as ledger:
                assert len(ledger.all_files()) == 12
            os.rename(away, house.drive.root)
        if rng.random() < 0.3:
            for tail in ("", "-wal", "-shm"):
                Path(house.library.ledger_path + tail).unlink(missing_ok=True)
        with house.opened():
            pass
        house.check()


@pytest.mark.parametrize("seed", range(4))
def test_walks_with_kills_and_a_drive_that_comes_and_goes(house: House, seed: int) -> None:
    """Whatever is done, killed, unplugged and forgotten, all is known and lies on one side."""
    _walk(house, seed, 8)


@pytest.mark.long
@pytest.mark.parametrize("seed", range(100, 106))
def test_long_walks_with_kills(house: House, seed: int) -> None:
    """The same, longer."""
    _walk(house, seed, 20)


@pytest.mark.parametrize("way", ["store", "fetch"])
def test_a_pulled_drive_keeps_what_is_left_where_it_is(
    house: House, way: str, medium: Callable[[str], Medium], tmp_path: Path
) -> None:
    """Its files are known while it is away; when it is here again, the last step is made up for."""
    disk = medium("disk")
    with house.opened() as ledger:
        drive = house.drive = add_drive(house.library, str(disk.top))
        if way == "fetch":
            house.store(ledger)
        left = [4]

        def pull(step: str, _: object) -> None:
            left[0] -= step == "synced"
            if not left[0]:
                left[0] = -1
                disk.pull()

        outcome = getattr(house, way)(ledger, listener=Listener(step=pull))
        # What was read before is home, and can't go from the drive any more.
        assert outcome.home < 6 or (way == "fetch" and outcome.remarks)
        assert outcome.trouble or outcome.failed or outcome.gone or outcome.remarks
    os.system(f"umount --lazy '{disk.top}'")
    with house.opened() as ledger:
        assert len(ledger.all_files()) == 12
        assert drive not in drives_here(house.library)
        here = house.files()
        assert here.keys() | ledger.stored.all().keys() == ledger.all_files().keys()
    shutil.copytree(disk.below, tmp_path / "elsewhere", copy_function=shutil.copy2)
    house.drive = add_drive(house.library, str(tmp_path / "elsewhere"))
    assert house.drive.id == drive.id
    with house.opened() as ledger:
        survey(house.library, ledger)
        check(house.library, ledger, house.drive, stop=never())
    house.check()


def test_a_full_drive_is_told_before_and_survived_in_the_middle(house: House, small_place: Path) -> None:
    """Nothing goes that was not proven; what was proven before is stored."""
    with house.opened() as ledger:
        house.drive = add_drive(house.library, str(small_place))
        stuff = small_place / "stuff"
        room = os.statvfs(small_place)
        stuff.write_bytes(bytes(room.f_bavail * room.f_frsize - 100_000))
        with pytest.raises(PlaceFull):
            house.store(ledger)
        stuff.unlink()

        def fill(step: str, _: object) -> None:
            if step == "proven there" and not stuff.exists():
                now = os.statvfs(small_place)
                stuff.write_bytes(bytes(now.f_bavail * now.f_frsize))

        for number in range(4):
            put(Path(house.library.root, "2024", f"big {number}.jpg"), jpeg().ljust(3_000_000, bytes([number])), WHEN)
        house.contents = set(house.files().values())
        survey(house.library, ledger)
        check(house.library, ledger, home_of(house), stop=never())
        outcome = house.store(ledger, listener=Listener(step=fill))
        assert outcome.trouble is not None or outcome.home == 10
    stuff.unlink(missing_ok=True)
    house.check()
    with house.opened() as ledger:
        assert house.store(ledger).trouble is None
    house.check()


def home_of(house: House) -> Place:
    return Place(LIBRARY, "home", house.library.root)


def test_what_is_changed_while_it_is_copied_stays(house: House) -> None:
    """Also right before it would go."""
    path = Path(house.library.root, sorted(house.files())[0])

    def change(step: str, _: object) -> None:
        if step == "proven there":
            path.write_bytes(b"changed" * 3000)

    with house.opened() as ledger:
        outcome = house.store(ledger, listener=Listener(step=change))
        assert path.read_bytes() == b"changed" * 3000
        assert [done.why for done in outcome.failed] == ["It changed since it was copied."]
        assert ledger.stored.all().keys().isdisjoint({str(path.relative_to(house.library.root))})


def test_a_rotten_file_is_not_stored(house: House) -> None:
    """What reads otherwise than it was proven is no copy that anybody wants."""
    path = Path(house.library.root, sorted(house.files())[0])
    status = path.stat()
    data = bytearray(path.read_bytes())
    data[5000] ^= 1
    path.write_bytes(data)
    os.utime(path, ns=(status.st_atime_ns, status.st_mtime_ns))
    with house.opened() as ledger:
        outcome = house.store(ledger)
    assert (outcome.home, len(outcome.failed)) == (5, 1)
    assert path.read_bytes() == data


def test_the_house_wants_so_many_copies(house: House) -> None:
    """That on the drive counts, and one in a backup that is there as it was proven."""
    with house.opened() as ledger:
        with pytest.raises(NotPossible, match=r"3 proven copies .* would be 2"):
            house.store(ledger, least=3)
        assert house.files(house.drive.root) == {}
        spoilt = Path(house.tarn.root, sorted(house.files())[0])
        spoilt.write_bytes(b"")
        outcome = house.store(ledger, least=2)
        assert (outcome.home, len(outcome.failed)) == (5, 1)
        assert "would be 1" in outcome.failed[0].why
    house.check()


@pytest.mark.parametrize("proven", [True, False])
def test_a_backup_with_another_version_is_no_copy_of_this_one(house: House, proven: bool) -> None:
    """Whether the new version was read here before or not."""
    edited = Path(house.library.root, sorted(house.files())[0])
    edited.write_bytes(jpeg(seed=55))
    house.contents = set(house.files().values())
    with house.opened() as ledger:
        if proven:
            check(house.library, ledger, home_of(house), stop=never())
        outcome = house.store(ledger, least=2)
        assert (outcome.home, len(outcome.failed), edited.exists()) == (5, 1, True)


def test_a_record_that_lies_removes_nothing(house: House) -> None:
    """What a journal calls proven goes from the root only if it was read on both sides, and is equal."""
    path = sorted(house.files())[0]
    there = Path(house.drive.root, path)
    there.parent.mkdir(parents=True)
    there.write_bytes(bytes(len(house.files()[path])))
    shutil.copystat(Path(house.library.root, path), there)
    with house.opened() as ledger:
        size, mtime_ns = ledger.all_files()[path]
        journal = Journal.begin(house.library, Kind.STORE, {"place": house.drive.id, "drive": house.drive.id})
        journal.note(
            {"entry": "bring", "row": 0, "source": os.path.join(house.library.root, path), "root": house.library.root,
             "to": path, "size": size, "mtime_ns": mtime_ns},
            {"entry": "home", "row": 0, "to": path, "xxh3_128": "0" * 32, "mtime_ns": mtime_ns},
        )  # fmt: skip
        journal.close()
    with house.opened() as ledger:
        assert ledger.stored.all() == {}
    assert house.files().keys() >= {path}


def test_a_drive_that_tells_no_case_and_rounds_times(house: House, exfat: Path) -> None:
    """Two names that it takes for one are not one file; what is known of the others stays."""
    root = exfat / "storing"
    root.mkdir()
    twin = Path(house.library.root, "2024/05/p00.JPG")
    shutil.copy2(Path(house.library.root, "2024/05/P00.jpg"), twin)
    odd = Path(house.library.root, "2024/05/P02.jpg")
    os.utime(odd, ns=(0, odd.stat().st_mtime_ns + 123_456_789))
    house.contents.clear()
    with house.opened() as ledger:
        check(house.library, ledger, home_of(house), stop=never())
        house.drive = add_drive(house.library, str(root))
        said = ledger.descriptions.missing(None)
        both = {twin, twin.with_name("P00.jpg")}
        assert house.store(ledger).home == 6
        (left,) = (one for one in both if one.exists())
        # Now one of them lies there.
        (done,) = house.store(ledger).failed
        assert "takes its name for that of another file" in done.why or "exists already" in done.why
        assert left.exists()
        told = survey(house.library, ledger)
        assert (told.lost, told.altered, told.moves, len(ledger.stored.all())) == ((), (), (), 6)
        assert len(ledger.descriptions.missing(None)) == len(said)
        assert house.fetch(ledger).home == 6
        assert twin.read_bytes() == twin.with_name("P00.jpg").read_bytes()
    shutil.rmtree(root)


@pytest.mark.parametrize("wanted", [["."], ["nowhere"], ["2024/.."], ["../x"], [".jutrek"]])
def test_what_cannot_be_stored_is_said(house: House, wanted: Sequence[str]) -> None:
    """The whole library, what is not there, and what lies outside."""
    with house.opened() as ledger, pytest.raises(JutrekError):
        to_store(house.library, ledger, wanted, house.drive, HouseRules(), Places())
    assert runs(house.library)[1:] == []


def test_a_lost_drive_in_the_sync_is_trouble_and_no_end_of_the_world(
    house: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A folder of the drive that cannot be made durable ends the run; nothing goes."""
    real = type(house.drive.tree).sync_folder

    def failing(self: object, path: object) -> None:
        if getattr(self, "root", "") == house.drive.root and str(path).startswith("2024"):
            raise OSError(5, "Input/output error")
        real(self, path)  # type: ignore[arg-type]

    with house.opened() as ledger:
        monkeypatch.setattr(type(house.drive.tree), "sync_folder", failing)
        outcome = house.store(ledger)
        monkeypatch.undo()
        assert isinstance(outcome.trouble, PlaceLost)
        assert len(house.files()) == 12


def test_what_could_not_go_goes_the_next_time(house: House, monkeypatch: pytest.MonkeyPatch) -> None:
    """A drive that refuses to remove for a while: the next start makes up for it."""
    with house.opened() as ledger:
        house.store(ledger)
        real = Tree.remove

        def refusing(self: Tree, path: Inside, *, still: os.stat_result) -> None:
            if self.root == house.drive.root:
                raise PermissionError(1, "Operation not permitted")
            real(self, path, still=still)

        monkeypatch.setattr(Tree, "remove", refusing)
        outcome = house.fetch(ledger)
        assert (outcome.home, len(outcome.remarks)) == (6, 6)
        monkeypatch.undo()
    with house.opened():
        pass
    house.check()
    assert house.files(house.drive.root) == {}


def test_what_a_start_finds_is_judged_by_what_is_there_then(house: House) -> None:
    """Too few copies by now: it stays in the root. On neither side: it is missed, and not said to be stored."""
    paths = sorted(house.files())

    def job() -> None:
        with house.opened() as ledger:
            house.store(ledger, least=2, listener=Listener(step=killing_at("proven there")))

    killed_in(job)
    left = [path for path in paths if path in house.files() and path in house.files(house.drive.root)]
    few, none = left[:2]
    put(Path(house.library.root, ".jutrek/house-rules.toml"), b"format = 1\n[copies]\nleast-copies = 2\n")
    Path(house.tarn.root, few).unlink()
    for root in (house.library.root, house.drive.root):
        Path(root, none).unlink()
    with house.opened() as ledger:
        assert few in house.files()
        assert ledger.stored.of([few, none]) == {}
        assert [one.path for one in ledger.knowledge().gone] == [none]


def test_from_a_drive_that_is_read_only_it_comes_home_all_the_same(house: House, small_place: Path) -> None:
    """What can't go from there is told; it lies in the root, and on the drive, too."""
    with house.opened() as ledger:
        house.drive = add_drive(house.library, str(small_place))
        house.store(ledger)
        subprocess.run(["mount", "-o", "remount,ro", small_place], check=True)
        outcome = house.fetch(ledger)
        assert (outcome.home, outcome.failed, len(outcome.remarks)) == (6, [], 6)
        assert ledger.stored.all() == {}
        told = survey(house.library, ledger)
        assert (told.lost, len(told.both), len(house.files())) == ((), 0, 12)
