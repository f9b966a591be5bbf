"""A view laid out, as a face shows it."""

from __future__ import annotations

import os
from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from jutrek.desk.drives_shown import DriveState
from jutrek.library.marks import HouseMark
from jutrek.views.columns import Columns
from jutrek.views.conditions import Sort
from jutrek.views.laying import Apart, Groups, Laid
from jutrek.views.shelving import Stood

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from jutrek.views.folders import FolderTree


class View(NamedTuple):
    """A view as it is shown.

    Attributes:
        root: of the library.
        name: of the library.
        columns: of the library.
        tree: its folders.
        laid: the view laid out.
        rows: of its captures, in the order in which they are shown.
        groups: of these rows, as `views.laying.apart` gives them.
        apart: what stands apart in these groups; None where they are in the order of a shelf.
        names: what there is to be named in sentences.
        colours: of devices that have one, by what they are called.
        shelves: of the library, each with its captures.
        marks: of the house.
        folder_marks: the letters of folders that have a mark, by path.
        places: the root of the library, its backups and archive drives, as they are now.
        folder_drives: the ids of drives by the paths of folders of which everything is stored on one.
    """

    root: str
    name: str
    columns: Columns
    tree: FolderTree
    laid: Laid
    rows: NDArray[np.int64]
    groups: Groups
    apart: Apart | None
    names: dict[Sort, list[str]]
    colours: dict[str, int]
    shelves: tuple[Stood, ...] = ()
    marks: tuple[HouseMark, ...] = ()
    folder_marks: Mapping[str, str] = {}
    places: tuple[DriveState, ...] = ()
    folder_drives: Mapping[str, str] = {}

    @property
    def drives(self) -> tuple[DriveState, ...]:
        """The archive drives."""
        return tuple(one for one in self.places if one.place.archive)

    def whole(self, row: int) -> str:
        """The absolute path of a capture: on its drive where that is here, else where it lies in the root."""
        return os.path.join(self.top(row), self.columns.path(row))

    def kept_as(self, row: int) -> str:
        """Under which path a thumbnail of a capture was kept when it was stored; empty for one in the root."""
        return os.path.join(self.root, self.columns.path(row)) if self.columns.drive[row] else ""

    def top(self, row: int) -> str:
        """The folder that it lies in all the way up: its drive's, or the library's root."""
        drive = self.drive_of(row)
        return drive.place.root if drive is not None and drive.here else self.root

    def holds(self, path: str) -> bool:
        """Whether an absolute path is one in the library, or on one of its drives."""
        return any(path.startswith(top) for top in (self.root, *(one.place.root for one in self.drives if one.here)))

    def below(self, path: str) -> str:
        """The path in the library of what lies at an absolute one."""
        for top in (*(one.place.root for one in self.drives if one.here), self.root):
            if path.startswith(f"{top.rstrip('/')}/"):
                return os.path.relpath(path, top)
        return path

    def drive_of(self, row: int) -> DriveState | None:
        """The archive drive that a capture is stored on; None for the root."""
        return self.drive(self.columns.drive_of(row))

    def drive(self, id_: str) -> DriveState | None:
        """An archive drive by its id; None where there is none."""
        return next((one for one in self.drives if one.place.id == id_), None)

    def lies(self, row: int) -> str:
        """Where a capture lies that is stored, and whether that is here: `on Heron, away`; empty for the root."""
        id_, drive = self.columns.drive_of(row), self.drive_of(row)
        if not id_:
            return ""
        return drive.words if drive is not None else "on a drive that is known no more"

    def mark_of(self, folder: str) -> str:
        """The letter of a folder's mark; empty where it has none."""
        return self.folder_marks.get(folder, "")
