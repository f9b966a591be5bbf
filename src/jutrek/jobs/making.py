"""What an outline makes once its blanks are filled: folders and starter files, each with its path."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.disk import Outside, inside
from jutrek.errors import CantStart
from jutrek.filing.names import MAX_PATH, same_name, units
from jutrek.jobs.blanks import JOB, Blank
from jutrek.jobs.filling import Filled, folder_filled, name_filled
from jutrek.jobs.outline import Landing, Node, Outline, without_blanks

if TYPE_CHECKING:
    from jutrek.captures import Device

MARKER = ".job.toml"
"""The file in a job's folder that says which job it is: it goes wherever the folder goes."""
MOST = 20_000
"""Folders and files that one job is made of at most."""


@dataclass(frozen=True, slots=True)
class Made:
    """A folder or a starter file that is made.

    Attributes:
        path: below the job's folder; empty for that itself.
        starter: the file beside the outline that it is copied from, empty for an empty one; None for a folder.
        line: the line of the outline that says so.
        depth: how deep it lies; the job's folder lies 0 deep.
        lands: whether captures land here.
        name: what the part is called.
        optional: whether it may be wished for, or left out.
        each: whether it is one of those that are made for each device.
    """

    path: str
    starter: str | None
    line: int
    depth: int
    lands: bool = False
    name: str = ""
    optional: bool = False
    each: bool = False


@dataclass(frozen=True, slots=True)
class Whole:
    """All that is made for a job.

    Attributes:
        folder: of the job, relative to the library.
        made: the job's folder first, each before what lies in it.
        landing: the folder below it that captures land in, and by which patterns; None where none do.
        by, named: of what lands: the pattern of folders below there, and that of names; empty for none.
        left_out: optional parts that are not made, as they would be.
    """

    folder: str
    made: tuple[Made, ...]
    landing: str | None = None
    by: str = ""
    named: str = ""
    left_out: tuple[Made, ...] = ()

    @property
    def folders(self) -> int:
        """How many folders are made, that of the job among them."""
        return sum(one.starter is None for one in self.made)

    @property
    def files(self) -> int:
        """How many starter files are copied."""
        return len(self.made) - self.folders


@dataclass(frozen=True, slots=True)
class Wish:
    """What a person says of a job that is to be started.

    Attributes:
        filled: what the blanks hold, its number among them.
        with_, without: the names of optional parts that are made, and that are not.
        devices: for each of which lines are made.
    """

    filled: Filled
    with_: frozenset[str] = frozenset()
    without: frozenset[str] = frozenset()
    devices: Sequence[Device] = ()

    def makes(self, node: Node) -> bool:
        """Whether a line is made."""
        if node.wished is None:
            return True
        name = same_name(node.name)
        if node.wished:
            return name in self.with_
        return name not in self.without


def checked_values(blanks: Mapping[str, Blank], said: Mapping[str, str]) -> dict[str, str]:
    """What blanks are filled with: what was said, else what stands in them usually.

    Args:
        blanks: of the outline.
        said: what was filled in.

    Raises:
        CantStart: for a blank that the outline does not have, or a text that can't be filled in.
    """
    if unknown := sorted(said.keys() - blanks.keys() - {JOB}):
        known = ", ".join(blanks) or "none"
        raise CantStart(f"There is no blank “{unknown[0]}” in this outline; there are: {known}.", unknown[0])
    values = {}
    for name, blank in blanks.items():
        text = blank.meant(said[name]) if name in said else blank.usual
        if why := blank.trouble_with(text):
            raise CantStart(why, name)
        values[name] = text
    return values


def whole_of(outline: Outline, wish: Wish) -> Whole:
    """All that an outline makes for a job.

    Raises:
        CantStart: where a name is empty, two are the same, or a path is too long.
    """
    top = folder_filled(outline.top.pattern, wish.filled)
    if not top or not wish.filled.values.get(JOB):
        raise CantStart("The job's folder has no name yet: fill in the blanks.")
    try:
        inside(top)
    except Outside as error:
        raise CantStart(f"The job's folder would be {error}.") from error
    made = [Made("", None, outline.top.line, 0, name=outline.top.name)]
    left_out: list[Made] = []
    landing = outline.landing
    for one in _below(outline.top, "", 1, wish.filled, wish, left_out, landing):
        made.append(one)
        if len(made) > MOST:
            raise CantStart(f"It would be more than {MOST:,} folders and files.")
        if units(f"{top}/{one.path}") > MAX_PATH:
            raise CantStart(
                f"The path “{one.path[-60:]}” would be longer than every system takes ({MAX_PATH} signs in all)."
            )
    lands = next((one.path for one in made if one.lands), None)
    if landing is not None and landing.line == outline.top.line:
        lands = ""
    if landing is None or lands is None:
        return Whole(top, tuple(made), left_out=tuple(left_out))
    by, named = (without_blanks(text, wish.filled.values) if text else "" for text in (landing.by, landing.named))
    return Whole(top, tuple(made), lands, by, named, tuple(left_out))


def _below(
    node: Node, above: str, depth: int, filled: Filled, wish: Wish, left_out: list[Made], landing: Landing | None
) -> Iterator[Made]:
    """All that is made in a folder of an outline."""
    taken: dict[str, int] = {}
    for one in node.below:
        is_made = wish.makes(one)
        for each in map(filled.for_device, wish.devices) if one.each_device else (filled,):
            name = name_filled(one.pattern, each, is_file=one.starter is not None)
            if not name:
                # All of it is optional, and nothing of that is known.
                continue
            path = f"{above}/{name}" if above else name
            lands = landing is not None and landing.line == one.line
            optional = one.wished is not None
            made = Made(path, one.starter, one.line, depth, lands, one.name, optional, one.each_device)
            if not is_made:
                left_out.append(made)
                continue
            key = same_name(name)
            if key in taken:
                raise CantStart(f"Line {one.line} makes “{name}”, and so does line {taken[key]}.")
            taken[key] = one.line
            yield made
            yield from _below(one, path, depth + 1, each, wish, left_out, landing)
