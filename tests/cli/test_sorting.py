"""Sortings and short forms on the command line."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path

from jutrek.library import Library
from jutrek.sorting import record
from jutrek.sorting.record import Answer, At, What
from tests import making
from tests.cli.calling import jutrek
from tests.making import WHEN, put


def test_sortings_are_listed_ended_and_resumed(library: Library) -> None:
    root = Path(library.root)
    for number in range(3):
        put(root / "mess" / f"P{number}.jpg", making.jpeg(WHEN.replace(minute=number), seed=number))
    id_ = record.begin(library, "mess", "in folder /mess", 4, {}).id
    record.begin(library, "broken", "in foldr", 1, {})
    gone = {"mess/P9.jpg": At("yard/P9.jpg", 7), "mess/P2.jpg": At("mess/kept/P2.jpg", 8)}
    record.answered(library, id_, Answer("0000000a", datetime.now(UTC), What.FILED, "yard", gone))
    told = jutrek("sortings", "list", "--json", "-l", library.root)
    (line,) = map(json.loads, told.stdout.splitlines())
    assert (line["name"], line["filed"], line["aside"], line["to_go"]) == ("mess", 2, 0, 3)
    assert "broken" in told.stderr
    jutrek("sortings", "end", "mess", "-l", library.root)
    assert jutrek("sortings", "list", "-l", library.root).stdout == ""
    assert "ended" in jutrek("sortings", "list", "--all", "-l", library.root).stdout
    jutrek("sortings", "resume", id_, "-l", library.root)
    assert "3 to go" in jutrek("sortings", "list", "-l", library.root).stdout
    assert "no such sorting" in jutrek("sortings", "end", "another", "-l", library.root, code=2).stderr


def test_short_forms(library: Library) -> None:
    jutrek("short", "keep", "vlt", "Velmora line trust", "-l", library.root)
    assert "letters and figures" in jutrek("short", "keep", "v t", "x", "-l", library.root, code=2).stderr
    assert jutrek("short", "list", "-l", library.root).stdout == "vlt\tVelmora line trust\n"
    jutrek("short", "forget", "vlt", "-l", library.root)
    assert jutrek("short", "list", "-l", library.root).stdout == ""
