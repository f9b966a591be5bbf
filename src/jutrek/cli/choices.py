"""What is decided on the command line: clock fixes, descriptions, when a day starts, zones."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

import typer

from jutrek.captures import Change, Decisions, Device, Say, ShiftClock, TakeAsItIs
from jutrek.captures.decisions import BringAlong, Describe
from jutrek.desk.typed import clock_of, day_of, offset_of, shift_of
from jutrek.errors import NoSuchDevice
from jutrek.filing import HouseRules, RuleError, Structure, Undated
from jutrek.filing.facts import SAID
from jutrek.sources import Source


@dataclass(frozen=True, slots=True)
class Choices:
    """House rules, clock fixes (letter and seconds), descriptions (day and words), what the intake is for, whether
    what is no capture comes along, and whether pictures are compared by their looks."""

    rules: HouseRules
    fixes: tuple[tuple[str, float], ...] = ()
    described: tuple[tuple[date, str], ...] = ()
    said: tuple[tuple[str, str], ...] = ()
    along: bool = False
    looks: bool = False

    def decisions(self, devices: Mapping[str, Device], sources: Sequence[Source] = ()) -> Decisions:
        """The decisions that they make about an intake with these devices. Errors are those of `changes`."""
        decisions = Decisions()
        for change in self.changes(devices, sources):
            decisions = change.on(decisions)
        return decisions

    def changes(self, devices: Mapping[str, Device], sources: Sequence[Source] = ()) -> list[Change]:
        """The changes that they make, one by one.

        Raises:
            NoSuchDevice: for a letter that none bears.
        """
        letters = {device.letter: key for key, device in devices.items()}
        changes: list[Change] = []
        for letter, seconds in self.fixes:
            if letter not in letters:
                raise NoSuchDevice(letter, sorted(letters))
            key = letters[letter]
            changes.append(ShiftClock(key, seconds) if seconds else TakeAsItIs(frozenset(), key))
        changes += [Describe(day, None, words) for day, words in self.described]
        changes += [Say(dict(self.said))] if self.said else []
        changes += [BringAlong(frozenset(source.root for source in sources))] if self.along else []
        return changes


def parse_choices(
    house: HouseRules,
    *,
    fix_clock: Sequence[str] | None = None,
    describe: Sequence[str] | None = None,
    say: Sequence[str] | None = None,
    layout: str | None = None,
    name: str | None = None,
    day_starts: str | None = None,
    zone: str | None = None,
    journey: Sequence[str] | None = None,
    undated: Undated | None = None,
    structure: Structure | None = None,
    sidecars: bool | None = None,
    along: bool = False,
    looks: bool = False,
) -> Choices:
    """Read the options. What is not given is as the house has it.

    Raises:
        typer.BadParameter: for one that cannot be read.
    """
    given = {
        "layout": layout, "name": name, "undated": undated, "structure": structure, "sidecars": sidecars,
    }  # fmt: skip
    try:
        changed: dict[str, Any] = {key: value for key, value in given.items() if value is not None}
        if day_starts is not None:
            changed["day_starts"] = clock_of(day_starts)
        if zone is not None:
            changed["zone"] = offset_of(zone)
        if journey:
            changed["journeys"] = tuple(sorted(_journey(one) for one in journey))
        rules = replace(house, **changed)
        fixes = tuple(_letter_and_shift(one) for one in fix_clock or ())
        described = tuple(_day_and_words(one) for one in describe or ())
        said = tuple(_name_and_words(one) for one in say or ())
    except ValueError as error:
        field = f"{error.field}: " if isinstance(error, RuleError) else ""
        raise typer.BadParameter(f"{field}{error}") from error
    return Choices(rules, fixes, described, said, along, looks)


def _name_and_words(text: str) -> tuple[str, str]:
    name, sign, words = text.partition("=")
    if not sign or name.strip() not in SAID:
        raise ValueError(
            f"What an intake is for is said as one of {', '.join(SAID)}, such as job=26-014, not “{text}”."
        )
    return name.strip(), words.strip()


def _letter_and_shift(text: str) -> tuple[str, float]:
    letter, sign, shift = text.partition("=")
    if not sign:
        raise ValueError(f"A clock fix is a letter and a shift, such as B=+1:00:00, not “{text}”.")
    return letter.strip().upper(), shift_of(shift)


def _day_and_words(text: str) -> tuple[date, str]:
    day, _, words = text.partition("=")
    return day_of(day), words.strip()


def _journey(text: str) -> tuple[date, int]:
    day, _, offset = text.partition("=")
    return day_of(day), offset_of(offset)
