"""Sidecars that come without their picture, which is home: known by the path that it had on its card.

Cards are cleared, and what was said of a picture afterwards comes on its own. It belongs to the one picture at home
that lay under the same name in the same folder of its card, unless it states another date; where there are several of
that name, nobody can tell.
"""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterable, Mapping
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from jutrek.captures import SAME_PRESS, Capture
from jutrek.doubles.comparing import NEW, Comparison, Standing
from jutrek.formats import DEVELOPED_SUFFIXES, MEDIA_SUFFIXES, Kind
from jutrek.library import Filed
from jutrek.sources import SourceFile

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


def belonging(
    captures: Iterable[Capture], others: Iterable[SourceFile], standings: Mapping[str, Comparison], ledger: Ledger
) -> dict[str, Comparison]:
    """The standings of new sidecars whose picture is home and not on their source.

    Args:
        others: files that are no captures.
        standings: by bytes.
    """
    dated: dict[str, datetime | None] = {}
    files: list[SourceFile] = []
    for capture in captures:
        if capture.kind is Kind.SIDECAR:
            files += [read.file for read in capture.files]
            dated |= {read.file.path: read.moment.local if read.moment else None for read in capture.files}
    files += [one for one in others if os.path.splitext(one.path)[1].lower() not in MEDIA_SUFFIXES and one.size]
    new = [one for one in files if standings.get(one.path, NEW).standing is Standing.NEW]
    if not new:
        return {}
    called = {one.path: _called(os.path.relpath(one.path, one.root)) for one in new}
    at_home = _originals(ledger.catalogue.brought_from(folder for folder, _, _ in called.values()))
    found = {}
    for one in new:
        folder, stem, inner = called[one.path]
        home = at_home.get((folder, stem), [])
        if len({(filed.moment, filed.device) for _, filed in home}) == 1 and _agrees(dated.get(one.path), home[0][1]):
            found[one.path] = Comparison(Standing.BESIDE, min(home, key=lambda pair: _turn(pair, inner))[0])
    return found


def _called(path: str) -> tuple[str, str, str]:
    """The folder and stem of the picture that a sidecar is named after, and the picture's extension if it says it."""
    folder, name = os.path.split(path)
    stem = os.path.splitext(name)[0]
    inner, suffix = os.path.splitext(stem)
    if suffix.lower() in MEDIA_SUFFIXES:
        return folder, inner.casefold(), suffix.lower()
    return folder, stem.casefold(), ""


def _originals(filed: Mapping[str, Filed]) -> dict[tuple[str, str], list[tuple[str, Filed]]]:
    """Pictures, clips and sound at home by the folder and stem that they had on their cards."""
    found: dict[tuple[str, str], list[tuple[str, Filed]]] = defaultdict(list)
    for path, one in filed.items():
        folder, name = os.path.split(one.original)
        stem, suffix = os.path.splitext(name)
        if suffix.lower() in MEDIA_SUFFIXES and one.moment:
            found[folder, stem.casefold()].append((path, one))
    return found


def _agrees(when: datetime | None, filed: Filed) -> bool:
    """Whether what a sidecar states is the date that a picture was filed by, or the one before its clock was fixed."""
    if when is None or len(filed.moment) < len("2026-05-14T10:26"):
        return True
    moment = datetime.fromisoformat(filed.moment)
    return any(abs(when - one) <= SAME_PRESS for one in (moment, moment - timedelta(seconds=filed.shift)))


def _turn(pair: tuple[str, Filed], inner: str) -> tuple[bool, bool, str]:
    suffix = os.path.splitext(pair[1].original)[1].lower()
    return bool(inner) and suffix != inner, suffix in DEVELOPED_SUFFIXES, pair[0]
