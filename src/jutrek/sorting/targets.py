"""Where captures go that are filed by hand: a folder, or a pattern of folders in which each capture fills the pieces.

A pattern is one of the house's language (`docs/patterns.md`), so a folder may be `Volunteers/{year} {place}`; dates are
of the day that a capture is filed under.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from jutrek.errors import NotPossible, shown
from jutrek.filing.pattern import LAYOUT, PatternError, parse, trouble_with
from jutrek.filing.tidying import checked_folder
from jutrek.filing.writing import Columns as Written
from jutrek.filing.writing import folder_of, write
from jutrek.views.facts import facts_at

if TYPE_CHECKING:
    from jutrek.filing.pieces import Setting
    from jutrek.views.columns import Columns

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
    facts = [facts_at(columns, row) for row in rows]
    return [folder_of(text) for text in write(parse(target, LAYOUT), Written(facts, setting)).texts]
