"""The library: its identity, its ledger, and the survey that keeps the two and the disk together.

The ledger is imported from `jutrek.library.ledger` where it is opened: SQLAlchemy takes longer to import than a window
takes to appear.
"""

from jutrek.disk import HASH_LISTS, OWN_FOLDER
from jutrek.library.devicelist import keep_devices, known_devices
from jutrek.library.home import NOT_FILED, Filed, GivenNumber, HomeFile, ProofMark, State
from jutrek.library.identity import Library, is_library, new_library, open_library
from jutrek.library.numbers import give_back_numbers, keep_numbers, numbers_given, set_number
from jutrek.library.places import (
    LIBRARY,
    Place,
    add_drive,
    add_place,
    apart,
    as_place,
    connected,
    drives_here,
    forget_drive,
    forget_place,
    keep_drive,
    known_drives,
    known_places,
)
from jutrek.library.roots import notice_roots
from jutrek.library.survey import Survey, survey

__all__ = [
    "HASH_LISTS",
    "LIBRARY",
    "NOT_FILED",
    "OWN_FOLDER",
    "Filed",
    "GivenNumber",
    "HomeFile",
    "Library",
    "Place",
    "ProofMark",
    "State",
    "Survey",
    "add_drive",
    "add_place",
    "apart",
    "as_place",
    "connected",
    "drives_here",
    "forget_drive",
    "forget_place",
    "give_back_numbers",
    "is_library",
    "keep_devices",
    "keep_drive",
    "keep_numbers",
    "known_devices",
    "known_drives",
    "known_places",
    "new_library",
    "notice_roots",
    "numbers_given",
    "open_library",
    "set_number",
    "survey",
]
