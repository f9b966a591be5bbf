"""What lines of journals may hold, entry by entry and field by field: what is believed, and why all else is not.

`wrong_lines.txt` was read line by line and found right.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from jutrek.transfer.chain import LONGEST
from jutrek.transfer.journal import Kind
from jutrek.transfer.lines import _HEAD, _MODELS, BadLine, entry_of
from tests.told import as_told

VALUES: tuple[Any, ...] = (
    None, True, 0, -1, 2**40 - 1, 2**40, 10**18 - 1, 10**18, 2**63 - 1, 2**63, -(2**63) + 1, -(2**63), 1.5, "", ".",
    "x", "b.xmp", "a/b.xmp", "../x", "/x", "a\0b", ".jutrek/journal/x", ".jutrek/tray/x/y", ".jutrek/taken-back/x/y",
    "a/.jutrek/x", "00" * 16, "0G" * 16, "00" * 17, "00" * 65, "gone", "proven", [], ["x"], [["a", "b"]], [["a"]], {},
    {"x": "y"}, {"x": 1}, {"shoot": "", "operator": "", "said": []}, [{"id": "", "name": "", "root": ""}],
)  # fmt: skip
"""What is tried in every field."""
HEADS = frozenset(kind.value for kind in Kind)


def said_of(entry: dict[str, Any], heads: frozenset[str] = frozenset()) -> str:
    """Whether it is believed as it stands, and else what is wrong."""
    try:
        read = entry_of(json.dumps(entry).encode(), heads)
    except BadLine as error:
        return str(error)
    return "believed" if read == entry else f"believed as {sorted(read)}"


def whole(kind: str, fields: Mapping[str, Any], heads: frozenset[str]) -> dict[str, Any]:
    """An entry with all fields that it must have, of each the first of the values that is believed."""
    entry: dict[str, Any] = {"entry": kind}
    for field in (field for field in fields if not field.endswith("?")):
        # What is wrong is told of the first field that is.
        about = re.compile(rf"{field}\b")
        entry[field] = next(value for value in VALUES if not about.match(said_of({**entry, field: value}, heads)))
    return entry


def test_every_field_of_every_line() -> None:
    """Types, limits, paths, what is left out, and what does not belong to the entry."""
    lines = []
    doors = [*((kind, fields, frozenset[str]()) for kind, fields in _MODELS.items()), ("intake", _HEAD, HEADS)]
    for kind, fields, heads in doors:
        entry = whole(kind, fields, heads)
        lines.append(f"== {json.dumps(entry)}: {said_of({**entry, 'x': 1}, heads)}")
        for field in (field.rstrip("?") for field in fields):
            told: dict[str, list[str]] = {}
            for value in VALUES:
                told.setdefault(said_of({**entry, field: value}, heads), []).append(json.dumps(value))
            without = said_of({name: value for name, value in entry.items() if name != field}, heads)
            lines += [f"  {field}: {said} | {' · '.join(values)}" for said, values in told.items()]
            lines.append(f"  without {field}: {without}")
    for line in (b"", b"{", b"[]", b"{}", b'{"entry": 1}', b'{"entry": "x"}', b"[" * 100_000, b"\xff", b" " * LONGEST):
        try:
            lines.append(f"{line[:12]!r}: {entry_of(line, HEADS)}")
        except BadLine as error:
            lines.append(f"{line[:12]!r}: {error}")
    room = LONGEST - len(json.dumps({"entry": "settled", "words": ""}))
    lines += [said_of({"entry": "settled", "words": "x" * (room + more)}) for more in (0, 1)]
    as_told(Path(__file__).with_name("wrong_lines.txt"), lines)


def test_an_amended_file_has_a_few_other_bytes_within_it() -> None:
    entry = {"entry": "to say", "row": 0, "to": "a.jpg", "size": 9, "xxh3_128": "00" * 16, "was": "01" * 16}
    for at, good in (
        ([[0, "01", "06"], [7, "0102", "0304"]], True), ([[0, "00" * 9, "01" * 9]], True), ([[9, "01", "06"]], False),
        ([[8, "0102", "0304"]], False), ([[-1, "01", "06"]], False), ([[0, "01", "0606"]], True),
        ([[0, "", ""]], False), ([["0", "01", "06"]], False), ([[0, "1", "6"]], False), ([[0, 1, 6]], False),
        ([[0, "01", "06"]] * 33, False), ([[3, "01", "06"], [1, "01", "06"]], False), ([[0, "01", "06"]] * 2, False),
        ([[0, "0102", ""], [1, "", "05"]], False), ([[9, "", "05"]], False), ([[8, "", "05"]], True),
    ):  # fmt: skip
        assert (said_of({**entry, "at": at}) == "believed") is good, at
    most = 130 * 1024
    for size, good in ((most, True), (most + 1, False)):
        told = said_of({**entry, "size": 9 * most, "at": [[0, "00" * size, "01" * size]]})
        assert ("other bytes" not in told) is good
