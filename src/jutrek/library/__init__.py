"""The library: its identity, its ledger, and the survey that keeps the two and the disk together."""

from jutrek.library.identity import OWN_FOLDER, Library, apart, open_library
from jutrek.library.ledger import HomeFile, Ledger
from jutrek.library.survey import Survey, survey

__all__ = ["OWN_FOLDER", "HomeFile", "Ledger", "Library", "Survey", "apart", "open_library", "survey"]
