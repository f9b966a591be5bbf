"""What was found once to be there already in another way waits until a person decides: it is not forgotten.

A source that was pulled, an error, a restart, a library whose new files were not looked at yet: each keeps a comparison
from finding again what was found before. Then the earlier finding holds, as long as the file is the same, and its equal
is still there.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING

from jutrek.doubles.comparing import NEW, Comparison, Standing
from jutrek.library.home import Waits
from jutrek.sources import SourceFile

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

OTHERWISE = frozenset({Standing.RETAGGED, Standing.REENCODED, Standing.ALIKE})
"""Standings of what is there already in another way."""
SEEN = frozenset({Standing.REENCODED, Standing.ALIKE})
"""Those of them that are told by looks."""


def remembered(
    files: Iterable[SourceFile], standings: Mapping[str, Comparison], ledger: Ledger
) -> dict[str, Comparison]:
    """Standings with what was found before, where nothing is found now; what is found now is kept.

    Args:
        files: those that the standings are of.
    """
    known = ledger.waiting.all()
    found: dict[str, Waits] = {}
    over: list[str] = []
    lasting: dict[str, Comparison] = {}
    by_path = {file.path: file for file in files}
    equals = {one.equal for path, one in known.items() if path in by_path and not os.path.isabs(one.equal)}
    at_home = ledger.of_paths(equals).keys()
    for path, file in by_path.items():
        stands = standings.get(path, NEW)
        if stands.standing in OTHERWISE:
            found[path] = Waits(file.size, file.mtime_ns, stands.standing.value, stands.equal, stands.better)
        elif (before := known.get(path)) is not None:
            same = (before.size, before.mtime_ns) == (file.size, file.mtime_ns)
            if stands.standing is Standing.NEW and same and (os.path.isabs(before.equal) or before.equal in at_home):
                lasting[path] = Comparison(Standing(before.standing), before.equal, before.better)
            else:
                over.append(path)
    new = {path: one for path, one in found.items() if known.get(path) != one}
    if new or over:
        ledger.waiting.put(new, over)
    return {**standings, **lasting}


def decide_anew(paths: Iterable[str], ledger: Ledger) -> None:
    """Forget what was found of files: they were compared as a whole just now, and nothing was found."""
    ledger.waiting.put({}, paths)
