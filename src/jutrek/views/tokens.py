"""The words of a sentence with their places: words, signs, and what stands in quotation marks."""

from __future__ import annotations

import re
from typing import NamedTuple

from jutrek.views.spans import DAYS, FIRST_YEAR, LAST_YEAR, MONTHS

_TOKEN = re.compile(
    r"""(?P<quoted>"(?:[^"]|"")*"|“[^”]*”)|(?P<open>["“])|(?P<sign>[(),;–])|(?P<word>[^\s"“”(),;–]+|”)""", re.VERBOSE
)
_RANGE = re.compile(r"(\d{4})-(\d{4})|(\d{1,2})-(\d{1,2})")
KINDS = {
    "still": "still", "stills": "still", "clip": "clip", "clips": "clip", "sound": "sound", "sounds": "sound",
    "sidecar": "sidecar", "sidecars": "sidecar",
}  # fmt: skip
"""Words for kinds of captures, with the kind."""
MONTH_OF = {
    word: number
    for number, name in enumerate(MONTHS, 1)
    for word in (name.lower(), name[:3].lower(), *(("sept",) if number == 9 else ()))
}
"""Months by their names and what these are shortened to."""
DAY_OF = {word: number for number, name in enumerate(DAYS) for word in (name.lower(), f"{name.lower()}s")}
"""Days of the week, Monday being 0."""
_OTHERS = (
    "in on from since until before after between filed not or and but without with by as near within of carried marked"
    " rated longer shorter larger smaller doubled unfiled gone changed moved set stored proven damaged doubtful likely"
    " week weeks right everything nothing undated unmarked unrated weekends weekend"
)
RESERVED = frozenset([*_OTHERS.split(), *KINDS, *MONTH_OF, *DAY_OF])
"""Words that begin something. What is called so stands in quotation marks."""
_YEAR = re.compile(r"\d{4}(?:-\d{2}(?:-\d{2})?)?")


class Token(NamedTuple):
    """A word, a sign or what stands in quotation marks.

    Attributes:
        text: as it is compared: words in small letters, what is quoted as it is.
        start, end: where it stands, in characters, with its quotation marks.
        quoted: whether it stands in quotation marks.
        shut: whether these are closed.
    """

    text: str
    start: int
    end: int
    quoted: bool = False
    shut: bool = True

    @property
    def reserved(self) -> bool:
        """Whether it begins something, so that no name without quotation marks goes on over it."""
        return not self.quoted and (self.text in RESERVED or self.text in "(),;" or is_date(self.text))


def is_date(word: str) -> bool:
    """Whether a word is a year, or a date such as `2026-05-14`."""
    return _YEAR.fullmatch(word) is not None and FIRST_YEAR <= int(word[:4]) <= LAST_YEAR


def tokens(text: str) -> list[Token]:
    """The tokens of a sentence. Of what is quoted and not closed, one to the end of the text."""
    found: list[Token] = []
    at = 0
    while (one := _TOKEN.search(text, at)) is not None:
        start, at = one.span()
        if one["quoted"]:
            inner = one[0][1:-1]
            found.append(Token(inner.replace('""', '"') if one[0][0] == '"' else inner, start, at, quoted=True))
        elif one["open"]:
            at = len(text)
            found.append(Token(text[start + 1 :], start, at, quoted=True, shut=False))
        elif (ends := _RANGE.fullmatch(one[0])) is not None:
            first, last = (part for part in ends.groups() if part is not None)
            dash = start + len(first)
            found += [Token(first, start, dash), Token("–", dash, dash + 1), Token(last, dash + 1, at)]
        else:
            found.append(Token(one[0].casefold(), start, at))
    return found


def quoted(text: str) -> str:
    """A name as it stands in a sentence: in quotation marks where it would else be read otherwise."""
    parts = tokens(text)
    plain = text == " ".join(text.split()) and parts and not any(one.quoted or one.reserved for one in parts)
    if plain and not any(sign in text for sign in '"“”'):
        return text
    return '"' + text.replace('"', '""') + '"'
