"""Showing files in other programs, without the window waiting for them to start."""

from __future__ import annotations

import threading

from PySide6.QtCore import QObject, Signal

from jutrek.errors import JutrekError


class FileShower(QObject):
    """Has files shown by the programs that the desktop has for them, each from a thread that can be left behind."""

    refused = Signal(object)
    """Emitted with the `JutrekError` that says why one was not shown."""

    def show_file(self, path: str) -> None:
        """Show one. Starting a program waits for any disk that hangs, whichever the file is on."""
        threading.Thread(target=self._show, args=(path,), name=f"asks for a program for {path}", daemon=True).start()

    def _show(self, path: str) -> None:
        from jutrek.desk.programs import show_file

        try:
            show_file(path)
        except JutrekError as error:
            self.refused.emit(error)
