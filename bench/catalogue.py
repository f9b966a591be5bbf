"""What is at home, asked in parts, beside reading it whole: in a ledger of half a million made-up files."""

from __future__ import annotations

import random
import tempfile
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

FILES = 500_000
YEARS, MONTHS, IN_A_FOLDER = 16, 192, 400


def run() -> None:
    """Measure and print."""
    from jutrek.library import new_library
    from jutrek.library.ledger import Ledger

    with tempfile.TemporaryDirectory() as root, Ledger(new_library(root).ledger_path) as ledger:
        _fill(ledger)
        print(f"a ledger of {FILES:,} files")
        whole = _shown("by what all were filed, read whole", ledger.all_filed)
        for what, ask in _asked(ledger):
            _shown(what, ask, whole)


def _fill(ledger: Ledger) -> None:
    from jutrek.library import Filed, HomeFile
    from jutrek.library.contents import Content

    chance, paths = random.Random(1), []
    filed = []
    for number in range(FILES):
        year, month = 2010 + number * YEARS // FILES, 1 + number * MONTHS // FILES % 12
        path = f"{year}/{month:02}/{number // IN_A_FOLDER:05}/{number:06}.jpg"
        day = f"{year}-{month:02}-{1 + number % 28:02}"
        original = f"DCIM/{number // 1000}/{number:06}.JPG"
        paths.append(path)
        filed.append((path, Filed(f"{day}T10:00:00", 0.0, f"device {chance.randrange(40)}", "", "", day, (), original)))
    ledger.put([HomeFile(path, 1000, 1) for path in paths])
    ledger.put_filed(filed)
    ledger.contents.put(Content(path, 1000, 1, "still", "jpeg") for path in paths)


def _asked(ledger: Ledger) -> list[tuple[str, Callable[[], object]]]:
    from jutrek.library.catalogue import Facet, Narrowed, Order

    catalogue = ledger.catalogue
    month = Narrowed("2015/05")
    last = catalogue.page(month)[-1]
    return [
        ("the files that came from one folder of a card", lambda: catalogue.brought_from(["DCIM/3"])),
        ("the files of one folder", lambda: catalogue.filed_in(["2010/01/00002"])),
        ("a page of a month's folder, further on", lambda: catalogue.page(month, Order.PATH, last)),
        (
            "a page of a day, by time",
            lambda: catalogue.page(Narrowed(since="2015-05-14", before="2015-05-15"), Order.TIME),
        ),
        ("the devices of a month's folder", lambda: catalogue.facet(Facet.DEVICE, month)),
        ("the devices of all", lambda: catalogue.facet(Facet.DEVICE)),
        ("the folders of the root", catalogue.step),
        ("how many files have a word in their path", lambda: catalogue.count(Narrowed(words=("12345",)))),
    ]


def _shown(what: str, ask: Callable[[], object], whole: float = 0.0) -> float:
    took = []
    for _ in range(3):
        start = time.perf_counter()
        ask()
        took.append(time.perf_counter() - start)
    share = f", {min(took) / whole:.1%} of reading it whole" if whole else ""
    print(f"  {what}: {1000 * min(took):.1f} ms{share}")
    return min(took)
