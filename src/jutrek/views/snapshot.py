"""Columns kept beside the ledger that they were built of, so that the next look at the library need not build them.

A snapshot is a cache: what is damaged, or does not fit together, is as good as none. It tells of which state of the
ledger it is.
"""

from __future__ import annotations

import io
import json
import os
import zipfile
from contextlib import suppress
from dataclasses import fields
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from jutrek.disk import chosen
from jutrek.views.columns import COLUMNS, KINDS, TRUSTS, Columns, Names

if TYPE_CHECKING:
    from numpy.typing import NDArray

_VERSION = 9
_CODED = {"device", "person", "lens", "shoot", "place", "folder", "mark", "said", "drive", "format", "keywords",
          "likely"}  # fmt: skip
_BESIDE = ((Names.MEANING, Names.MARK), (Names.FOLDER_MARK, Names.FOLDER))
_NAMES_OF = {"keywords": Names.KEYWORD}


def path_of(ledger: str) -> str:
    """Where the snapshot of a ledger lies."""
    return f"{os.path.splitext(ledger)[0]}.columns.npz"


class Kept(NamedTuple):
    """Columns that were kept.

    Attributes:
        columns: of a library.
        state: in short, what they were made of.
        folders: the times of the library's folders then, in nanoseconds, by path.
    """

    columns: Columns
    state: str
    folders: dict[str, int]


def keep(columns: Columns, ledger: str, state: str, folders: dict[str, int]) -> None:
    """Keep columns beside a ledger. Where that fails, they are built again the next time.

    Args:
        columns: of the library.
        ledger: the ledger's path.
        state: as in `Kept`.
        folders: likewise.
    """
    page = {"version": _VERSION, "state": state, "folders": folders, "names": dict(columns.names)}
    about = json.dumps(page).encode("ascii")
    arrays = {field.name: getattr(columns, field.name) for field in fields(columns) if field.name != "names"}
    made = io.BytesIO()
    np.savez(made, allow_pickle=False, **arrays, about=np.frombuffer(about, np.uint8))
    with suppress(OSError):
        tree, name = chosen(path_of(ledger))
        tree.write_own(name, made.getvalue(), lasting=False)


def kept(ledger: str) -> Kept | None:
    """The columns that are kept beside a ledger; None where none can be used."""
    try:
        with open(path_of(ledger), "rb") as file, np.load(file, allow_pickle=False) as page:
            about = json.loads(page["about"].tobytes())
            if not isinstance(about, dict) or about.get("version") != _VERSION:
                return None
            names = {one: tuple(map(str, about["names"][one.value])) for one in Names}
            arrays = {name: page[name] for name in COLUMNS}
            state = str(about["state"])
            folders = {str(path): int(time) for path, time in about["folders"].items()}
    except (
        OSError,
        ValueError,
        KeyError,
        TypeError,
        AttributeError,
        EOFError,
        zipfile.BadZipFile,
        RecursionError,
        MemoryError,
    ):
        return None
    return Kept(Columns(**arrays, names=names), state, folders) if _fit(arrays, names) else None


def _fit(arrays: dict[str, NDArray[Any]], names: dict[Names, tuple[str, ...]]) -> bool:
    """Whether columns fit together: as long as each other, codes within their lists, starts that ascend."""
    count = len(arrays["moment"])
    for name, column in COLUMNS.items():
        array = arrays[name]
        if array.ndim != 1 or array.dtype != column.dtype:
            return False
        if column.more is not None and len(array) != count + column.more:
            return False
    for name in _CODED:
        array, known = arrays[name], names[_NAMES_OF.get(name) or Names(name)]
        if len(array) and not 0 <= int(array.min()) <= int(array.max()) < len(known):
            return False
    if any(len(names[one]) != len(names[of]) for one, of in _BESIDE):
        return False
    for starts, of in (
        ("keyword_starts", "keywords"),
        ("name_starts", "name_bytes"),
        ("beside_starts", "beside_bytes"),
    ):
        ends = arrays[starts]
        if ends[0] != 0 or ends[-1] != len(arrays[of]) or bool((np.diff(ends) < 0).any()):
            return False
    kinds, trusts = arrays["kind"], arrays["trust"]
    return count == 0 or (int(kinds.max()) < len(KINDS) and int(trusts.max()) < len(TRUSTS))
