"""Dragging captures onto shoots."""

from __future__ import annotations

CAPTURES = "application/x-jutrek-captures"
"""Captures that are dragged: their ids, parted by zeros."""
