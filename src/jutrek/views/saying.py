"""A view written as a sentence. What is written is read as the same view."""

from __future__ import annotations

from functools import singledispatch

from jutrek.views import measures, spans
from jutrek.views.conditions import (
    All,
    Any,
    Around,
    AtHours,
    Condition,
    During,
    How,
    InMonth,
    Is,
    Lately,
    Measure,
    Near,
    Not,
    OnWeekday,
    Some,
    Sort,
    State,
    Text,
    Value,
    sort_of,
)
from jutrek.views.tokens import KINDS, quoted, tokens

_BEFORE = {
    Sort.DEVICE: "by", Sort.PERSON: "carried by", Sort.LENS: "with lens", Sort.SHOOT: "of",
    Sort.KEYWORD: "with keyword",
    Sort.MARK: "marked", Sort.FOLDER: "in folder", Sort.RIGHT_IN: "right in folder", Sort.FORMAT: "as",
    Sort.SHELF: "on shelf", Sort.PLACE: "near",
}  # fmt: skip
_SOME = {
    Sort.KEYWORD: "keywords", Sort.POSITION: "a position", Sort.TIME: "a date", Sort.MARK: "a mark",
    Sort.RATING: "a rating", Sort.LENS: "a lens", Sort.SHOOT: "a description", Sort.DEVICE: "a device",
    Sort.PLACE: "a place",
}  # fmt: skip
_MANY = {kind: word for word, kind in KINDS.items()}
"""The word for many of a kind."""
_COUNTED = {How.EXACTLY: "", How.AT_LEAST: "at least ", How.AT_MOST: "at most ", How.MORE: "more than ",
            How.FEWER: "fewer than "}  # fmt: skip


def sentence(view: Condition) -> str:
    """A view in words."""
    if isinstance(view, All):
        return " ".join(map(_item, view.parts)) if view.parts else "everything"
    return _whole(view)


def parts_of(view: Condition) -> tuple[tuple[str, Condition], ...]:
    """The parts that a view is said in, each in words, in their order: taking one out leaves the others."""
    return tuple((_item(one), one) for one in (view.parts if isinstance(view, All) else (view,)))


def _item(part: Condition) -> str:
    """A part among others that hold as well."""
    if isinstance(part, All):
        return f"({sentence(part)})"
    if isinstance(part, Any) and part.parts and not _is_tight(part):
        return f"({_whole(part)})"
    return _whole(part)


def _whole(part: Condition) -> str:
    """A part that stands alone."""
    if isinstance(part, Any):
        if not part.parts:
            return "nothing"
        return " or ".join(map(_alternative, part.parts)) if _is_tight(part) else " or ".join(map(_loose, part.parts))
    if isinstance(part, Not):
        return _denied(part.part)
    if isinstance(part, All):
        return sentence(part)
    return _leaf(part)


def _is_tight(part: Any) -> bool:
    """Whether “or” joins its parts before anything else does."""
    return sort_of(part) is not None and all(_is_leaf(one) for one in part.parts)


def _is_leaf(part: Condition) -> bool:
    return not isinstance(part, All | Any | Not) or (isinstance(part, Not) and isinstance(part.part, Some))


def _alternative(part: Condition) -> str:
    return _whole(part)


def _loose(part: Condition) -> str:
    """One of several that are of more than one sort."""
    return _whole(part) if _is_leaf(part) and not isinstance(part, Text) else f"({sentence(part)})"


def _denied(part: Condition) -> str:
    if part == Some(Sort.SHELF):
        return "on no shelf"
    if isinstance(part, Some):
        return f"without {_SOME[part.sort]}"
    inner = _item(part)
    return f"not {inner}"


@singledispatch
def _leaf(part: object) -> str:
    raise TypeError(type(part))


@_leaf.register
def _(part: During) -> str:
    return spans.written(part)


@_leaf.register
def _(part: Lately) -> str:
    return spans.recently(part)


@_leaf.register
def _(part: InMonth) -> str:
    return f"in any {spans.MONTHS[part.month - 1]}"


@_leaf.register
def _(part: OnWeekday) -> str:
    return f"on {spans.DAYS[part.weekday]}s"


@_leaf.register
def _(part: AtHours) -> str:
    return f"between {spans.clock(part.start)} and {spans.clock(part.end)}"


@_leaf.register
def _(part: Value) -> str:
    if part.sort is Sort.PLACE:
        return f"near {_place(part.text)}"
    if part.sort is Sort.LIKELY:
        return f"likely {part.text}s"
    return _MANY[part.text] if part.sort is Sort.KIND else f"{_BEFORE[part.sort]} {quoted(part.text)}"


@_leaf.register
def _(part: Some) -> str:
    return "on a shelf" if part.sort is Sort.SHELF else f"with {_SOME[part.sort]}"


@_leaf.register
def _(part: Measure) -> str:
    if part.sort is Sort.RATING:
        return f"rated {_COUNTED[part.how]}{part.number}"
    if part.sort is Sort.COPIES:
        number = "no" if part == Measure(Sort.COPIES, How.EXACTLY, 0) else str(part.number)
        return f"in {_COUNTED[part.how]}{number} backup{'' if part.number in (0, 1) and number != '0' else 's'}"
    if part.sort is Sort.PIXELS:
        return f"with {_COUNTED[part.how]}{measures.megapixels(part.number)}"
    larger, smaller = ("longer", "shorter") if part.sort is Sort.LENGTH else ("larger", "smaller")
    units = measures.LENGTH_UNITS if part.sort is Sort.LENGTH else measures.SIZE_UNITS
    return f"{larger if part.how is How.MORE else smaller} than {measures.written(part.number, units)}"


@_leaf.register
def _(part: Near) -> str:
    distance = measures.written(part.metres, measures.DISTANCE_UNITS)
    return f"within {distance} of {_degrees(part.latitude)}, {_degrees(part.longitude)}"


@_leaf.register
def _(part: Around) -> str:
    return f"within {measures.written(part.metres, measures.DISTANCE_UNITS)} of {_place(part.place)}"


@_leaf.register
def _(part: Is) -> str:
    return "with a doubtful date" if part.state is State.DOUBTFUL else part.state.value


@_leaf.register
def _(part: Text) -> str:
    return '"' + part.words.replace('"', '""') + '"'


def _place(name: str) -> str:
    """The name of a place; in quotation marks where it would be read as a position."""
    words = quoted(name)
    return f'"{words}"' if words == name and measures.number_of(tokens(name)[0].text) is not None else words


def _degrees(value: float) -> str:
    return f"{value:.6f}".rstrip("0").rstrip(".")
