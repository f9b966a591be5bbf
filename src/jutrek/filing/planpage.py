"""The door for plans that come from a file: types, sizes and paths are checked before anything is believed.

A plan that brings files names sources below their roots and destinations among captures; one of moves names sources and
destinations in its library. Imported where a plan is read: pydantic takes longer to import than a window takes to
appear.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from jutrek.disk import Outside, Realm, Tree, inside
from jutrek.filing.rulepage import PageError, page_of, rules_of
from jutrek.filing.rules import HouseRules
from jutrek.library.pages import AbsolutePath, Pair, Time, Whole, told


class _Row(BaseModel):
    model_config = ConfigDict(strict=True, extra="allow")
    source: AbsolutePath
    root: AbsolutePath
    action: Literal["bring", "move", "home", "twin", "stay"]
    destination: str | None
    why: str
    size: Whole = 0
    mtime_ns: Time = 0
    capture: str = ""
    sidecar: str = ""
    counter: str = ""
    number: Whole = 0
    moment: str = ""
    shift: float = 0.0
    device: str = ""
    operator: str = ""
    shoot: str = ""
    day: str = ""
    said: list[Pair] = []
    original: str = ""
    says: list[Pair] = []


class _Page(BaseModel):
    model_config = ConfigDict(strict=True, extra="allow")
    format: Literal["jutrek-plan"]
    version: Annotated[int, Field(ge=1)]
    library: AbsolutePath
    library_id: str
    rules: dict[str, Any]
    rows: list[_Row]


_RULES = TypeAdapter(HouseRules)


def checked_rules(entries: Mapping[str, Any]) -> HouseRules:
    """The rules of a plan, within the limits that hold for a page of rules. What is left out has its usual value.

    Raises:
        ValueError: when they can't be used; the text says what.
    """
    said = {name: entries[name] for name in ("creator", "rights", "words") if name in entries}
    if said and "saying" not in entries:
        entries = {**entries, "saying": said}
    try:
        return rules_of(page_of(_RULES.validate_json(json.dumps(entries), strict=True)))
    except ValidationError as error:
        raise ValueError(f"its rules are damaged ({told(error)})") from error
    except PageError as error:
        raise ValueError(f"its rules are damaged ({error.key}: {error})") from error


def checked_page(text: str) -> Mapping[str, Any]:
    """The page of a plan, as it stands.

    Raises:
        ValueError: when it is none, or names a path that it must not; the text says what and in which row.
    """
    try:
        page = json.loads(text)
    except RecursionError as error:
        raise ValueError("it is nested too deep") from error
    if not isinstance(page, dict) or page.get("format") != "jutrek-plan":
        raise ValueError("it is not a plan of Jutrek")
    try:
        read = _Page.model_validate(page)
    except ValidationError as error:
        raise ValueError(f"it is damaged ({told(error)})") from error
    for number, row in enumerate(read.rows):
        try:
            _check(row, read.library)
        except Outside as error:
            raise ValueError(f"row {number} names {error}") from error
    return page


def _check(row: _Row, library: str) -> None:
    if row.action not in ("bring", "move"):
        return
    destination = inside(row.destination)
    if row.action == "move":
        Tree(library).within(row.source)
        return
    Tree(row.root).within(row.source, Realm.OWN)
    if row.sidecar:
        sidecar = inside(row.sidecar)
        if sidecar.folder != destination.folder or not sidecar.name.casefold().endswith(".xmp"):
            raise Outside("a sidecar that lies not beside its file")
