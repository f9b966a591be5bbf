"""Media that fail under a run: real mounts, real errors; kills at random moments; large files that go on."""

from __future__ import annotations

import errno
import os
import random
import re
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import blake3
import pytest
import xxhash

from jutrek.errors import PlaceLost, Stopped
from jutrek.filing import HouseRules
from jutrek.library import Library, Place, new_library
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, bring, carry, plan_finishing, recover
from jutrek.transfer.resumable import room_of_partials
from jutrek.transfer.run_log import run_log_of
from tests import making
from tests.conftest import Medium
from tests.killing import die, killed_in
from tests.making import WHEN, everything, names_below, never, planned, put
from tests.transfer.test_bring import BLOCKS, Fault, fill

Media = Callable[[str], Medium]
SMALL_PART = 4 * 1024 * 1024


@pytest.fixture
def small_parts(monkeypatch: pytest.MonkeyPatch) -> None:
    """Parts of 4 MiB, so that a small file has several."""
    monkeypatch.setattr(carry, "PART", SMALL_PART)


@pytest.mark.parametrize(
    ("fault", "trouble"),
    [
        ({"write_error": errno.EIO}, PlaceLost), ({"sync_error": errno.EIO}, PlaceLost),
        ({"rename_error": errno.EIO}, PlaceLost), ({"close_error": errno.EIO}, PlaceLost),
        ({"write_error": errno.EROFS}, PlaceLost), ({"read_error": {"*": (0, 10**9)}}, PlaceLost),
        ({"gone": errno.ENODEV}, PlaceLost), ({"loses_writes": True}, None), ({"flips": {"*": 100}}, None),
    ],
    ids=str,
)  # fmt: skip
def test_whatever_the_library_s_disk_does_only_proven_bytes_bear_names(
    fault: dict[str, object], trouble: type[Exception] | None, card: Path, medium: Media
) -> None:
    """The fault ends the run or the files; when the disk is well again, the next run brings everything."""
    fill(card)
    contents = {path.read_bytes() for path in card.rglob("*") if path.is_file()}
    before = everything(card)
    disk = medium("disk")
    (disk.top / "library").mkdir()
    library = new_library(str(disk.top / "library"))
    with Ledger(library.ledger_path) as ledger:
        plan = planned(library, ledger, [card])
        hurt = Fault("opened", lambda _: disk.fail(**fault))
        outcome = bring(plan, library, ledger, stop=never(), listener=Listener(step=hurt))
        assert hurt.fired
        assert type(outcome.trouble) is (trouble or type(None))
        assert outcome.home < 7
        assert trouble or any("read back differently" in done.why for done in outcome.failed)
        disk.fail()
        recover(library, ledger)
        named = names_below(str(disk.below / "library"))
        assert all((disk.below / "library" / name).read_bytes() in contents for name in named)
        assert bring(planned(library, ledger, [card]), library, ledger, stop=never()).trouble is None
        assert {(disk.below / "library" / n).read_bytes() for n in names_below(library.root)} == contents
    assert everything(card) == before


def test_where_a_copy_differs_is_told_in_bytes(card: Path, medium: Media) -> None:
    """A medium that always reads one bit wrong: tried twice, told with the offset, never named."""
    put(card / "CLIP.MP4", making.mp4(WHEN, media=BLOCKS))
    disk = medium("disk")
    library = new_library(str(disk.top))
    with Ledger(library.ledger_path) as ledger:
        plan = planned(library, ledger, [card])
        disk.fail(flips={"*": 5_000_001})
        outcome = bring(plan, library, ledger, stop=never())
    assert "at byte 5,000,001, twice" in outcome.failed[0].why
    assert names_below(str(disk.below)) == set()


def test_what_reads_back_differently_once_is_copied_and_proven_once_more(card: Path, medium: Media) -> None:
    """A bit that is read wrong once costs a second copy, and no file; its bytes and its time are the source's."""
    put(card / "CLIP.MP4", making.mp4(WHEN, media=BLOCKS))
    os.utime(card / "CLIP.MP4", ns=(1, 1_700_000_000_000_000_001))
    disk = medium("disk")
    library = new_library(str(disk.top))
    with Ledger(library.ledger_path) as ledger:
        plan = planned(library, ledger, [card])
        disk.fail(flips={"*": 5_000_001}, lies=1)
        outcome = bring(plan, library, ledger, stop=never())
    (name,) = names_below(str(disk.below))
    assert outcome.home == 1
    assert (disk.below / name).read_bytes() == (card / "CLIP.MP4").read_bytes()
    assert (disk.below / name).stat().st_mtime_ns == 1_700_000_000_000_000_001


def test_a_card_with_one_bad_spot_keeps_that_file_only(library: Library, ledger: Ledger, medium: Media) -> None:
    """The sentence says at which byte; everything else comes home."""
    source = medium("Card A")
    fill(source.below)
    source.fail(read_error={"/DCIM/CLIP.MP4": (5_000_000, 5_000_100)})
    outcome = bring(planned(library, ledger, [source.top]), library, ledger, stop=never())
    assert (outcome.home, len(outcome.failed)) == (6, 1)
    found = re.search(r"CLIP.MP4 could not be read at byte ([0-9,]+): input/output error", outcome.failed[0].why)
    assert found
    assert 4_194_304 <= int(found[1].replace(",", "")) <= 5_000_000


def test_a_card_reader_that_lies_is_caught_by_the_second_reading(
    library: Library, ledger: Ledger, medium: Media
) -> None:
    """A bit that is read wrong once would be copied faithfully; the house rule reads twice."""
    source = medium("Card A")
    fill(source.below, 2)
    rules = HouseRules(twice=True)
    plan = planned(library, ledger, [source.top], rules)
    source.fail(flips={"/DCIM/CLIP.MP4": 5_000_000}, lies=1)
    outcome = bring(plan, library, ledger, stop=never())
    assert [done.row.source[-8:] for done in outcome.failed] == ["CLIP.MP4"]
    assert "read differently the second time" in outcome.failed[0].why


def test_a_second_sum_is_kept_where_rules_ask_for_it(library: Library, ledger: Ledger, card: Path) -> None:
    """BLAKE3 beside XXH3-128, of the same bytes, in the journal."""
    put(card / "A.JPG", making.jpeg())
    outcome = bring(planned(library, ledger, [card], HouseRules(second_sum=True)), library, ledger, stop=never())
    (done,) = run_log_of(library, outcome.run).done.values()
    assert done["blake3"] == blake3.blake3((card / "A.JPG").read_bytes()).hexdigest()
    assert done["xxh3_128"] == xxhash.xxh3_128((card / "A.JPG").read_bytes()).hexdigest()


def test_a_pulled_card_is_finished_when_it_is_back(
    library: Library, ledger: Ledger, medium: Media, small_parts: None
) -> None:
    """What was not read stays untouched and is named with its source; finishing brings it, and goes on with a clip."""
    source = medium("Card A")
    put(source.below / "CLIP.MP4", making.mp4(WHEN, media=BLOCKS * 4))
    put(source.below / "ZLAST.JPG", making.jpeg(WHEN.replace(hour=11)))
    pulled = threading.Event()

    def step(name: str, row: object) -> None:
        if name == "half copied" and not pulled.is_set() and comes_to_parts(library):
            pulled.set()
            source.pull()

    plan = planned(library, ledger, [source.top])
    outcome = bring(plan, library, ledger, stop=never(), listener=Listener(step=step))
    assert pulled.is_set()
    assert outcome.gone == {str(source.top)}
    assert not outcome.failed
    subprocess.run(["umount", "--lazy", source.top], check=True)
    for name in ("CLIP.MP4", "ZLAST.JPG"):
        os.link(source.below / name, source.top / name)
    read = Counted()
    again = plan_finishing(library, outcome.run, HouseRules())
    finished = bring(again, library, ledger, stop=never(), continues=outcome.run, listener=read.listener)
    assert (outcome.home + finished.home, finished.failed) == (2, [])
    assert read.bytes < len(BLOCKS) * 4
    (clip,) = Path(library.root).rglob("2*.mp4")
    assert clip.read_bytes() == (source.top / "CLIP.MP4").read_bytes()


def comes_to_parts(library: Library) -> bool:
    """Whether a part of a large file is in the newest journal by now; gives it the time to come there."""
    time.sleep(0.15)
    path = max((Path(library.own) / "journal").glob("*.jsonl"))
    return b'"part"' in path.read_bytes()


class Counted:
    """Counts what a run read from its sources."""

    def __init__(self) -> None:
        self.bytes = 0
        self.listener = Listener(progress=self._see)

    def _see(self, progress: object) -> None:
        self.bytes = progress.read_bytes  # type: ignore[attr-defined]


@pytest.mark.parametrize("how", ["stop", "kill"])
def test_a_large_file_goes_on_from_its_last_proven_part(
    how: str, library: Library, ledger: Ledger, card: Path, small_parts: None
) -> None:
    """After a stop or a kill, only what is not proven is read; a part that rotted meanwhile is read again."""
    put(card / "CLIP.MP4", making.mp4(WHEN, media=BLOCKS * 2))
    size = (card / "CLIP.MP4").stat().st_size
    if how == "stop":
        stop = threading.Event()

        def step(name: str, _: object) -> None:
            if name == "half copied" and comes_to_parts(library):
                stop.set()

        outcome = bring(planned(library, ledger, [card]), library, ledger, stop=stop, listener=Listener(step=step))
        assert isinstance(outcome.trouble, Stopped)
        run = outcome.run
    else:

        def dies(name: str, _: object) -> None:
            time.sleep(0.15)
            if name == "half copied" and comes_to_parts(library):
                die()

        def job() -> None:
            with Ledger(library.ledger_path) as own:
                bring(planned(library, own, [card]), library, own, stop=never(), listener=Listener(step=dies))

        killed_in(job)
        (leftover,) = recover(library, ledger)
        run = leftover.run
    (kept,) = Path(library.own, "partial").glob("*.part")
    done = kept.stat().st_size // SMALL_PART * SMALL_PART
    assert 0 < done < size
    rotted = how == "kill"
    if rotted:
        with kept.open("r+b") as file:
            file.write(b"????")
    read = Counted()
    plan = plan_finishing(library, run, HouseRules())
    outcome = bring(plan, library, ledger, stop=never(), continues=run, listener=read.listener)
    assert outcome.home == 1
    assert read.bytes == size if rotted else read.bytes <= size - SMALL_PART
    (clip,) = Path(library.root).rglob("2*.mp4")
    assert clip.read_bytes() == (card / "CLIP.MP4").read_bytes()
    assert list(Path(library.own, "partial").iterdir()) == []


FORKED = """
import os, random, signal, sys, threading, time
from pathlib import Path
from jutrek.library import add_place, new_library
from jutrek.library.ledger import Ledger
from jutrek.transfer import bring, recover
from tests.making import planned
root, card, tarn, rounds, seed = sys.argv[1], sys.argv[2], sys.argv[3], int(sys.argv[4]), int(sys.argv[5])
chance = random.Random(seed)
library = new_library(root)
place = add_place(library, tarn)
contents = {path.read_bytes() for path in Path(card).rglob("*") if path.is_file()}
whole = lambda top: [p for p in Path(top).rglob("*") if p.is_file() and ".jutrek" not in str(p.relative_to(top))]
killed = 0
for number in range(rounds):
    child = os.fork()
    if not child:
        with Ledger(library.ledger_path) as ledger:
            recover(library, ledger)
            plan = planned(library, ledger, [Path(card)])
            threading.Timer(chance.uniform(0, 0.12), os.kill, (os.getpid(), signal.SIGKILL)).start()
            bring(plan, library, ledger, stop=threading.Event(), places=[place])
            time.sleep(1)
        os._exit(0)
    _, status = os.waitpid(child, 0)
    chance.random()
    killed += os.WIFSIGNALED(status) and os.WTERMSIG(status) == signal.SIGKILL
    for top in (root, tarn):
        for path in whole(top):
            assert path.read_bytes() in contents, path
    if number % 5 == 4:
        for top in (root, tarn):
            for path in whole(top):
                path.unlink()
print(killed)
"""


@pytest.mark.long
def test_a_hundred_kills_at_random_moments_lose_nothing(tmp_path: Path) -> None:
    """No kill leaves anything but proven bytes under a name, in any place; in the end everything comes home."""
    homes = [tmp_path / "one", tmp_path / "two"]
    running = []
    for home in homes:
        for number in range(5):
            put(home / "card" / f"A{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
        put(home / "card" / "CLIP.MP4", making.mp4(WHEN, media=BLOCKS))
        for name in ("library", "Tarn"):
            (home / name).mkdir()
        command = [sys.executable, "-c", FORKED, str(home / "library"), str(home / "card"), str(home / "Tarn"), "50"]
        command.append(str(random.randrange(10**9)))
        running.append(
            subprocess.Popen(
                command, cwd=Path(__file__).parents[2], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
            )
        )
    for home, process in zip(homes, running, strict=True):
        killed, trouble = process.communicate()
        assert process.returncode == 0, f"{process.args} {trouble}"
        assert int(killed) == 50
        library = new_library(str(home / "library"))
        with Ledger(library.ledger_path) as ledger:
            recover(library, ledger)
            outcome = bring(planned(library, ledger, [home / "card"]), library, ledger, stop=never())
        assert outcome.trouble is None
        assert {Path(library.root, name).read_bytes() for name in names_below(library.root)} == {
            path.read_bytes() for path in (home / "card").rglob("*") if path.is_file()
        }


def test_what_is_finished_is_not_read_again(library: Library, ledger: Ledger, card: Path, tmp_path: Path) -> None:
    """Finishing a run that was stopped brings only what it left, also when another intake came since."""
    fill(card, 20)
    stop = threading.Event()
    fault = Fault("begin", lambda _: stop.set(), "DSC012.JPG")
    plan = planned(library, ledger, [card])
    outcome = bring(plan, library, ledger, stop=stop, listener=Listener(step=fault))
    assert 0 < outcome.home < 21
    put(tmp_path / "Card B" / "LATER.JPG", making.jpeg(WHEN.replace(day=20), seed=99))
    assert bring(planned(library, ledger, [tmp_path / "Card B"]), library, ledger, stop=never()).home == 1
    left = plan_finishing(library, outcome.run, HouseRules())
    assert {row.destination for row in left.rows} == {
        row.destination for row in planned(library, ledger, [card]).to_bring()
    }
    finished = bring(left, library, ledger, stop=never(), continues=outcome.run)
    assert finished.home == len(left.rows) == 21 - outcome.home
    assert run_log_of(library, finished.run).head["continues"] == outcome.run
    filed = {row.destination: row.filed for row in plan.rows}
    assert ledger.all_filed().items() >= filed.items()
    assert plan_finishing(library, finished.run, HouseRules()).rows == ()


def test_what_was_partly_copied_is_known_by_content_in_every_place_and_goes_when_it_is_home(
    library: Library, ledger: Ledger, card: Path, tarn: Place, tmp_path: Path, small_parts: None
) -> None:
    """Stopped twice; then of another card, name and time: it goes on where it was, and nothing stays behind."""
    media = random.Random(5).randbytes(3 * SMALL_PART + 1000)
    put(card / "CLIP.MP4", making.mp4(WHEN, media=media))
    other = tmp_path / "Card B"
    put(other / "DCIM" / "RENAMED.MP4", making.mp4(WHEN, media=media), WHEN.replace(hour=3))

    def once(source: Path, stop_at: str, count: int) -> object:
        stop, seen = threading.Event(), []

        def on(step: str, _: object) -> None:
            seen.append(step)
            if seen.count(stop_at) == count:
                stop.set()

        plan = planned(library, ledger, [source])
        return bring(plan, library, ledger, stop=stop, listener=Listener(step=on), places=[tarn])

    for count in (2, 1):
        once(card, "half copied", count)
        for place in (library.tree, tarn.tree):
            files, size = room_of_partials(place)
            assert files <= 1
            assert size <= 3 * SMALL_PART
    assert room_of_partials(library.tree)[0] == 1
    read: list[int] = []
    outcome = bring(
        planned(library, ledger, [other]), library, ledger, stop=never(), places=[tarn],
        listener=Listener(progress=lambda run: read.append(run.read_bytes)),
    )  # fmt: skip
    assert outcome.home == 1
    assert max(read) < 2.5 * SMALL_PART
    assert names_below(library.root) == names_below(tarn.root)
    assert [room_of_partials(place) for place in (library.tree, tarn.tree)] == [(0, 0), (0, 0)]


def test_a_partial_of_another_content_is_never_taken_up(
    library: Library, ledger: Ledger, card: Path, small_parts: None
) -> None:
    """The same size, head and tail, and other bytes between: a stretch of each part is compared with the source."""
    data = bytearray(making.mp4(WHEN, media=random.Random(6).randbytes(3 * SMALL_PART)))
    put(card / "CLIP.MP4", bytes(data))
    stop = threading.Event()
    bring(planned(library, ledger, [card]), library, ledger, stop=stop,
          listener=Listener(step=lambda step, _: stop.set() if step == "half copied" else None))  # fmt: skip
    (kept,) = Path(library.own, "partial").glob("*.part")
    data[SMALL_PART // 2 - 100 : SMALL_PART // 2 + 100] = bytes(200)
    put(card / "CLIP.MP4", bytes(data))
    if not kept.exists():
        pytest.skip("no whole part was kept")
    assert bring(planned(library, ledger, [card]), library, ledger, stop=never()).home == 1
    (name,) = names_below(library.root)
    assert Path(library.root, name).read_bytes() == bytes(data)


def test_what_was_partly_copied_goes_after_a_while(
    library: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A start clears what nobody came back for."""
    put(Path(library.own, "partial", "0.part"), b"x" * 10)
    recover(library, ledger)
    assert room_of_partials(library.tree) == (1, 10)
    monkeypatch.setattr("time.time", lambda: 4e9)
    recover(library, ledger)
    assert room_of_partials(library.tree) == (0, 0)
