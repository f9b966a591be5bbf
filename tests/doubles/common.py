"""Pictures that can be told apart by their looks, and what copies go through."""

from __future__ import annotations

import io
import os
import threading
from datetime import datetime
from pathlib import Path

from PIL import Image

from jutrek.demo import scenes, stills
from jutrek.doubles.degrees import Degree, Group
from jutrek.doubles.groups import find_groups
from jutrek.doubles.learning import learn
from jutrek.library import Library, survey
from jutrek.library.ledger import Ledger
from tests.making import WHEN


def scene(seed: int = 0, size: tuple[int, int] = (300, 200)) -> Image.Image:
    """A picture of the line, unlike those of other seeds."""
    return scenes.draw(scenes.MOTIFS[seed % len(scenes.MOTIFS)], 10, 4000 + seed, size)


def grey(picture: Image.Image) -> Image.Image:
    """The same small and grey."""
    small = picture.convert("L")
    small.thumbnail((160, 160), Image.Resampling.BOX)
    return small


def shot(seed: int = 0, when: datetime | None = WHEN, *, quality: int = 84, offset: str = "+02:00") -> bytes:
    """A JPEG of a scene as a camera writes it; without a date it says nothing about itself."""
    about = stills.Shot(when, "Arlen", "M2", "A2-1", offset) if when else None
    return stills.jpeg(scene(seed), about, quality=quality)


def encoded(picture: Image.Image, form: str = "JPEG", quality: int = 80) -> bytes:
    """A picture without metadata."""
    out = io.BytesIO()
    picture.save(out, form, quality=quality)
    return out.getvalue()


def put(library: Library, path: str, data: bytes, mtime: float = 1_700_000_000.0) -> Path:
    """Put a file into a library."""
    full = Path(library.root, path)
    full.parent.mkdir(parents=True, exist_ok=True)
    full.write_bytes(data)
    os.utime(full, (mtime, mtime))
    return full


def learnt(library: Library, ledger: Ledger) -> int:
    """Survey and learn a library. Returns how many files were looked at."""
    survey(library, ledger)
    return learn(library, ledger, stop=threading.Event())


def groups_of(library: Library, ledger: Ledger, *degrees: Degree, **more: object) -> list[Group]:
    """Its doubles."""
    learnt(library, ledger)
    wanted = degrees or tuple(Degree)
    return find_groups(library, ledger, degrees=wanted, stop=threading.Event(), **more)  # type: ignore[arg-type]


def paths(groups: list[Group]) -> list[list[str]]:
    """The files of groups, the proposed keepers first."""
    return [[one.path for one in group.files] for group in groups]
