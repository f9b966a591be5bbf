"""The house's zone with its journeys: which offset from UTC held when."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta, tzinfo


class Journeys(tzinfo):
    """A zone of fixed offsets, each from a day on. Before the first journey the house's own offset holds."""

    def __init__(self, home: int | None, journeys: Sequence[tuple[date, int]]) -> None:
        """
        Args:
            home: the house's offset in minutes; None is this machine's zone.
            journeys: days, each with the offset in minutes that holds from its midnight (local) on, ordered.
        """
        self._home = home
        self._journeys = tuple(sorted(journeys))

    def utcoffset(self, when: datetime | None) -> timedelta | None:
        """The offset at a local time."""
        if when is None:
            return None
        local = when.replace(tzinfo=None)
        minutes = self._home
        for day, offset in self._journeys:
            if local >= datetime(day.year, day.month, day.day):
                minutes = offset
        return local.astimezone().utcoffset() if minutes is None else timedelta(minutes=minutes)

    def dst(self, when: datetime | None) -> timedelta | None:
        """Not told."""
        return None

    def tzname(self, when: datetime | None) -> str | None:
        """Not named."""
        return None

    def fromutc(self, when: datetime) -> datetime:
        """Local time of a UTC time."""
        utc = when.replace(tzinfo=None)
        minutes = self._home
        for day, offset in self._journeys:
            if utc + timedelta(minutes=offset) >= datetime(day.year, day.month, day.day):
                minutes = offset
        machine = utc.replace(tzinfo=UTC).astimezone().utcoffset() or timedelta(0)
        return (utc + (machine if minutes is None else timedelta(minutes=minutes))).replace(tzinfo=self)
