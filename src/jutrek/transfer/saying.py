"""Saying anew what captures at home are: their shoot, place, person, job, client and title.

Nothing on the disk moves. What is said is written into the journal, with what was said before, and then into the
ledger; a re-filing follows it. It can be taken back as any run.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from jutrek.errors import NotPossible, shown
from jutrek.filing.facts import PLACE_SIGN, words_and_place
from jutrek.filing.names import TAIL, same_name, stem_of
from jutrek.library import Filed, Library
from jutrek.library.catalogue import Catalogue, Narrowed
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.run_log import RunLog, with_said
from jutrek.transfer.taking_back import followed

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


@dataclass(frozen=True, slots=True)
class Words:
    """What is said; None leaves it as it is, no words take it away."""

    shoot: str | None = None
    place: str | None = None
    person: str | None = None
    job: str | None = None
    client: str | None = None
    title: str | None = None

    def on(self, filed: Filed) -> Filed:
        """By what a file is filed afterwards."""
        words, place = words_and_place(filed.shoot)
        said = dict(filed.said)
        if self.shoot is not None:
            words, new = words_and_place(_clean(self.shoot))
            place = new or place
        if self.place is not None:
            place = _clean(self.place)
            said.pop("place", None)
        for name in ("job", "client", "title"):
            if (value := getattr(self, name)) is not None:
                said[name] = _clean(value)
        return filed._replace(
            shoot=f"{words}{PLACE_SIGN}{place}" if place else words,
            operator=filed.operator if self.person is None else _clean(self.person),
            said=tuple(sorted((name, value) for name, value in said.items() if value)),
        )


def _clean(text: str) -> str:
    return " ".join(text.split())


def say(library: Library, ledger: Ledger, paths: Sequence[str], words: Words) -> int:
    """Say something of files of a library, and of what belongs to their captures.

    Args:
        paths: files and folders, relative to the library.

    Returns:
        How many files it is new for.

    Raises:
        NotPossible: for a path at which nothing lies that Jutrek filed.
        LibraryBusy: when another Jutrek is at work in the library.
    """
    with locked(library):
        filed = _meant(library, ledger.catalogue, paths)
        return _tell(library, ledger, filed, {path: words.on(one) for path, one in filed.items()}, {})


def say_back(library: Library, ledger: Ledger, run_log: RunLog) -> tuple[int, list[str]]:
    """Take back what a run said. Returns how many files that is new for, and sentences about the others.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
    """
    with locked(library):
        return _say_back(library, ledger, run_log)


def _say_back(library: Library, ledger: Ledger, run_log: RunLog) -> tuple[int, list[str]]:
    lines = {str(one["path"]): one for one in run_log.others if one["entry"] == "said"}
    now = followed(library, run_log.run, lines)
    filed = ledger.catalogue.filed_at(now.values())
    wanted: dict[str, Filed] = {}
    left = []
    for path, line in lines.items():
        own = filed.get(now[path])
        if own is None:
            left.append(f"{shown(now[path])} is gone.")
        elif own != with_said(own, line["now"]):
            left.append(f"Of {shown(now[path])} something else was said since.")
        else:
            wanted[now[path]] = with_said(own, line["was"])
    return _tell(library, ledger, filed, wanted, {"takes_back": run_log.run}), left


def heed(ledger: Ledger, run_log: RunLog) -> None:
    """Let the ledger follow what a run said that did not end."""
    lines = [(str(one["path"]), one) for one in run_log.others if one["entry"] == "said"]
    filed = ledger.catalogue.filed_at(path for path, _ in lines)
    ledger.put_filed((path, with_said(filed[path], line["now"])) for path, line in lines if path in filed)


def _meant(library: Library, catalogue: Catalogue, paths: Sequence[str]) -> dict[str, Filed]:
    """The files that some paths mean, with all that belongs to their captures, and by what they were filed."""
    known = catalogue.filed_at(paths)
    named: dict[str, None] = {}
    for wanted in paths:
        inside = [wanted] if wanted in known else _below(catalogue, wanted)
        if not inside:
            raise NotPossible(library.root, f"there is nothing that Jutrek filed at {shown(wanted)}")
        named.update(dict.fromkeys(inside))
    captures = {_capture_of(path) for path in named}
    beside = catalogue.filed_in(os.path.dirname(path) for path in named)
    return {path: filed for path, filed in beside.items() if _capture_of(path) in captures}


def _below(catalogue: Catalogue, folder: str) -> list[str]:
    within = Narrowed(folder="" if folder == "." else folder.strip("/"))
    found = [one.path for one in catalogue.all_of(within)]
    return list(catalogue.filed_at(found))


def _capture_of(path: str) -> tuple[str, str]:
    folder, name = os.path.split(path)
    return folder, same_name(TAIL.sub("", stem_of(name)))


def _tell(
    library: Library,
    ledger: Ledger,
    before: Mapping[str, Filed],
    wanted: Mapping[str, Filed],
    about: Mapping[str, Any],
) -> int:
    """Write down what is said, and let the ledger follow; the library is locked. Returns for how many it is new."""
    new = {path: one for path, one in wanted.items() if one != before[path]}
    if not new and not about:
        return 0
    journal = Journal.begin(library, Kind.TAKE_BACK if about else Kind.SAY, about)
    try:
        journal.note(*_lines(new, before))
        journal.sync()
        ledger.put_filed(new.items())
        journal.end("done", len(new), 0)
    finally:
        journal.close()
    return len(new)


def _lines(new: Mapping[str, Filed], before: Mapping[str, Filed]) -> Iterable[dict[str, Any]]:
    for path, one in new.items():
        yield {"entry": "said", "path": path, "now": _told(one), "was": _told(before[path])}


def _told(filed: Filed) -> dict[str, Any]:
    return {"shoot": filed.shoot, "operator": filed.operator, "said": [list(pair) for pair in filed.said]}
