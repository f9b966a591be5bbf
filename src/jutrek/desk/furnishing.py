"""What the demo's library has besides its files: a place, views, shelves, spots, marks, keywords, rights, jobs."""

from __future__ import annotations

import os
from dataclasses import replace
from functools import partial

from jutrek.desk.demo_jobs import furnish_jobs
from jutrek.disk import have_folder, inside
from jutrek.filing import HouseRules
from jutrek.filing.arrival import Saying
from jutrek.filing.rulebook import FILE, keep_rules
from jutrek.library import Library, add_place, known_places, new_library
from jutrek.library.fingerprint import quick
from jutrek.library.marks import HouseMark, keep_mark, marks_of
from jutrek.library.spots import name_spot, spots_of
from jutrek.views.kept import keep_view, kept_views
from jutrek.views.shelves import Thing, change, put_on, shelves_of
from jutrek.whereabouts import Spot
from jutrek.wording.listed import WORDS, keep_words
from jutrek.wording.tree import WordTree

_DEMO_VIEWS = (
    ("For the report", "marked R"), ("Best of the year", "rated at least 4 since 2025"),
    ("Nobody described them", "stills without keywords not in folder old desktop"),
)  # fmt: skip


_DEMO_SHELVES = {
    "Annual report": (
        "2025/08/20250805_104200.jpg", "2024/04/20240405_110500.jpg", "2025/07/20250718_093400.jpg",
        "2024/08/20240826_144400.jpg", "2025/04/20250409_152000.jpg",
    ),
    "Posters": ("2025/05/20250528_091300.jpg", "2024/09/20240928_173100.jpg", "2024/06/20240614_103300.jpg"),
    "For the bridge's day": ("2026/Bridge survey (from Ilvar)/picture 2.dng", "2025/06/20250615_100100.jpg"),
}  # fmt: skip
"""What stands on shelves, in an order that somebody gave it."""


_DEMO_SPOTS = (
    Spot("Lower depot", 39.42, 5.31, 900), Spot("Kettle viaduct", 39.441, 5.334, 700),
    Spot("Upper valley", 39.468, 5.372, 1500),
)  # fmt: skip


_DEMO_MARKS = (
    HouseMark("R", "for the report"), HouseMark("P", "not for the public", "rose"),
    HouseMark("B", "for the board in the depot", "lime"),
)  # fmt: skip


_DEMO_WORDS = """# What the volunteers call things. One keyword a line, indented under what it stands under.
Velmora line
    buildings
        depot = Lower depot
        viaduct = Kettle viaduct
    engines = engine
        No. 4 = the four
    track = rails
        track laying
work
    boiler test
    steam
    stonework
people
    volunteers
"""
_DEMO_SAYING = Saying(
    rights="© {year} Velmora line volunteers", usage="ask the depot first", contact="depot@velmora.example",
    words=("Velmora line", "{kind:lower}"),
)  # fmt: skip
"""What is said of all that comes home."""


def furnish(library: str, folder: str) -> None:
    """Give the demo's library a place in a folder, which is made, unless it has one; kept views, shelves, spots, marks,
    keywords, what is said of all that comes home; outlines, and jobs.

    Raises:
        LibraryTrouble: when that cannot be.
    """
    home = new_library(library)
    if not known_places(home):
        have_folder(folder)
        add_place(home, folder)
    if not kept_views(home)[0]:
        for name, said in _DEMO_VIEWS:
            keep_view(home, name, said, "Annual report")
    if not spots_of(home)[0]:
        for spot in _DEMO_SPOTS:
            name_spot(home, spot)
    if not marks_of(home)[0]:
        for mark in _DEMO_MARKS:
            keep_mark(home, mark)
    if not os.path.exists(home.tree.at(WORDS)):
        keep_words(home, WordTree(_DEMO_WORDS))
    if not os.path.exists(os.path.join(home.own, FILE)):
        keep_rules(home, replace(HouseRules(), saying=_DEMO_SAYING))
    if not shelves_of(home)[0]:
        for name, paths in _DEMO_SHELVES.items():
            things = [_thing(home, path) for path in paths if os.path.exists(os.path.join(library, path))]
            change(home, partial(put_on, name=name, things=things))
    furnish_jobs(home)


def _thing(home: Library, path: str) -> Thing:
    whole = home.tree.at(inside(path))
    return Thing(os.path.getsize(whole), quick(whole), path)
