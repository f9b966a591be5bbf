"""What players need to find clips by: it is known by sight, and is no capture of its own."""

from __future__ import annotations

from jutrek.formats.draft import Draft
from jutrek.formats.span import Span


def read(_: Span, draft: Draft) -> None:
    """Say what it is."""
    draft.note("It tells players where clips are, and holds no picture, clip or sound itself.")
