"""A check every week, by a person's own systemd. What it does is `jutrek check --minutes 30`.

Follows systemd.timer(5) and systemd-escape(1).
"""

from __future__ import annotations

import os

from jutrek.desk.user_units import UserUnits
from jutrek.library import Library

SERVICE, TIMER = "jutrek-check@.service", "jutrek-check@.timer"


def keep_weekly(library: Library) -> bool:
    """Have a library checked every week.

    Returns:
        Whether the timer runs already; else it does from the person's next session on.

    Raises:
        NotPossible: when there is no systemd, or it refuses.
    """
    units = _units(library)
    timer = _timer_of(library, units)
    units.put((SERVICE, TIMER))
    return units.keep(timer)


def end_weekly(library: Library) -> None:
    """Have it checked no more. The units stay, since they may serve other libraries.

    Raises:
        NotPossible: when there is no systemd, or it refuses.
    """
    units = _units(library)
    units.end(_timer_of(library, units))


def is_weekly(library: Library) -> bool:
    """Whether it is checked every week."""
    units = _units(library)
    return os.path.lexists(os.path.join(units.folder, "timers.target.wants", _timer_of(library, units)))


def _units(library: Library) -> UserUnits:
    return UserUnits(library.root, "a weekly check", "timer")


def _timer_of(library: Library, units: UserUnits) -> str:
    return TIMER.replace("@", f"@{units.asked('systemd-escape', '--path', '--', library.root).strip()}")
