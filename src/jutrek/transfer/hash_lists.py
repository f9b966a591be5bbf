"""Hash lists of what an intake brought, in each place: ASC MHL, and a plain list of checksums.

ASC MHL is the open specification of the American Society of Cinematographers (Media Hash List, version 2.0): below the
root of a place lies a folder `ascmhl/` with one list per generation and a chain that names them, each with its C4
identifier (SMPTE ST 2114: the SHA-512 of a file in base 58). A list of ours is a `transfer` and names the files of one
intake with their XXH3-128 (`xxh128`). The plain list has lines of a checksum, two spaces and a path.
"""

from __future__ import annotations

import hashlib
import os
import re
import socket
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, NamedTuple

from lxml import etree

from jutrek import __version__
from jutrek.disk import Inside, Tree
from jutrek.library import HASH_LISTS, LIBRARY, OWN_FOLDER, Library, Place, as_place
from jutrek.transfer.run_log import RunLog

CHAIN = "ascmhl_chain.xml"
LISTS = "urn:ASC:MHL:v2.0"
CHAINS = "urn:ASC:MHL:DIRECTORY:v2.0"
_BASE_58 = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
_C4_LENGTH = 88
_LONGEST = 150
"""Bytes of a root's name in the name of a list."""
_LONGEST_LIST = 1 << 30
"""Bytes of a list at most; a longer one is not read."""
_PATTERN_SIGNS = re.compile(r"([\\*?\[\]!# ])")
_NAME = re.compile(r"(\d{4,12})_.*\.mhl", re.ASCII)


class Told(NamedTuple):
    """What a list says of a hash besides.

    Attributes:
        action: as the specification has it: `original`, `verified`.
        at: when the file was read, UTC; None for the moment at which the list is written.
        previous: the path that it had before; empty where it was not moved.
        dated: whether it is known when it was read; else nothing is said of it.
    """

    action: str = "original"
    at: datetime | None = None
    previous: str = ""
    dated: bool = True


_ORIGINAL = Told()


@dataclass(frozen=True, slots=True)
class Listed:
    """A file as a list names it.

    Attributes:
        path: relative to the root of the place.
        size: in bytes.
        mtime_ns: time of last change, nanoseconds since 1970, UTC.
        full: its XXH3-128, as hexadecimal digits.
        told: what is said of it besides.
    """

    path: str
    size: int
    mtime_ns: int
    full: str
    told: Told = _ORIGINAL

    @property
    def previous(self) -> str:
        """The path that it had before; empty where it was not moved."""
        return self.told.previous


def listed_in(run_log: RunLog, place: str) -> list[Listed]:
    """The files that an intake proved in a place, in the order of their paths."""
    rows = run_log.done if place == LIBRARY else run_log.copied.get(place, {})
    found = []
    for row in rows:
        entry, done = run_log.to_come[row], run_log.done.get(row, {})
        if "xxh3_128" in done:
            mtime_ns = int(rows[row].get("mtime_ns", entry["mtime_ns"]))
            found.append(Listed(str(entry["to"]), int(entry["size"]), mtime_ns, str(done["xxh3_128"])))
    return sorted(found, key=lambda one: one.path)


def write_hash_lists(run_log: RunLog, library: Library, places: Iterable[Place]) -> list[str]:
    """Write the hash lists of an intake into the library and into every other place that it brought something to.

    Args:
        places: those that are connected.

    Returns:
        The paths of the lists.

    Raises:
        OSError: when one cannot be written.
    """
    written = []
    for place in (as_place(library), *places):
        if files := listed_in(run_log, place.id):
            written.append(write_list(place.tree, files, "transfer"))
    return written


def checksum_list(files: Sequence[Listed]) -> str:
    """A plain list: checksum, two spaces, path."""
    return "".join(f"{one.full}  {one.path}\n" for one in files)


def hash_list(files: Sequence[Listed], at: datetime, process: str = "transfer", ignored: Sequence[str] = ()) -> bytes:
    """A hash list (sections 4 to 6 of the specification).

    Args:
        at: when it is written, UTC.
        process: what was done, as the specification calls it: `transfer`, `in-place`.
        ignored: patterns of paths that are not there any more.
    """
    top = etree.Element(_list("hashlist"), {"version": "2.0"}, nsmap={None: LISTS})
    about = etree.SubElement(top, _list("creatorinfo"))
    _text(about, "creationdate", _date(at))
    _text(about, "hostname", socket.gethostname() or "localhost")
    _text(about, "tool", "Jutrek").set("version", __version__)
    info = etree.SubElement(top, _list("processinfo"))
    _text(info, "process", process)
    patterns = etree.SubElement(info, _list("ignore"))
    for pattern in (HASH_LISTS, OWN_FOLDER, *ignored):
        _text(patterns, "pattern", pattern)
    hashes = etree.SubElement(top, _list("hashes")) if files else None
    for one in files:
        entry = etree.SubElement(hashes, _list("hash"))
        path = _text(entry, "path", plain(one.path))
        path.set("size", str(one.size))
        path.set("lastmodificationdate", _date(datetime.fromtimestamp(one.mtime_ns / 1e9, UTC)))
        full = _text(entry, "xxh128", one.full)
        full.set("action", one.told.action)
        if one.told.dated:
            full.set("hashdate", _date(one.told.at or at))
        if one.previous:
            _text(entry, "previousPath", one.previous)
    return bytes(etree.tostring(top, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def c4_of(data: bytes) -> str:
    """The C4 identifier of bytes (SMPTE ST 2114)."""
    number, signs = int.from_bytes(hashlib.sha512(data).digest(), "big"), ""
    while number:
        number, rest = divmod(number, 58)
        signs = _BASE_58[rest] + signs
    return "c4" + signs.rjust(_C4_LENGTH, _BASE_58[0])


FOLDER = Inside((HASH_LISTS,))


def list_names(tree: Tree) -> list[str]:
    """The names of the lists below a root, the oldest first.

    Raises:
        OSError: when they cannot be listed.
    """
    try:
        names = tree.regular_names(FOLDER)
    except FileNotFoundError:
        return []
    return sorted((name for name in names if _NAME.fullmatch(name)), key=lambda name: (_number_of(name), name))


def _number_of(name: str) -> int:
    found = _NAME.fullmatch(name)
    return int(found[1]) if found else 0


def write_list(tree: Tree, files: Sequence[Listed], process: str, ignored: Sequence[str] | None = None) -> str:
    """Write the next generation below a root, and name it in the chain.

    Args:
        process: what was done, as the specification calls it.
        ignored: patterns of what is not there any more; None for those of the newest list that hold still.

    Returns:
        The list's path.

    Raises:
        OSError: when it cannot be written.
    """
    tree.make_folders(FOLDER)
    at = datetime.now(UTC)
    names = list_names(tree)
    if ignored is None:
        ignored = _still_ignored(tree, names, files)
    number = _number_of(names[-1]) + 1 if names else 1
    root = plain(os.path.basename(tree.root)).encode()[:_LONGEST].decode("utf-8", "ignore") or "root"
    name = f"{number:04d}_{root}_{at:%Y-%m-%d_%H%M%S}Z.mhl"
    data = hash_list(files, at, process, ignored)
    path = FOLDER.below(name)
    tree.write_new(path, data)
    tree.write_own(FOLDER.below(CHAIN), _chained(tree, number, name, data))
    return tree.at(path)


def pattern_of(path: str) -> str:
    """A pattern that means just one path (as those of gitignore files, which the specification refers to)."""
    return "/" + _PATTERN_SIGNS.sub(r"\\\1", path)


def path_of_pattern(pattern: str) -> str:
    """The path that a pattern of ours means; empty for any other pattern."""
    bare = re.sub(r"\\(.)", r"\1", pattern[1:])
    return bare if pattern.startswith("/") and pattern_of(bare) == pattern else ""


def parsed_list(tree: Tree, name: str) -> Any:
    """A list below a root as parsed XML; None for what is none.

    Raises:
        OSError: when it cannot be read.
    """
    try:
        return etree.fromstring(tree.read_own(FOLDER.below(name), _LONGEST_LIST), _parser())
    except (ValueError, etree.XMLSyntaxError):
        return None


def patterns_in(page: Any) -> list[str]:
    """What a list ignores, but for Jutrek's own folders."""
    texts = (pattern.text or "" for pattern in page.iter(_list("pattern")))
    return [text for text in texts if text and text not in (HASH_LISTS, OWN_FOLDER)]


def _still_ignored(tree: Tree, names: Sequence[str], files: Sequence[Listed]) -> list[str]:
    """What the newest list ignores, and what does not come with these files."""
    here = {plain(one.path) for one in files}
    page = next((page for name in reversed(names) if (page := parsed_list(tree, name)) is not None), None)
    return [] if page is None else [one for one in patterns_in(page) if path_of_pattern(one) not in here]


def _parser() -> etree.XMLParser:
    return etree.XMLParser(resolve_entities=False, no_network=True, remove_blank_text=True)


def _chained(tree: Tree, number: int, name: str, data: bytes) -> bytes:
    """The chain with one more list. One that is damaged is begun anew from the lists that lie beside it."""
    try:
        top = etree.fromstring(tree.read_own(FOLDER.below(CHAIN)), _parser())
    except (OSError, ValueError, etree.XMLSyntaxError):
        top = etree.Element(f"{{{CHAINS}}}ascmhldirectory", nsmap={None: CHAINS})
        for other in sorted(tree.names(FOLDER)):
            if (found := _NAME.fullmatch(other)) and other != name:
                _add(top, int(found[1]), other, tree.read_own(FOLDER.below(other)))
    _add(top, number, name, data)
    return bytes(etree.tostring(top, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def _add(top: Any, number: int, name: str, data: bytes) -> None:
    entry = etree.SubElement(top, f"{{{CHAINS}}}hashlist", {"sequencenr": str(number)})
    etree.SubElement(entry, f"{{{CHAINS}}}path").text = name
    etree.SubElement(entry, f"{{{CHAINS}}}c4").text = c4_of(data)


def _list(name: str) -> str:
    return f"{{{LISTS}}}{name}"


def _text(above: Any, name: str, text: str) -> Any:
    made = etree.SubElement(above, _list(name))
    made.text = text
    return made


def _date(moment: datetime) -> str:
    return moment.isoformat(timespec="seconds")


def plain(text: str) -> str:
    """A text as a list holds it: without what XML cannot hold."""
    return "".join(sign if sign.isprintable() else "?" for sign in text.encode("utf-8", "replace").decode())
