"""House rules as a page of TOML: how its tables and keys stand for rules, and how they are validated.

The order of tables and keys is the one in which a page is written. What a page leaves out has its usual value.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, AliasChoices, BaseModel, ConfigDict, Field, ValidationError

from jutrek.captures import RUNGS
from jutrek.filing.arrival import TEXTS, Saying
from jutrek.filing.counting import Per
from jutrek.filing.dates import knows_language
from jutrek.filing.names import Extensions
from jutrek.filing.rules import (
    Cleared,
    HouseRules,
    OnArrival,
    OnChanged,
    OnDouble,
    Order,
    Places,
    RuleError,
    Scheme,
    Structure,
    Undated,
)

FORMAT = 1
RENAMED = {"extra-checksum": "second-sum"}
"""Keys by what they were called before; pages that say so are read."""
_USUAL = HouseRules()
_CLOCK = re.compile(r"(\d{1,2}):(\d\d)")
_OFFSET = re.compile(r"([+-])(\d\d):?(\d\d)")


def _clock(text: str) -> str:
    found = _CLOCK.fullmatch(text.strip())
    if not found or int(found[1]) > 48 or int(found[2]) > 59:
        raise ValueError("a time is hours and minutes, such as 04:00")
    return text


def _offset(text: str) -> str:
    found = _OFFSET.fullmatch(text.strip())
    if text.strip() and (not found or int(found[2]) > 14 or int(found[3]) > 59):
        raise ValueError("a zone is a distance from UTC, such as +02:00; empty is this machine's")
    return text


def _day_start(text: str) -> str:
    if _minutes(_clock(text)) >= 24 * 60:
        raise ValueError("a day starts before 24:00")
    return text


def _language(text: str) -> str:
    if not knows_language(text):
        raise ValueError(f"no language {text!r} is known; a language is written like en, de, pt_BR")
    return text


class _Table(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True)


class _Filing(_Table):
    layout: str = _USUAL.layout
    name: str = _USUAL.name
    undated: Literal["stay", "unfiled"] = "stay"
    extensions: Literal["lower", "upper", "kept"] = "lower"
    language: Annotated[str, AfterValidator(_language)] = _USUAL.language
    owner_is_person: bool = Field(False, alias="owner-is-person")
    developed: str = ""


class _Scheme(_Table):
    kinds: list[Literal["still", "clip", "sound"]] = []
    device: str = ""
    words: str = ""
    layout: str = ""
    name: str = ""


class _Kinds(_Table):
    still: str = Field(_USUAL.kinds["still"], min_length=1)
    clip: str = Field(_USUAL.kinds["clip"], min_length=1)
    sound: str = Field(_USUAL.kinds["sound"], min_length=1)


class _Counter(_Table):
    per: Literal["folder", "day", "shoot", "intake", "library"] = "folder"
    start: int = Field(1, ge=0, le=999_999_999)


class _Journey(_Table):
    start: date
    zone: Annotated[str, AfterValidator(_offset), Field(min_length=1)]


class _Days(_Table):
    start: Annotated[str, AfterValidator(_day_start)] = "04:00"
    gap: Annotated[str, AfterValidator(_clock)] = "06:00"
    zone: Annotated[str, AfterValidator(_offset)] = ""
    journey: list[_Journey] = []


class _Trust(_Table):
    order: list[Literal["shooting", "digitized", "satellite", "written", "container", "name", "folder", "file"]] = list(
        RUNGS  # type: ignore[arg-type]
    )


class _Doubles(_Table):
    companions: Literal["bring", "leave"] = "bring"
    retagged: Literal["ask", "bring", "stay"] = "ask"
    re_encoded: Literal["ask", "bring", "stay"] = Field("ask", alias="re-encoded")
    look_alike: Literal["ask", "bring", "stay"] = Field("bring", alias="look-alike")


class _Copies(_Table):
    card_structure: Literal["alone", "beside"] = Field("alone", alias="card-structure")
    read_twice: bool = Field(False, alias="read-twice")
    extra_checksum: Literal["none", "blake3"] = Field(
        "none", validation_alias=AliasChoices("extra-checksum", RENAMED["extra-checksum"])
    )
    hash_lists: bool = Field(True, alias="hash-lists")
    unwanted: list[str] = list(_USUAL.unwanted)
    proof_days: int = Field(0, alias="proof-days", ge=0, le=3650)
    least_copies: int = Field(1, alias="least-copies", ge=1, le=9)
    changed_copies: Literal["ask", "library", "copy"] = Field("ask", alias="changed-copies")
    order: Literal["time", "small"] = "time"


class _Inboxes(_Table):
    arrivals: Literal["ask", "by-itself", "leave"] = "ask"
    clear: Literal["never", "trash", "for-good"] = "never"


class _Said(_Table):
    creator: str = ""
    rights: str = ""
    usage: str = ""
    credit: str = ""
    source: str = ""
    contact: str = ""
    words: list[str] = []


class _Sidecars(_Said):
    corrected_dates: bool = Field(False, alias="corrected-dates")
    original_names: bool = Field(False, alias="original-names")
    where: Literal["none", "names", "names-and-keywords"] = "none"
    in_files: bool = Field(False, alias="in-files")


class _Caption(_Said):
    kinds: list[Literal["still", "clip", "sound"]] = []
    device: str = ""
    operator: str = ""
    job: str = ""


class _Page(_Table):
    format: int = FORMAT
    filing: _Filing = _Filing()  # type: ignore[call-arg]
    scheme: list[_Scheme] = []
    kinds: _Kinds = _Kinds()  # type: ignore[call-arg]
    counter: _Counter = _Counter()  # type: ignore[call-arg]
    days: _Days = _Days()
    trust: _Trust = _Trust()
    doubles: _Doubles = _Doubles()  # type: ignore[call-arg]
    copies: _Copies = _Copies()  # type: ignore[call-arg]
    inboxes: _Inboxes = _Inboxes()
    sidecars: _Sidecars = _Sidecars()  # type: ignore[call-arg]
    caption: list[_Caption] = []


Where = tuple[str | int, ...]
"""Where on a page something stands: names of tables and keys, numbers within lists."""


class PageError(ValueError):
    """A page that holds something that is no rule.

    Attributes:
        where: the place.
        at: the character of a pattern that the trouble is at, from 0; None for no pattern.
    """

    def __init__(self, where: Where, trouble: str, at: int | None = None) -> None:
        super().__init__(trouble)
        self.where, self.at = where, at

    @property
    def key(self) -> str:
        """The last name in it, which is the key that is wrong."""
        return next((part for part in reversed(self.where) if isinstance(part, str)), "")


def rules_of(page: Mapping[str, Any]) -> HouseRules:
    """The rules of a parsed page.

    Raises:
        PageError: at the first thing that is no rule.
    """
    newer = page.get("format", FORMAT)
    if isinstance(newer, int) and newer > FORMAT:
        raise PageError(("format",), "a newer Jutrek wrote this page")
    try:
        read = _Page.model_validate(page)
    except ValidationError as error:
        first = error.errors()[0]
        trouble = str(first["msg"]).removeprefix("Value error, ").replace("Input should be", "it takes")
        if first["type"] == "extra_forbidden":
            trouble = "there is no such rule"
        if first["type"] in _SHAPES:
            trouble = f"it takes {_SHAPES[first['type']]}"
        if (wanted := _NUMBERS.get(tuple(first["loc"]))) is not None:
            trouble = f"it takes {wanted}"
        raise PageError(tuple(first["loc"]), trouble[:1].lower() + trouble[1:]) from error
    try:
        return _rules(read)
    except RuleError as error:
        table: Where = (error.table, error.scheme) if error.scheme is not None else _TABLE_OF[error.field]
        raise PageError((*table, "order" if error.field == "trust" else error.field), str(error), error.at) from error


_SHAPES = {
    "model_type": "a table", "list_type": "a list", "string_type": "text", "bool_type": "true or false",
    "int_type": "a whole number", "date_type": "a day, such as 2026-05-14", "missing": "a value",
    "string_too_short": "a word", "too_short": "a value",
}  # fmt: skip
_NUMBERS: dict[Where, str] = {
    ("counter", "start"): "a whole number from 0 to 999,999,999",
    ("copies", "proof-days"): "a whole number of days from 0 to 3,650",
    ("copies", "least-copies"): "a whole number from 1 to 9",
}
_TABLE_OF: dict[str, Where] = {
    "layout": ("filing",), "name": ("filing",), "developed": ("filing",), "trust": ("trust",),
    **dict.fromkeys((*TEXTS, "words"), ("sidecars",)),
}  # fmt: skip


def _rules(page: _Page) -> HouseRules:
    days, sidecars = page.days, page.sidecars
    journeys = sorted((one.start, _zone(one.zone) or 0) for one in days.journey)
    return HouseRules(
        layout=page.filing.layout,
        name=page.filing.name,
        developed=page.filing.developed.strip(),
        schemes=tuple(
            Scheme(tuple(one.kinds), one.device.strip(), one.words.strip(), one.layout, one.name) for one in page.scheme
        ),
        undated=Undated(page.filing.undated),
        extensions=Extensions(page.filing.extensions),
        language=page.filing.language,
        kinds=page.kinds.model_dump(),
        owners=page.filing.owner_is_person,
        counter_per=Per(page.counter.per),
        counter_start=page.counter.start,
        day_starts=_minutes(days.start),
        gap=_minutes(days.gap),
        zone=_zone(days.zone),
        journeys=tuple(journeys),
        trust=tuple(page.trust.order),
        beside=page.doubles.companions == "bring",
        retagged=OnDouble(page.doubles.retagged),
        reencoded=OnDouble(page.doubles.re_encoded),
        alike=OnDouble(page.doubles.look_alike),
        structure=Structure(page.copies.card_structure),
        twice=page.copies.read_twice,
        second_sum=page.copies.extra_checksum == "blake3",
        hash_lists=page.copies.hash_lists,
        unwanted=tuple(page.copies.unwanted),
        proof_days=page.copies.proof_days,
        least_copies=page.copies.least_copies,
        arrivals=OnArrival(page.inboxes.arrivals),
        cleared=Cleared(page.inboxes.clear),
        changed=OnChanged(page.copies.changed_copies),
        order=Order(page.copies.order),
        sidecars=sidecars.corrected_dates,
        originals=sidecars.original_names,
        saying=_saying(sidecars),
        sayings=tuple(map(_saying, page.caption)),
        places=Places(sidecars.where),
        inside=sidecars.in_files,
    )


def _saying(table: _Sidecars | _Caption) -> Saying:
    texts = {name: getattr(table, name).strip() for name in TEXTS}
    words = tuple(filter(None, map(str.strip, table.words)))
    if isinstance(table, _Sidecars):
        return Saying(**texts, words=words)
    return Saying(
        **texts, words=words, kinds=tuple(table.kinds), device=table.device.strip(), operator=table.operator.strip(),
        job=table.job.strip(),
    )  # fmt: skip


def page_of(rules: HouseRules) -> dict[str, Any]:
    """Rules as the tables and keys of a page, in their order; `rules_of` is its opposite."""
    schemes = [
        {name: value for name, value in (
            ("kinds", list(one.kinds)), ("device", one.device), ("words", one.words), ("layout", one.layout),
            ("name", one.name),
        ) if value}
        for one in rules.schemes
    ]  # fmt: skip
    return {
        "format": FORMAT,
        "filing": {
            "layout": rules.layout, "name": rules.name, "undated": rules.undated.value,
            "extensions": rules.extensions.value, "language": rules.language, "owner-is-person": rules.owners,
            "developed": rules.developed,
        },
        "scheme": schemes,
        "kinds": dict(rules.kinds),
        "counter": {"per": rules.counter_per.value, "start": rules.counter_start},
        "days": {
            "start": _clock_words(rules.day_starts), "gap": _clock_words(rules.gap), "zone": _zone_words(rules.zone),
            "journey": [{"start": day, "zone": _zone_words(offset)} for day, offset in rules.journeys],
        },
        "trust": {"order": list(rules.trust)},
        "doubles": {
            "companions": "bring" if rules.beside else "leave", "retagged": rules.retagged.value,
            "re-encoded": rules.reencoded.value, "look-alike": rules.alike.value,
        },
        "copies": {
            "card-structure": rules.structure.value, "read-twice": rules.twice,
            "extra-checksum": "blake3" if rules.second_sum else "none", "hash-lists": rules.hash_lists,
            "unwanted": list(rules.unwanted), "proof-days": rules.proof_days,
            "least-copies": rules.least_copies,
            "changed-copies": rules.changed.value, "order": rules.order.value,
        },
        "inboxes": {"arrivals": rules.arrivals.value, "clear": rules.cleared.value},
        "sidecars": {
            "corrected-dates": rules.sidecars, "original-names": rules.originals,
            **{name: getattr(rules.saying, name) for name in TEXTS}, "words": list(rules.saying.words),
            "where": rules.places.value, "in-files": rules.inside,
        },
        "caption": [_said(one) for one in rules.sayings],
    }  # fmt: skip


def _said(saying: Saying) -> dict[str, Any]:
    conditions = ("device", "operator", "job")
    texts = {name: value for name in (*conditions, *TEXTS) if (value := getattr(saying, name))}
    lists = {name: list(value) for name in ("kinds", "words") if (value := getattr(saying, name))}
    return {**texts, **lists}


def _minutes(clock: str) -> int:
    hours, _, minutes = clock.strip().partition(":")
    return int(hours) * 60 + int(minutes)


def _clock_words(minutes: int) -> str:
    return f"{minutes // 60:02}:{minutes % 60:02}"


def _zone(text: str) -> int | None:
    found = _OFFSET.fullmatch(text.strip())
    if not found:
        return None
    return (int(found[2]) * 60 + int(found[3])) * (-1 if found[1] == "-" else 1)


def _zone_words(minutes: int | None) -> str:
    if minutes is None:
        return ""
    return f"{'-' if minutes < 0 else '+'}{abs(minutes) // 60:02}:{abs(minutes) % 60:02}"
