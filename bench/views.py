"""Views of a library of half a million made-up captures, and `jutrek list` beside `find` on 100,000 real files."""

from __future__ import annotations

import os
import random
import resource
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from functools import partial
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.views.columns import Columns

_MANY, _FEWER, _REAL = 500_000, 100_000, 100_000
_WORDS = tuple(f"word {number}" for number in range(2_000))
_SAID = (
    "stills", "stills by device 7", "by device 7 or device 9 in 2019", "stills in May 2018 without keywords",
    "clips longer than 20 seconds with keyword word 7 in fewer than 2 backups", "between 22:00 and 4:00 on weekends",
    "near 47.2, 11.4 not unfiled", "without a place or by device 3", '"boiler 12"',
)  # fmt: skip


def run() -> None:
    """Measure and print."""
    for count in (_MANY, _FEWER):
        with tempfile.TemporaryDirectory() as folder:
            os.environ["XDG_DATA_HOME"] = folder
            _columns(count, folder)
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_DATA_HOME"] = os.path.join(folder, "xdg")
        os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_DATA_HOME"]
        _listing(folder)


def _columns(count: int, folder: str) -> None:
    from jutrek.library import new_library
    from jutrek.library.ledger import Ledger
    from jutrek.views import snapshot
    from jutrek.views.building import built
    from jutrek.views.laying import Layer

    os.makedirs(os.path.join(folder, "library"))
    library = new_library(os.path.join(folder, "library"))
    with Ledger(library.ledger_path) as ledger:
        _fill(ledger, count)
        print(f"a library of {count:,} captures")
        from jutrek.filing import HouseRules

        columns: list[Columns] = []
        _shown("columns built from the ledger", lambda: columns.append(built(ledger.knowledge(), HouseRules(), {})), 1)
        print(f"  memory of columns: {columns[0].nbytes / count:.0f} bytes a capture, wanted 250")
        _shown("columns kept", lambda: snapshot.keep(columns[0], ledger.path, "x", {}), 1)
        _shown("columns that were kept, read", lambda: snapshot.kept(ledger.path))
        layers: list[Layer] = []
        _shown("made ready for looking", lambda: layers.append(Layer(columns[0])))
        _shelf(ledger, columns[0])
    _sentences(layers[0], columns[0])


def _shelf(ledger: Ledger, columns: Columns) -> None:
    from jutrek.views.shelves import Shelf, Thing
    from jutrek.views.shelving import stood

    rows = random.Random(2).sample(range(columns.count), 5_000)
    paths = columns.paths(rows)
    known = ledger.of_paths(paths)
    things = tuple(Thing(known[path].size, known[path].quick or b"", path) for path in paths)
    found = stood((Shelf("Posters", things),), columns, ledger)[0]
    assert found.rows.tolist() == rows
    _shown("a shelf of 5,000 found among them", lambda: stood((Shelf("Posters", things),), columns, ledger))


def _sentences(layer: object, columns: Columns) -> None:
    from jutrek.views.laying import Layer
    from jutrek.views.sentence import parse

    for said in ("", *_SAID):
        view = parse(said)
        fresh = Layer(columns)
        start = time.perf_counter()
        laid = fresh.lay(view)
        first = time.perf_counter() - start
        again = min(_taken(partial(fresh.lay, view)) for _ in range(3))
        print(f"  “{said}”: {1000 * first:.0f} ms, its parts known {1000 * again:.0f} ms; {len(laid.rows):,} captures")


def _fill(ledger: Ledger, count: int) -> None:
    from jutrek.library import Filed, HomeFile
    from jutrek.library.descriptions import Description

    chance = random.Random(1)
    begin = datetime(2011, 1, 1)
    files, filed, said = [], [], []
    for number in range(count):
        when = (begin + timedelta(minutes=number * 16 * 525_000 // count)).isoformat(timespec="seconds")
        path = f"{when[:4]}/{when[5:7]}/{when[8:10]} shoot {number // 80 % 70}/{when.replace(':', '')}_{number}.jpg"
        device = f"device {chance.randrange(40)}"
        files.append(HomeFile(path, 1000 + number, 1, number.to_bytes(16, "big")))
        filed.append((path, Filed(when, 0.0, device, "", f"shoot {number // 80 % 70}", when[:10])))
        clip = number % 9 == 0
        said.append(Description(
            path, 1000 + number, 1, "clip" if clip else "still", "mov" if clip else "jpeg", when, 120, "sure", device,
            device, f"{chance.choice((20, 35, 50, 85))} mm",
            keywords=tuple(chance.choices(_WORDS, k=chance.randrange(4))),
            latitude=47 + chance.random(), longitude=11 + chance.random(), width=6000, height=4000,
            duration=chance.random() * 60 if clip else 0.0,
        ))  # fmt: skip
    ledger.put(files)
    ledger.put_filed(filed)
    ledger.descriptions.put(said)


def _listing(folder: str) -> None:
    from jutrek.filing import HouseRules
    from jutrek.library import new_library, survey
    from jutrek.library.ledger import Ledger
    from jutrek.views.describing import describe

    root = os.path.join(folder, "library")
    os.makedirs(root)
    library: Library = new_library(root)
    _real(root)
    print(f"{_REAL:,} JPEGs of 5 kB, page cache warm")
    with Ledger(library.ledger_path) as ledger:
        survey(library, ledger)
        before = resource.getrusage(resource.RUSAGE_SELF)
        describe(library, ledger, HouseRules(), stop=threading.Event())
        after = resource.getrusage(resource.RUSAGE_SELF)
    spent = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    print(f"  what they say, read for the first time: {_REAL / spent:,.0f} a CPU-second, wanted 5,000")
    ours = [sys.executable, "-m", "jutrek", "list", "-l", root]
    plain = ["find", root, "-name", "*.jpg", "-printf", "%P\\n"]
    _called(ours)
    pairs = [(_called(ours), _called(plain)) for _ in range(7)]
    ratios = sorted(own / other for own, other in pairs)
    print(f"  jutrek list: {ratios[3]:.2f} of find's time in the median ({ratios[0]:.2f}–{ratios[-1]:.2f}), wanted 2; "
          f"{min(own for own, _ in pairs):.2f} s beside {min(other for _, other in pairs):.2f} s")  # fmt: skip


def _real(root: str) -> None:
    from bench.reading import photos

    patterns = photos(64)
    for number in range(_REAL):
        path = os.path.join(root, f"{2010 + number * 16 // _REAL}/{number // 1000 % 12 + 1:02}/{number // 500:04}")
        os.makedirs(path, exist_ok=True)
        with open(os.path.join(path, f"{number:06}.jpg"), "wb") as file:
            file.write(patterns[number % len(patterns)])


def _called(command: list[str]) -> float:
    return _taken(lambda: subprocess.run(command, check=True, capture_output=True))


def _taken(do: Callable[[], object]) -> float:
    start = time.perf_counter()
    do()
    return time.perf_counter() - start


def _shown(what: str, do: Callable[[], object], times: int = 3) -> None:
    print(f"  {what}: {1000 * min(_taken(do) for _ in range(times)):.0f} ms", flush=True)
