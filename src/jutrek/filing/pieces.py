"""The pieces of patterns: what each is called, which formats it takes, and how a capture's value is written."""

from __future__ import annotations

import os
import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache
from types import MappingProxyType
from typing import NamedTuple

from jutrek.filing import dates
from jutrek.filing.facts import Facts
from jutrek.filing.names import stem_of
from jutrek.formats import DeviceFacts, Kind

KIND_WORDS: Mapping[str, str] = MappingProxyType({"still": "Stills", "clip": "Clips", "sound": "Sound"})


class Setting(NamedTuple):
    """What pieces are written by.

    Attributes:
        filed: whether dates mean the day that a capture is filed under (in a layout), or the true one (in a name).
        language: of the names of months and weekdays, such as `en` or `de_AT`.
        kinds: what stills, clips and sound are called.
    """

    filed: bool = False
    language: str = "en"
    kinds: Mapping[str, str] = KIND_WORDS


Write = Callable[[Facts, Setting], str]


@dataclass(frozen=True, slots=True)
class PieceKind:
    """A kind of piece.

    Attributes:
        about: what it is, for a person who composes.
        group: under which heading it is offered: `date`, `what`, `by` or `file`.
        write: writes it where no format is given.
        forms: its formats by name, with what each does.
        digits: whether a number of digits is a format, too.
        counts: whether its format may also say which number is the first: `4 from 100`.
        by_day: whether it is the same for all captures of a day that is known as far.
        directed: writes it in a date format with `%`, where it takes such formats.
    """

    about: str
    group: str
    write: Write
    forms: Mapping[str, Write] = field(default_factory=dict)
    digits: bool = False
    counts: bool = False
    by_day: bool = False
    directed: Callable[[str], Write] | None = None

    def trouble_with(self, form: str) -> str:
        """What is wrong with a format, as a sentence; empty where nothing is."""
        if form in self.forms or (self.digits and form.isascii() and form.isdigit() and 1 <= int(form) <= 9):
            return ""
        if self.counts and _COUNTED.fullmatch(form):
            return ""
        if self.directed and "%" in form:
            return dates.trouble_with(form)
        known = [
            *self.forms,
            *(["a number of digits from 1 to 9"] if self.digits else []),
            *(["such as 4 from 100, with the first number"] if self.counts else []),
            *(["%d.%m.%y"] if self.directed else []),
        ]
        if not known:
            return "this piece takes no format."
        return f"there is no format “{form}” here; there are: {', '.join(known)}."

    def writer(self, form: str) -> Write:
        """What writes the piece in a format that `trouble_with` finds nothing wrong with."""
        if not form:
            return self.write
        if form in self.forms:
            return self.forms[form]
        if self.digits:
            return lambda facts, setting: _padded(self.write(facts, setting), int(form))
        return self.directed(form) if self.directed else self.write


_COUNTED = re.compile(r"([1-9]) from (\d{1,9})", re.ASCII)


def counted_by(form: str) -> tuple[int, int | None]:
    """How many digits a counter's format asks for, and its first number; None where that is the house's."""
    found = _COUNTED.fullmatch(form)
    return (int(found[1]), int(found[2])) if found else (int(form or 1), None)


def _padded(digits: str, width: int) -> str:
    return digits.lstrip("0").rjust(width, "0") if digits else ""


def nearest_piece(name: str, blanks: Iterable[str] = ()) -> str:
    """The name of the piece, or of the blank, that a misspelt one most likely means; or an empty string."""
    return _nearest(name, [*blanks, *PIECES])


def nearest_form(name: str, form: str) -> str:
    """The format of a piece that a misspelt one most likely means, or an empty string."""
    return _nearest(form, PIECES.get(name, BLANK).forms)


def _nearest(word: str, known: Iterable[str]) -> str:
    from difflib import get_close_matches

    return next(iter(get_close_matches(word.strip().lower(), list(known), 1, 0.5)), "")


_BETWEEN_WORDS = re.compile(r"[^\w]+|_+")


def slug(text: str) -> str:
    """Words in small letters without accents, joined by hyphens."""
    plain = "".join(sign for sign in unicodedata.normalize("NFKD", text) if not unicodedata.combining(sign))
    return _BETWEEN_WORDS.sub("-", plain.casefold()).strip("-")


def _changed(write: Write, change: Callable[[str], str]) -> Write:
    return lambda facts, setting: change(write(facts, setting))


WORD_FORMS: Mapping[str, Callable[[str], str]] = {"upper": str.upper, "lower": str.lower, "slug": slug}
"""The formats of words."""


def _words(about: str, group: str, write: Write) -> PieceKind:
    """A piece of words: it can be written in capitals, in small letters, and as a slug."""
    forms = {name: _changed(write, change) for name, change in WORD_FORMS.items()}
    return PieceKind(about, group, write, forms)


def _number(about: str, group: str, write: Write) -> PieceKind:
    return PieceKind(about, group, write, digits=True)


def _said(name: str) -> Write:
    def write(facts: Facts, _: Setting) -> str:
        wording = facts.capture.primary.reading.wording
        return facts.said.get(name, "") or (str(getattr(wording, name, "")) if wording else "")

    return write


def _fact(name: str) -> Write:
    def write(facts: Facts, _: Setting) -> str:
        for read in facts.capture.files:
            device: DeviceFacts | None = read.reading.device
            if device is not None and getattr(device, name):
                return str(getattr(device, name))
        return ""

    return write


def _tie(kind: str) -> Write:
    def write(facts: Facts, _: Setting) -> str:
        for read in facts.capture.files:
            for tie in read.reading.ties:
                if tie.kind == kind:
                    return tie.value
        return ""

    return write


def _keywords(facts: Facts, _: Setting) -> str:
    wording = facts.capture.primary.reading.wording
    return ", ".join(wording.keywords) if wording else ""


def _kind(facts: Facts, setting: Setting) -> str:
    kind = facts.capture.kind
    return setting.kinds.get(kind.value, "") if kind is not Kind.SIDECAR else ""


_SHORT_SIDES = (480, 576, 720, 1080, 1440, 2160, 3240, 4320)


def _resolution(facts: Facts, _: Setting) -> str:
    """Of a clip the nearest usual number of lines, of a still its megapixels."""
    reading = facts.capture.primary.reading
    if not (reading.width and reading.height):
        return ""
    if facts.capture.kind is Kind.STILL:
        return f"{max(1, round(reading.width * reading.height / 1e6))}MP"
    short = min(reading.width, reading.height)
    return f"{min(_SHORT_SIDES, key=lambda lines: abs(lines - short))}p"


def _frame_rate(facts: Facts, _: Setting) -> str:
    track = facts.capture.primary.reading.track
    return f"{track.frame_rate:.2f}".rstrip("0").rstrip(".") if track and track.frame_rate else ""


_DIGITS = re.compile(r"(\d+)\D*$")


def _original_number(facts: Facts, _: Setting) -> str:
    found = _DIGITS.search(_original(facts))
    return found[1] if found else ""


def _original(facts: Facts, _: Setting | None = None) -> str:
    return stem_of(os.path.basename(facts.original))


COUNTER_SIGN = "\x01"
"""Stands for a capture's number until it is known: a number depends on the folder and on what was named before."""


def _of_device(name: str) -> Write:
    return lambda facts, _: str(getattr(facts.device, name)) if facts.device else ""


def _date(about: str, write: dates.WriteDate, forms: Mapping[str, dates.WriteDate] | None = None) -> PieceKind:
    """A piece of a date: of the filing day in a layout, of the true one in a name."""

    def chosen(how: dates.WriteDate) -> Write:
        return lambda facts, setting: dates.written(how, facts, setting.filed, setting.language)

    chosen_forms = {name: chosen(how) for name, how in (forms or {}).items()}
    return PieceKind(about, "date", chosen(write), chosen_forms, by_day=True)


def _directed(filed: bool | None) -> Callable[[str], Write]:
    """Writers of date formats: of the filing day, of the true one, or (None) of what the setting says."""

    def of(form: str) -> Write:
        return lambda facts, setting: dates.by_directives(
            form, facts, setting.filed if filed is None else filed, setting.language
        )

    return of


def _always(about: str, *, filed: bool) -> PieceKind:
    """The filing day or the true one, wherever it stands."""
    directed = _directed(filed)
    return PieceKind(about, "date", directed("%Y%m%d"), directed=directed)


def _time(about: str, write: dates.WriteDate) -> PieceKind:
    """A piece of the time of day, which is always the true one."""

    def written(facts: Facts, _: Setting) -> str:
        moment = facts.capture.moment
        return write(moment.local, moment.precision, "") if moment is not None else ""

    return PieceKind(about, "date", written)


PIECES: dict[str, PieceKind] = {
    "year": _date("the year, 2026", dates.year),
    "month": _date("the month, 05", dates.month, {"name": dates.month_name, "short": dates.month_short}),
    "day": _date("the day of the month, 14", dates.day),
    "date": PieceKind(
        "the date, 20260514", "date",
        lambda facts, setting: dates.written(dates.whole, facts, setting.filed, setting.language),
        by_day=True,
        directed=_directed(None),
    ),
    "time": _time("the time of day, 091723", dates.clock),
    "hour": _time("the hour, 09", dates.hour),
    "minute": _time("the minute, 17", dates.minute),
    "second": _time("the second, 23", dates.second),
    "millisecond": _time("the thousandth of the second, 250", dates.millisecond),
    "weekday": _date(
        "the day of the week", dates.weekday_name,
        {"name": dates.weekday_name, "short": dates.weekday_short, "number": dates.weekday_number},
    ),
    "week": _date("the week by ISO 8601, 20", dates.week),
    "week-year": _date("the year that the week belongs to", dates.week_year),
    "offset": PieceKind("the distance from UTC, +0200", "date", lambda facts, _: dates.offset(facts)),
    "filed": _always("the day it is filed under, which obeys the day's start", filed=True),
    "shot": _always("the true date of shooting", filed=False),
    "shoot": _words("what the shoot was", "what", lambda facts, _: facts.shoot),
    "place": _words("where it was: as said, or by its position", "what", lambda facts, _: facts.place),
    "words": _words("the keywords in the file", "what", _keywords),
    "title": _words("the title said of the intake, or in the file", "what", _said("title")),
    "job": _words("the job's number", "what", _said("job")),
    "client": _words("the client", "what", _said("client")),
    "device": _words("what the device is called", "by", _of_device("name")),
    "letter": _words("the device's letter", "by", _of_device("letter")),
    "make": _words("who made the device", "by", _fact("make")),
    "model": _words("the device's model", "by", _fact("model")),
    "serial": _words("the device's serial number", "by", _fact("serial")),
    "lens": _words("what lens was on it", "by", _fact("lens")),
    "operator": _words("who carried it", "by", lambda facts, _: facts.operator),
    "kind": _words("stills, clips or sound", "file", _kind),
    "format": _words("the container, dng", "file", lambda facts, _: facts.capture.primary.reading.format),
    "resolution": _words("lines of a clip, megapixels of a still", "file", _resolution),
    "frame-rate": PieceKind("frames a second, 25", "file", _frame_rate),
    "original": _words("the name it had on its source", "file", _original),
    "original-folder": _words(
        "the folder it lay in on its source", "file", lambda facts, _: os.path.basename(os.path.dirname(facts.original))
    ),
    "original-number": _number("the device's own counter", "file", _original_number),
    "scene": _words("the scene that the recorder wrote down", "file", _tie("scene")),
    "take": _words("the take that the recorder wrote down", "file", _tie("take")),
    "tape": _words("the tape or roll that was written down", "file", _tie("tape")),
    "counter": PieceKind(
        "a number that counts on", "file", lambda facts, _: COUNTER_SIGN, digits=True, counts=True
    ),
}  # fmt: skip
"""All pieces by name, in the order in which they are offered."""


BLANK = _words("a blank of the house's own", "what", lambda facts, _: "")
"""What a blank is that a person named: words, of which captures know nothing."""


@cache
def writer(name: str, form: str) -> Write:
    """What writes a piece in a format."""
    # How many digits a number gets is known only when the number is.
    return PIECES[name].writer("" if name == "counter" else form)
