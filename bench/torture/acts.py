"""What is done in a tortured world: everything that Jutrek does on a disk, and what happens to disks otherwise."""

from __future__ import annotations

import contextlib
import os
import random
import shutil
import threading
from collections.abc import Callable
from pathlib import Path

from tests.making import never, planned

from bench.torture.world import World
from jutrek.desk.finishing import finish
from jutrek.desk.places import places_of
from jutrek.desk.records import records_of
from jutrek.desk.refiling import Refiler
from jutrek.desk.taking_back import take_back
from jutrek.disk import FileStamp
from jutrek.doubles.degrees import Degree
from jutrek.errors import PlanUnusable
from jutrek.filing import Extensions, HouseRules
from jutrek.filing.refiling import Scope
from jutrek.library import Library, as_place, survey
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source
from jutrek.transfer import Listener, bring
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.checking import check, mend
from jutrek.transfer.clearing import Way, clear
from jutrek.transfer.release import keep_certificate, release
from jutrek.transfer.setting_aside import Drop, set_aside
from jutrek.transfer.tray import empty_tray, tray_of

LAYOUTS = ("{year}/{month}", "{year}/{kind}", "All", "{year}-{month}/{day}")
NAMES = ("{date}_{time}", "img_{time}", "IMG_{time}", "Shot {date} {time}")
RULES = [
    HouseRules(layout=layout, name=name, extensions=ending, originals=layout == "All")
    for layout in LAYOUTS for name in NAMES for ending in (Extensions.LOWER, Extensions.UPPER)
]  # fmt: skip

Act = Callable[[World, Library, Ledger, random.Random], None]


def _bring(world: World, library: Library, ledger: Ledger, chance: random.Random) -> None:
    plan = planned(library, ledger, [world.card.top], chance.choice(RULES))
    bring(plan, library, ledger, stop=_stop(chance), places=places_of(library).here)


def _finish(_: World, library: Library, ledger: Ledger, chance: random.Random) -> None:
    run = next((record.run for record in records_of(library) if record.can_finish), None)
    if run:
        finish(library, ledger, run, HouseRules(), places_of(library), stop=never(), listener=Listener())


def _refile(_: World, library: Library, ledger: Ledger, chance: random.Random) -> None:
    refiler = Refiler(library, ledger)
    refiler.plan(chance.choice(RULES), Scope(), never(), lambda *_: None)
    refiler.go(_stop(chance), Listener())


def _take_back(_: World, library: Library, ledger: Ledger, chance: random.Random) -> None:
    runs = [record.run for record in records_of(library) if record.can_take_back]
    if runs:
        take_back(
            library, ledger, chance.choice(runs[:3]), places_of(library), stop=_stop(chance), listener=Listener()
        )  # fmt: skip


def _catch_up(_: World, library: Library, ledger: Ledger, chance: random.Random) -> None:
    survey(library, ledger)
    for place in places_of(library).here:
        catch_up(lacking(library, ledger, place), library, ledger, stop=_stop(chance))


def _mend(_: World, library: Library, ledger: Ledger, chance: random.Random) -> None:
    survey(library, ledger)
    everywhere = [as_place(library), *places_of(library).here]
    place = chance.choice(everywhere)
    bad = [one.mark for one in check(library, ledger, place, stop=never()).bad]
    mend(bad, library, ledger, place, [one for one in everywhere if one.id != place.id], stop=never())


def _mend_all(_: World, library: Library, ledger: Ledger, __: random.Random) -> None:
    survey(library, ledger)
    everywhere = [as_place(library), *places_of(library).here]
    for place in everywhere * 2:
        bad = [one.mark for one in check(library, ledger, place, stop=never()).bad]
        mend(bad, library, ledger, place, [one for one in everywhere if one.id != place.id], stop=never())


def _clear(world: World, library: Library, ledger: Ledger, chance: random.Random) -> None:
    survey(library, ledger)
    places = places_of(library)
    source = known_source(str(world.card.top))
    certificate = release(source, library, ledger, places.here, away=places.away, stop=never())
    keep_certificate(certificate, library)
    clear(certificate, library, ledger, places.here, chance.choice(list(Way)), stop=_stop(chance))


def _set_aside(_: World, library: Library, ledger: Ledger, chance: random.Random) -> None:
    survey(library, ledger)
    alike: dict[bytes, list[str]] = {}
    # In order: lanes of a run tell of their files in any.
    for path in sorted(ledger.all_files()):
        # What is looked at here must be looked at again by what sets it aside: now and then something else is named.
        with contextlib.suppress(OSError):
            data = Path(library.root, path).read_bytes()
            alike.setdefault(data if chance.random() < 0.9 else b"%d" % len(data), []).append(path)
    drops = [
        Drop(path, _stamp(library, path), paths[0], _stamp(library, paths[0]), Degree.BYTES)
        for paths in alike.values()
        for path in paths[1:]
    ]
    set_aside(drops, library, ledger, stop=_stop(chance), places=places_of(library).here)


def _empty(_: World, library: Library, __: Ledger, chance: random.Random) -> None:
    empty_tray(tray_of(library), library, places=places_of(library).here, stop=_stop(chance))


ACTS: dict[str, Act] = {
    "bring": _bring, "finish": _finish, "refile": _refile, "take back": _take_back, "catch up": _catch_up,
    "mend": _mend, "clear": _clear, "set aside": _set_aside, "empty": _empty,
}  # fmt: skip
AT_LAST: dict[str, Act] = {"mend all": _mend_all}
WEIGHTS = (5, 1, 4, 3, 2, 2, 2, 2, 1)


def _stop(chance: random.Random) -> threading.Event:
    """A stop that is asked for now and then, while the act is at work."""
    stop = threading.Event()
    if chance.random() < 0.1:
        timer = threading.Timer(chance.random() * 0.1, stop.set)
        timer.daemon = True
        timer.start()
    return stop


def _stamp(library: Library, path: str) -> FileStamp:
    try:
        return FileStamp.seen(os.stat(os.path.join(library.root, path)))
    except OSError as error:
        raise PlanUnusable(path, "it is gone") from error


# ---- what happens to disks otherwise: never to the only copy of anything -----------------------------------------
def rot(world: World, path: Path, digest: bytes) -> None:
    """A bit flips; size and time stay."""
    stamp, data = path.stat(), bytearray(path.read_bytes())
    if data:
        data[len(data) // 2] ^= 1
        path.write_bytes(bytes(data))
        os.utime(path, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
        import hashlib

        world.rotted.add(hashlib.sha256(data).digest())


def lose(_: World, path: Path, __: bytes) -> None:
    """Somebody removes a file by hand."""
    path.unlink()


def shift(_: World, path: Path, __: bytes) -> None:
    """Somebody renames a file by hand."""
    target = path.with_name(f"by hand {path.name}")
    if not target.exists():
        path.rename(target)


def double(world: World, path: Path, _: bytes) -> None:
    """Somebody copies a file by hand."""
    target = world.home.below / "archive" / "mess" / path.name
    target.parent.mkdir(exist_ok=True)
    if not target.exists():
        shutil.copy2(path, target)


HAPPENINGS = (rot, lose, shift, double)


def happen(world: World) -> str:
    """Something happens to a file of the library or the place. Returns what."""
    what, medium = world.chance.choice(HAPPENINGS), world.chance.choice((world.home, world.backup))
    paths = world.captures(medium)
    if not paths:
        return ""
    path = world.chance.choice(paths)
    import hashlib

    digest = hashlib.sha256(path.read_bytes()).digest()
    if what in (rot, lose) and not world.good_elsewhere(path, digest):
        return ""
    what(world, path, digest)
    return f"{what.__name__} {path.relative_to(world.folder)}"
