"""What people do by hand at home, on random libraries with known truth: what is joined, split or lost by it.

Each library holds five captures of one to three files. One to four times something is moved, renamed or swapped; then
the library is looked through, filed anew four times with and without names given by hand, and thrice more, until it
must have come to rest.
"""

from __future__ import annotations

import random
import tempfile
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from tests import making
from tests.making import WHEN, never, planned, put

from jutrek.desk.library_captures import LibraryCaptures, read_library
from jutrek.filing import HouseRules, Plan
from jutrek.filing.refiling import Scope, plan_refiling
from jutrek.library import Library, new_library, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import bring, refile

_LIBRARIES = 200
_KINDS = (("DNG", "JPG"), ("DNG", "JPG", "pp3"), ("JPG",), ("JPG", "JPG.txt"), ("DNG",))
_RULES = (
    HouseRules(),
    HouseRules(layout="Raw/{year}", developed="Pictures/{year}"),
    HouseRules(layout="All", name="{counter:3}"),
)


@dataclass
class _World:
    """A library, and of which capture each content is."""

    library: Library
    ledger: Ledger
    rules: HouseRules
    chance: random.Random
    truth: dict[bytes, str]

    def files(self) -> list[Path]:
        """The files that are a person's."""
        found = (path for path in Path(self.library.root).rglob("*") if path.is_file())
        return sorted(path for path in found if not {".jutrek", "ascmhl"} & set(path.parts))

    def contents(self) -> Counter[bytes]:
        """What they hold."""
        return Counter(path.read_bytes() for path in self.files())

    def home(self) -> LibraryCaptures:
        """What Jutrek makes of them."""
        return read_library(self.library, self.ledger, self.rules, stop=never(), report=lambda *_: None)

    def captures(self) -> list[frozenset[bytes]]:
        """The contents of each capture that Jutrek sees."""
        return [
            frozenset(Path(read.file.path).read_bytes() for read in facts.capture.files) for facts in self.home().facts
        ]

    def file_anew(self, *, by_hand: bool) -> tuple[Plan, int]:
        """Re-file all of it. Returns the plan, and how many moves were refused."""
        home = self.home()
        plan = plan_refiling(self.library, self.rules, home.facts, home.known, Scope(by_hand=by_hand), home.given)
        return plan, len(refile(plan, self.library, self.ledger, stop=never()).failed)


@contextmanager
def _world(seed: int) -> Iterator[_World]:
    chance = random.Random(seed)
    with tempfile.TemporaryDirectory() as folder:
        root, card = Path(folder, "library"), Path(folder, "card")
        root.mkdir()
        for number in range(5):
            when, stem = WHEN + timedelta(seconds=chance.choice((0, 1, 60)) * number), f"DSC{number}"
            for ending in chance.choice(_KINDS):
                # Of two files of one size and time whose names were swapped nothing tells that without reading them.
                written = WHEN + timedelta(minutes=7 * number + len(ending))
                put(card / "DCIM" / f"{stem}.{ending}", _made(ending, when, number, stem), written)
        library, rules = new_library(str(root)), chance.choice(_RULES)
        with Ledger(library.ledger_path) as ledger:
            plan = planned(library, ledger, [card], rules)
            bring(plan, library, ledger, stop=never())
            truth = {Path(row.source).read_bytes(): Path(row.source).name.partition(".")[0] for row in plan.rows}
            yield _World(library, ledger, rules, chance, truth)


def _made(ending: str, when: object, number: int, stem: str) -> bytes:
    match ending:
        case "DNG":
            return making.dng(when, seed=number)  # type: ignore[arg-type]
        case "JPG":
            return making.jpeg(when, seed=number + 50)  # type: ignore[arg-type]
    return f"{stem}.{ending}".encode()


def _by_hand(world: _World) -> None:
    """Move a file, rename it, or swap the names of two."""
    chance = world.chance
    own = chance.choice(world.files())
    match chance.choice(("move", "rename", "swap")):
        case "move":
            to = Path(world.library.root, chance.choice(("Best", "Other")), own.name)
        case "rename":
            ending = "".join(own.suffixes[-2:]) if own.name.endswith("jpg.txt") else own.suffix
            to = own.with_name(f"n{chance.randrange(99)}{ending}")
        case _:
            other = chance.choice([path for path in world.files() if path.suffix == own.suffix])
            if other != own:
                between = own.with_name("between")
                own.rename(between)
                other.rename(own)
                between.rename(other)
            return
    if not to.exists():
        to.parent.mkdir(exist_ok=True)
        own.rename(to)


def _faults(world: _World) -> Iterator[str]:
    """What did not hold in one library, in words."""
    for _ in range(world.chance.randint(1, 4)):
        _by_hand(world)
        if world.chance.random() < 0.5:
            survey(world.library, world.ledger)
    survey(world.library, world.ledger)
    before, groups = world.contents(), world.captures()
    yield from _misread(world, groups)
    if any(not any(own <= group for group in groups) for own in _wholes(world)):
        yield "captures split"
    refused = sum(world.file_anew(by_hand=world.chance.random() < 0.5)[1] for _ in range(4))
    for _ in range(3):
        plan, more = world.file_anew(by_hand=True)
        refused += more
    if refused:
        yield "moves refused"
    if plan.rows:
        yield "never at rest"
    if world.contents() != before:
        yield "contents lost"
    yield from _misread(world, world.captures())


def _misread(world: _World, groups: list[frozenset[bytes]]) -> Iterator[str]:
    if any(len({world.truth[one] for one in group}) > 1 for group in groups):
        yield "captures joined"
    if set(world.truth) - frozenset().union(*groups):
        yield "files unseen"


def _wholes(world: _World) -> list[frozenset[bytes]]:
    return [
        frozenset(one for one, own in world.truth.items() if own == name) for name in sorted(set(world.truth.values()))
    ]


def run() -> None:
    """Print in how many of the libraries something did not hold, and the seeds of those."""
    found: dict[str, list[int]] = {}
    for seed in range(_LIBRARIES):
        with _world(seed) as world:
            for fault in dict.fromkeys(_faults(world)):
                found.setdefault(fault, []).append(seed)
    for fault, seeds in sorted(found.items()):
        print(f"{fault}: {len(seeds)} of {_LIBRARIES} libraries, seeds {seeds[:8]}")
    print(f"what people do by hand: {_LIBRARIES} libraries, {sum(map(len, found.values()))} faults")
