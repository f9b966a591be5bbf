"""What pages of rules, plans and patterns may hold, key by key: what is believed, and what is said of all else.

`wrong_*.txt` were read line by line and found right.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from datetime import date
from pathlib import Path
from typing import Any

import pytest
import tomlkit

from jutrek.captures import RUNGS
from jutrek.errors import PlanUnusable, RulesBroken
from jutrek.filing import HouseRules, Scheme, from_json
from jutrek.filing.pattern import LAYOUT, NAME, PatternError, parse, trouble_with
from jutrek.filing.pieces import PIECES
from jutrek.filing.rulebook import parse_rules, rules_text
from jutrek.filing.rulepage import page_of
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from tests import making
from tests.making import planned, put
from tests.told import as_told

PAGES = Path(__file__).parent
VALUES: tuple[Any, ...] = (
    True, 0, 1, -1, 1.5, "", " ", "x", "../x", "/x", "{counter}", "{year}", [], [1], ["x"], {}, {"x": 1}, [{}],
    [{"x": 1}],
)  # fmt: skip
"""What is tried in every place of a page."""
LIMITS: dict[str, tuple[Any, ...]] = {
    "format": (2,),
    "layout": ("{", " a"),
    "undated": ("unfiled",),
    "extensions": ("upper", "kept"),
    "language": ("en", "xx", "de_AT"),
    "scheme": ([{"layout": "{"}], [{"layout": "{year}", "words": " a "}], [{"name": "{nix}"}], [{"kinds": ["a"]}]),
    "per": ("day", "library"),
    "start": (10**9 - 1, 10**9, "23:59", "24:00", "4:5"),
    "gap": ("00:00", "48:59", "49:00", "04:60", "+4:00"),
    "zone": ("+2:00", "+02:00", "-1400", "+15:00", "+14:60"),
    "journey": ([{"start": "x", "zone": "+01:00"}], [{"start": date(2026, 5, 1), "zone": ""}], [
        {"start": date(2026, 5, 2), "zone": "-01:30"}, {"start": date(2026, 5, 1), "zone": "+00:00"},
    ]),
    "order": (["shooting", "shooting"], ["name"], [*reversed(RUNGS)], "small"),
    "companions": ("leave",),
    "look-alike": ("stay", "ask"),
    "card-structure": ("beside",),
    "extra-checksum": ("blake3",),
    "proof-days": (3650, 3651),
    "least-copies": (9, 10),
    "changed-copies": ("library", "copy"),
}  # fmt: skip
"""What is tried beside that, by key."""
PATTERNS = (
    "", "a", "{{a}}", "<<a>>", "<a>", "<{year}", "{year}>", "<{year}<{day}>>", "<{year}<<{day}>", "<<<{year}>", "{",
    "}", "a}", "{year", "{}", "{:}", "{yaer}", "{year:}", "{year:2}", "{year:xx}", "{date:%Q}", "{date:%Y",
    "{time:%f}", "{counter}", "{counter:0}", "{counter:3}", "{counter:3 from}", "{counter:3 from 5}", "{counter:99}",
    "{Year}", "a/b", "/a", "a/", "a//b", "a/./b", "../a", "a/..", ".a", "a.", " a", "a ", "a\\b", "a:b", "con",
    "nul.txt", "a\tb", "a\0b", "{year} ", "{year}.", "{year}/ ", "x" * 300, "{original-number:9}",
    "{original-number:x}", "{<}{>}", "<{shoot}>{>}", "{shoot} <{place}> {{}}", "<a{job}b>", "{filed:%d/%m}",
    "{month:nmae}", "{week:2}", "a|b?", "{nothing like it}", "{date:%Y-%Q}", "<{day}<{shoot}>>", "lpt9/x", "{kind:x}",
)  # fmt: skip


def said_of_rules(page: dict[str, Any]) -> str:
    """What is different from the usual rules, or the trouble."""
    try:
        rules = parse_rules(tomlkit.dumps(page), "PAGE")
    except RulesBroken as error:
        return str(error)
    usual = HouseRules()
    other = {name: value for name in usual.__slots__ if (value := getattr(rules, name)) != getattr(usual, name)}
    assert parse_rules(rules_text(rules), "x") == rules
    return str(other)


def grouped(told: list[tuple[str, Any]]) -> Iterator[str]:
    """One line for each thing that is said, with all the values that it is said of."""
    by: dict[str, list[str]] = {}
    for said, value in told:
        by.setdefault(said, []).append(json.dumps(value, ensure_ascii=False, default=str))
    yield from (f"  {said} | {' · '.join(values)}" for said, values in by.items())


def test_every_key_of_a_page_of_rules() -> None:
    """Wrong types, wrong words, limits; each table, too."""
    lines = []
    for table, keys in page_of(HouseRules(schemes=(Scheme(layout="{year}"),))).items():
        lines.append(f"== {table}")
        lines += grouped([(said_of_rules({table: value}), value) for value in (*VALUES, *LIMITS.get(table, ()))])
        for key in keys if isinstance(keys, dict) else ():
            lines.append(f"= {table}.{key}")
            lines += grouped(
                [(said_of_rules({table: {key: value}}), value) for value in (*VALUES, *LIMITS.get(key, ()))]
            )
    as_told(PAGES / "wrong_rules.txt", lines)


def test_every_key_of_a_plan(library: Library, ledger: Ledger, card: Path) -> None:
    """Of the page, of its rules, and of a row that brings or moves: wrong types, wrong paths, left out."""
    put(card / "DSC1.JPG", making.jpeg())
    page = json.loads(planned(library, ledger, [card]).as_json())
    brings, inside = page["rows"][0], f"{library.root}/a"
    paths = (
        "move", "home", library.root, f"{inside}.jpg", f"{library.root}/.jutrek/x", str(card), f"{card}/../x",
        "2026/05/20260514_102613.xmp", "2026/05/20260514_102613.XMP", "2026/05/x.JPG", "a.xmp", ".jutrek/a",
        "a/.jutrek/b", "CON", "a\0b", [["a", "b"]], [["a"]], None, 2**63 - 1, 2**63, -(2**63),
    )  # fmt: skip
    words = (
        "unfiled",
        "upper",
        "stay",
        "ask",
        "day",
        "small",
        None,
        2**63,
        [["2026-05-01", 60]],
        [["2026-05-01", 999]],
    )
    lines: list[str] = []

    def tried(what: str, key: str, made: Callable[[dict[str, Any]], dict[str, Any]], part: dict[str, Any]) -> None:
        values = (*VALUES, *(words if what == "rules" else paths))
        told = [(said_of_plan(made({**part, key: value})), value) for value in values]
        told.append((said_of_plan(made({k: v for k, v in part.items() if k != key})), "(left out)"))
        lines.extend([f"== {what} {key}", *grouped(told)])

    for row in (brings, {**brings, "action": "move", "source": inside}):
        for key in row:
            tried(row["action"], key, lambda part: {**page, "rows": [part]}, row)
    for key in page:
        tried("page", key, lambda part: part, page)
    for key in page["rules"]:
        tried("rules", key, lambda part: {**page, "rules": part}, page["rules"])
    places = {str(card): "CARD", library.root: "HOME", library.id: "ID"}
    for path, name in places.items():
        lines = [line.replace(path, name) for line in lines]
    as_told(PAGES / "wrong_plans.txt", lines)


def said_of_plan(page: dict[str, Any]) -> str:
    """What is believed of it, or the trouble."""
    try:
        read = json.loads(from_json(json.dumps(page), "PLAN").as_json())
    except PlanUnusable as error:
        return str(error)
    pairs = [("page", page, read), ("rules", page["rules"], read["rules"])]
    pairs += [("row", *rows) for rows in zip(page["rows"], read["rows"], strict=True)]
    other = [
        f"{what} {key} {new[key]!r}"
        for what, old, new in pairs
        for key in new
        if key not in ("rows", "rules") and (key not in old or old[key] != new[key])
    ]
    return "believed" + "".join(f", {one}" for one in other)


@pytest.mark.parametrize("use", [LAYOUT, NAME, ""])
def test_every_mistake_in_a_pattern(use: str) -> None:
    """Where it is, what it is, and how a pattern that can be read is written again."""
    lines = []
    for text in (*PATTERNS, *(f"{{{name}:x}}" for name in PIECES)):
        try:
            read = parse(text, use)
            assert parse(str(read), use) == read
            trouble = trouble_with(text, use) if use else None
            said = f"{[str(part) for part in read.parts]}" + (f" but {trouble.at}: {trouble}" if trouble else "")
        except PatternError as error:
            said = f"{error.at}: {error}"
        lines.append(f"{text!r} {said}")
    as_told(PAGES / f"wrong_patterns_{use or 'neither'}.txt", lines)
