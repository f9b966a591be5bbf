"""Blanks of an outline: what each may hold, and what is wrong with what was filled in."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from jutrek.words import counted

JOB, CLIENT, TITLE, OPERATOR = "job", "client", "title", "operator"
USUAL = (CLIENT, TITLE, OPERATOR)
"""Blanks that every outline has without writing them down; `job` is filled by the next free number."""
LONGEST = 120
"""Signs of the longest text that a blank takes."""
_SIGNS = re.compile(r"(?:(up to) )?(\d{1,3}) signs?", re.ASCII)


@dataclass(frozen=True, slots=True)
class Blank:
    """A blank.

    Attributes:
        name: as patterns call it.
        needed: whether it has to be filled.
        choices: what may be filled in, each with what it stands for; anything where there are none.
        choices_from: the list of the house that the choices stand in; empty for none.
        only: `digits`, `letters`, or empty for any signs.
        least, most: how many signs.
        usual: what stands in it unless somebody writes something else.
    """

    name: str
    needed: bool = False
    choices: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    choices_from: str = ""
    only: str = ""
    least: int = 0
    most: int = LONGEST
    usual: str = ""

    def trouble_with(self, text: str) -> str:
        """What is wrong with a text that was filled in, as a sentence; empty where nothing is."""
        if not text:
            return f"“{self.name}” has to be filled in." if self.needed else ""
        if not text.isprintable():
            return f"“{self.name}” holds a sign that can't be printed."
        if self.choices and text not in self.choices:
            return f"“{text}” is none of the choices for “{self.name}”: {_some(list(self.choices))}."
        if self.only and not (_DIGITS if self.only == "digits" else _LETTERS).fullmatch(text):
            return f"“{self.name}” takes {self.only} only."
        if len(text) > self.most or len(text) < self.least:
            if self.least == self.most:
                return f"“{self.name}” takes just {counted(self.most, 'sign')}; “{text}” has {len(text)}."
            return f"“{self.name}” takes up to {self.most} signs; “{text[:40]}” has {len(text)}."
        return ""

    def meant(self, text: str) -> str:
        """What is meant by a text: of choices, also what one stands for, or other case, means the choice."""
        text = " ".join(text.split())
        if not self.choices or text in self.choices:
            return text
        plain = text.casefold()
        known = [one for one, whole in self.choices.items() if plain in (one.casefold(), whole.casefold())]
        return known[0] if len(known) == 1 else text


_DIGITS = re.compile(r"[0-9]+")
_LETTERS = re.compile(r"[^\W\d_]+")


def _some(names: list[str]) -> str:
    return ", ".join(names[:12]) + (f" and {len(names) - 12} more" if len(names) > 12 else "")


class BlankTrouble(ValueError):
    """A property of a blank that is none; its text says what is wrong."""


def blank_of(name: str, properties: list[str]) -> Blank:
    """A blank from its name and its properties, such as `needed`, `from clients`, `up to 40 signs`.

    Raises:
        BlankTrouble: at the first property that is none.
    """
    said: dict[str, object] = {}
    for one in properties:
        word, _, rest = one.partition(" ")
        if one == "needed":
            said["needed"] = True
        elif one in ("digits", "letters"):
            said["only"] = one
        elif found := _SIGNS.fullmatch(one):
            most = int(found[2])
            if not 1 <= most <= LONGEST:
                raise BlankTrouble(f"a blank takes from 1 to {LONGEST} signs.")
            said |= {"least": 0 if found[1] else most, "most": most}
        elif word == "from" and rest.strip():
            said["choices_from"] = rest.strip()
        elif one.startswith("one of "):
            said["choices"] = {choice.strip(): "" for choice in one[7:].split(" or ") if choice.strip()}
        elif word == "usually" and rest.strip():
            said["usual"] = rest.strip()
        else:
            raise BlankTrouble(f"a blank can't be “{one}”; it can be: {PROPERTIES}.")
    return Blank(name, **said)  # type: ignore[arg-type]


PROPERTIES = "needed, digits, letters, 3 signs, up to 40 signs, one of A or B, from clients, usually A"
