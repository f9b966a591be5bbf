"""What a journal tells of files that were amended."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from jutrek.formats.splices import Splice, grown
from jutrek.library.amended import Amended


def is_amended(entry: Mapping[str, Any]) -> bool:
    """Whether a line announces a file that is amended, and not a sidecar."""
    return "at" in entry and "was" in entry


def splices_in(entry: Mapping[str, Any]) -> tuple[Splice, ...]:
    """The bytes that a line tells of."""
    return tuple(Splice(int(at), bytes.fromhex(old), bytes.fromhex(new)) for at, old, new in entry["at"])


def amended_by(entry: Mapping[str, Any]) -> Amended:
    """What a line tells of a file that was amended."""
    splices = splices_in(entry)
    return Amended(
        str(entry["to"]), int(entry["size"]) - grown(splices), bytes.fromhex(entry.get("quick", "")),
        bytes.fromhex(entry["was"]), bytes.fromhex(entry["xxh3_128"]), splices,
    )  # fmt: skip
