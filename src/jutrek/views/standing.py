"""How a capture stands, in one word: what presses most."""

from __future__ import annotations

from collections.abc import Collection

from jutrek.views.conditions import State

_PRESSING = (
    State.GONE, State.ASIDE, State.DAMAGED, State.CHANGED, State.DOUBLED, State.UNFILED, State.MOVED,
)  # fmt: skip


def standing_of(states: Collection[State]) -> str:
    """What presses most of a capture's states; `home` where nothing does."""
    return next((one.value for one in _PRESSING if one in states), "home")
