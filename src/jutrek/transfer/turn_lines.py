"""What a journal tells of files that were turned."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from jutrek.library.turned import Turned
from jutrek.turning.patching import Patch


def is_turn(entry: Mapping[str, Any]) -> bool:
    """Whether a line announces a file that is turned, and not a sidecar."""
    return "at" in entry and "was" in entry


def patches_in(entry: Mapping[str, Any]) -> tuple[Patch, ...]:
    """The bytes that a line tells of."""
    return tuple(Patch(int(at), bytes.fromhex(old), bytes.fromhex(new)) for at, old, new in entry["at"])


def turned_by(entry: Mapping[str, Any]) -> Turned:
    """What a line tells of a file that was turned."""
    patches = {one.offset: (one.old, one.new) for one in patches_in(entry)}
    return Turned(
        str(entry["to"]), int(entry["size"]), bytes.fromhex(entry.get("quick", "")), bytes.fromhex(entry["was"]),
        bytes.fromhex(entry["xxh3_128"]), patches,
    )  # fmt: skip
