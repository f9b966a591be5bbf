"""Everything that changes a disk, behind one door: a `Tree`, and an `Inside` that was checked. See `tree`."""

from jutrek.disk.appending import append_line
from jutrek.disk.calls import reserve
from jutrek.disk.held import Held
from jutrek.disk.inside import (
    HASH_LISTS,
    OWN_FOLDER,
    PUT_AWAY,
    TEMPORARY,
    Inside,
    Outside,
    Realm,
    folded,
    inside,
    is_put_away,
    own,
    put_away,
)
from jutrek.disk.patience import patiently
from jutrek.disk.stamp import FileStamp
from jutrek.disk.tree import Tree, chosen, have_folder

__all__ = [
    "HASH_LISTS",
    "OWN_FOLDER",
    "PUT_AWAY",
    "TEMPORARY",
    "FileStamp",
    "Held",
    "Inside",
    "Outside",
    "Realm",
    "Tree",
    "append_line",
    "chosen",
    "folded",
    "have_folder",
    "inside",
    "is_put_away",
    "own",
    "patiently",
    "put_away",
    "reserve",
]
