"""The jobs of a library: where each lies, what lies in it, and what changed last."""

from __future__ import annotations

import os
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from jutrek.disk import TEMPORARY, Outside, Tree, inside
from jutrek.errors import NotPossible, PageBroken, reason, shown
from jutrek.filing.names import same_name
from jutrek.formats import MEDIA_SUFFIXES
from jutrek.jobs.job import Job, Placed, read_job
from jutrek.jobs.making import MARKER
from jutrek.jobs.numbers import Claim, claims

if TYPE_CHECKING:
    from jutrek.library import Library, Survey
    from jutrek.library.ledger import Ledger
    from jutrek.library.stored import Lying

_DEEPEST = 64


@dataclass(frozen=True, slots=True)
class Held:
    """What lies in a job's folder.

    Attributes:
        files: path below the job's folder, size in bytes, time of last change (ns); what is hidden is left out.
    """

    files: tuple[tuple[str, int, int], ...] = ()

    def count(self, folder: str) -> int:
        """How many files lie in a folder or below it; those that only tell of others are none."""
        return sum(path.startswith(f"{folder}/") and not path.endswith(".xmp") for path, _, _ in self.files)

    @property
    def changed_ns(self) -> int:
        """When a file in it was changed last; 0 where none lies in it."""
        return max((changed for _, _, changed in self.files), default=0)


def placed_jobs(library: Library, ledger: Ledger) -> tuple[list[Placed], list[str]]:
    """The jobs of a library, newest number first, and a sentence for each whose file is damaged.

    Those on archive drives that are away are told by their folders alone.
    """
    lying = ledger.stored.lying(library.root)
    found, bad = [], []
    for path in ledger.catalogue.called(MARKER):
        folder = os.path.dirname(path)
        drive = lying.drives.get(path, "")
        if lying.is_away(path):
            found.append(Placed(Job("", os.path.basename(folder)), folder, drive))
            continue
        try:
            job = read_job(Tree(lying.root_of(path)), folder) if folder else None
        except PageBroken as error:
            bad.append(str(error))
        except (OSError, Outside) as error:
            bad.append(f"{shown(path)}: {reason(error) if isinstance(error, OSError) else error}.")
        else:
            if job is not None:
                found.append(Placed(job, folder, drive))
    twice = _twice(found)
    bad += [f"Two folders say that they are job {shown(number)}: {', '.join(map(shown, own))}" for number, own in twice]
    return sorted(found, key=lambda one: (one.job.started, one.job.number, one.folder), reverse=True), bad


def job_folders(ledger: Ledger) -> frozenset[str]:
    """The folders of all jobs, relative to the library."""
    return frozenset(os.path.dirname(path) for path in ledger.catalogue.called(MARKER))


def in_a_job(path: str, folders: Collection[str]) -> bool:
    """Whether a path lies in the folder of a job."""
    while path := os.path.dirname(path):
        if path in folders:
            return True
    return False


def is_work(path: str, folders: Collection[str]) -> bool:
    """Whether a file is a working file of a job: people write it anew, rename it and throw it away as they work."""
    return os.path.splitext(path)[1].lower() not in MEDIA_SUFFIXES and in_a_job(path, folders)


def without_work(found: Survey, folders: Collection[str]) -> Survey:
    """What was found to be changed outside, but for working files of jobs: they change all day."""

    def told(path: str) -> bool:
        return not is_work(path, folders)

    return replace(
        found, altered=tuple(filter(told, found.altered)), lost=tuple(filter(told, found.lost)),
        moves=tuple((old, new) for old, new in found.moves if told(old) or told(new)),
    )  # fmt: skip


def _twice(found: Iterable[Placed]) -> Iterator[tuple[str, list[str]]]:
    by_id: dict[str, list[Placed]] = {}
    for one in found:
        if one.job.id:
            by_id.setdefault(one.job.id, []).append(one)
    for own in by_id.values():
        if len(own) > 1:
            yield own[0].job.number, [one.folder for one in own]


def meant(jobs: Iterable[Placed], text: str, library: Library) -> Placed:
    """The job that is meant by its number, by its folder, or by all that it is called.

    Raises:
        NotPossible: when none is meant, or several are.
    """
    listed, wanted = list(jobs), same_name(text.strip().rstrip("/"))
    inner = same_name(os.path.relpath(os.path.abspath(text), library.root)) if os.sep in text else wanted
    found = [
        one
        for one in listed
        if wanted in (same_name(one.job.number), same_name(one.job.called), one.job.id)
        or same_name(one.folder) in (wanted, inner)
    ]
    if len(found) == 1:
        return found[0]
    some = ", ".join(one.job.number for one in listed[:12]) or "none yet"
    what = "is no job" if not found else "is more than one job; name its folder"
    raise NotPossible(library.root, f"“{text}” {what}; there are: {some}")


def held(placed: Placed, lying: Lying) -> Held:
    """What lies in a job's folder, as the disk has it. Of one on a drive that is away nothing is known."""
    root = lying.root_of(f"{placed.folder}/{MARKER}")
    if lying.is_away(f"{placed.folder}/{MARKER}"):
        return Held()
    try:
        # Links on the way are refused by the tree; below there none is followed.
        fd = Tree(root).open_folder(inside(placed.folder))
    except (OSError, Outside):
        return Held()
    os.close(fd)
    return Held(tuple(_files(os.path.join(root, placed.folder), "", 0)))


def _files(top: str, below: str, depth: int) -> Iterator[tuple[str, int, int]]:
    try:
        with os.scandir(os.path.join(top, below)) as entries:
            found = list(entries)
    except OSError:
        return
    for entry in found:
        path = f"{below}/{entry.name}" if below else entry.name
        try:
            if entry.name.startswith((".", TEMPORARY)):
                continue
            if entry.is_dir(follow_symlinks=False):
                if depth < _DEEPEST:
                    yield from _files(top, path, depth + 1)
            elif entry.is_file(follow_symlinks=False):
                status = entry.stat(follow_symlinks=False)
                yield path, status.st_size, status.st_mtime_ns
        except OSError:
            continue


def without_job(library: Library, jobs: Iterable[Placed]) -> list[Claim]:
    """Numbers that were given, and lead to no job: kept for later, or their folder is gone."""
    ids = {one.job.id for one in jobs}
    return [claim for claim in claims(library) if claim.job not in ids]


def used_before(jobs: Iterable[Placed]) -> dict[str, list[str]]:
    """What was filled into blanks until now, by their names; the last ones first."""
    found: dict[str, dict[str, None]] = {}
    for one in jobs:
        for name, text in one.job.blanks.items():
            if text:
                found.setdefault(name, {})[text] = None
    return {name: list(texts) for name, texts in found.items()}
