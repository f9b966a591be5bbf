"""What devices write beside a clip: clip data, camcorders' `.MOI`, thumbnails with Exif, drones' subtitles.

Only names that such devices give are looked for, and what is found is told by its content like any other file.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable

from jutrek.errors import SourceUnreadable
from jutrek.formats.draft import Draft


def read_beside(path: str, draft: Draft, endings: Iterable[str], read_one: Callable[[str], Draft]) -> None:
    """Add what the files beside a clip claim, each with the name of the file that it stands in.

    Args:
        path: of the clip.
        draft: what it says itself.
        endings: what is put in the place of its extension.
        read_one: reads one file's content into a draft of its own.
    """
    stem = os.path.splitext(path)[0]
    for ending in endings:
        other = stem + ending
        if other == path or not os.access(other, os.F_OK):
            continue
        try:
            found = read_one(other)
        except SourceUnreadable:
            continue
        name = os.path.basename(other)
        for claim in found.claims:
            draft.claims.append(claim._replace(where=f"{claim.where}, in {name} beside it"))
        draft.made_by(found.make, found.model, found.serial)
        draft.lens = draft.lens or found.lens
        draft.position = draft.position or found.position
        for tie in found.ties:
            draft.tie(tie.kind, tie.value)
