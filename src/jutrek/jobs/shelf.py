"""The outlines of a library: `LIBRARY/.jutrek/outlines/NAME/outline.txt`, and the starter files beside each.

In the same folder lie `series.txt` (how numbers are written) and the lists that blanks take their choices from, such
as `clients.txt`. All are plain text, the same for everybody who opens the library.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import TYPE_CHECKING

from jutrek.disk import Outside, own
from jutrek.errors import NotPossible, reason
from jutrek.filing.names import legal, same_name
from jutrek.filing.pattern import NAME, Pattern, PatternError, parse
from jutrek.jobs.filling import COUNTED, DAYS
from jutrek.jobs.outline import LONGEST, Outline, OutlineError, read_outline

if TYPE_CHECKING:
    from jutrek.disk import Inside
    from jutrek.library import Library

FOLDER = own("outlines")
_PAGE, _SERIES = "outline.txt", "series.txt"
USUAL_NUMBER = "{counter:4}"
"""How numbers of a series are written that says nothing else."""
_MOST_CHOICES = 10_000
_LINE = re.compile(r"([^=]+?)\s*=\s*(.+)")


@dataclass(frozen=True, slots=True)
class Kept:
    """An outline as the library keeps it.

    Attributes:
        name: as its folder is called.
        text: what stands in it.
        outline: the same, read; None where it can't be used.
        trouble: why not.
        starters: the files beside it, by name, with their sizes in bytes.
    """

    name: str
    text: str
    outline: Outline | None = None
    trouble: OutlineError | None = None
    starters: Mapping[str, int] = field(default_factory=lambda: MappingProxyType({}))

    def beside(self, starter: str, size: int = 0) -> Kept:
        """The same with another file beside it."""
        return replace(self, starters={**self.starters, starter: size})

    def ready(self, library: Library) -> Outline:
        """The outline.

        Raises:
            NotPossible: where it can't be used; the sentence says in which line.
        """
        if self.outline is None:
            raise NotPossible(library.root, f"the outline “{self.name}” can't be used: {str(self.trouble).rstrip('.')}")
        return self.outline


def outline_names(library: Library) -> list[str]:
    """The names of the outlines of a library, in order."""
    try:
        found = library.tree.folders(FOLDER)
    except OSError:
        return []
    return sorted((name for name, is_folder in found.items() if is_folder), key=same_name)


def outline_of(library: Library, name: str) -> Kept:
    """An outline of a library.

    Raises:
        NotPossible: when there is none of this name, or it can't be read.
    """
    try:
        folder = _folder(library, name)
        data = library.tree.read_own(folder.below(_PAGE), LONGEST)
        text = data.decode("utf-8")
        starters = _starters(library, folder)
    except FileNotFoundError as error:
        known = ", ".join(outline_names(library)) or "none yet"
        raise NotPossible(library.root, f"there is no outline “{name}”; there are: {known}") from error
    except OSError as error:
        raise NotPossible(library.root, f"the outline “{name}” can't be read: {reason(error)}") from error
    except UnicodeDecodeError as error:
        raise NotPossible(library.root, f"the outline “{name}” is no text in UTF-8") from error
    return read(library, name, text, starters)


def outlines_of(library: Library) -> tuple[list[Kept], list[str]]:
    """The outlines of a library, and a sentence for each that can't be read."""
    found, bad = [], []
    for name in outline_names(library):
        try:
            found.append(outline_of(library, name))
        except NotPossible as error:
            bad.append(str(error))
    return found, bad


def read(library: Library, name: str, text: str, starters: Mapping[str, int]) -> Kept:
    """The text of an outline, read with what lies beside it and with the lists of the house."""
    kept = Kept(name, text, starters=starters)
    try:
        outline = _with_choices(library, read_outline(text))
        for node in outline.top.all():
            if node.starter and node.starter not in starters:
                why = f"there is no file “{node.starter}” beside the outline."
                raise OutlineError(node.line, 0, why)
        number_pattern(library, outline.series)
    except OutlineError as error:
        return replace(kept, trouble=error)
    except NotPossible as error:
        return replace(kept, trouble=OutlineError(1, 0, str(error)))
    return replace(kept, outline=outline)


def keep_outline(library: Library, name: str, text: str) -> None:
    """Write an outline, also one that has faults: they are told where it is used.

    Raises:
        NotPossible: when its name can't be one, or it can't be written.
    """
    try:
        folder = FOLDER.below(checked_name(library, name))
        library.tree.make_folders(folder)
        library.tree.write_own(folder.below(_PAGE), text.encode("utf-8"))
    except (OSError, UnicodeEncodeError) as error:
        why = reason(error) if isinstance(error, OSError) else "it holds signs that are no text"
        raise NotPossible(library.root, f"the outline “{name}” can't be written: {why}") from error


def checked_name(library: Library, name: str) -> str:
    """A name that an outline can have: of one that is there but for case or form, that one's.

    Raises:
        NotPossible: when it is none.
    """
    name = " ".join(name.split())
    if not name or legal(name) != name or len(name) > 80:
        raise NotPossible(library.root, f"“{name}” can't be the name of an outline")
    return next((one for one in outline_names(library) if same_name(one) == same_name(name)), name)


def number_pattern(library: Library, series: str) -> Pattern:
    """How the numbers of a series are written: by `series.txt`, lines such as `jobs = {counter:4 from 118}`.

    Raises:
        NotPossible: when the line of the series can't be used.
    """
    text = _listed(library, _SERIES).get(series, USUAL_NUMBER)
    try:
        pattern = parse(text, NAME)
        pieces = [piece.name for piece in pattern.pieces()]
        if pieces.count(COUNTED) != 1 or not {*pieces} <= DAYS | {COUNTED}:
            raise PatternError(0, "a number is written with one {counter}, and with the day's pieces at most.")
    except PatternError as error:
        why = f"the series “{series}” in {_SERIES} can't be used: {error}"
        raise NotPossible(library.root, why.rstrip(".")) from error
    return pattern


def choices_in(library: Library, name: str) -> dict[str, str]:
    """The choices of a list of the house, each with what it stands for: `clients.txt`, lines `VLT = Velmora line`.

    Raises:
        NotPossible: when the list can't be read.
    """
    return _listed(library, f"{name}.txt")


def _listed(library: Library, name: str) -> dict[str, str]:
    try:
        text = library.tree.read_own(FOLDER.below(name), LONGEST).decode("utf-8")
    except (FileNotFoundError, NotADirectoryError, Outside):
        return {}
    except OSError as error:
        raise NotPossible(library.root, f"the list {name} can't be read: {reason(error)}") from error
    except UnicodeDecodeError as error:
        raise NotPossible(library.root, f"the list {name} is no text in UTF-8") from error
    found: dict[str, str] = {}
    for line in text.removeprefix("\ufeff").splitlines():
        bare = " ".join(line.split())
        if bare and not bare.startswith("#") and len(found) < _MOST_CHOICES:
            parts = _LINE.fullmatch(bare)
            found.setdefault(*(parts.groups() if parts else (bare, "")))
    return found


def _with_choices(library: Library, outline: Outline) -> Outline:
    blanks = dict(outline.blanks)
    for name, blank in blanks.items():
        if blank.choices_from:
            choices = choices_in(library, blank.choices_from)
            if not choices:
                why = f"there is no list “{blank.choices_from}.txt” among the outlines, or nothing in it."
                raise OutlineError(1, 0, f"The blank “{name}”: {why}")
            blanks[name] = replace(blank, choices=MappingProxyType(choices))
    return replace(outline, blanks=MappingProxyType(blanks))


def folder_of_outline(library: Library, name: str) -> Inside:
    """The folder that an outline lies in, as it is spelt on the disk."""
    return FOLDER.below(checked_name(library, name))


def _folder(library: Library, name: str) -> Inside:
    spelt = next((one for one in outline_names(library) if same_name(one) == same_name(name)), None)
    if spelt is None:
        raise FileNotFoundError(name)
    return FOLDER.below(spelt)


def _starters(library: Library, folder: Inside) -> dict[str, int]:
    """The files beside an outline. Links, pipes and what is hidden are none."""
    with library.tree.hold(folder) as held:
        names = [name for name in library.tree.regular_names(folder) if name != _PAGE and not name.startswith(".")]
        return {name: held.lstat(folder.below(name)).st_size for name in sorted(names)}
