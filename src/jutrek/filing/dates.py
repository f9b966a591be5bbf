"""How dates are written into folders and names: as far as they are known, in the house's language.

Weeks and their years follow ISO 8601; names of months and weekdays are the stand-alone forms of Unicode CLDR.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import datetime
from functools import lru_cache
from typing import TYPE_CHECKING

from jutrek.filing.names import FORBIDDEN
from jutrek.formats import Precision

if TYPE_CHECKING:
    from jutrek.filing.facts import Facts

WriteDate = Callable[[datetime, Precision, str], str]
"""Writes a local time that is known to a precision, in a language; empty where it is not known far enough."""


@lru_cache(maxsize=64)
def _names(what: str, width: str, language: str) -> dict[int, str]:
    """Names of months (from 1) or weekdays (Monday is 0) in a language; in English where it is not known."""
    from babel import Locale, UnknownLocaleError

    try:
        locale = Locale.parse(language)
    except (UnknownLocaleError, ValueError, TypeError):
        locale = Locale("en")
    names = (locale.months if what == "months" else locale.days)["stand-alone"][width]
    return {number: str(name).rstrip(".") for number, name in names.items()}


def _needing(need: Precision, write: Callable[[datetime, str], str]) -> WriteDate:
    return lambda local, precision, language: write(local, language) if precision >= need else ""


_DATE_LENGTH = {Precision.YEAR: 4, Precision.MONTH: 6}


def whole(local: datetime, precision: Precision, _: str) -> str:
    """`20260514`, or as far as it is known."""
    return f"{local.year:04}{local.month:02}{local.day:02}"[: _DATE_LENGTH.get(precision, 8)]


year = _needing(Precision.YEAR, lambda local, _: f"{local.year:04}")
month = _needing(Precision.MONTH, lambda local, _: f"{local.month:02}")
day = _needing(Precision.DAY, lambda local, _: f"{local.day:02}")
hour = _needing(Precision.MINUTE, lambda local, _: f"{local.hour:02}")
minute = _needing(Precision.MINUTE, lambda local, _: f"{local.minute:02}")
second = _needing(Precision.SECOND, lambda local, _: f"{local.second:02}")
millisecond = _needing(Precision.SUBSECOND, lambda local, _: f"{local.microsecond // 1000:03}")
clock = _needing(Precision.MINUTE, lambda local, _: f"{local.hour:02}{local.minute:02}{local.second:02}")
month_name = _needing(Precision.MONTH, lambda local, language: _names("months", "wide", language)[local.month])
month_short = _needing(Precision.MONTH, lambda local, language: _names("months", "abbreviated", language)[local.month])
weekday_name = _needing(Precision.DAY, lambda local, language: _names("days", "wide", language)[local.weekday()])
weekday_short = _needing(
    Precision.DAY, lambda local, language: _names("days", "abbreviated", language)[local.weekday()]
)
weekday_number = _needing(Precision.DAY, lambda local, _: str(local.isoweekday()))
week = _needing(Precision.DAY, lambda local, _: f"{local.isocalendar().week:02}")
week_year = _needing(Precision.DAY, lambda local, _: f"{local.isocalendar().year:04}")

_DIRECTIVES: dict[str, WriteDate] = {
    "Y": year, "m": month, "d": day, "H": hour, "M": minute, "S": second, "B": month_name, "b": month_short,
    "A": weekday_name, "a": weekday_short, "u": weekday_number, "V": week, "G": week_year,
    "y": _needing(Precision.YEAR, lambda local, _: f"{local.year % 100:02}"),
    "j": _needing(Precision.DAY, lambda local, _: f"{local.timetuple().tm_yday:03}"),
    "f": millisecond, "%": lambda _local, _precision, _language: "%",
}  # fmt: skip
"""Directives of a date format, as POSIX `strftime` and ISO C name them; `%f` are milliseconds."""
_DIRECTIVE = re.compile(r"%(.?)")


def trouble_with(form: str) -> str:
    """What is wrong with a date format, as a sentence; empty where nothing is."""
    for found in _DIRECTIVE.finditer(form):
        if found[1] not in _DIRECTIVES:
            known = " ".join(f"%{name}" for name in _DIRECTIVES)
            return f"a date format does not know “%{found[1]}”; it knows {known}."
    text = _DIRECTIVE.sub("", form)
    if "/" in text:
        return "a piece makes no folders; write one for each, such as {date:%Y}/{date:%m}."
    odd = next((sign for sign in text if sign in FORBIDDEN), "")
    return f"“{odd}” can't be in a name: not every disk takes it." if odd else ""


def by_directives(form: str, facts: Facts, filed: bool, language: str) -> str:
    """A date in a checked format; empty where one of its directives is not known.

    Args:
        form: directives of strftime(3), such as `%Y-%m`.
        facts: of the capture.
        filed: whether the filing day is meant.
        language: of names, such as `de`.
    """
    local, precision = _when(facts, filed)
    return in_directives(form, local, precision, language) if local is not None else ""


def in_directives(form: str, local: datetime, precision: Precision, language: str) -> str:
    """A local time in a checked format; empty where one of its directives is not known."""
    values = [_DIRECTIVES[found[1]](local, precision, language) for found in _DIRECTIVE.finditer(form)]
    if not all(values):
        return ""
    take = iter(values)
    return _DIRECTIVE.sub(lambda _: next(take), form)


def written(write: WriteDate, facts: Facts, filed: bool, language: str) -> str:
    """A date of a capture: of the filing day or the true one; empty where it has none.

    Args:
        write: a piece's function.
        facts: of the capture.
        filed: whether the filing day is meant.
        language: of names, such as `de`.
    """
    local, precision = _when(facts, filed)
    return write(local, precision, language) if local is not None else ""


def offset(facts: Facts) -> str:
    """The offset from UTC as `+0200`; empty where it is not known."""
    moment = facts.capture.moment
    if moment is None or moment.offset is None:
        return ""
    minutes = abs(moment.offset)
    return f"{'-' if moment.offset < 0 else '+'}{minutes // 60:02}{minutes % 60:02}"


def _when(facts: Facts, filed: bool) -> tuple[datetime | None, Precision]:
    moment = facts.capture.moment
    if moment is None:
        return None, Precision.YEAR
    if filed and facts.day is not None:
        local = moment.local
        return local.replace(year=facts.day.year, month=facts.day.month, day=facts.day.day), moment.precision
    return moment.local, moment.precision


def knows_language(language: str) -> bool:
    """Whether the names of months are known in a language, such as `en`, `de_AT`."""
    from babel import Locale, UnknownLocaleError

    try:
        Locale.parse(language)
    except (UnknownLocaleError, ValueError, TypeError):
        return False
    return True
