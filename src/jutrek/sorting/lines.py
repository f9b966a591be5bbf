"""The door for lines of a sorting's record: what a line must hold to be believed, whoever wrote it."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, ConfigDict, Field, TypeAdapter
from typing_extensions import TypedDict

from jutrek.library.pages import Whole

_STRICT = ConfigDict(strict=True, extra="forbid")
_MOST, _LONGEST = 2_000_000, 5000


def _time(text: str) -> str:
    datetime.fromisoformat(text)
    return text


def _not_long(text: str) -> str:
    if len(text) > _LONGEST:
        raise ValueError(f"a text has {_LONGEST} signs at most")
    return text


_Id = Annotated[str, Field(pattern=r"^[0-9a-f]{8}$")]
_Time = Annotated[str, Field(max_length=40), AfterValidator(_time)]
_Text = Annotated[str, AfterValidator(_not_long)]
"""Not by `max_length`, which refuses the surrogates that stand for undecodable bytes of names."""
_By = Literal["month", "device", "place", "shoot", "folder", "likely"]
_Moment = Annotated[int, Field(ge=-(2**63), lt=2**63)]
_Capture = Annotated[tuple[_Text, _Text, _Moment], Field(strict=False)]


class _Began(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    sorting: Annotated[str, Field(min_length=1, max_length=1000)]
    format: Literal[1]
    view: Annotated[str, Field(max_length=20_000)]
    began: _Time
    captures: Whole
    piles: dict[_By, dict[_Text, Whole]]


class _ToFolder(TypedDict, total=False):
    to: _Text


class _Answered(_ToFolder):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    answer: _Id
    at: _Time
    what: Literal["filed", "set aside", "left"]
    captures: Annotated[list[_Capture], Field(min_length=1, max_length=_MOST)]


class _Moved(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    moved: _Id
    runs: Annotated[list[Annotated[str, Field(max_length=200)]], Field(max_length=20)]


class _Back(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    back: _Id
    captures: Annotated[list[_Text], Field(max_length=_MOST)]


class _Folders(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    folders: Annotated[list[_Text], Field(max_length=10_000)]


class _Counted(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    counted: Whole
    piles: dict[_By, dict[_Text, Whole]]


class _LookedAt(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    by: _By
    pile: _Text


class _Ended(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    ended: bool


LINE: TypeAdapter[_Began | _Answered | _Moved | _Back | _Folders | _Counted | _LookedAt | _Ended] = TypeAdapter(
    _Began | _Answered | _Moved | _Back | _Folders | _Counted | _LookedAt | _Ended
)
