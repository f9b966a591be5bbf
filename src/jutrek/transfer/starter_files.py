"""Putting a file beside an outline, from wherever a person has it: copied, read back, named; nothing is replaced."""

from __future__ import annotations

import os
import secrets
from typing import TYPE_CHECKING

from jutrek.disk import TEMPORARY, Outside, chosen
from jutrek.errors import NotPossible, reason, shown
from jutrek.transfer.across import copy
from jutrek.transfer.medium import aligned_buffer, open_regular, read_back

if TYPE_CHECKING:
    from jutrek.disk import Inside
    from jutrek.library import Library


def bring_starter(library: Library, folder: Inside, name: str, path: str) -> None:
    """Copy a file into the folder of an outline.

    Args:
        library: the library.
        folder: of the outline.
        name: that it gets there.
        path: of the file; a link is none.

    Raises:
        NotPossible: when it can't be copied, or one of its name is there.
    """
    tree = library.tree
    try:
        tree.make_folders(folder)
        new, temporary = folder.below(name), folder.below(f"{TEMPORARY}{secrets.token_hex(4)}.part")
        source, _ = open_regular(*chosen(path))
        try:
            full = copy(tree, source, temporary, None)
            if read_back(tree, temporary, aligned_buffer())[0] != full:
                raise NotPossible(path, "its copy read back differently; it is not put beside the outline")
            tree.give_name(temporary, new)
            tree.sync_folder(folder)
        finally:
            os.close(source)
            tree.remove_own(temporary)
    except FileExistsError as error:
        raise NotPossible(library.root, f"{shown(name)} lies beside the outline already") from error
    except (OSError, Outside) as error:
        why = reason(error) if isinstance(error, OSError) else str(error)
        raise NotPossible(path, f"it can't be put beside the outline: {why}") from error
