"""What an archive drive carries besides the files: the library's own pages and records, as they were last.

They lie under `DRIVE/.jutrek/library/`, as they lie under `LIBRARY/.jutrek/`. Who has lost the library copies that
folder to `.jutrek` of a new one: everything that is stored is known there again, and fetched.
"""

from __future__ import annotations

from contextlib import suppress

from jutrek.disk import Inside, Tree, own
from jutrek.errors import reason, shown
from jutrek.library import Library, Place
from jutrek.transfer.journal import FOLDER, journal_names

_CARRIED = own("library")
_PAGES = (".toml", ".json", ".jsonl")


def carry_pages(library: Library, drive: Place) -> list[str]:
    """Bring the pages on a drive up to date; records that are there whole are not copied again.

    Returns:
        A sentence where that failed; what is stored is safe all the same.
    """
    try:
        top = own("x").folder
        for name in library.tree.regular_names(top) if top is not None else ():
            if name.endswith(_PAGES) and not name.startswith("."):
                _copy(library.tree, own(name), drive.tree, _CARRIED.below(name))
        records = _CARRIED.below(FOLDER.name)
        drive.tree.make_folders(records)
        for name in journal_names(library):
            _copy(library.tree, FOLDER.below(name), drive.tree, records.below(name), grows=True)
    except OSError as error:
        return [f"The library's pages were not copied to {shown(drive.name)}: {reason(error)}."]
    return []


def _copy(here: Tree, page: Inside, there: Tree, to: Inside, *, grows: bool = False) -> None:
    """Copy a page. One that only grows is the same where it is as long."""
    if grows:
        with suppress(FileNotFoundError):
            if here.lstat(page).st_size == there.lstat(to).st_size:
                return
    with here.open_own(page) as file:
        data = file.read()
    there.make_folders(to.folder)
    there.write_own(to, data)
