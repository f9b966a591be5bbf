"""The one door for text in the window: nothing from outside is taken for markup, hides, or turns what stands beside it.

Names of cards and files, words of metadata, what journals hold: control characters and signs that turn the direction of
text are shown as escapes; labels and tips are plain text.
"""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QWidget

from jutrek.errors import shown


def plain(words: str) -> str:
    """Words with everything escaped that does not show; line breaks stay."""
    return words if words.isprintable() else "\n".join(map(shown, words.split("\n")))


def caption(words: str) -> str:
    """Words as the text of a button or an entry of a menu, where a single `&` would mark a key."""
    return plain(words).replace("&", "&&")


class Label(QLabel):
    """A label that shows what it is given, letter by letter."""

    def __init__(self, words: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(words)

    def setText(self, words: str) -> None:
        """Show other words."""
        super().setText(plain(words))


def name_first(path: str) -> str:
    """A path as it stands in a row: its name, whose date is never cut off, then the folder."""
    folder, _, name = shown(path).rpartition("/")
    return f"{name} · {folder}" if folder else name


def tip_text(words: str) -> str:
    """Words as a tip shows them letter by letter: tips take for markup what looks like it."""
    text = plain(words)
    if "<" not in text:
        return text
    # Rarely needed, and its table of signs is long.
    import html

    return html.escape(text).replace("\n", "<br>")


def tip(widget: QWidget, words: str) -> None:
    """Give a widget a tip that shows what it is given."""
    widget.setToolTip(tip_text(words))


def local(at: str) -> datetime | None:
    """A moment of the journal in this machine's zone; None where it is none."""
    try:
        return datetime.fromisoformat(at).astimezone()
    except ValueError:
        return None
