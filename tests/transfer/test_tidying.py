"""Moves by a person's hand, cut off anywhere: every byte lies where it was or where it was to be, exactly once."""

from __future__ import annotations

import os
import random
import signal
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest
import xxhash

from jutrek.disk import TEMPORARY, FileStamp, folded
from jutrek.errors import JutrekError, LibraryBusy
from jutrek.filing import Action, HouseRules, Plan, Row
from jutrek.filing.folders import Folders
from jutrek.library import LIBRARY, Library, Place, add_place, new_library
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, Outcome, bring, plan_taking_back, recover, refile
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.folder_moves import FolderMove, folders_back, move_folders
from jutrek.transfer.journal import Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.orders import Orders
from jutrek.transfer.renaming import in_turn
from jutrek.transfer.run_log import known_of_files, run_log_of, runs, unfinished
from jutrek.transfer.setting_aside import put_aside
from jutrek.transfer.taking_back import folders_now, taken_back_by
from tests.killing import die, killed_in, killing_at
from tests.making import WHEN, jpeg, never, planned, put

_STEPS = ("begin", "folder made", "between", "renamed", "written down", "known")


class House:
    """A library of files that agree in size and time, with all of them proven here and in another place."""

    def __init__(self, library: Library, tarn: Place) -> None:
        self.library, self.tarn = library, tarn
        is_blind = os.path.exists(os.path.join(library.root, ".JUTREK"))
        self.key: Callable[[str], str] = folded if is_blind else str
        """A path as the medium tells it from others."""

    def files(self, root: str = "") -> dict[str, bytes]:
        """Contents by path, also of what was put away; temporaries and what is Jutrek's own are left out."""
        top = Path(root or self.library.root)
        found = {str(one.relative_to(top)): one for one in top.rglob("*") if one.is_file()}
        pages = (".jutrek/tray/", ".jutrek/taken-back/")
        return {
            path: one.read_bytes()
            for path, one in found.items()
            if (not path.startswith(".jutrek/") or path.startswith(pages)) and path.endswith(".jpg")
        }

    def leftovers(self) -> list[str]:
        """Names in between that were left lying."""
        tops = (self.library.root, self.tarn.root)
        return [str(one) for top in tops for one in Path(top).rglob(f"{TEMPORARY}*") if ".jutrek/" not in str(one)]


def make_house(top: Path, card: Path) -> House:
    """A library and another place on one medium, with the files of a card."""
    for name in ("archive", "copies"):
        (top / name).mkdir(parents=True)
    library = new_library(str(top / "archive"))
    tarn = add_place(library, str(top / "copies"))
    for number in range(12):
        put(card / "DCIM" / f"P{number:02}.jpg", jpeg(WHEN.replace(second=number)).ljust(4096, bytes([number])), WHEN)
    rules = HouseRules(layout="all", name="{original}")
    with Ledger(library.ledger_path) as ledger:
        outcome = bring(planned(library, ledger, [card], rules), library, ledger, stop=never(), places=[tarn])
    assert outcome.home == 12
    return House(library, tarn)


@pytest.fixture
def house(top: Path, card: Path) -> House:
    """One on each kind of medium."""
    return make_house(top, card)


@pytest.fixture
def plain(tmp_path: Path, card: Path) -> House:
    """One on a medium that tells case."""
    return make_house(tmp_path / "plain", card)


def rows_of(house: House, moves: dict[str, str]) -> Plan:
    """A plan of moves."""
    rows = []
    for old, new in moves.items():
        path = os.path.join(house.library.root, old)
        status = os.lstat(path)
        rows.append(Row(path, house.library.root, Action.MOVE, new, "", status.st_size, status.st_mtime_ns, old))
    return Plan(house.library.root, house.library.id, HouseRules(), tuple(rows))


def tidied(house: House, ledger: Ledger, moves: dict[str, str], listener: Listener | None = None) -> Outcome:
    orders = Orders(Kind.TIDY, head={"act": "moved"}, by_hand=True)
    return refile(
        rows_of(house, moves), house.library, ledger, stop=never(), listener=listener, places=[house.tarn],
        orders=orders,
    )  # fmt: skip


def taken_back(house: House, ledger: Ledger, listener: Listener | None = None) -> Outcome:
    """Take the newest run back that can be."""
    undone = taken_back_by(house.library)
    for run in reversed(runs(house.library)):
        run_log = run_log_of(house.library, run)
        if run in undone or not run_log.moves:
            continue
        if run_log.folders:
            back, _ = folders_back(house.library, run_log, folders_now(house.library, run_log))
            return move_folders(
                back, house.library, ledger, stop=never(), listener=listener, takes_back=run, places=[house.tarn]
            )  # fmt: skip
        plan, _ = plan_taking_back(house.library, run)
        return refile(
            plan, house.library, ledger, stop=never(), listener=listener, takes_back=run, places=[house.tarn]
        )  # fmt: skip
    return Outcome()


def check(house: House, contents: set[bytes], *, replayed: bool) -> None:
    """Everything is there once, and nothing that is said of any file is untrue."""
    assert house.leftovers() == []
    for root in (house.library.root, house.tarn.root):
        lies = house.files(root)
        assert sorted(lies.values()) == sorted(contents), root
    told = known_of_files(house.library).proofs if replayed else []
    with Ledger(house.library.ledger_path) as ledger:
        for place, root in ((LIBRARY, house.library.root), (house.tarn.id, house.tarn.root)):
            lies = {house.key(path): data for path, data in house.files(root).items()}
            marks = [*ledger.marks(place).values(), *(one for one in told if one.place == place)]
            for mark in (one for one in marks if one.stands and house.key(one.path) in lies):
                assert mark.full == xxhash.xxh3_128_digest(lies[house.key(mark.path)]), (place, mark.path)
        known = ledger.all_files()
    here = [path for path in house.files() if not path.startswith(".jutrek/")]
    # A name that was told apart, since another file took the one that was meant, is learnt by the next survey.
    if not any(path.endswith("_2.jpg") for path in here):
        assert set(map(house.key, known)) == set(map(house.key, here))
    assert list(unfinished(house.library)) == []


def random_act(house: House, rng: random.Random) -> Callable[[Ledger, Listener], object]:
    """Something that a person might do."""
    files = sorted(path for path in house.files() if not path.startswith(".jutrek/"))
    folders = sorted({path.rpartition("/")[0] for path in files} - {""})
    some = rng.sample(files, rng.randrange(1, len(files) + 1)) if files else []
    what = rng.choice(("move", "turn", "turn", "folder", "folder", "back", "aside", "case"))
    if what == "turn" and len(some) > 1:
        moves = dict(
            zip(some, some[1:] + ([some[0]] if rng.random() < 0.6 else [f"{some[-1][:-4]} last.jpg"]), strict=True)
        )
        if moves[some[-1]] not in files or moves[some[-1]] == some[0]:
            return lambda ledger, listener: tidied(house, ledger, moves, listener)
    if what == "folder" and folders:
        old = rng.choice(folders)
        above, name = os.path.split(old)
        deep = Folders(house.library.root).spelt("deep")
        new = rng.choice((f"{old} x", f"{deep}/{old.replace('/', ' ')}", os.path.join(above, name.swapcase()), "other"))
        return lambda ledger, listener: move_folders(
            [FolderMove(old, new)], house.library, ledger, stop=never(), listener=listener, places=[house.tarn]
        )  # fmt: skip
    if what == "back":
        return lambda ledger, listener: taken_back(house, ledger, listener)
    if what == "aside" and len(files) > 6:
        path = some[0]
        stamp = FileStamp.seen(os.lstat(os.path.join(house.library.root, path)))
        return lambda ledger, listener: put_aside(
            [(path, stamp)], house.library, ledger, stop=never(), listener=listener, places=[house.tarn]
        )  # fmt: skip
    if what == "case" and some:
        renamed = {path: f"{path.rpartition('/')[0]}/{path.rpartition('/')[2].swapcase()}".lstrip("/") for path in some}
        lower = {path: new for path, new in renamed.items() if new.endswith(".JPG")}
        moves = {path: new[:-3] + "jpg" for path, new in lower.items() if new[:-3] + "jpg" not in files}
        return lambda ledger, listener: tidied(house, ledger, moves, listener)
    to = Folders(house.library.root).spelt(rng.choice(("all", "bits", "bits/more", "C")))
    moves = {path: f"{to}/{path.rpartition('/')[2]}" for path in some}
    free = {path: new for path, new in moves.items() if path != new and new not in files}
    return lambda ledger, listener: tidied(house, ledger, free, listener)


def cut_off(house: House, act: Callable[[Ledger, Listener], object], rng: random.Random) -> bool:
    """Do it in a child that is killed at a step, or at any moment. Returns whether it was."""
    child = os.fork()
    if not child:
        try:
            listener = Listener()
            if rng.random() < 0.6:
                listener = Listener(step=killing_at(rng.choice(_STEPS), rng.randrange(1, 5)))
            else:
                signal.signal(signal.SIGALRM, signal.SIG_DFL)
                signal.setitimer(signal.ITIMER_REAL, rng.uniform(0.001, 0.02))
            with Ledger(house.library.ledger_path) as ledger:
                act(ledger, listener)
        finally:
            os._exit(0)
    _, status = os.waitpid(child, 0)
    return os.WIFSIGNALED(status)


def walk(house: House, seed: int, kills: int) -> None:
    """Do one thing after the other, until so many were cut off somewhere; after each everything is checked."""
    rng, killed = random.Random(seed), 0
    contents = set(house.files().values())
    while killed < kills:
        killed += cut_off(house, random_act(house, rng), random.Random(rng.random()))
        with Ledger(house.library.ledger_path) as ledger:
            recover(house.library, ledger)
        check(house, contents, replayed=killed % 3 == 0)


def test_a_few_things_cut_off_anywhere(house: House) -> None:
    """A short walk."""
    walk(house, 7, 8)


@pytest.mark.long
@pytest.mark.parametrize("top", ["plain", "exfat"], indirect=True)
@pytest.mark.parametrize("seed", range(3))
def test_many_things_cut_off_anywhere(house: House, seed: int) -> None:
    """More than two hundred kills over all seeds and media."""
    walk(house, seed, 40 if house.key is str else 28)


def test_names_are_exchanged_by_all_or_by_none(plain: House) -> None:
    """One that changed meanwhile keeps all of them where they are, also in the other place."""
    root = Path(plain.library.root)
    turn = {"all/P00.jpg": "all/P01.jpg", "all/P01.jpg": "all/P02.jpg", "all/P02.jpg": "all/P00.jpg"}
    before = plain.files()
    plan = rows_of(plain, turn)
    os.utime(root / "all/P01.jpg", ns=(1, 1))
    with Ledger(plain.library.ledger_path) as ledger:
        outcome = refile(plan, plain.library, ledger, stop=never(), orders=Orders(Kind.TIDY))
        assert (outcome.home, len(outcome.failed), plain.files()) == (0, 3, before)
        assert "changed since the plan was made" in outcome.failed[1].why
        assert tidied(plain, ledger, turn).home == 3
        after = plain.files()
        assert [after[new] == before[old] for old, new in turn.items()] == [True] * 3
        assert plain.files(plain.tarn.root) == after
        assert {one.path: one.full for one in ledger.marks(LIBRARY).values()} == {
            path: xxhash.xxh3_128_digest(data) for path, data in after.items()
        }
        assert taken_back(plain, ledger).home == 3
    assert plain.files() == plain.files(plain.tarn.root) == before


def test_a_name_that_somebody_took_meanwhile_is_nobodys_proof(plain: House) -> None:
    """A stranger of the same size lies at a new name when the run is cut off: what was to lie there is told apart."""
    root, before = Path(plain.library.root), plain.files()
    turn = {"all/P00.jpg": "all/P01.jpg", "all/P01.jpg": "all/other.jpg"}
    left = [2]

    def step(name: str, _: Row) -> None:
        left[0] -= name == "between"
        if name == "between" and not left[0]:
            (root / "all/P01.jpg").write_bytes(b"s" * 4096)
        if name == "renamed":
            die()

    def cut() -> None:
        with Ledger(plain.library.ledger_path) as ledger:
            tidied(plain, ledger, turn, Listener(step=step))

    killed_in(cut)
    with Ledger(plain.library.ledger_path) as ledger:
        recover(plain.library, ledger)
        lies = plain.files()
        assert sorted(lies.values()) == sorted([*before.values(), b"s" * 4096])
        for mark in ledger.marks(LIBRARY).values():
            assert mark.full == xxhash.xxh3_128_digest(lies.get(mark.path, b"")) or mark.path == "all/P00.jpg"
    run_log = run_log_of(plain.library, runs(plain.library)[-1])
    assert [run_log.to_move[row]["to"] for row in run_log.done] == ["all/other.jpg"]


def test_a_copy_that_was_changed_keeps_its_name_in_a_round(plain: House) -> None:
    """The other one that was to get it stays, too, and nothing that is not so is said of either."""
    changed = Path(plain.tarn.root) / "all/P01.jpg"
    put(changed, changed.read_bytes()[:-1] + b"!", WHEN.replace(hour=1))
    there = sorted(plain.files(plain.tarn.root).values())
    with Ledger(plain.library.ledger_path) as ledger:
        assert tidied(plain, ledger, {"all/P00.jpg": "all/P01.jpg", "all/P01.jpg": "all/P00.jpg"}).home == 2
        lies = plain.files(plain.tarn.root)
        assert sorted(lies.values()) == there
        assert lies["all/P01.jpg"] == changed.read_bytes()
        for mark in ledger.marks(plain.tarn.id).values():
            assert mark.full == xxhash.xxh3_128_digest(lies[mark.path])
    assert plain.leftovers() == []


def test_which_moves_are_in_one_anothers_way() -> None:
    """Chains and rounds, and names that differ by case; all others move by themselves."""
    assert in_turn([("a", "b"), ("c", "d")]) == frozenset()
    assert in_turn([("a", "b"), ("b", "c"), ("x", "y")]) == {0, 1}
    assert in_turn([("a", "b"), ("b", "a")]) == {0, 1}
    assert in_turn([("p/A.jpg", "p/a.jpg")]) == frozenset()
    assert in_turn([("last", "x"), ("LAST", "last")]) == {0, 1}


def test_a_folder_goes_neither_into_itself_nor_over_another(plain: House) -> None:
    """Nor out of the library; nor does one that is gone. Each is told, and the others move."""
    (Path(plain.library.root) / "other").mkdir()
    (Path(plain.library.root) / "other" / "note.txt").write_text("x")
    moves = [FolderMove("all", "all/deeper"), FolderMove("all", "other"), FolderMove("all", ".jutrek/x"),
             FolderMove("gone", "x"), FolderMove("all", "new/all")]  # fmt: skip
    with Ledger(plain.library.ledger_path) as ledger:
        outcome = move_folders(moves, plain.library, ledger, stop=never(), places=[plain.tarn])
        assert [done.home for done in outcome.done] == [False, False, False, False, True]
        assert "into itself" in outcome.done[0].why and "exists already" in outcome.done[1].why
        assert "gone" in outcome.done[3].why
        assert {path.rpartition("/")[0] for path in ledger.all_files()} == {"new/all"}
        assert set(plain.files()) == set(plain.files(plain.tarn.root)) == set(ledger.marks(plain.tarn.id))
        (Path(plain.library.root) / "all").mkdir()
        run_log = run_log_of(plain.library, outcome.run)
        back, left = folders_back(plain.library, run_log, folders_now(plain.library, run_log))
    assert (back, left) == ([], ["new/all stays: there is a all again."])


def test_what_moved_in_a_folder_that_moved_is_taken_back_from_there(plain: House) -> None:
    """Runs are taken back in any order, as long as a file was not moved by itself since."""
    before = plain.files()
    with Ledger(plain.library.ledger_path) as ledger:
        first = tidied(plain, ledger, {"all/P00.jpg": "some/P00.jpg"}).run
        move_folders([FolderMove("some", "few")], plain.library, ledger, stop=never(), places=[plain.tarn])
        assert "few/P00.jpg" in plain.files() and "few/P00.jpg" in plain.files(plain.tarn.root)
        plan, left = plan_taking_back(plain.library, first)
        assert left == []
        assert refile(plan, plain.library, ledger, stop=never(), takes_back=first, places=[plain.tarn]).home == 1
    assert plain.files() == plain.files(plain.tarn.root) == before


def test_two_at_once(plain: House) -> None:
    """The second is refused with a sentence."""
    with Ledger(plain.library.ledger_path) as ledger, locked(plain.library):
        with pytest.raises(LibraryBusy):
            tidied(plain, ledger, {"all/P00.jpg": "b/P00.jpg"})
        with pytest.raises(LibraryBusy):
            move_folders([FolderMove("all", "b")], plain.library, ledger, stop=never())


@pytest.mark.parametrize("room", [0, 1, 2, 4, 8, 16])
def test_a_disk_that_is_full(small_place: Path, card: Path, room: int) -> None:
    """Wherever it becomes full, it is told, and the next start finds everything.

    Args:
        room: how many blocks are free.
    """
    small = make_house(small_place, card)
    before, filler = small.files(), small_place / "filler"
    with suppress(OSError), filler.open("wb", buffering=0) as file:
        while True:
            file.write(bytes(4096))
    os.truncate(filler, max(0, filler.stat().st_size - room * 4096))
    turn = dict(zip(sorted(before), sorted(before)[1:] + sorted(before)[:1], strict=True))
    with suppress(JutrekError), Ledger(small.library.ledger_path) as ledger:
        tidied(small, ledger, turn)
        move_folders([FolderMove("all", "b")], small.library, ledger, stop=never(), places=[small.tarn])
    filler.unlink()
    with Ledger(small.library.ledger_path) as ledger:
        recover(small.library, ledger)
    check(small, set(before.values()), replayed=True)


def test_a_drive_that_is_pulled_while_copies_follow(plain: House) -> None:
    """What moved has moved; the copies are found where they are, and follow when the drive is caught up."""
    gone = f"{plain.tarn.root}.pulled"
    listener = Listener(step=lambda step, row: os.rename(plain.tarn.root, gone) if step == "renamed" else None)
    with Ledger(plain.library.ledger_path) as ledger:
        assert tidied(plain, ledger, {"all/P03.jpg": "b/P03.jpg"}, listener).home == 1
        os.rename(gone, plain.tarn.root)
        recover(plain.library, ledger)
        wanted = lacking(plain.library, ledger, plain.tarn)
        assert (wanted.rows, wanted.moves) == ((), (("all/P03.jpg", "b/P03.jpg"),))
        catch_up(wanted, plain.library, ledger, stop=never())
    assert plain.files(plain.tarn.root) == plain.files()
