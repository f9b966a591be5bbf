"""The door for lines of an outbox's record: what a line must hold to be believed, whoever wrote it."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, ConfigDict, Field, TypeAdapter
from typing_extensions import TypedDict

from jutrek.disk import Outside, inside
from jutrek.library.pages import Time, Whole

_STRICT = ConfigDict(strict=True, extra="forbid")
_LONGEST = 5000


def _name(text: str) -> str:
    try:
        path = inside(text)
    except Outside as error:
        raise ValueError(str(error)) from error
    if path.folder is not None:
        raise ValueError("a name is wanted")
    return text


def _not_long(text: str) -> str:
    if len(text) > _LONGEST:
        raise ValueError(f"a text has {_LONGEST} signs at most")
    return text


_Name = Annotated[str, AfterValidator(_name)]
_Text = Annotated[str, AfterValidator(_not_long)]
_Hex = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
_Quick = Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")]
_Stamp = Annotated[tuple[Whole, Time, _Hex], Field(strict=False)]
_Of = Annotated[tuple[_Text, Whole, _Quick, Time], Field(strict=False)]


class _Made(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    made: _Name
    stamps: Annotated[list[_Stamp], Field(min_length=1, max_length=2)]
    of: _Of
    how: Annotated[str, Field(max_length=100)]
    words: Annotated[str, Field(max_length=100)]


class _Gone(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    gone: _Name


class _Cannot(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    cannot: _Of
    how: Annotated[str, Field(max_length=100)]
    why: _Text


LINE: TypeAdapter[_Made | _Gone | _Cannot] = TypeAdapter(_Made | _Gone | _Cannot)
