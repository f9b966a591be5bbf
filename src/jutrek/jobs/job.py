"""A job: what stands in `.job.toml` in its folder. It is known by that wherever the folder goes."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from jutrek.disk import Outside, Tree, inside
from jutrek.errors import PageBroken
from jutrek.filing.facts import lies_in
from jutrek.jobs.blanks import CLIENT, JOB, TITLE
from jutrek.jobs.making import MARKER, Whole
from jutrek.library.pagefiles import toml_page

if TYPE_CHECKING:
    from jutrek.filing import HouseRules
    from jutrek.jobs.making import Wish

_NOTE = "Which job this folder is of. Jutrek knows it by this file, wherever the folder lies."


class Part(NamedTuple):
    """A folder right in that of a job: its path below there, and what the outline calls it."""

    path: str
    name: str


@dataclass(frozen=True, slots=True)
class Job:
    """A job that was started.

    Attributes:
        id: a UUID that stays with it.
        number: as it is written.
        outline: the name of the outline that it was made by.
        started: on which day, ISO 8601.
        who: started it.
        blanks: what was filled in, by name.
        parts: the folders right in its own.
        lands: the folder below its own that captures land in, empty for that itself; None where none do.
        by, named: patterns of folders and names of what lands; empty for none.
    """

    id: str
    number: str
    outline: str = ""
    started: str = ""
    who: str = ""
    blanks: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    parts: tuple[Part, ...] = ()
    lands: str | None = None
    by: str = ""
    named: str = ""

    @property
    def title(self) -> str:
        """Its title."""
        return self.blanks.get(TITLE, "")

    @property
    def client(self) -> str:
        """For whom it is."""
        return self.blanks.get(CLIENT, "")

    @property
    def called(self) -> str:
        """Number, client and title, as far as they are known."""
        return " ".join(filter(None, (self.number, self.client, self.title)))

    @property
    def said(self) -> dict[str, str]:
        """What is said of captures that come into it."""
        return {name: text for name, text in ((JOB, self.number), (CLIENT, self.client), (TITLE, self.title)) if text}


class Placed(NamedTuple):
    """A job where it lies.

    Attributes:
        job: what its file says.
        folder: of it, relative to the library.
        drive: the id of the archive drive that it is stored on; empty for the library's root.
    """

    job: Job
    folder: str
    drive: str = ""

    @property
    def landing(self) -> str | None:
        """The folder that captures land in, relative to the library; None where none do."""
        lands = self.job.lands
        return None if lands is None else f"{self.folder}/{lands}" if lands else self.folder


def job_of(wish: Wish, whole: Whole, id_: str, outline: str, who: str) -> Job:
    """The job that is made."""
    values = dict(wish.filled.values)
    number = values.pop(JOB)
    parts = tuple(Part(one.path, one.name) for one in whole.made if one.depth == 1 and one.starter is None)
    return Job(
        id_, number, outline, wish.filled.day.isoformat(), who, values, parts, whole.landing, whole.by, whole.named
    )


def as_page(job: Job) -> bytes:
    """The file that says which job a folder is of."""
    import tomlkit

    page = tomlkit.document()
    page.add(tomlkit.comment(_NOTE))
    head = {
        "format": 1, "id": job.id, "number": job.number, "outline": job.outline, "started": job.started,
        "who": job.who,
    }  # fmt: skip
    page.update(head)
    if job.lands is not None:
        page.update({"lands": job.lands, "by": job.by, "named": job.named})
    page.add("blanks", tomlkit.item({name: text for name, text in job.blanks.items() if name and text}))
    parts = tomlkit.aot()
    for one in job.parts:
        parts.append(tomlkit.item(one._asdict()))
    page.add("part", parts if job.parts else tomlkit.array())
    return tomlkit.dumps(page).encode()


def read_job(tree: Tree, folder: str) -> Job | None:
    """The job that a folder is of; None where it is of none.

    Raises:
        PageBroken: when its file is damaged.
        OSError: when it can't be looked at.
    """
    from jutrek.library import pages

    path = inside(f"{folder}/{MARKER}")
    try:
        page = pages.checked(pages.JOB_MARK, toml_page(tree, path), tree.at(path))
    except (FileNotFoundError, NotADirectoryError):
        return None
    parts = tuple(Part(one["path"], one["name"]) for one in page["part"])
    return Job(
        page["id"], page["number"], page["outline"], page["started"], page["who"], page["blanks"], parts,
        page.get("lands"), page.get("by", ""), page.get("named", ""),
    )  # fmt: skip


def job_above(tree: Tree, path: str) -> Placed | None:
    """The job in whose folder a file or folder lies; None where it lies in none.

    Args:
        tree: of the library.
        path: relative to it.
    """
    folder = path
    while folder:
        try:
            if (job := read_job(tree, folder)) is not None:
                return Placed(job, folder)
        except (PageBroken, OSError, Outside):
            pass
        folder = os.path.dirname(folder)
    return None


def holds(placed: Placed, path: str) -> bool:
    """Whether a path of the library lies in a job's folder."""
    return lies_in(path, placed.folder)


def rules_for(placed: Placed, rules: HouseRules) -> HouseRules:
    """House rules by which captures come into a job.

    Raises:
        RuleError: where the job's patterns can't be used.
    """
    from dataclasses import replace

    return replace(
        rules, within=placed.landing or placed.folder, layout=placed.job.by, name=placed.job.named or rules.name,
        schemes=(), developed="",
    )  # fmt: skip
