"""Outlines that tests start jobs by."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from jutrek.desk.jobs import Said, start_of
from jutrek.filing import HouseRules
from jutrek.library import Library
from jutrek.transfer.starting import Start

FILM = """\
about: A film of one day
blank: client : needed : one of VLT or MUS
blank: title : up to 40 signs
jobs/{year}/{job} {client} {title}
    1 raw : captures by {device} : called raw
    2 work
        {job}_{title:slug}_v01.otio : from start.otio
        drone : if wished
            maps
        music : unless left out
    {job} notes.md : from notes.md
"""
DAY = date(2026, 11, 28)


def keep(library: Library, text: str = FILM, name: str = "Film", **starters: bytes) -> None:
    """Put an outline into a library as an editor would, with the two starters of `FILM` or with others."""
    folder = Path(library.root) / ".jutrek/outlines" / name
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "outline.txt").write_text(text)
    known = {"start_otio": b'{"name": "{jutrek title}"}', "notes_md": b"# {jutrek job}\n"}
    for starter, data in (starters or known).items():
        (folder / starter.replace("_", ".")).write_bytes(data)


def start(library: Library, title: str = "Boiler test", *, outline: str = "Film", into: bool = False,
          with_: frozenset[str] = frozenset(), **more: str) -> Start:  # fmt: skip
    """A start by an outline."""
    said = Said(outline, {"client": "VLT", "title": title, **more}, with_, day=DAY, into=into)
    return start_of(library, said, HouseRules())
