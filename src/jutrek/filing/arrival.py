"""What the house says of all that comes home, or of some of it: who made it, under which rights, and keywords.

Each text is a pattern (`jutrek.filing.pattern`) whose pieces are filled in: `© {year} {operator}`. What a file says
already stays: the house says only what it does not.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.filing.pattern import Optional, Pattern, Piece, parse
from jutrek.filing.pieces import KIND_WORDS, Setting, writer
from jutrek.whereabouts import NOWHERE
from jutrek.wording.own import own_of
from jutrek.wording.places import place_fields, place_words, says_place
from jutrek.wording.properties import Field
from jutrek.wording.spelling import key, tidied
from jutrek.wording.tree import LONGEST, WordTrouble, branch_text

if TYPE_CHECKING:
    from jutrek.filing.facts import Facts
    from jutrek.whereabouts import Location
    from jutrek.wording.tree import WordTree

KEYWORD = "keyword"
"""What a keyword is called among what is said of a row."""
TEXTS = ("creator", "rights", "usage", "credit", "source", "contact")
"""What can be said, beside keywords."""
_LONGEST = 2000
"""Signs of the longest text that is said of a capture."""


@dataclass(frozen=True, slots=True)
class Saying:
    """What is said of captures on arrival, each text a pattern; empty for nothing.

    Attributes:
        creator, rights, usage, credit, source: as the fields are called (`wording.properties.Field`).
        contact: how to reach who made it: an address of mail, a number, a page, a postal address; `;` between them.
        words: keywords.
        kinds, device, operator, job: of which captures it is said, by their kind, the device's letter, name or model,
            who carried it, the job; empty for all.
    """

    creator: str = ""
    rights: str = ""
    usage: str = ""
    credit: str = ""
    source: str = ""
    contact: str = ""
    words: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
    device: str = ""
    operator: str = ""
    job: str = ""

    def __bool__(self) -> bool:
        return any(text for _, text in self.texts())

    def texts(self) -> Iterator[tuple[str, str]]:
        """Its patterns, by the rules that they are."""
        for name in TEXTS:
            yield name, getattr(self, name)
        for word in self.words:
            yield "words", word

    def fits(self, facts: Facts, is_device: Callable[[str, Facts], bool]) -> bool:
        """Whether it is said of a capture; `is_device` tells whether its device is called so."""
        wording = facts.capture.primary.reading.wording
        job = facts.said.get("job", "") or (wording.job if wording else "")
        return (
            (not self.kinds or facts.capture.kind.value in self.kinds)
            and (not self.device or is_device(self.device.casefold(), facts))
            and (not self.operator or key(self.operator) == key(facts.operator))
            and (not self.job or key(self.job) == key(job))
        )

    @property
    def about(self) -> str:
        """Of what it is said, in words."""
        parts = [", ".join(KIND_WORDS.get(kind, kind).lower() for kind in self.kinds)] if self.kinds else []
        parts += [f"device {self.device}"] if self.device else []
        parts += [f"by {self.operator}"] if self.operator else []
        parts += [f"job {self.job}"] if self.job else []
        return " · ".join(parts) or "everything"


NOTHING_SAID = Saying()


def filled(text: str, facts: Facts, setting: Setting) -> str:
    """A pattern with its pieces filled in; empty where all its pieces are."""
    pattern = parse(text)
    values = [_value(part, facts, setting) for part in pattern.pieces()]
    if values and not any(values):
        return ""
    return tidied("".join(_part(part, facts, setting) for part in pattern.parts))[:_LONGEST]


def _part(part: str | Piece | Optional, facts: Facts, setting: Setting) -> str:
    if isinstance(part, str):
        return part
    if isinstance(part, Piece):
        return _value(part, facts, setting)
    values = [_value(one, facts, setting) for one in part.parts if isinstance(one, Piece)]
    return "".join(_part(one, facts, setting) for one in part.parts) if all(values) else ""


def _value(piece: Piece, facts: Facts, setting: Setting) -> str:
    return writer(piece.name, piece.form)(facts, setting)


def trouble_with_saying(text: str) -> tuple[int, str] | None:
    """What is wrong with a text that is said of what comes; None for nothing.

    Raises:
        PatternError: where it is no pattern.
    """
    pattern: Pattern = parse(text)
    return (0, "“counter” numbers files: it says nothing of a picture.") if pattern.uses("counter") else None


class Arrival:
    """What the house says of what comes in an intake."""

    def __init__(
        self, sayings: Sequence[Saying], tree: WordTree, setting: Setting, is_device: Callable[[str, Facts], bool]
    ) -> None:
        """
        Args:
            sayings: in their order; a later one's word holds where two say something of one field.
            tree: the house's keywords.
            setting: how pieces are written.
            is_device: whether the device of a capture is called so.
        """
        self._sayings, self._tree, self._setting, self._is_device = sayings, tree, setting, is_device

    def of(
        self, facts: Facts, more: Sequence[str] = (), location: Location = NOWHERE, *, as_words: bool = False
    ) -> tuple[tuple[str, str], ...]:
        """What is said of a capture: names of fields with what they say, and keywords with what they stand under.

        Args:
            facts: of the capture.
            more: keywords that a person said of it.
            location: where it was, by its position.
            as_words: whether that becomes keywords, too.
        """
        said: dict[str, str] = {}
        words = {key(word): self._branch(word) for word in more}
        for saying in self._sayings:
            if not saying.fits(facts, self._is_device):
                continue
            for name, text in saying.texts():
                value = filled(text, facts, self._setting) if text else ""
                if value and name == "words":
                    words.setdefault(key(value), self._branch(value))
                elif value and name == "contact":
                    said |= _contact(value)
                elif value:
                    said[name] = value
        own = own_of([one.reading.wording for one in facts.capture.files if one.reading.wording is not None])
        if not says_place(own.fields):
            said |= {field.word: value for field, value in place_fields(location).items()}
        if as_words:
            for branch in place_words(location, self._tree):
                words.setdefault(key(branch[-1]), branch_text(branch))
        if not said and not words:
            return ()
        for field, value in own.fields.items():
            said[field.word] = value
        for word in own.keywords:
            words.setdefault(key(word), word)
        return (*said.items(), *((KEYWORD, word) for word in words.values()))

    def _branch(self, word: str) -> str:
        """A keyword with what it stands under; by itself where the list has it twice, or not."""
        try:
            return branch_text(self._tree.meant(word[:LONGEST]))
        except WordTrouble:
            return word[:LONGEST]


def _contact(text: str) -> dict[str, str]:
    """How to reach somebody, by the fields that it goes into (IPTC Core, Creator's Contact Info)."""
    found: dict[str, str] = {}
    for part in filter(None, map(tidied, text.split(";"))):
        if "@" in part and " " not in part:
            field = Field.EMAIL
        elif part.casefold().startswith(("http://", "https://", "www.")):
            field = Field.WEB
        elif sum(sign.isdigit() for sign in part) >= 5 and not any(sign.isalpha() for sign in part):
            field = Field.PHONE
        else:
            field = Field.ADDRESS
        found[field.word] = f"{found[field.word]}, {part}" if field.word in found else part
    return found
