"""When the power goes, what was told as done is there: on media that forget all that nobody synced."""

from __future__ import annotations

import os
import random
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
import xxhash
from bench.torture import acts
from bench.torture.round import act, look
from bench.torture.world import World

from jutrek.desk.captioning import caption_captures
from jutrek.desk.places import places_of
from jutrek.disk import Held, Tree
from jutrek.filing import HouseRules
from jutrek.filing.rulebook import keep_rules, load_rules
from jutrek.formats import Wording, read
from jutrek.jobs.listed import placed_jobs
from jutrek.jobs.numbers import claims
from jutrek.library import survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, bring, bundles, recover, running
from jutrek.transfer.run_log import run_log_of, runs
from jutrek.transfer.starting import start_job
from jutrek.wording.caption import Caption
from jutrek.wording.keywords import Change
from tests import making
from tests.cli.test_captioning import columns_of
from tests.jobs.outlines import keep, start
from tests.killing import die, dying_before, killed_in, killing_at

pytestmark = pytest.mark.skipif(
    os.geteuid() != 0 or not os.path.exists("/dev/fuse"), reason="mounting media needs root and FUSE"
)


@pytest.fixture
def world(tmp_path: Path) -> Iterator[World]:
    """A card that forgets nothing, a library and a place that do."""
    made = World.make(tmp_path / "world", random.Random(3), ("plain", "forgetful", "forgetful"))
    yield made
    made.close()


def double(world: World) -> None:
    """Somebody copies a file of the library."""
    path = world.captures(world.home)[0]
    copy = world.home.below / "archive" / "mess" / path.name
    copy.parent.mkdir()
    shutil.copy2(path, copy)


@pytest.mark.long
@pytest.mark.timeout(100)
def test_what_was_told_as_done_outlives_the_power(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    """Each act that says it is done has made durable what it did: names, bytes, records."""
    # Nothing is stopped by chance, before it has done anything.
    monkeypatch.setattr(acts, "_stop", lambda _: making.never())
    keep_rules(world.library(), HouseRules(layout="{year}/{kind}"))
    for name in ("", "bring", "take back", "bring", "refile", "mess", "set aside", "empty", "catch up", "clear"):
        if name == "mess":
            double(world)
        elif name:
            world.begin()
            before = world.told()
            assert act(world, name, 0.5, 0) == "done"
            assert world.told() != before, f"{name} did nothing"
        told = world.told()
        assert world.cut()
        assert world.told() == told, name
        if not name:
            assert load_rules(world.library()).rules.layout == "{year}/{kind}"
    assert not world.captures(world.card)
    assert look(world) == ""


@pytest.mark.long
@pytest.mark.timeout(100)
@pytest.mark.parametrize("step", ["read back", "named", "folder synced"])
def test_a_run_that_the_power_ended_is_finished(world: World, step: str) -> None:
    """What its record calls home is there, whole; all else comes home next time, and nothing is left behind."""

    def job() -> None:
        running.IN_FLIGHT, bundles.FEW = running.LANES, 1
        library = world.library()
        with Ledger(library.ledger_path) as ledger:
            plan = making.planned(library, ledger, [world.card.top])
            listener = Listener(step=killing_at(step, 2))
            bring(plan, library, ledger, stop=making.never(), listener=listener, places=places_of(library).here)

    world.begin()
    killed_in(job)
    world.cut()
    library = world.library()
    for entry in (entry for run in runs(library) for entry in run_log_of(library, run).done.values()):
        assert xxhash.xxh3_128_hexdigest(Path(library.root, entry["to"]).read_bytes()) == entry["xxh3_128"]
    with Ledger(library.ledger_path) as ledger:
        recover(library, ledger)
    assert look(world) == ""
    assert act(world, "bring", 0.5, 0) == "done"
    at_home = {digest for where, _, digest in world.files() if where == "home"}
    assert world.truth <= at_home


@pytest.mark.long
@pytest.mark.timeout(100)
@pytest.mark.parametrize("cut", [0, 1, 3])
def test_what_is_said_in_files_outlives_the_power_or_never_was(
    world: World, cut: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A file that was written anew is the old one or the new one, whole; what was told as said is there."""
    rules = HouseRules(inside=True)
    library = world.library()
    keep_rules(library, rules)
    with Ledger(library.ledger_path) as ledger:
        bring(making.planned(library, ledger, [world.card.top], rules), library, ledger, stop=making.never())
    before = {str(path): path.read_bytes() for path in world.captures(world.home)}
    world.begin()

    def say() -> None:
        library = world.library()
        with Ledger(library.ledger_path) as ledger:
            columns = columns_of(library, ledger)
            wanted = Caption(Change(add=(("depot",),)))
            caption_captures(columns, range(columns.count), wanted, library, ledger, stop=making.never())

    def dying() -> None:
        dying_before(Held, "replace", cut, monkeypatch)
        say()

    killed_in(dying) if cut else say()
    said = {str(path): path.read_bytes() for path in world.captures(world.home)}
    assert world.cut()
    with Ledger(world.library().ledger_path) as ledger:
        recover(world.library(), ledger)
    after = {str(path): path.read_bytes() for path in world.captures(world.home)}
    assert cut or after == said
    assert before.keys() <= after.keys()
    changed = {path for path in before if after[path] != before[path]}
    assert all("depot" in (read(path).wording or Wording()).keywords and not read(path).notes for path in changed)
    assert bool(changed) is (cut != 1)


@pytest.mark.long
@pytest.mark.timeout(100)
@pytest.mark.parametrize("cut", range(5))
def test_a_job_outlives_the_power_or_never_was(world: World, cut: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """What was told as started is there, whole, with its number; else nothing of it, and its number is free."""
    keep(world.library())
    world.begin()

    def begin() -> None:
        library = world.library()
        with Ledger(library.ledger_path) as ledger:
            start_job(library, ledger, start(library), stop=making.never())

    def dying() -> None:
        owner, name, point = ((Tree, "rename_folder", 1), (Tree, "sync_folder", 4), (Tree, "sync_folder", 7),
                              (Held, "write_new", 2))[cut - 1]  # fmt: skip
        dying_before(owner, name, point, monkeypatch)
        begin()
        die()

    killed_in(dying) if cut else begin()
    assert world.cut()
    library = world.library()
    with Ledger(library.ledger_path) as ledger:
        recover(library, ledger)
        survey(library, ledger)
        placed, bad = placed_jobs(library, ledger)
    files = sorted(path.name for path in Path(library.root, "jobs").rglob("*") if path.is_file())
    whole = [".job.toml", "0001 notes.md", "0001_boiler-test_v01.otio"]
    assert (files, [one.written for one in claims(library)]) == ((whole, ["0001"]) if placed else ([], []))
    assert not bad and (cut or placed)
