"""What a start tells of a run that did not end."""

from __future__ import annotations

from dataclasses import dataclass

from jutrek.transfer.journal import Kind

_DID = {
    **dict.fromkeys((Kind.REFILE, Kind.TIDY, Kind.TAKE_BACK, Kind.SET_ASIDE), "moved"),
    Kind.DESCRIBE: "written", Kind.STORE: "stored", Kind.FETCH: "fetched", Kind.MAKE: "made",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Leftover:
    """A run that did not end.

    Attributes:
        run: its id.
        at: when it began (UTC, ISO 8601).
        home, left: how many files are home or moved, and how many are not.
        kind: what it was to do.
        troubles: what of its record is not believed; nothing that rests on it was done.
    """

    run: str
    at: str
    home: int
    left: int
    kind: Kind = Kind.INTAKE
    troubles: tuple[str, ...] = ()

    @property
    def did(self) -> str:
        """What it did to files that are home: moved, or written; empty for one that brought them."""
        return _DID.get(self.kind, "")
