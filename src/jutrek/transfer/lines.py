"""The door for lines of journals: what a line must hold to be believed, whoever wrote it.

A library may come from somebody else, and its journal with it. So every line is checked against the model of its entry
before anything rests on it: types and sizes, and that paths in the library or a place lead nowhere else. A line that
does not fit is told with its number, and costs only itself. What the entries mean stands in `docs/journal.md`.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError, create_model

from jutrek.disk import Realm, inside
from jutrek.formats.splices import Splice, grown, trouble_with
from jutrek.library.pages import AbsolutePath, CapturePath, Hex, Pair, Time, Whole, absolute, told
from jutrek.transfer.chain import LONGEST


def _kept(text: str) -> str:
    return str(inside(text, Realm.PUT_AWAY))


def _own(text: str) -> str:
    return str(inside(text, Realm.OWN))


def _from(text: str) -> str:
    """Where a file was moved from: inside, or out of a trash; the latter is only told."""
    return absolute(text) if text.startswith("/") else _kept(text)


_Kept = Annotated[str, AfterValidator(_kept)]
"""The path of a capture, also of one that was put away."""
_Own = Annotated[str, AfterValidator(_own)]
_From = Annotated[str, AfterValidator(_from)]
_Full = Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")]
"""An XXH3-128 as hexadecimal digits."""
_Row = Annotated[int, Field(ge=0, lt=2**40)]
_State = Literal["rotted", "unreadable", "changed", "gone", "copied"]


class _Named(BaseModel):
    model_config = ConfigDict(strict=True, extra="allow")
    id: str
    name: str
    root: str


class _Told(BaseModel):
    model_config = ConfigDict(strict=True, extra="allow")
    shoot: str
    operator: str
    said: list[Pair]


_Splice = Annotated[list[int | str], Field(min_length=3, max_length=3)]
"""Where bytes stand in a file, and these before and after, in hexadecimal digits."""
_HEAD = {
    "run?": str, "at?": str, "who?": str, "after?": str, "sources?": list[str], "places?": list[_Named],
    "continues?": str, "takes_back?": str, "place?": str, "name?": str, "root?": str, "source?": str,
    "certificate?": _Own, "safe?": bool, "way?": str, "act?": str, "drive?": str, "outline?": str,
}  # fmt: skip
_FINDING = {"place": str, "path": _Kept, "why": str}
_ASIDE = {"place": str, "from": _Kept, "to": _Kept}
_ROW = {"row": _Row}
_STAMP = {"size": Whole, "mtime_ns": Time}
_MODELS: Mapping[str, Mapping[str, Any]] = {
    "bring": _ROW | _STAMP | {
        "source": AbsolutePath, "root?": AbsolutePath, "to": CapturePath, "moment?": str, "shift?": float,
        "device?": str, "operator?": str, "shoot?": str, "day?": str, "said?": list[Pair], "original?": str,
        "sidecar?": CapturePath, "says?": list[Pair], "counter?": str, "number?": Whole,
    },
    "move": _ROW | _STAMP | {
        "from": _From, "to": _Kept, "counter?": str, "number?": Whole, "keeper?": str, "degree?": str,
    },
    "home": _ROW | {"xxh3_128?": _Full, "blake3?": Hex, "direct?": bool, "mtime_ns?": Time},
    "found": _ROW | {"xxh3_128?": _Full, "mtime_ns?": Time},
    "moved": _ROW | {"upto?": _Row}, "removed": _ROW, "original gone": _ROW,
    "across": _ROW | {"xxh3_128": _Full},
    "copied": _ROW | {"place": str, "direct?": bool, "mtime_ns?": Time},
    "not copied": _ROW | {"place": str, "why": str},
    "place lost": {"place": str, "why": str},
    "part": _ROW | {"upto": Whole, "xxh3_128": _Full, "quick?": Hex},
    "sidecar": _ROW | {"to": CapturePath, "size?": Whole, "mtime_ns?": Time},
    "sidecar kept": _ROW | _STAMP | {"from": CapturePath, "to": _Kept},
    "to say": _ROW | {
        "to": CapturePath, "size": Whole, "xxh3_128": _Full, "was?": _Full, "quick?": Hex, "mtime_ns?": Time,
        "at?": list[_Splice], "name?": _Own,
    },
    "amended": _ROW | {"to": CapturePath, "size": Whole, "mtime_ns": Time},
    "turned": _ROW | {"to": CapturePath, "size": Whole, "mtime_ns": Time},
    "words": {"was": _Full, "now": _Full},
    "job": {
        "id": str, "number": str, "series": str, "within": str, "counted": Whole, "folder": CapturePath,
    },
    "make folder": {"folder": CapturePath}, "staged": {"folder": CapturePath, "into": bool},
    "to make": _ROW | {"to": CapturePath, "size": Whole, "xxh3_128": _Full}, "made": _ROW | _STAMP,
    "through": _ROW | {"name": _Own, "place?": str},
    "turn": _ROW | {"name": _Own, "inode?": Whole, "place?": str}, "parted": {"files": Whole},
    "unsure": {"place": str, "path": _Kept},
    "failed": _ROW | {"source": str, "why": str},
    "settled": {"words": str},
    "left": {"source": str, "why": str, "size?": Whole, "root?": str},
    "known": {"home": Whole, "twins": Whole},
    "to trash": _STAMP | {"path": _Kept},
    "trashed": {"path": _Kept, "size?": Whole}, "stays": {"path": _Kept, "why": str},
    "copy trashed": {"place": str, "path": _Kept},
    "remove": _ROW | _STAMP | {"path": AbsolutePath, "xxh3_128": _Full, "where": dict[str, str]},
    "folder removed": {"folder": _Own},
    "move folder": _ROW | {"from": CapturePath, "to": CapturePath, "inode?": Whole}, "folder moved": _ROW,
    "copies moved": {"place": str, "from": CapturePath, "to": CapturePath},
    "copy to move": _ASIDE | {"size": Whole}, "copy moved": _ASIDE,
    "to put aside": _ASIDE | {"from": CapturePath}, "put aside": _ASIDE | {"from": CapturePath},
    "proven": _STAMP | {"place": str, "path": _Kept, "xxh3_128": _Full},
    "rotted": _FINDING, "unreadable": _FINDING, "gone": _FINDING, "changed": _FINDING,
    "said": {"path": CapturePath, "now": _Told, "was": _Told},
    "let go": {"place": str, "path": _Kept, "size?": Whole, "mtime_ns?": Time, "xxh3_128?": _Full, "state?": _State},
    "missed again": _STAMP | {"place": str, "path": _Kept, "xxh3_128": _Full, "state?": _State},
    "copied tree": {"place": str},
    "torn": {"line": Whole},
    "end": {
        "at": str, "how": str, "home?": Whole, "left?": Whole, "bytes?": Whole, "copies?": dict[str, Whole],
        "folders?": Whole,
    },
}  # fmt: skip
"""Fields of entries; those with a question mark may be left out, but not be null."""
_MOST_BYTES = 130 * 1024
"""Bytes of one splice: a packet of metadata, and what stands around it."""
_CONFIG = ConfigDict(strict=True, extra="allow", protected_namespaces=())


def _model(name: str, fields: Mapping[str, Any]) -> type[BaseModel]:
    typed: dict[str, Any] = {
        field.rstrip("?"): (kind, None if field.endswith("?") else ...) for field, kind in fields.items()
    }
    return create_model(name, __config__=_CONFIG, **typed)


_CHECKS = {entry: _model(f"Line_{number}", fields) for number, (entry, fields) in enumerate(_MODELS.items())}
_HEAD_CHECK = _model("Head", _HEAD)
_NOTHING = _model("Nothing", {})


class BadLine(ValueError):
    """A line that is not believed; its text says why."""


def entry_of(line: bytes, heads: frozenset[str]) -> dict[str, Any]:
    """The entry of a line, with those of its fields that its entry has: of others nobody knows what they hold.

    Args:
        heads: the entries that this line may be as the first one of a journal.

    Raises:
        BadLine: when it does not hold what its entry must.
    """
    if len(line) > LONGEST:
        raise BadLine("it is too long")
    try:
        # Not pydantic's own parser: it refuses the escaped surrogates that stand for undecodable bytes of names.
        entry = json.loads(line.decode())
    except RecursionError as error:
        raise BadLine("it is nested too deep") from error
    except ValueError as error:
        raise BadLine(f"it is no JSON ({error})") from error
    if not isinstance(entry, dict) or not isinstance(entry.get("entry"), str):
        raise BadLine("it says not what it is")
    check = _HEAD_CHECK if entry["entry"] in heads else _CHECKS.get(entry["entry"], _NOTHING)
    try:
        check.model_validate(entry)
    except ValidationError as error:
        raise BadLine(told(error)) from error
    _check_sidecar(entry)
    _check_splices(entry)
    return {name: value for name, value in entry.items() if name == "entry" or name in check.model_fields}


def _check_sidecar(entry: Mapping[str, Any]) -> None:
    """A sidecar lies beside its file, and is one."""
    sidecar = entry.get("sidecar")
    if entry["entry"] == "bring" and sidecar:
        folder = entry["to"].rpartition("/")[0]
        if sidecar.rpartition("/")[0] != folder or not sidecar.casefold().endswith(".xmp"):
            raise BadLine("sidecar: it lies not beside its file")


def _check_splices(entry: Mapping[str, Any]) -> None:
    """Bytes are replaced by others, within the file, in order and just a few of them."""
    if entry["entry"] != "to say" or "at" not in entry:
        return
    try:
        splices = [Splice(offset, bytes.fromhex(old), bytes.fromhex(new)) for offset, old, new in entry["at"]]
    except (TypeError, ValueError) as error:
        raise BadLine("at: it holds no bytes") from error
    whole = all(type(one.offset) is int for one in splices)
    if not whole or trouble_with(splices, ()) or any(max(map(len, one[1:])) > _MOST_BYTES for one in splices):
        raise BadLine("at: it holds other bytes than an amended file has")
    if splices and splices[-1].end > entry["size"] - grown(splices):
        raise BadLine("at: it lies beyond the file")
