"""Watching inboxes whenever the person is there, by their own systemd. What it does is `jutrek watch`."""

from __future__ import annotations

import os

from jutrek.desk.user_units import UserUnits

SERVICE = "jutrek-watch.service"


def keep_watching() -> bool:
    """Have the person's inboxes watched.

    Returns:
        Whether they are already; else they are from the next session on.

    Raises:
        NotPossible: when there is no systemd, or it refuses.
    """
    units = _units()
    units.put((SERVICE,))
    return units.keep(SERVICE)


def end_watching() -> None:
    """Have them watched no more. Raises as `keep_watching`."""
    _units().end(SERVICE)


def is_watching() -> bool:
    """Whether they are watched in every session."""
    return os.path.lexists(os.path.join(_units().folder, "default.target.wants", SERVICE))


def _units() -> UserUnits:
    return UserUnits("jutrek watch", "watching inboxes", "service")
