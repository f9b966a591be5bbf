"""House rules kept in their library: `LIBRARY/.jutrek/house-rules.toml`.

The file is commented, has a stable order, and may be edited by hand: keeping rules changes only the keys that changed,
so comments and whatever else stands there survive. The last page that was good is kept beside it
(`house-rules.last-good.toml`): when a hand's edit breaks the file, those rules hold, and that is said.
"""

from __future__ import annotations

import os
import re
import tomllib
from collections import Counter
from collections.abc import Mapping, MutableMapping
from dataclasses import dataclass
from itertools import count
from typing import Any

from jutrek.disk import Inside, Tree, chosen, own
from jutrek.errors import LibraryMissing, RulesBroken, reason
from jutrek.filing.rulepage import RENAMED, PageError, Where, page_of, rules_of
from jutrek.filing.rules import HouseRules
from jutrek.library import Library

FILE, LAST_GOOD = "house-rules.toml", "house-rules.last-good.toml"
_PAGE, _GOOD = own(FILE), own(LAST_GOOD)
_LONGEST = 4 * 1024 * 1024
"""Bytes of the longest page of rules that is read."""
_ABOUT = {
    "": "The house rules of this library: how captures are filed and named here, by everybody who opens it.\n"
    "Edit them by hand or on the page House rules; comments stay. All pieces of patterns: docs/patterns.md.",
    "filing": "Folders below the library, and names of files. Pieces stand in braces; a part in angle brackets\n"
    "disappears where a piece in it is empty. undated: stay | unfiled. extensions: lower | upper | kept.\n"
    "owner-is-person: the owner or artist that a device writes made a capture, where nobody said another.\n"
    "developed: a layout for pictures that a device developed beside its raws; empty: with the raws.",
    "scheme": "A layout and a name for some captures only; the first that fits holds.\n"
    "kinds: still, clip, sound. device: a letter, name or model. words: of the shoot, or keywords.",
    "kinds": "What {kind} writes.",
    "counter": "What {counter} counts within: folder | day | shoot | intake | library.",
    "days": "Until when the night belongs to the day before; which gap parts shoots; the zone of the house, for times\n"
    "known only in UTC (empty: this machine's). A [[days.journey]] has a start (a day) and a zone.",
    "trust": "Which date is trusted first.",
    "doubles": "companions: of a capture that is home already: bring | leave. What is there already, but not\n"
    "exactly the same: ask | bring | stay. retagged: same picture, other notes. re-encoded: same picture, saved\n"
    "another way.",
    "copies": "card-structure: alone | beside. read-twice: read every file twice from its source, and compare.\n"
    "extra-checksum: none | blake3, a cryptographic sum beside the fingerprint. hash-lists: an ASC MHL list of every\n"
    "intake in the library and each backup. unwanted: what every card has and nobody misses, by the ends of paths;\n"
    "never a capture.\n"
    "proof-days: for how many days beyond its own a copy that was read back counts for calling a card safe to clear.\n"
    "least-copies: how many proven copies there must be, that on the archive drive among them, before a file leaves\n"
    "the library to be stored away.\n"
    "changed-copies: which version is right where a copy was changed outside: ask | library | copy.\n"
    "order: time | small, small files first.",
    "inboxes": "Folders that phones and sync programs fill. arrivals: ask | by-itself | leave; by-itself brings home\n"
    "what is not doubtful. clear: never | trash | for-good: how what is home goes, once it is proven in the library\n"
    "and every backup.",
    "sidecars": "What is written into an XMP sidecar beside every file that comes home. Texts have\n"
    "pieces as names do: © {year} {operator}. contact: mail, number, page and address, with ; between.\n"
    "What a file says itself stays. where: none | names | names-and-keywords: where it was, by its position.\n"
    "in-files: whether what is said goes into the files themselves, where it is proven that nothing else in them\n"
    "changes; else beside them.",
    "caption": "What is said of some captures only, besides. kinds, device, operator, job: of which; empty for all.",
}


@dataclass(frozen=True, slots=True)
class Rulebook:
    """The rules that hold in a library.

    Attributes:
        trouble: why the file as it stands does not hold, as sentences; empty where it does.
    """

    rules: HouseRules
    trouble: str = ""


def load_rules(library: Library) -> Rulebook:
    """The rules of a library; the usual ones where it has no file.

    A file that is broken is left as it is: the last good rules hold then, or the usual ones where none were ever kept.
    """
    path = library.tree.at(_PAGE)
    try:
        text = _read(library.tree, _PAGE)
        rules = parse_rules(text, path)
    except FileNotFoundError:
        return Rulebook(HouseRules())
    except (OSError, RulesBroken) as error:
        trouble = str(error) if isinstance(error, RulesBroken) else f"{path} could not be read: {reason(error)}."
        return _last_good(library, trouble)
    _remember(library, text)
    return Rulebook(rules)


def _last_good(library: Library, trouble: str) -> Rulebook:
    try:
        rules = parse_rules(_read(library.tree, _GOOD), library.tree.at(_GOOD))
    except (OSError, RulesBroken):
        return Rulebook(HouseRules(), f"{trouble} No good ones are known, so the usual rules hold until it is mended.")
    return Rulebook(rules, f"{trouble} The last good rules hold until it is mended.")


def _remember(library: Library, text: str) -> None:
    try:
        if _read(library.tree, _GOOD) == text:
            return
    except OSError:
        pass
    try:
        library.tree.write_own(_GOOD, text.encode())
    except OSError:
        # A library that cannot be written now keeps the good page that it has.
        return


def _read(tree: Tree, path: Inside) -> str:
    return tree.read_own(path, _LONGEST).decode("utf-8", "replace")


def parse_rules(text: str, path: str) -> HouseRules:
    """The rules of a page; `path` names it in errors.

    Raises:
        RulesBroken: when it is no page of rules; the sentence names the line.
    """
    try:
        return rules_of(tomllib.loads(text))
    except RecursionError as error:
        raise RulesBroken(path, 1, "it is nested too deep") from error
    except tomllib.TOMLDecodeError as error:
        found = re.search(r"\(at line (\d+), column \d+\)", str(error))
        line = int(found[1]) if found else text.count("\n") + 1
        raise RulesBroken(path, line, str(error).partition(" (at ")[0]) from error
    except PageError as error:
        raise RulesBroken(path, _line_of(text, error.where), f"{error.key}: {error}") from error


_HEADER = re.compile(r"^\s*(\[\[?)\s*([\w.\-]+)\s*\]\]?")
_KEY = re.compile(r"""^\s*["']?([\w\-]+)["']?\s*=""")


def _line_of(text: str, where: Where) -> int:
    """The line of a key, or of the table that it is missing from; 1 where that is not found either."""
    best, length = 1, 0
    table: Where = ()
    seen: Counter[str] = Counter()
    for line, words in enumerate(text.splitlines(), 1):
        if header := _HEADER.match(words):
            table = tuple(header[2].split("."))
            if header[1] == "[[":
                table = (*table, seen[header[2]])
                seen[header[2]] += 1
            here = table
        elif key := _KEY.match(words):
            here = (*table, key[1])
        else:
            continue
        if here == where[: len(here)] and len(here) > length:
            best, length = line, len(here)
    return best


def rules_text(rules: HouseRules, *, onto: str = "") -> str:
    """Rules as a page: a new one, or one that stands already with only those keys changed that differ."""
    import tomlkit

    page = tomlkit.parse(onto) if onto else tomlkit.document()
    if not onto:
        _comment(page, "")
    wanted = page_of(rules)
    standing = page_of(rules_of(page.unwrap())) if onto else {}
    for name, value in wanted.items():
        if name not in page:
            if onto and value == standing[name]:
                continue
            _add(page, name, value)
        elif value != standing[name]:
            if isinstance(value, Mapping):
                _change(page[name], value, standing[name])
            elif isinstance(value, list):
                _change_tables(page, name, value, standing[name])
            else:
                page[name] = value
    return tomlkit.dumps(page)


def _comment(page: Any, name: str) -> None:
    import tomlkit

    for line in _ABOUT[name].splitlines():
        page.add(tomlkit.comment(line))


def _add(page: Any, name: str, value: Any) -> None:
    """Add a table, list of tables or value, with what is to be said about it before."""
    import tomlkit

    if isinstance(value, Mapping):
        table = tomlkit.table()
        _comment(table, name)
        _change(table, value, {})
        page.add(tomlkit.nl())
        page.add(name, table)
    elif isinstance(value, list):
        if value:
            tables = tomlkit.aot()
            for number, one in enumerate(value):
                table = tomlkit.table()
                if number == 0:
                    _comment(table, name)
                table.update(one)
                tables.append(table)
            page.add(tomlkit.nl())
            page.add(name, tables)
    else:
        page.add(name, value)


def _change(table: MutableMapping[str, Any], wanted: Mapping[str, Any], standing: Mapping[str, Any]) -> None:
    import tomlkit

    for key, value in wanted.items():
        if key in standing and value == standing[key]:
            continue
        if key == "journey":
            table.pop(key, None)
            if value:
                journeys = tomlkit.aot()
                for one in value:
                    journeys.append(tomlkit.item(one))
                table[key] = journeys
        else:
            table.pop(RENAMED.get(key, ""), None)
            table[key] = value


def _change_tables(page: Any, name: str, wanted: list[Any], standing: list[Any]) -> None:
    """Change a list of tables: one by one where there are as many as before, so that their comments stay."""
    if len(wanted) != len(standing):
        del page[name]
        _add(page, name, wanted)
        return
    for table, value, stood in zip(page[name], wanted, standing, strict=True):
        for key in stood.keys() - value.keys():
            del table[key]
        _change(table, value, stood)


def rules_at(path: str) -> HouseRules:
    """The rules of a file, or of the library at `path`.

    Raises:
        RulesBroken: when it holds none that can be used.
    """
    tree, name = (Tree(path), _PAGE) if os.path.isdir(path) else chosen(path)
    page = tree.at(name)
    try:
        return parse_rules(_read(tree, name), page)
    except OSError as error:
        raise RulesBroken(page, 1, f"it could not be read: {reason(error)}") from error


def keep_rules(library: Library, rules: HouseRules) -> None:
    """Keep rules in their library. A broken file is put beside first, under a name of its own.

    Raises:
        LibraryMissing: when they cannot be written.
        RulesBroken: when a newer Jutrek wrote the file.
    """
    tree, path = library.tree, library.tree.at(_PAGE)
    try:
        try:
            text = _read(tree, _PAGE)
            parse_rules(text, path)
        except FileNotFoundError:
            text = ""
        except RulesBroken as error:
            if "a newer Jutrek" in str(error):
                raise
            _put_beside(tree)
            text = ""
        text = rules_text(rules, onto=text)
        tree.write_own(_PAGE, text.encode())
    except OSError as error:
        raise LibraryMissing(library.root, f"its house rules can't be written: {reason(error)}") from error
    _remember(library, text)


def _put_beside(tree: Tree) -> None:
    """Keep a broken file under the first free name, so that nothing of it is lost."""
    names = (_PAGE.beside(f"{_PAGE.name}.broken-{number}") for number in count(1))
    tree.give_name(_PAGE, next(name for name in names if tree.found(name) is None))
