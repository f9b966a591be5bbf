"""What is decided on the command line: clock fixes, descriptions, when a day starts, zones."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import typer

from jutrek.captures import Change, Decisions, Device, ShiftClock, TakeAsItIs
from jutrek.captures.decisions import Describe
from jutrek.desk.typed import clock_of, day_of, offset_of, shift_of
from jutrek.errors import NoSuchDevice
from jutrek.filing import HouseRules, Structure, Undated


@dataclass(frozen=True, slots=True)
class Choices:
    """House rules, clock fixes (letter and seconds), and descriptions (day and words)."""

    rules: HouseRules
    fixes: tuple[tuple[str, float], ...] = ()
    described: tuple[tuple[date, str], ...] = ()

    def decisions(self, devices: Mapping[str, Device]) -> Decisions:
        """The decisions that they make about an intake with these devices.

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
        decisions = Decisions()
        for change in changes:
            decisions = change.on(decisions)
        return decisions


def parse_choices(
    *,
    fix_clock: Sequence[str] | None,
    describe: Sequence[str] | None,
    day_starts: str,
    zone: str | None,
    journey: Sequence[str] | None,
    undated: Undated,
    structure: Structure,
    sidecars: bool,
) -> Choices:
    """Read the options.

    Raises:
        typer.BadParameter: for one that cannot be read.
    """
    try:
        rules = HouseRules(
            undated=undated,
            day_starts=clock_of(day_starts),
            zone=offset_of(zone) if zone else None,
            journeys=tuple(sorted(_journey(one) for one in journey or ())),
            structure=structure,
            sidecars=sidecars,
        )
        fixes = tuple(_letter_and_shift(one) for one in fix_clock or ())
        described = tuple(_day_and_words(one) for one in describe or ())
    except ValueError as error:
        raise typer.BadParameter(str(error)) from error
    return Choices(rules, fixes, described)


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
