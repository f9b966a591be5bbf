"""Cards: proving them, letting them go, clearing them, and what of them nobody wants."""

from __future__ import annotations

from collections.abc import Callable

from jutrek.desk import events
from jutrek.desk.services.opened import Opened
from jutrek.desk.services.places import PlacesService
from jutrek.desk.unwanting import declare_unwanted
from jutrek.errors import DriveTrouble, NotPossible, SourceUnreadable, reason, shown
from jutrek.filing import HouseRules
from jutrek.library.unwanted import declared, want_again
from jutrek.sources import drive_at, known_source
from jutrek.sources import let_go as let_drive_go
from jutrek.transfer.certificate import Certificate
from jutrek.transfer.clearing import Cleared, Way, clear
from jutrek.transfer.release import declared_anew, keep_certificate, release


class CardsService:
    """Proves cards, and holds their certificates until something changes."""

    def __init__(self, opened: Opened, places: PlacesService, rules: Callable[[], HouseRules]) -> None:
        self._at, self._places, self._rules = opened, places, rules
        self._released: dict[str, Certificate] = {}

    def forget(self) -> None:
        """What was proven is old now."""
        self._released.clear()
        self._at.intake.released({})

    def release(self, root: str, *, again: bool = False, eject: bool = False) -> None:
        """Prove a source afresh; the event `Released` follows.

        Args:
            root: of the source.
            again: whether copies are read back once more.
            eject: whether it is let go, if it is safe.

        Raises:
            SourceUnreadable: when it is not there.
        """
        at = self._at
        try:
            source = known_source(root)
        except OSError as error:
            raise SourceUnreadable(root, error) from error
        at.survey()
        places, rules = self._places.look(), self._rules()
        what = [f"Proving {shown(source.name)}"]

        def begin(size: int, copies: int) -> None:
            what[0] += f": {size / 1e6:,.0f} MB of it, and {copies / 1e6:,.0f} MB of its copies"

        certificate = release(
            source, at.library, at.ledger, places.here, away=places.away, again=again, days=rules.proof_days,
            unwanted=rules.unwanted, stop=at.stop, begin=begin,
            report=lambda done, total: at.teller.working(what[0], done, total, sizes=True),
        )  # fmt: skip
        self._keep(root, certificate)
        if eject and certificate.safe:
            self.eject(root)

    def declare_unwanted(self, root: str, paths: frozenset[str], *, back: bool = False) -> None:
        """Declare unwanted what the certificate of a source names, or take that back; `Released` follows.

        Args:
            root: of the source.
            paths: relative to the source.
            back: whether it is taken back.

        Raises:
            NotPossible: when it was not proven yet.
        """
        certificate, library = self._proven(root), self._at.library
        if back:
            name = certificate.name
            want_again(library, [one for one in declared(library) if one.source == name and one.path in paths])
        else:
            declare_unwanted(library, certificate, paths)
        self._keep(root, declared_anew(certificate, library, self._rules().unwanted))

    def _proven(self, root: str) -> Certificate:
        certificate = self._released.get(root)
        if certificate is None:
            raise NotPossible(root, "it was not proven yet")
        return certificate

    def _keep(self, root: str, certificate: Certificate) -> None:
        at = self._at
        self._released[root] = certificate
        try:
            path = keep_certificate(certificate, at.library)
        except OSError as error:
            raise NotPossible(at.library.root, f"the certificate can't be kept: {reason(error)}") from error
        at.teller.tell(events.Released(root, certificate, path))
        at.intake.released(dict(self._released))

    def eject(self, root: str) -> None:
        """Let a card go; the event `LetGo` follows."""
        try:
            drive = drive_at(root)
            words = let_drive_go(drive) if drive is not None else ""
            self._at.teller.tell(events.LetGo(root, words, drive is not None))
        except DriveTrouble as error:
            self._at.teller.tell(events.LetGo(root, str(error), False))

    def clear(self, root: str, way: Way) -> Cleared:
        """Clear a card of what its certificate proves.

        Raises:
            NotPossible: when it was not proven yet.
        """
        at = self._at
        cleared = clear(self._proven(root), at.library, at.ledger, self._places.known.here, way, stop=at.stop)
        del self._released[root]
        at.intake.released(dict(self._released))
        at.intake.reread(root)
        return cleared
