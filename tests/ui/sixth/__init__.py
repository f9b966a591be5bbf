"""A page as somebody adds it: one folder, and one line in the registry."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel

from jutrek.errors import NotPossible
from jutrek.ui.shell.context import Context
from jutrek.ui.shell.page import Page


class SixthPage(Page):
    """Writes down what it is told."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self.widget = QLabel("A page of its own")
        self.told: list[str] = []

    def activated(self) -> None:
        self.told.append("activated")

    def go(self) -> None:
        self.told.append("go")

    def save(self) -> None:
        self.told.append("save")

    def undo(self) -> None:
        self.told.append("undo")

    def redo(self) -> None:
        self.told.append("redo")

    def back(self) -> None:
        self.told.append("back")

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        self.told.append(f"{state} {more}".strip())

    def working(self, words: str, figures: str) -> None:
        self.told.append(f"working: {words}")

    def end(self) -> None:
        self.told.append("end")

    def fail(self) -> None:
        """Ask for something that can't be."""

        def refuse(_: object) -> None:
            raise NotPossible("here", "it was only a try")

        self.ask_library(refuse)


def make(context: Context) -> Page:
    """Make the page."""
    return SixthPage(context)
