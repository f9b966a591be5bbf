"""Doubles: files known by content, whatever they are called."""

from jutrek.doubles.comparing import NEW, Comparison, Standing, compare, pictures_of
from jutrek.library.fingerprint import full, quick

__all__ = ["NEW", "Comparison", "Standing", "compare", "full", "pictures_of", "quick"]
