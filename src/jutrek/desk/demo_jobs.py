"""The outlines and jobs of the demo's library."""

from __future__ import annotations

import threading
from collections.abc import Mapping
from datetime import date
from types import MappingProxyType

from jutrek.demo.job_pictures import WORK, pictures
from jutrek.disk import inside
from jutrek.jobs.filling import Filled
from jutrek.jobs.making import Wish
from jutrek.jobs.numbers import series_on
from jutrek.jobs.shelf import FOLDER, keep_outline, number_pattern, outline_names, outline_of
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.transfer.starting import Start, start_job

_FILM = """\
# How we cut what was filmed on one day on the line.
about: A film of one day
blank: client : needed : from clients
blank: title : up to 40 signs
blank: operator : letters : up to 4 signs

jobs/{year}/{job} {client} {title}
    1 raw : captures by {device} : called raw
        sound
    2 work
        {job}_{title:slug}_{operator:upper}_v01.otio : from start.otio
        graphics
        music
        drone : if wished
    3 drafts
    4 handed over
    {job} notes.md : from notes.md
"""
_PRINT = """\
# Posters, boards and leaflets.
about: Something that is printed
blank: client : needed : from clients
blank: title : up to 40 signs
blank: size : one of A4 or A3 or A2 : usually A3

jobs/{year}/{job} {client} {title}
    pictures : captures by {year}-{month}
    layout
        {job}_{title:slug}_{size}_v01.svg : from sheet.svg
    to the printer : if wished
    {job} notes.md : from notes.md
"""
_NOTES = "# {jutrek job} {jutrek title}\n\nFor {jutrek client}, begun on {jutrek date:%d.%m.%Y}.\n"
_START = '{\n  "name": "{jutrek title}",\n  "job": "{jutrek job}",\n  "tracks": []\n}\n'
_SHEET = (
    '<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 297 420">\n'
    "  <title>{jutrek title}</title>\n</svg>\n"
)
_OUTLINES: Mapping[str, tuple[str, Mapping[str, str]]] = MappingProxyType({
    "Film of a day": (_FILM, {"start.otio": _START, "notes.md": _NOTES}),
    "Print": (_PRINT, {"sheet.svg": _SHEET, "notes.md": _NOTES}),
})  # fmt: skip
_LISTS = {
    "clients.txt": "VLT = Velmora line trust\nMUS = Museum of the valley\nBRG = Bridge office\n",
    "series.txt": "# How the numbers of a series are written, and where they begin.\njobs = {counter:4 from 115}\n",
}
_JOBS = (
    ("VLT", "Rail unloading", "RK", date(2026, 9, 8)), ("MUS", "Opening day", "LM", date(2026, 10, 4)),
    ("VLT", "Winter depot", "RK", date(2026, 11, 14)),
)  # fmt: skip


def furnish_jobs(home: Library) -> None:
    """Give a library that has no outline those of the demo, and three jobs that were started by them.

    Raises:
        LibraryTrouble: when that cannot be.
    """
    if outline_names(home):
        return
    for name, (text, starters) in _OUTLINES.items():
        keep_outline(home, name, text)
        for starter, held in starters.items():
            home.tree.write_own(FOLDER.below(name, starter), held.encode())
    for name, text in _LISTS.items():
        home.tree.write_own(FOLDER.below(name), text.encode())
    outline = outline_of(home, "Film of a day").ready(home)
    with Ledger(home.ledger_path) as ledger:
        for client, title, operator, day in _JOBS:
            filled = Filled({"client": client, "title": title, "operator": operator}, day)
            series = series_on(outline.series, number_pattern(home, outline.series), day)
            start = Start("Film of a day", outline, Wish(filled), series)
            placed = start_job(home, ledger, start, stop=threading.Event()).placed
            _fill(home, placed.folder, placed.landing or placed.folder, placed.job.number)


def _fill(home: Library, folder: str, landing: str, number: str) -> None:
    """Put into the folder of a job what was made since."""
    raw = inside(f"{landing}/Arlen M2")
    home.tree.make_folders(raw)
    for name, data in pictures(number):
        home.tree.write_new(raw.below(name), data)
    for path in WORK[number]:
        home.tree.write_new(inside(f"{folder}/{path}"), f"{path}\n".encode())
