"""The door for what stands in a library's own pages: bounded, no links, and checked against a model before it is used.

A page that is damaged as a whole is told by its name, one bad entry by its number; an entry costs only itself. Imported
where a page is read: pydantic takes longer to import than a window takes to appear.
"""

from __future__ import annotations

import uuid
from typing import Annotated, Any, Literal, NotRequired, TypeVar

from pydantic import AfterValidator, ConfigDict, Field, TypeAdapter, ValidationError
from typing_extensions import TypedDict

from jutrek.disk import Inside, Realm, Tree, inside
from jutrek.errors import PageBroken
from jutrek.library.pagefiles import json_of, page_bytes, toml_page

_MOST_DIGITS = 18
T = TypeVar("T")


def _uuid(text: str) -> str:
    return str(uuid.UUID(text))


def _hex(text: str) -> str:
    bytes.fromhex(text)
    return text


def _inside(text: str) -> str:
    return str(inside(text))


def _below(text: str) -> str:
    return text if text == "." else str(inside(text, Realm.OWN))


def _lands(text: str) -> str:
    return text and str(inside(text))


def absolute(text: str) -> str:
    """A text that is an absolute path.

    Raises:
        ValueError: when it is none.
    """
    if not text.startswith("/") or "\0" in text:
        raise ValueError("an absolute path is wanted")
    return text


Id = Annotated[str, AfterValidator(_uuid)]
Hex = Annotated[str, Field(max_length=128), AfterValidator(_hex)]
CapturePath = Annotated[str, AfterValidator(_inside)]
AbsolutePath = Annotated[str, AfterValidator(absolute)]
Pair = Annotated[list[str], Field(min_length=2, max_length=2)]
Whole = Annotated[int, Field(ge=0, lt=10**_MOST_DIGITS)]
Time = Annotated[int, Field(gt=-(2**63), lt=2**63)]
"""Nanoseconds since 1970, as a file system tells them."""
_STRICT = ConfigDict(strict=True)


class PlaceMark(TypedDict):
    """`place.toml` of a place."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    id: Id
    library: Id


class _ListedPlace(TypedDict, total=False):
    below: Annotated[str, AfterValidator(_below)]


class ListedPlace(_ListedPlace):
    """An entry of `places.toml`."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    id: Id
    name: str
    root: AbsolutePath


class _ListedDevice(TypedDict, total=False):
    operator: str


class ListedDevice(_ListedDevice):
    """An entry of `devices.toml`."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    key: str
    name: str
    letter: Annotated[str, Field(max_length=8)]
    colour: Annotated[int, Field(ge=0, lt=1000)]


class _KeptView(TypedDict, total=False):
    group: Annotated[str, Field(max_length=1000)]


class KeptView(_KeptView):
    """An entry of `views.toml`."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    name: Annotated[str, Field(min_length=1, max_length=1000)]
    sentence: Annotated[str, Field(max_length=20_000)]


class _ListedMark(TypedDict, total=False):
    meaning: Annotated[str, Field(max_length=1000)]


class ListedMark(_ListedMark):
    """An entry of `marks.toml`."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    letter: Annotated[str, Field(min_length=1, max_length=8)]
    colour: str


class ListedShortForm(TypedDict):
    """An entry of `short-forms.toml`."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    short: Annotated[str, Field(min_length=1, max_length=1000)]
    whole: Annotated[str, Field(max_length=1000)]


class ListedSpot(TypedDict):
    """An entry of `spots.toml`. Whole numbers of degrees are written without a point."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    name: Annotated[str, Field(min_length=1, max_length=1000)]
    latitude: Annotated[float, Field(ge=-90, le=90, allow_inf_nan=False)]
    longitude: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)]
    metres: Annotated[int, Field(ge=1, le=100_000)]


class _ListedThing(TypedDict, total=False):
    path: CapturePath
    size: Whole
    quick: Hex
    taken: Annotated[str, Field(max_length=40)]


class ListedOnShelf(_ListedThing):
    """A line of `shelves.jsonl`: what stands on a shelf, told by content; or a shelf, where nothing is told."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    shelf: Annotated[str, Field(min_length=1, max_length=1000)]


class ListedInOrder(_ListedThing):
    """A line of `orders.jsonl`: what is in an order by hand, told by content."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    order: Annotated[str, Field(min_length=1, max_length=1000)]


ListedInbox = TypedDict(
    "ListedInbox", {"folder": AbsolutePath, "library": AbsolutePath, "by-itself": NotRequired[bool]}
)
"""An entry of `inboxes.toml`."""
ListedInbox.__pydantic_config__ = _STRICT  # type: ignore[attr-defined]


class _ListedOutbox(TypedDict, total=False):
    view: Annotated[str, Field(max_length=1000)]
    sentence: Annotated[str, Field(max_length=20_000)]
    longest: Whole
    quality: Whole
    clips: Literal["first-frame", "small-clip", "leave-out"]
    tells: list[Literal["dates", "keywords", "positions", "owner"]]
    names: Annotated[str, Field(max_length=1000)]


class ListedOutbox(_ListedOutbox):
    """An entry of `outboxes.toml`."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    folder: AbsolutePath
    library: AbsolutePath


class Counters(TypedDict):
    """`counters.json`."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    format: Whole
    last: dict[str, Whole]


class _DeclaredUnwanted(TypedDict, total=False):
    xxh3_128: Hex
    size: Whole


class DeclaredUnwanted(_DeclaredUnwanted):
    """A line of `unwanted.jsonl`: told by content, or by where it lies where there is none to be read."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    path: str
    source: str
    who: str
    at: str


class PartlyCopied(TypedDict):
    """`partial/<token>.json`: a large file that was partly copied."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    format: Literal[2]
    size: Whole
    quick: Hex
    parts: Annotated[list[Annotated[tuple[Whole, Hex], Field(strict=False)]], Field(min_length=1)]


class JobPart(TypedDict):
    """A folder right in that of a job."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    path: CapturePath
    name: Annotated[str, Field(max_length=200)]


class _JobMark(TypedDict, total=False):
    lands: Annotated[str, AfterValidator(_lands)]
    by: Annotated[str, Field(max_length=2000)]
    named: Annotated[str, Field(max_length=2000)]


class JobMark(_JobMark):
    """`.job.toml` in the folder of a job."""

    __pydantic_config__ = _STRICT  # type: ignore[misc]
    format: Literal[1]
    id: Id
    number: Annotated[str, Field(min_length=1, max_length=200)]
    outline: Annotated[str, Field(max_length=200)]
    started: Annotated[str, Field(max_length=40)]
    who: Annotated[str, Field(max_length=200)]
    blanks: Annotated[dict[str, Annotated[str, Field(max_length=1000)]], Field(max_length=200)]
    part: Annotated[list[JobPart], Field(max_length=20_000)]


KEPT_GROUP: TypeAdapter[list[str]] = TypeAdapter(list[Hex], config=_STRICT)
PLACE_MARK = TypeAdapter(PlaceMark)
LISTED_PLACE = TypeAdapter(ListedPlace)
LISTED_DEVICE = TypeAdapter(ListedDevice)
KEPT_VIEW = TypeAdapter(KeptView)
LISTED_SPOT = TypeAdapter(ListedSpot)
LISTED_MARK = TypeAdapter(ListedMark)
SHORT_FORM = TypeAdapter(ListedShortForm)
ON_SHELF = TypeAdapter(ListedOnShelf)
IN_ORDER = TypeAdapter(ListedInOrder)
INBOX = TypeAdapter(ListedInbox)
OUTBOX = TypeAdapter(ListedOutbox)
COUNTERS = TypeAdapter(Counters)
PARTIAL = TypeAdapter(PartlyCopied)
UNWANTED = TypeAdapter(DeclaredUnwanted)
JOB_MARK = TypeAdapter(JobMark)


def checked(adapter: TypeAdapter[T], value: Any, path: str, where: str = "") -> T:
    """A value that fits a model; `path` names its page in errors.

    Args:
        adapter: of the model.
        value: as it was read.
        path: names its page in errors.
        where: the part of the page.

    Raises:
        PageBroken: when it does not fit.
    """
    try:
        return adapter.validate_python(value)
    except ValidationError as error:
        raise PageBroken(path, f"{where}{told(error)}") from error


def listed(adapter: TypeAdapter[T], tree: Tree, path: Inside, what: str) -> tuple[list[T], list[str]]:
    """The tables `what` of a page of TOML that fit a model, and a sentence for each of the others, or for the page.

    A page that is not there lists nothing.

    Args:
        adapter: of the model.
        tree: the folder it is in.
        path: of the page.
        what: the tables' name.
    """
    good: list[T] = []
    bad: list[str] = []
    try:
        values = toml_page(tree, path).get(what, [])
    except FileNotFoundError:
        return good, bad
    except PageBroken as error:
        return good, [str(error)]
    if not isinstance(values, list):
        return good, [str(PageBroken(tree.at(path), f"{what}: a list is wanted"))]
    for number, value in enumerate(values, 1):
        try:
            good.append(checked(adapter, value, tree.at(path), f"{what} {number}: "))
        except PageBroken as error:
            bad.append(str(error))
    return good, bad


def lines(adapter: TypeAdapter[T], tree: Tree, path: Inside) -> tuple[list[T], list[tuple[bytes, str]]]:
    """The lines of a page of JSON lines that fit a model; and the others, each with a sentence.

    Raises:
        PageBroken: when it cannot be read.
    """
    good: list[T] = []
    bad: list[tuple[bytes, str]] = []
    at = tree.at(path)
    try:
        text = page_bytes(tree, path).splitlines()
    except FileNotFoundError:
        return good, bad
    for number, line in enumerate(text, 1):
        try:
            good.append(checked(adapter, json_of(line, at), at, f"line {number}: "))
        except PageBroken as error:
            bad.append((line, str(error)))
    return good, bad


def told(error: ValidationError) -> str:
    """The first thing that a model says is wrong, in one sentence."""
    first = error.errors(include_url=False, include_input=False)[0]
    where = ".".join(map(str, first["loc"]))
    words = str(first["msg"]).removeprefix("Value error, ")
    return f"{where}: {words}" if where else words
