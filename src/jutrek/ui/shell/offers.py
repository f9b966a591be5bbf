"""What can be found and done by typing: things of a page, and all that its buttons do."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple

from PySide6.QtWidgets import QAbstractButton, QCheckBox, QPushButton, QWidget
from shiboken6 import isValid

from jutrek.ui.widgets.keyed import keys_of


class Act(NamedTuple):
    """What a menu offers.

    Attributes:
        can: whether it can be done now.
        keys: the key that does the same.
    """

    words: str
    do: Callable[[], object]
    can: bool = True
    keys: str = ""


_LASTING = frozenset({"do", "only", "page", "rule"})
"""Kinds that are there again the next time."""


class Offer(NamedTuple):
    """Something that can be found and done.

    Attributes:
        kind: in a word: `do`, `only`, `page`, `day`, `folder`, `source`, `capture`, `run`, `rule`.
        words: by which it is found.
        do: does it.
        about: what stands beside the words, and helps to find it.
        keys: the key that does the same.
    """

    kind: str
    words: str
    do: Callable[[], object]
    about: str = ""
    keys: str = ""

    @property
    def key(self) -> str:
        """What it is remembered by: figures in it change. Empty for what comes and goes."""
        if self.kind not in _LASTING:
            return ""
        return f"{self.kind}:{' '.join(re.sub(r'[0-9][0-9,.:]*', '', self.words).split())}"


def buttons_of(widget: QWidget) -> Iterator[Offer]:
    """What the buttons do that stand on a widget and can be pressed; of several with the same words, the first."""
    seen = set()
    buttons = (*widget.findChildren(QPushButton), *widget.findChildren(QCheckBox))
    # What a page is about comes first.
    for button in sorted(buttons, key=lambda one: not one.property("main")):
        words = button.text()
        if words and words not in seen and button.isVisible() and button.isEnabled():
            seen.add(words)
            press = partial(_press, button, words)
            yield Offer("do", button.accessibleName() or words, press, button.toolTip(), keys_of(button))


def _press(button: QAbstractButton, words: str) -> None:
    """Press a button, if it is still there, and still says the same."""
    if isValid(button) and button.text() == words and button.isVisible():
        button.click()
