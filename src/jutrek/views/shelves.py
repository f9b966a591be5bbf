"""Shelves: groups made by hand, with an order. What stands on one is content, so moves and renames change nothing.

`LIBRARY/.jutrek/shelves.jsonl`, a line for each: the order of lines is the order on the shelf. A line may also be a
shelf's name alone, so that an empty one stays. The page may be edited by hand: a line that is damaged is told, costs
only itself, and stays as it is whatever is put on a shelf besides.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.disk import Inside, own
from jutrek.errors import NotPossible, PageBroken, reason
from jutrek.library import Library

if TYPE_CHECKING:
    from pydantic import TypeAdapter

LONGEST_NAME = 200


class Page(NamedTuple):
    """A page of groups that are made by hand.

    Attributes:
        key: what a line calls the group that it is of.
        at: where it lies.
        before: where it lies as it was before the last change.
        what: what is on it, in words.
    """

    key: str
    at: Inside
    before: Inside
    what: str


SHELVES = Page("shelf", own("shelves.jsonl"), own("shelves.before.jsonl"), "shelves")
BY_HAND = Page("order", own("orders.jsonl"), own("orders.before.jsonl"), "orders by hand")
"""Orders within folders, which are laid out alike; see `views.by_hand`."""


class Thing(NamedTuple):
    """A capture as it stands on a shelf: told by the content of its primary.

    Attributes:
        size: in bytes.
        quick: the quick fingerprint.
        path: where it was last, relative to the library.
        taken: when it was shot, local time by ISO 8601; empty without a date.
    """

    size: int
    quick: bytes
    path: str
    taken: str = ""

    @property
    def key(self) -> tuple[int, bytes]:
        """What tells it from others."""
        return self.size, self.quick


class Shelf(NamedTuple):
    """A group made by hand.

    Attributes:
        name: what it is called; no two are called the same but for capital letters.
        things: what stands on it, in its order, each once.
    """

    name: str
    things: tuple[Thing, ...] = ()


Shelves = tuple[Shelf, ...]


def shelves_of(library: Library, page: Page = SHELVES) -> tuple[Shelves, list[str]]:
    """The shelves of a library in their order, and a sentence for every line of their page that is damaged."""
    try:
        shelves, bad = _read(library, page)
    except PageBroken as error:
        return (), [str(error)]
    return shelves, [why for _, why in bad]


def change(library: Library, how: Callable[[Shelves], Shelves], page: Page = SHELVES) -> tuple[Shelves, Shelves]:
    """Change the shelves of a library.

    Args:
        library: the library.
        how: gives what they are to be of what they are.
        page: on which they stand.

    Returns:
        What they were, and what they are now.

    Raises:
        NotPossible: when it cannot be written; or whatever `how` says.
        PageBroken: when the page cannot be read: what it says would be lost.
    """
    before, bad = _read(library, page)
    after = how(before)
    if after != before:
        lines = [json.dumps(one).encode() for shelf in after for one in _told(shelf, page)] + [line for line, _ in bad]
        _write(library, b"".join(line + b"\n" for line in lines), page)
    return before, after


def back(library: Library) -> tuple[Shelves, list[str]]:
    """Take back the last change of shelves, whoever made it; a second time, make it again.

    Returns:
        As `shelves_of`.

    Raises:
        NotPossible: when there is none, or it cannot be taken back.
    """
    try:
        text = library.tree.read_own(SHELVES.before)
    except OSError as error:
        raise NotPossible(library.root, "no change of its shelves is known that could be taken back") from error
    _write(library, text, SHELVES)
    return shelves_of(library)


def _write(library: Library, text: bytes, page: Page) -> None:
    """Write the page; what it was is kept beside it."""
    tree = library.tree
    try:
        try:
            was = tree.read_own(page.at)
        except FileNotFoundError:
            was = b""
        tree.write_own(page.before, was)
        tree.write_own(page.at, text)
    except OSError as error:
        raise NotPossible(library.root, f"its {page.what} can't be written: {reason(error)}") from error


# ---- what may be changed


def put_on(shelves: Shelves, name: str, things: Iterable[Thing], before: Thing | None = None) -> Shelves:
    """Shelves with things put on one of them, which is made where there is none; those that stand on it are moved.

    Args:
        shelves: as they are.
        name: of the shelf.
        things: to be put, in their order.
        before: what they are put in front of; at its end without one.

    Raises:
        NotPossible: when the name is none.
    """
    wanted = {one.key: one for one in things}
    found = _called(shelves, name) or Shelf(_name(name))
    rest = [one for one in found.things if one.key not in wanted]
    at = len(rest)
    if before is not None and (ahead := _ahead_of(found.things, before, wanted)) is not None:
        at = rest.index(ahead)
    return _with(shelves, Shelf(found.name, (*rest[:at], *wanted.values(), *rest[at:])))


def _ahead_of(things: Sequence[Thing], before: Thing, moved: dict[tuple[int, bytes], Thing]) -> Thing | None:
    """The first thing from one on that is not moved itself; None where there is none."""
    keys = [one.key for one in things]
    if before.key not in keys:
        return None
    return next((one for one in things[keys.index(before.key) :] if one.key not in moved), None)


def take_off(shelves: Shelves, name: str, things: Iterable[Thing]) -> Shelves:
    """Shelves with things taken off one of them, which stays where it is empty then.

    Raises:
        NotPossible: when there is no such shelf.
    """
    found, gone = shelf_called(shelves, name), {one.key for one in things}
    return _with(shelves, Shelf(found.name, tuple(one for one in found.things if one.key not in gone)))


def removed(shelves: Shelves, name: str) -> Shelves:
    """Shelves without one of them. Same errors as `take_off`."""
    found = shelf_called(shelves, name)
    return tuple(one for one in shelves if one is not found)


def renamed(shelves: Shelves, name: str, new: str) -> Shelves:
    """Shelves of which one is called otherwise.

    Raises:
        NotPossible: when there is no such shelf, or another one of that name, or it is none.
    """
    found, new = shelf_called(shelves, name), _name(new)
    if (other := _called(shelves, new)) is not None and other is not found:
        raise NotPossible(new, "another shelf is called so")
    return tuple(Shelf(new, one.things) if one is found else one for one in shelves)


def shelf_called(shelves: Shelves, name: str) -> Shelf:
    """The shelf of a name, whatever its capital letters.

    Raises:
        NotPossible: when there is none.
    """
    found = _called(shelves, name)
    if found is None:
        raise NotPossible(name, "no shelf is called so")
    return found


def _called(shelves: Shelves, name: str) -> Shelf | None:
    wanted = " ".join(name.split()).casefold()
    return next((one for one in shelves if one.name.casefold() == wanted), None)


def _name(name: str) -> str:
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME or not name.isprintable():
        raise NotPossible(name, f"a shelf's name has 1 to {LONGEST_NAME} signs that can be printed")
    return name


def _with(shelves: Shelves, shelf: Shelf) -> Shelves:
    """Shelves with one in place of the one of its name, or behind all."""
    if any(one.name == shelf.name for one in shelves):
        return tuple(shelf if one.name == shelf.name else one for one in shelves)
    return (*shelves, shelf)


# ---- the page


def _read(library: Library, page: Page) -> tuple[Shelves, list[tuple[bytes, str]]]:
    from jutrek.library import pages

    model: TypeAdapter[Any] = pages.ON_SHELF if page is SHELVES else pages.IN_ORDER
    good, bad = pages.lines(model, library.tree, page.at)
    found: dict[str, tuple[str, dict[tuple[int, bytes], Thing]]] = {}
    for line in good:
        name = str(line[page.key])
        _, things = found.setdefault(name.casefold(), (name, {}))
        if "path" in line and "size" in line and "quick" in line:
            one = Thing(line["size"], bytes.fromhex(line["quick"]), line["path"], line.get("taken", ""))
            things.setdefault(one.key, one)
    return tuple(Shelf(name, tuple(things.values())) for name, things in found.values()), bad


def _told(shelf: Shelf, page: Page) -> Iterable[dict[str, object]]:
    if not shelf.things:
        yield {page.key: shelf.name}
    for one in shelf.things:
        taken = {"taken": one.taken} if one.taken else {}
        yield {page.key: shelf.name, "path": one.path, "size": one.size, "quick": one.quick.hex(), **taken}
