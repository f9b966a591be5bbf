"""Rounds of torture: a world, some acts with some trouble, and after each of them all that must hold."""

from __future__ import annotations

import ctypes
import errno
import os
import pickle
import random
import select
import shutil
import signal
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from bench.torture.acts import ACTS, AT_LAST, WEIGHTS, happen
from bench.torture.world import Medium, World
from jutrek.desk.places import places_of
from jutrek.errors import JutrekError
from jutrek.library import as_place
from jutrek.library.ledger import Ledger
from jutrek.simulate.faults import Faults
from jutrek.transfer import bundles, carry, journal, recover, running
from jutrek.transfer.run_log import broken_records

PART = 4 * 1024 * 1024
PATIENCE = 60.0
TROUBLES = ("none", "kill", "kill", "kill", "kill", "power", "power", "fault", "pull", "clock")
FLIPPED = 100
"""The offset of the byte that a medium reads wrongly."""
_DEATH_SIGNAL = 1
"""`PR_SET_PDEATHSIG`."""
FAULTS = (
    {"write_error": errno.EIO}, {"sync_error": errno.EIO}, {"rename_error": errno.EIO}, {"close_error": errno.EIO},
    {"write_error": errno.EROFS}, {"read_error": {"*": (0, 10**9)}}, {"gone": errno.ENODEV}, {"loses_writes": True},
    {"flips": {"*": FLIPPED}}, {"room": 20_000},
)  # fmt: skip


@dataclass
class Tally:
    """What was done, and what did not hold."""

    counts: Counter[str] = field(default_factory=Counter)
    failures: list[str] = field(default_factory=list)

    def __iadd__(self, other: Tally) -> Tally:
        self.counts += other.counts
        self.failures += other.failures
        return self

    def words(self) -> str:
        """In one line."""
        known = ", ".join(f"{count:,} {what}" for what, count in sorted(self.counts.items()))
        return f"{known or 'nothing'}: {len(self.failures)} failures"


def end_with_parent() -> None:
    """A torture that is killed must not go on behind one's back (`prctl(2)`)."""
    ctypes.CDLL(None).prctl(_DEATH_SIGNAL, signal.SIGKILL)


def rounds(seed: int, seconds: float) -> Tally:
    """Torture one world after the other until the time is over, or something did not hold."""
    tally, until, number = Tally(), time.monotonic() + seconds, 0
    # Small as they are, worlds have partly copied files, and files that are carried in bundles.
    with (
        mock.patch.object(carry, "PART", PART),
        mock.patch.object(running, "IN_FLIGHT", running.LANES),
        mock.patch.object(bundles, "FEW", 1),
    ):
        while time.monotonic() < until and len(tally.failures) < 3:
            one_round(seed + number, tally, until)
            number += 1
    return tally


def one_round(seed: int, tally: Tally, until: float) -> None:
    """One world. Everything that it needs comes from its seed."""
    chance, folder = random.Random(seed), Path(tempfile.mkdtemp(prefix="jutrek-torture-"))
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"):
        os.environ[name] = str(folder / "xdg")
    story: list[str] = []
    world = World.make(folder, chance)
    tally.counts["worlds"] += 1
    try:
        story.append(f"card {world.card.kind}, library {world.home.kind}, place {world.backup.kind}")
        for _ in range(chance.randint(6, 16)):
            step(world, tally, story)
            if time.monotonic() > until:
                break
        world_ends(world, story)
    except Failed as failed:
        kept = folder.with_name(f"{folder.name}-kept")
        for medium in world.media:
            medium.close()
        shutil.copytree(folder, kept, symlinks=True)
        tally.failures.append(f"seed {seed}, kept in {kept}:\n  " + "\n  ".join([*story, f"FAILED: {failed}"]))
        sys.stdout.write(f"{tally.failures[-1]}\n")
        sys.stdout.flush()
    finally:
        world.close()


class Failed(Exception):
    """Something that must hold did not."""


def step(world: World, tally: Tally, story: list[str]) -> None:
    """One act with one trouble, and something that happens beside it now and then."""
    chance = world.chance
    if chance.random() < 0.3 and (what := happen(world)):
        story.append(what)
    if chance.random() < 0.2:
        world.shoot(chance.randint(1, 4))
    name = chance.choices(list(ACTS), WEIGHTS)[0]
    trouble = chance.choice(TROUBLES)
    before = {path: digest for where, path, digest in world.files() if where == "card"}
    act_seed = chance.random()
    world.begin()
    child = Child(lambda: act(world, name, act_seed, jump=chance.randint(-900, 900) if trouble == "clock" else 0))
    delay = chance.expovariate(1 / chance.choice((0.02, 0.1, 0.4)))
    tally.counts["acts"] += 1
    if trouble in ("kill", "power"):
        killed = child.kill_after(delay)
        tally.counts["kills"] += killed
        if trouble == "power":
            cut_power(world, tally, "" if killed else name)
        story.append(f"{name}: {trouble}, {'killed' if killed else 'over'} after {delay:.3f} s")
    else:
        medium = chance.choice(world.media)
        if trouble in ("fault", "pull"):
            child.wait(delay)
            tally.counts[f"{trouble}s"] += medium.kind != "plain"
            medium.pull() if trouble == "pull" else _fail(world, medium)
        tally.counts["clock jumps"] += trouble == "clock"
        said = child.result()
        story.append(f"{name}: {trouble} of {medium.top.name} after {delay:.3f} s: {said}")
        if said.startswith("Traceback"):
            raise Failed(said)
    for medium in world.media:
        medium.heal()
    told = Child(lambda: look(world)).result()
    if told:
        raise Failed(told)
    check_card(world, before)


def _fail(world: World, medium: Medium) -> None:
    """Something is the matter with a medium from now on."""
    fault = world.chance.choice(FAULTS)
    if medium is world.card and "flips" in fault:
        world.misread(FLIPPED)
    medium.fail(Faults(**fault))  # type: ignore[arg-type]


def cut_power(world: World, tally: Tally, done: str) -> None:
    """The power goes and comes back, after an act was killed or done."""
    told = world.told()
    tally.counts["power cuts"] += world.cut()
    if done and told != world.told():
        raise Failed(f"{done} was done, and not all of it outlived the power")


def act(world: World, name: str, seed: float, jump: int) -> str:
    """Do something with the library, as a new start would."""
    if jump:
        _set_clock(timedelta(days=jump))
    library = world.library()
    with Ledger(library.ledger_path) as ledger:
        recover(library, ledger)
        (ACTS | AT_LAST)[name](world, library, ledger, random.Random(seed))
    return "done"


def _set_clock(by: timedelta) -> None:
    class Jumped(datetime):
        @classmethod
        def now(cls, tz: Any = None) -> Any:
            return datetime.now(tz) + by

    journal.datetime = Jumped  # type: ignore[attr-defined]


def look(world: World) -> str:
    """What does not hold; empty where everything does. Recovers first, as the next start would."""
    library = world.library()
    with Ledger(library.ledger_path) as ledger:
        recover(library, ledger)
        if recover(library, ledger):
            return "a second start found something left to clear up"
        files = list(world.files())
        if lost := world.truth - {digest for _, _, digest in files}:
            return f"{len(lost)} contents are lost"
        known = world.truth | world.rotted
        for where, path, digest in files:
            parts = set(path.parts)
            if path.name.startswith(".jutrek-") and not {".jutrek"} & parts and where == "home":
                return f"{path} was left behind"
            person = where in ("home", "backup") and not {".jutrek", "ascmhl", ".Trash-0"} & parts
            temporary = path.name.startswith(".jutrek-") or path.suffix.lower() == ".xmp"
            if person and not temporary and digest not in known:
                return f"{path} bears a name, and is nothing that a camera wrote ({path.stat().st_size} bytes)"
        for place in (as_place(library), *places_of(library).here):
            for mark in ledger.proofs(place.id).values():
                path = Path(place.root, mark.path)
                status = path.lstat() if path.is_file() else None
                if status is not None and mark.is_same(status) and mark.full not in _readings(path):
                    return f"{path} is called proven, and reads differently"
        if broken := broken_records(library):
            return f"records are broken: {broken}"
    if (world.folder / "victim" / "thesis").read_bytes() != b"mine":
        return "something outside was changed"
    return ""


def _readings(path: Path) -> tuple[bytes, bytes]:
    """The fingerprint of a file, and that of what a lying medium reads: at first sight nobody can tell them apart."""
    import xxhash

    data = bytearray(path.read_bytes())
    told = xxhash.xxh3_128(data).digest()
    if len(data) > FLIPPED:
        data[FLIPPED] ^= 1
    return told, xxhash.xxh3_128(data).digest()


def check_card(world: World, before: dict[Path, bytes]) -> None:
    """What went from the card is home twice, good; all else on it is as it was."""
    files = list(world.files())
    now = {path: digest for where, path, digest in files if where == "card"}
    for path, digest in before.items():
        if path in now and now[path] != digest:
            raise Failed(f"{path} was changed on the card")
        if path not in now and ".Trash-0" not in path.parts:
            homes = {where for where, other, one in files if one == digest and ".Trash-0" not in other.parts}
            if not {"home", "backup"} <= homes:
                raise Failed(f"{path} was cleared, and is only in {homes}")


def world_ends(world: World, story: list[str]) -> None:
    """With nothing the matter everything comes home, and nothing of ours is left behind."""
    for name in ("mend all", "bring", "catch up"):
        said = Child(lambda name=name: act(world, name, 0.99, 0)).result()
        story.append(f"{name} in the end: {said}")
        if said != "done":
            raise Failed(said)
    if told := Child(lambda: look(world)).result():
        raise Failed(told)
    files = list(world.files())
    on_card = {digest for where, path, digest in files if where == "card" and ".Trash-0" not in path.parts}
    at_home = {digest for where, path, digest in files if where == "home" and ".jutrek" not in path.parts}
    if missing := (on_card & world.truth) - at_home:
        raise Failed(f"{len(missing)} files of the card did not come home in the end")
    if left := [path for _, path, _ in files if path.name.startswith(".jutrek-") and ".jutrek" not in path.parts]:
        raise Failed(f"temporaries are left: {left}")


class Child:
    """A forked process that does one thing, and tells a text."""

    def __init__(self, do: Callable[[], str]) -> None:
        self._read, write = os.pipe()
        self._pid = os.fork()
        if self._pid:
            os.close(write)
            return
        os.close(self._read)
        try:
            text = do()
        except (JutrekError, OSError) as error:
            text = f"{type(error).__name__}: {error}"
        # The parent tells whether that is a failure.
        except BaseException:  # noqa: BLE001
            text = traceback.format_exc()
        with os.fdopen(write, "wb") as file:
            pickle.dump(text, file)
        os._exit(0)

    def wait(self, seconds: float) -> bool:
        """Wait until it has told something, or some seconds. Returns whether it has."""
        return bool(select.select([self._read], [], [], seconds)[0])

    def kill_after(self, seconds: float) -> bool:
        """Kill it, unless it was over before. Returns whether it was killed."""
        over = self.wait(seconds)
        os.kill(self._pid, signal.SIGKILL)
        os.waitpid(self._pid, 0)
        os.close(self._read)
        return not over

    def result(self) -> str:
        """What it told. One that hangs has failed."""
        if not self.wait(PATIENCE):
            os.kill(self._pid, signal.SIGKILL)
            os.waitpid(self._pid, 0)
            os.close(self._read)
            raise Failed("it hung")
        with os.fdopen(self._read, "rb") as file:
            data = file.read()
        os.waitpid(self._pid, 0)
        return str(pickle.loads(data)) if data else "died"
