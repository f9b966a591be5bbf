"""Small files that are carried together: each is proven, and fails, for itself."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from pathlib import Path

import pytest

from jutrek.disk import inside
from jutrek.filing import Action, Row
from jutrek.library import Library, add_place, as_place
from jutrek.library.ledger import Ledger
from jutrek.transfer import bring, bundles, running
from jutrek.transfer.carry import Carrier
from jutrek.transfer.copies import Target
from jutrek.transfer.flight import Proof, Watch
from jutrek.transfer.folders import HeldFolders
from tests import making
from tests.making import WHEN, everything, names_below, planned, put
from tests.transfer.test_bring import run

_FILES = 12


@pytest.fixture(autouse=True)
def _bundled(monkeypatch: pytest.MonkeyPatch) -> None:
    """A dozen small files in bundles of four."""
    monkeypatch.setattr(running, "IN_FLIGHT", running.LANES)
    monkeypatch.setattr(bundles, "FEW", 1)


@pytest.fixture
def stills(card: Path) -> Path:
    """A card with a dozen of them, all of one month."""
    for number in range(_FILES):
        put(card / "DCIM" / f"DSC{number:03}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    return card


def rows_of(sizes: list[int]) -> list[Row]:
    return [
        Row(f"/card/{number}", "/card", Action.BRING, f"{number}", "", size, 0) for number, size in enumerate(sizes)
    ]


def test_every_file_is_in_one_bundle_and_large_ones_are_alone() -> None:
    """A bundle is no longer than it may be; few files are still spread over all threads."""
    small, large = bundles.SMALL, bundles.SMALL + 1
    rows = rows_of([small] * 30 + [large] + [0] * 70 + [large])
    found = list(bundles.bundled(rows, range(len(rows)), 3, 16))
    assert sorted(number for bundle in found for number in bundle) == list(range(len(rows)))
    assert [30] in found
    assert [101] in found
    assert {len(bundle) for bundle in found if rows[bundle[0]].size == small} == {16}
    assert max(map(len, bundles.bundled(rows, range(24), 3, 16))) == 8
    assert max(map(len, bundles.bundled(rows, range(5), 8, 16))) == 1


@pytest.mark.parametrize(("threads", "places"), [(3, 1), (8, 1), (8, 3), (24, 9), (0, 1)])
def test_a_run_leaves_descriptors_for_others(threads: int, places: int) -> None:
    """However many sources and places there are."""
    most = bundles.most_at_once(threads, places)
    assert most >= 1
    assert most == 1 or most * threads * (1 + 2 * places) < 512


def test_trouble_of_one_file_of_a_bundle_is_its_own(library: Library, ledger: Ledger, stills: Path) -> None:
    """One is changed, one finds its name taken, one is damaged on its way: the rest, and the last, come home."""
    plan = planned(library, ledger, [stills])
    by_name = {Path(row.source).name: row for row in plan.to_bring()}
    acts: dict[tuple[str, str], Callable[[Row], object]] = {
        ("copied", "DSC001.JPG"): lambda row: Path(row.source).write_bytes(b"changed"),
        ("synced", "DSC005.JPG"): lambda row: put(Path(library.root, row.destination or ""), b"somebody else's"),
        ("synced", "DSC009.JPG"): lambda row: damaged(library),
    }

    def damaged(library: Library) -> None:
        # Of its bundle every temporary is there at this step; which is whose only its number tells.
        number = plan.to_bring().index(by_name["DSC009.JPG"])
        (path,) = Path(library.root).rglob(f".jutrek-*-{number}.part")
        path.write_bytes(b"bad".ljust(path.stat().st_size))

    def step(name: str, row: Row) -> None:
        if act := acts.pop((name, Path(row.source).name), None):
            act(row)

    outcome = run(plan, library, ledger, step)
    assert acts == {}
    assert {Path(done.row.source).name for done in outcome.failed} == {"DSC001.JPG", "DSC005.JPG"}
    assert (outcome.home, outcome.trouble) == (_FILES - 2, None)
    for done in outcome.done:
        there = Path(library.root, done.row.destination or "")
        assert done.home == (there.is_file() and there.read_bytes() == Path(done.row.source).read_bytes())
    assert not [name for name in names_below(library.root) if ".jutrek-" in name]


def test_all_of_a_bundle_is_written_before_any_of_it_is_synced(library: Library, ledger: Ledger, stills: Path) -> None:
    """That is what bundles are for; and none is named before it was read back."""
    told: list[tuple[str, str]] = []
    run(planned(library, ledger, [stills]), library, ledger, lambda step, row: told.append((step, row.source)))
    at = {one: place for place, one in enumerate(told)}
    together = 0
    for source in {source for _, source in told}:
        times = [at[step, source] for step in ("begin", "opened", "copied", "synced", "read back", "named")]
        assert times == sorted(times)
        together += any(at["copied", other] < at["synced", source] < at["synced", other] for _, other in told)
    assert together >= _FILES // 2


@pytest.mark.parametrize("step", ["copied", "read back", "named"])
def test_a_folder_that_is_moved_away_takes_none_of_a_bundle_home(
    step: str, library: Library, ledger: Ledger, stills: Path, tmp_path: Path
) -> None:
    """What counts as home lies under its name; whatever went elsewhere comes again."""
    moved: list[Path] = []

    def move(name: str, row: Row) -> None:
        if name == step and not moved:
            folder = Path(library.root, row.destination or "").parent
            moved.append(tmp_path / "away")
            folder.rename(moved[0])
            folder.mkdir()

    before = everything(stills)
    outcome = run(planned(library, ledger, [stills]), library, ledger, move)
    assert moved
    assert outcome.home < _FILES
    for done in outcome.done:
        assert not done.home or Path(library.root, done.row.destination or "").is_file()
    run(planned(library, ledger, [stills]), library, ledger)
    assert {row.action for row in planned(library, ledger, [stills]).rows} == {Action.HOME}
    assert everything(stills) == before


def test_a_run_closes_what_it_opens(library: Library, ledger: Ledger, stills: Path) -> None:
    """Whether files come home or not."""
    plan = planned(library, ledger, [stills])
    opened = len(os.listdir("/proc/self/fd"))

    def step(name: str, row: Row) -> None:
        if name == "opened" and row.source.endswith("3.JPG"):
            Path(row.source).write_bytes(b"")

    assert run(plan, library, ledger, step).home == _FILES - 1
    assert len(os.listdir("/proc/self/fd")) == opened


def test_a_bundle_that_is_broken_off_leaves_nothing(library: Library, ledger: Ledger, stills: Path) -> None:
    """Whatever ended it: all that were not named yet are put away."""
    rows = planned(library, ledger, [stills]).to_bring()
    target = Target(as_place(library), main=True)
    calm = Watch(*[lambda *_: None] * 6, lambda _: False, lambda _: None)
    opened = len(os.listdir("/proc/self/fd"))
    under_way = Carrier([target], "run", threading.Semaphore(), calm).carry(enumerate(rows))
    number, proof = next(under_way)
    assert (number, type(proof)) == (0, Proof)
    under_way.close()
    assert len(os.listdir("/proc/self/fd")) == opened
    assert not list(Path(library.root).rglob(".jutrek-*.part"))


def test_an_empty_folder_that_somebody_removes_is_made_again(
    library: Library, ledger: Ledger, stills: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Between looking and writing, while nobody else writes there: all files come home all the same."""
    monkeypatch.setattr(running, "LANES", 1)
    monkeypatch.setattr(running, "IN_FLIGHT", 1)
    plan = planned(library, ledger, [stills])
    folders = {Path(library.root, row.destination or "").parent for row in plan.to_bring()}
    for folder in folders:
        folder.mkdir(parents=True)
    removed: list[Path] = []

    def remove(step: str, row: Row) -> None:
        folder = Path(library.root, row.destination or "").parent
        if step == "opened" and not removed:
            folder.rmdir()
            removed.append(folder)

    outcome = run(plan, library, ledger, remove)
    assert removed
    assert (outcome.home, outcome.failed) == (_FILES, [])


def test_what_a_place_has_already_is_proven_as_the_file_that_it_is(
    library: Library, ledger: Ledger, stills: Path, tmp_path: Path
) -> None:
    """Read back and compared, not written; its mark tells which file that was."""
    (tmp_path / "place").mkdir()
    place = add_place(library, str(tmp_path / "place"))
    plan = planned(library, ledger, [stills])
    row = plan.to_bring()[0]
    there = put(Path(place.root, row.destination or ""), Path(row.source).read_bytes())
    inode = there.stat().st_ino
    bring(plan, library, ledger, stop=threading.Event(), places=[place])
    assert there.stat().st_ino == inode
    mark = ledger.mark_of(row.destination or "", place.id)
    assert mark is not None
    assert (mark.inode, mark.mtime_ns) == (inode, there.stat().st_mtime_ns)


def test_a_fault_of_ours_ends_the_run_and_is_told(
    library: Library, ledger: Ledger, stills: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It waits for no file that will never end."""

    def fail(*_: object) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr(Carrier, "carry", fail)
    with pytest.raises(ZeroDivisionError):
        run(planned(library, ledger, [stills]), library, ledger)


def test_what_was_checked_for_one_bundle_holds_for_no_other(library: Library, tmp_path: Path) -> None:
    """A folder that was moved away afterwards is seen by the next bundle of the same thread."""
    folders, tree, path = HeldFolders(), library.tree, inside("2026")
    folders.hold(tree, path, make=True)
    folders.check(tree, path)
    folders.close()
    folders.hold(tree, path)
    Path(library.root, "2026").rename(tmp_path / "away")
    Path(library.root, "2026").mkdir()
    with pytest.raises(FileNotFoundError):
        folders.check(tree, path)
    folders.close()
