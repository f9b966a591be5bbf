"""Starting points: common ways to file, as layouts and names to go on from."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Start:
    """A way to file, under a few words that say how folders lie in one another."""

    words: str
    layout: str
    name: str = "{date}_{time}< {shoot}>"


STARTS: tuple[Start, ...] = (
    Start("Year / month", "{year}/{month}"),
    Start("Year / month / day", "{year}/{month}/{day}"),
    Start("Year / month / shoot", "{year}/{month} {month:name}/{day}< {shoot}>"),
    Start("Year / week", "{week-year}/W{week}"),
    Start("Kind, then date", "{kind}/{year}/{month}< {shoot}>", "{date}_{time}_{letter}"),
    Start("Day, then device", "{year}/{month}/{day}< {shoot}>/{letter} {device}", "{date}_{time}_{letter}"),
    Start("Day, then person", "{year}/{filed:%Y-%m-%d}< {shoot}></{operator}>"),
    Start("Place, then date", "<{place}/>{year}/{filed:%Y-%m-%d}< {shoot}>"),
    Start("Client, then job", "<{client}/><{job}/>{filed:%Y-%m-%d}< {shoot}>"),
    Start("Shoot and number", "{year}/{filed:%m-%d}< {shoot}>", "{filed}<_{shoot:slug}>_{counter:4}"),
)
