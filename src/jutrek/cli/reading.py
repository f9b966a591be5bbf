"""`jutrek read`: claims, moment and device of every file."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterator
from itertools import groupby
from pathlib import Path
from typing import Annotated, Any

import typer

from jutrek.captures import Moment, Said, decided
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out
from jutrek.desk.details import facts_of
from jutrek.errors import SourceUnreadable, shown
from jutrek.formats import Claim, Kind, Offset, Reading, read
from jutrek.sources import Left, scan


def read_command(
    paths: Annotated[list[Path], typer.Argument(help="Files, or folders with all that is in them.")],
    as_json: AsJson = False,
) -> None:
    """Tell what files say about when, and by what, they were made."""
    raise typer.Exit(read_paths([str(path) for path in paths], as_json=as_json, stop=stop_on_interrupt()))


def read_paths(paths: list[str], *, as_json: bool, stop: threading.Event) -> int:
    """Print what files say. Files of one folder are decided together, as a device's files tell about each other.

    Returns:
        1 when a path could not be read or when stopped, else 0.
    """
    code = 0
    for root, batch in groupby(_files(paths), key=_folder):
        readings: list[tuple[str, Reading]] = []
        for path in batch:
            if stop.is_set():
                return 1
            trouble = _trouble(path) if isinstance(path, Left) else _read(path, readings)
            if trouble:
                complain(trouble)
                code = 1
        moments = decided([Said(root, path, reading) for path, reading in readings])
        for (path, reading), moment in zip(readings, moments, strict=True):
            if as_json:
                tell_json(as_object(path, reading, moment))
            else:
                _print(path, reading, moment)
    return code


def _folder(path: str | Left) -> str:
    return os.path.dirname(path.path if isinstance(path, Left) else path)


def _trouble(left: Left) -> str:
    return f"{shown(left.path)}: {left.why}"


def _read(path: str, readings: list[tuple[str, Reading]]) -> str:
    """Read one file into `readings`. Returns what went wrong, or an empty string."""
    try:
        readings.append((path, read(path)))
    except SourceUnreadable as trouble:
        return str(trouble)
    return ""


def _files(paths: list[str]) -> Iterator[str | Left]:
    for path in paths:
        if not os.path.isdir(path):
            yield path
            continue
        for thing in scan(path):
            yield thing if isinstance(thing, Left) else thing.path


def as_object(path: str, reading: Reading, moment: Moment | None) -> dict[str, Any]:
    """The JSON object of one file: path, kind, format, claims, moment, device, notes."""
    device = reading.device
    return {
        "path": path,
        "kind": reading.kind.value,
        "format": reading.format,
        "claims": [_claim(claim) for claim in reading.claims],
        "moment": None if moment is None else {
            "local": moment.local.isoformat(),
            "offset": None if moment.offset is None else str(Offset(moment.offset)),
            "precision": moment.precision.name.lower(),
            "trust": moment.trust.value,
            "claim": moment.claim,
            "why": moment.why,
        },
        "device": None if device is None else {"make": device.make, "model": device.model, "serial": device.serial},
        "notes": list(reading.notes),
    }  # fmt: skip


def _claim(claim: Claim) -> dict[str, Any]:
    stamp = claim.stamp
    return {
        "at": claim.at,
        "value": stamp.iso(),
        "offset": None if stamp.offset is None else str(stamp.offset),
        "precision": stamp.precision.name.lower(),
        "where": claim.where,
        "raw": claim.raw,
    }


def _print(path: str, reading: Reading, moment: Moment | None) -> None:
    out(path)
    out(f"  {'no picture, clip or sound' if reading.kind is Kind.OTHER else f'{reading.kind} ({reading.format})'}")
    for label, words in facts_of([reading]):
        if words:
            out(f"  {label}: {words}")
    if moment is not None:
        out(f"  {moment.local:%Y-%m-%d %H:%M:%S}  {moment.trust}. {moment.why}")
    for number, claim in enumerate(reading.claims):
        mark = "›" if moment is not None and number == moment.claim else " "
        zone = f" {claim.stamp.offset}" if claim.stamp.offset is not None else ""
        out(f"  {mark} {claim.stamp.iso()}{zone}  {claim.where}")
    for note in reading.notes:
        out(f"  ! {note}")
