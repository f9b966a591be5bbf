"""Doubles: files known by content, whatever they are called."""

from jutrek.doubles.standing import NEW, Standing, Stands, judge
from jutrek.library.fingerprint import full, quick

__all__ = ["NEW", "Standing", "Stands", "full", "judge", "quick"]
