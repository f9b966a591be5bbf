"""Every kind of run, cut before and after each line of its record: what the next start makes of each of these states.

`cut_anywhere.txt` was read and found right: beside what each state is, it holds what recovering told and changed.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import pytest

from jutrek.library import Library, Place, open_library
from jutrek.library.ledger import Ledger
from jutrek.transfer import recover, running
from jutrek.transfer.journal import Journal
from tests.told import as_told
from tests.transfer.test_chronicle import Chronicle, everything, shoot


class Cuts(Chronicle):
    """Copies of all that is on disk, at every line, each with the act that it belongs to."""

    def __init__(self, library: Library, ledger: Ledger, top: Path, aside: Path) -> None:
        super().__init__(library, ledger, top)
        self._aside, self._taken, self.cuts = aside, 0, list[tuple[str, Path]]()
        self._told: list[str] = []

    def take(self, when: str) -> None:
        """Copy everything as it is."""
        to = self._aside / str(len(self.cuts))
        shutil.copytree(self.top, to, copy_function=shutil.copy2)
        self.cuts.append((when, to))

    def act(self, what: str, told: object) -> None:
        """All cuts since the act before were of this one."""
        for number in range(self._taken, len(self.cuts)):
            when, to = self.cuts[number]
            self.cuts[number] = (f"{what}, {when}", to)
        self._taken = len(self.cuts)

    def recovered(self, cut: Path) -> None:
        """Go back to a cut, start from there, and take down what that told and changed."""
        os.rename(self.top, f"{cut}.later")
        os.rename(cut, self.top)
        library = open_library(self.library.root)
        with Ledger(library.ledger_path) as self.ledger:
            self._before = self._plain(self._known())
            before, self.lines = self.lines, []
            super().act("", "\n".join(str(one) for one in recover(library, self.ledger)))
            told = [line for line in self.lines if not line.startswith(("== ", "N"))]
            self.lines = [*before, *(["as from the cut before"] if told == self._told else told)]
            self._told = told


def test_every_state_is_recovered_from_as_it_was(
    library: Library, ledger: Ledger, card: Path, tarn: Place, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Word by word, with one lane, so that files come in order."""
    monkeypatch.setattr(running, "LANES", 1)
    monkeypatch.setattr(running, "IN_FLIGHT", 1)
    shoot(card)
    cuts = Cuts(library, ledger, tmp_path, tmp_path.with_name("cuts"))
    appended = Journal._append

    def append(journal: Journal, entries: Sequence[Mapping[str, Any]], before: bytes = b"") -> None:
        told = ", ".join(dict.fromkeys(str(entry["entry"]) for entry in entries))
        if told:
            cuts.take(f"before {told}")
        appended(journal, entries, before)
        if told:
            cuts.take(f"after {told}")

    with monkeypatch.context() as patched:
        patched.setattr(Journal, "_append", append)
        everything(library, ledger, card, tarn, cuts)
    ledger.close()
    for when, cut in cuts.cuts:
        cuts.lines.append(f"==== {when}")
        cuts.recovered(cut)
    as_told(Path(__file__).with_name("cut_anywhere.txt"), cuts.lines)
