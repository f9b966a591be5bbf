"""What is the matter with a simulated medium: a page of JSON that is read anew whenever it changes."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, fields


@dataclass(frozen=True, slots=True)
class Faults:
    """Faults of a medium. Paths begin with a slash, at the top of the medium; a star stands for every file.

    Attributes:
        read_speed: bytes a second that reading gives at most; 0 for as fast as it goes.
        read_error: for a file, the first and the last byte whose reading fails (EIO).
        flips: for a file, the byte in which a bit is read wrong.
        lies: how many times a flip is read wrong before it reads right; 0 is always.
        write_error, sync_error, rename_error, close_error: which error number writing, syncing, renaming or closing
            gives; 0 for none.
        room: bytes that may be written in all before there is no room (ENOSPC); -1 for as many as fit.
        loses_writes: writes are said to have happened, and did not.
        pulled_after: bytes that may be read in all before it is gone (ENODEV); -1 for any number.
        hangs: nothing is answered until that is over.
        gone: which error number everything gives from now on, as a pulled card does; 0 for none.
    """

    read_speed: int = 0
    read_error: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    flips: Mapping[str, int] = field(default_factory=dict)
    lies: int = 0
    write_error: int = 0
    sync_error: int = 0
    rename_error: int = 0
    close_error: int = 0
    room: int = -1
    loses_writes: bool = False
    pulled_after: int = -1
    gone: int = 0
    hangs: bool = False

    def keep(self, path: str) -> None:
        """Write them to a control page, which the medium notices at its next call."""
        temporary = f"{path}.new"
        with open(temporary, "w", encoding="utf-8") as file:
            json.dump(asdict(self), file)
        os.replace(temporary, path)


def faults_at(path: str) -> Faults:
    """The faults of a control page. What it does not tell is as usual; no page is no fault."""
    try:
        with open(path, encoding="utf-8") as file:
            page = json.load(file)
    except (OSError, ValueError):
        return Faults()
    names = {one.name for one in fields(Faults)}
    known = {name: value for name, value in page.items() if name in names}
    known["read_error"] = {name: (int(a), int(b)) for name, (a, b) in known.get("read_error", {}).items()}
    return Faults(**known)
