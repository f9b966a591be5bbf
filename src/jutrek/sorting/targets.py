"""Where captures go that are filed by hand: a folder, or a pattern of folders in which each capture fills the pieces.

A pattern is one of the house's language (`docs/patterns.md`), so a folder may be `Volunteers/{year} {place}`; dates are
of the day that a capture is filed under.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from jutrek.captures import Capture, Device, Moment, ReadFile, Trust
from jutrek.errors import NotPossible, shown
from jutrek.filing.facts import Facts, words_and_place
from jutrek.filing.pattern import LAYOUT, PatternError, parse, trouble_with
from jutrek.filing.tidying import checked_folder
from jutrek.filing.writing import Columns as Written
from jutrek.filing.writing import folder_of, write
from jutrek.formats import Kind, Precision, Reading
from jutrek.sources import SourceFile
from jutrek.views.columns import KINDS, NO_DAY, Columns, Names, day_of

if TYPE_CHECKING:
    from jutrek.filing.pieces import Setting

_SIGNS = frozenset("{<")


def is_pattern(target: str) -> bool:
    """Whether pieces of it are filled by each capture."""
    return not _SIGNS.isdisjoint(target)


def checked_target(text: str, exists: Callable[[str], bool] = lambda path: False) -> str:
    """A folder as a person types it, or a pattern of folders.

    Args:
        text: as typed.
        exists: whether a folder is there: what is there already is taken as it is called.

    Raises:
        NotPossible: when it is none, or leads where captures can't lie.
    """
    if not is_pattern(text):
        return checked_folder(text, exists)
    pattern = text.strip().strip("/")
    try:
        trouble = trouble_with(pattern, LAYOUT)
    except PatternError as error:
        trouble = error
    if trouble is not None:
        raise NotPossible(shown(pattern), str(trouble).rstrip("."))
    return pattern


def stem_of_target(target: str) -> str:
    """The folder that all captures have in common that go there: the target, or what stands before its pieces."""
    if not is_pattern(target):
        return target
    at = min(target.index(sign) for sign in _SIGNS if sign in target)
    whole = target[at : at + 2] == "</"
    return target[:at] if whole else target[:at].rpartition("/")[0]


def folders_of(target: str, columns: Columns, rows: Sequence[int], setting: Setting) -> list[str]:
    """The folder of each capture, relative to the library.

    Args:
        target: that was checked.
        columns: of the captures.
        rows: which of them.
        setting: what the house calls months and kinds.
    """
    if not is_pattern(target):
        return [target] * len(rows)
    facts = [_facts(columns, row) for row in rows]
    return [folder_of(text) for text in write(parse(target, LAYOUT), Written(facts, setting)).texts]


def _facts(columns: Columns, row: int) -> Facts:
    """What is known of a capture at home, as patterns take it."""
    names, path = columns.names, columns.path(row)
    when = columns.when(row)
    moment = None
    if when is not None:
        moment = Moment(when, None, Precision(int(columns.precision[row]) or 1), Trust.LIKELY, -1, "")
    filed = int(columns.filed[row])
    day = day_of(filed) if filed != NO_DAY and columns.precision[row] >= Precision.DAY else None
    device = str(names[Names.DEVICE][columns.device[row]])
    reading = Reading(Kind(KINDS[columns.kind[row]]), str(names[Names.FORMAT][columns.format[row]]))
    file = SourceFile(path, "", int(columns.size[row]), int(columns.changed[row]))
    shoot, place = words_and_place(str(names[Names.SHOOT][columns.shoot[row]]))
    capture = Capture((ReadFile(file, reading, moment),), moment, device)
    return Facts(
        capture, day, shoot, str(names[Names.PLACE][columns.place[row]]) or place,
        Device(device, device) if device else None, str(names[Names.PERSON][columns.person[row]]), {}, path,
    )  # fmt: skip
