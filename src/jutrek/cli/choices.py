"""What is decided on the command line: clock fixes, descriptions, when a day starts, zones."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

import typer

from jutrek.captures import Capture, Change, Decisions, Device, Doubt, Say, ShiftClock, TakeAsItIs
from jutrek.captures.decisions import BringAlong, Describe, NameDevice
from jutrek.cli.telling import pointed_at
from jutrek.desk.typed import clock_of, day_of, keywords_of, offset_of, shift_of
from jutrek.errors import NoSuchDevice, NoSuchQuestion
from jutrek.filing import HouseRules, RuleError, Structure, Undated
from jutrek.filing.facts import SAID
from jutrek.sources import Source


@dataclass(frozen=True, slots=True)
class Choices:
    """House rules, clock fixes (letter and seconds), descriptions (day and words), what the intake is for, who
    carries devices (letter and person), whether
    what is no capture comes along, whether pictures are compared by their looks and recordings listened to, answers (a
    question's sign and the number of the answer), and what is taken as it is (letters of devices, and files)."""

    rules: HouseRules
    fixes: tuple[tuple[str, float], ...] = ()
    described: tuple[tuple[date, str], ...] = ()
    said: tuple[tuple[str, str], ...] = ()
    persons: tuple[tuple[str, str], ...] = ()
    along: bool = False
    looks: bool = False
    listen: bool = False
    answers: tuple[tuple[str, int], ...] = ()
    as_it_is: tuple[str, ...] = ()

    @property
    def says_nothing(self) -> bool:
        """Whether they decide nothing about captures, and ask for nothing but a plan."""
        return self == Choices(self.rules)

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
        for letter, who in self.persons:
            if letter not in letters:
                raise NoSuchDevice(letter, sorted(letters))
            changes.append(NameDevice(letters[letter], "", who))
        changes += [Describe(day, None, words) for day, words in self.described]
        changes += [Say(dict(self.said))] if self.said else []
        changes += [BringAlong(frozenset(source.root for source in sources))] if self.along else []
        return changes

    def answered(
        self, decisions: Decisions, doubts: Sequence[Doubt], captures: Sequence[Capture], devices: Mapping[str, Device]
    ) -> Decisions:
        """Decisions with the answers to open questions, and with what is taken as it is.

        Args:
            decisions: what was decided until now.
            doubts: the open questions.
            captures: of all sources.
            devices: by their keys.

        Raises:
            NoSuchQuestion: for a question that is not open, an answer that it does not have, or what is neither a
                device's letter nor a file of these sources.
        """
        open_ones = {doubt.sign: doubt for doubt in doubts}
        for sign, number in self.answers:
            doubt = open_ones.get(sign)
            if doubt is None:
                raise NoSuchQuestion(f"{sign}={number}", "no such question is open")
            if not 1 <= number <= len(doubt.answers):
                raise NoSuchQuestion(f"{sign}={number}", f"that question has the answers 1 to {len(doubt.answers)}")
            decisions = doubt.answers[number - 1].change.on(decisions)
        letters = {device.letter: key for key, device in devices.items()}
        for what in self.as_it_is:
            key = letters.get(what.upper(), "")
            path = os.path.abspath(what)
            ids = frozenset(one.id for one in captures if (one.device == key if key else one.id == path))
            if not ids:
                raise NoSuchQuestion(what, "it is neither the letter of a device nor a file of these sources")
            decisions = TakeAsItIs(ids, key).on(decisions)
        return decisions

    @property
    def answers_in_words(self) -> tuple[str, ...]:
        """The answers, as a journal tells them."""
        said = [f"the answer {sign}={number}" for sign, number in self.answers]
        return (*said, *(f"“right as it is”: {what}" for what in self.as_it_is))


def parse_choices(
    house: HouseRules,
    *,
    fix_clock: Sequence[str] | None = None,
    describe: Sequence[str] | None = None,
    say: Sequence[str] | None = None,
    person: Sequence[str] | None = None,
    keywords: str | None = None,
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
    listen: bool = False,
    answer: Sequence[str] | None = None,
    as_it_is: Sequence[str] | None = None,
) -> Choices:
    """Read the options. What is not given is as the house has it.

    Args:
        house: the house rules; each other argument is the option of its name.

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
        if keywords:
            words = (*house.saying.words, *keywords_of(keywords))
            changed["saying"] = replace(house.saying, words=words)
        rules = replace(house, **changed)
        fixes = tuple(_letter_and_shift(one) for one in fix_clock or ())
        described = tuple(_day_and_words(one) for one in describe or ())
        said = tuple(_name_and_words(one) for one in say or ())
        persons = tuple(_letter_and_person(one) for one in person or ())
        answers = tuple(_sign_and_number(one) for one in answer or ())
    except ValueError as error:
        if isinstance(error, RuleError):
            pointed = pointed_at(str(given.get(error.field) or ""), error.at)
            raise typer.BadParameter(f"{error.field}: {error}{pointed}") from error
        raise typer.BadParameter(str(error)) from error
    return Choices(rules, fixes, described, said, persons, along, looks, listen, answers, tuple(as_it_is or ()))


def _sign_and_number(text: str) -> tuple[str, int]:
    sign, equals, number = text.partition("=")
    if not equals or not number.strip().isdecimal():
        raise ValueError(f"An answer is a question's sign and a number, such as 3f2a1c=1, not “{text}”.")
    return sign.strip().lower(), int(number)


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


def _letter_and_person(text: str) -> tuple[str, str]:
    letter, sign, who = text.partition("=")
    if not sign:
        raise ValueError(f"Who carries a device is said with its letter, such as B=Ilva, not “{text}”.")
    return letter.strip().upper(), " ".join(who.split())


def _day_and_words(text: str) -> tuple[date, str]:
    day, _, words = text.partition("=")
    return day_of(day), words.strip()


def _journey(text: str) -> tuple[date, int]:
    day, _, offset = text.partition("=")
    return day_of(day), offset_of(offset)
