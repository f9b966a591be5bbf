"""What cards and drives have to do with the Intake page: until each may be pulled."""

from __future__ import annotations

import os
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QDialog

from jutrek.desk import events
from jutrek.ui import paint
from jutrek.ui.pages.intake.tiles import AppearedTile

if TYPE_CHECKING:
    from jutrek.sources import Drive
    from jutrek.transfer.certificate import Certificate
    from jutrek.transfer.clearing import Cleared
    from jutrek.ui.pages.intake.view import IntakeView
    from jutrek.ui.shell.page import Page


class Cards:
    """Proves, ejects and clears cards, and asks about those that appear."""

    def __init__(self, page: Page, view: IntakeView) -> None:
        self._page, self._view = page, view
        self._certificates: dict[str, tuple[Certificate, str]] = {}
        self._known: set[str] | None = None
        column, client = self._view.from_column, page.context.client
        column.proved.connect(self._prove)
        column.ejected.connect(self._eject)
        column.cleared.connect(self.clear)
        column.certified.connect(self._show_certificate)
        column.asked.connect(self.ask_about_unbrought)
        client.on(events.Released, self._see_released)
        client.on(events.LetGo, self._see_let_go)
        client.on(events.DrivesChanged, self._see_drives)

    def _prove(self, root: str) -> None:
        self._page.ask_library(lambda library: library.cards.release(root))

    def _eject(self, root: str) -> None:
        self._page.ask_library(lambda library: library.cards.eject(root))

    def clear(self, root: str) -> None:
        """Show what would go from a card, and let it go on demand."""
        found = self._certificates.get(root)
        if found is None or self._page.context.runs.running:
            return
        from jutrek.ui.pages.intake.clearing import ClearDialog

        dialog = ClearDialog(self._page.context.theme, found[0], self._view.window())
        if dialog.exec() == QDialog.DialogCode.Accepted:
            way = dialog.way
            self._page.ask_library(lambda library: library.cards.clear(root, way), partial(self._say_cleared, root))
        dialog.deleteLater()

    def _say_cleared(self, root: str, cleared: Cleared) -> None:
        self._certificates.pop(root, None)
        stayed = f"{paint.counted(len(cleared.stayed), 'file stays', 'files stay')} on it." if cleared.stayed else ""
        words = f"{paint.counted(cleared.gone, 'file')} cleared from {os.path.basename(root)}."
        why = cleared.stayed[0][1] if cleared.stayed else ""
        self._page.notify(words, stayed, why, brick=bool(cleared.stayed))

    def ask_about_unbrought(self, root: str) -> None:
        """Show what was not brought from a card, and let it come along, or be declared unwanted."""
        found = self._certificates.get(root)
        if found is None or self._page.context.runs.running:
            return
        from jutrek.ui.pages.intake.unbrought import UnbroughtDialog

        dialog = UnbroughtDialog(self._page.context.theme, found[0], self._view.window())
        if dialog.exec() == QDialog.DialogCode.Accepted:
            if dialog.along:
                self._bring_along(root)
            else:
                self._declare(root, dialog.ticked, back=False)
        dialog.deleteLater()

    def _bring_along(self, root: str) -> None:
        from jutrek.captures.decisions import BringAlong

        change = BringAlong(frozenset({root}))
        self._page.ask_intake(lambda intake: intake.change(change), soon=True)
        self._view.action_bar.ask()
        self._page.notify("All of it comes along with the next run.", "Ctrl+Z takes that back.")

    def _declare(self, root: str, paths: frozenset[str], *, back: bool) -> None:
        """Declare things unwanted, or take that back; the new verdict follows."""
        self._page.ask_library(lambda library: library.cards.declare_unwanted(root, paths, back=back))
        self._view.action_bar.ask(
            *([] if back else [("Take that back", partial(self._declare, root, paths, back=True))])
        )

    def _show_certificate(self, root: str) -> None:
        if root in self._certificates:
            self._page.context.show_file(self._certificates[root][1])

    def _see_released(self, event: events.Released) -> None:
        certificate = event.certificate
        self._certificates[event.root] = certificate, event.path
        if not self._page.context.runs.running:
            if certificate.others or certificate.unaccounted:
                ask = partial(self.ask_about_unbrought, event.root)
                self._view.action_bar.ask(("What was not brought…", ask))
            self._page.notify(*_parted(certificate.verdict), event.path, brick=not certificate.safe)

    def _see_let_go(self, event: events.LetGo) -> None:
        tile = self._view.from_column.tiles.get(event.root)
        if event.gone and tile is not None:
            tile.show_left("may be pulled")
        if not self._page.context.runs.running:
            said = event.words or "It is a folder on this computer: there is nothing to pull."
            self._page.notify(*_parted(said), brick=bool(event.words) and not event.gone)

    def _see_drives(self, event: events.DrivesChanged) -> None:
        """Cards that appeared are asked about; those that are gone are not."""
        column = self._view.from_column
        there = {drive.id: (drive, is_card) for drive, is_card in event.drives}
        for key in [key for key in column.appeared if key not in there]:
            column.take_appeared(key)
        known, self._known = self._known, set(there)
        for key, (drive, is_card) in there.items():
            if drive.mount in column.tiles or (known is not None and key in known and key not in column.appeared):
                continue
            if not (is_card or not drive.mount):
                continue
            size = paint.size_words(drive.size) if drive.size else drive.filesystem
            words = "Read it" if drive.mount else "Mount and read"
            tile = AppearedTile(self._page.context.theme, key, drive.title, size, words)
            tile.wanted.connect(partial(self._take_drive, drive))
            column.show_appeared(tile)
        for root, source in column.tiles.items():
            if any(drive.mount and root.startswith(drive.mount) for drive, _ in there.values()):
                source.show_left("")

    def _take_drive(self, drive: Drive, key: str) -> None:
        self._view.from_column.take_appeared(key)
        self._page.ask_intake(lambda intake: intake.add_drive(drive))


def _parted(sentence: str) -> tuple[str, str]:
    """A sentence as a short state and the rest."""
    state, sign, rest = sentence.partition(": ")
    return (f"{state}:" if sign else sentence), rest
