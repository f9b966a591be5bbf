"""What one widget paints, part by part, for those who don't see it.

A widget that paints several things tells them by `spoken_parts`; Qt is given an interface with a child for each
(QAccessibleInterface), which a reader of the screen finds where an eye does. None of it is made before something asks.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtCore import QObject, QRect
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtWidgets import QAccessibleWidget, QWidget

from jutrek.ui.plainly import plain


class Part(NamedTuple):
    """Something that a widget paints.

    Attributes:
        words: what is said of it.
        box: where it is, in the widget.
        pressed: whether it is chosen; None where that can't be.
        has_focus: whether keys go to it.
    """

    words: str
    box: QRect
    pressed: bool | None = None
    has_focus: bool = False


class Spoken:
    """A widget that paints several things."""

    def spoken_parts(self) -> Sequence[Part]:
        """What it paints now, in the order of reading."""
        raise NotImplementedError


class _PartInterface(QAccessibleInterface):
    """The child of a widget's interface that stands for one part, by its number."""

    def __init__(self, whole: _WholeInterface, number: int) -> None:
        super().__init__()
        self._whole, self._number = whole, number

    def _part(self) -> Part:
        parts = self._whole.parts()
        return parts[self._number] if self._number < len(parts) else Part("", QRect())

    def isValid(self) -> bool:
        return self._number < len(self._whole.parts())

    def object(self) -> QObject | None:
        return None

    def parent(self) -> QAccessibleInterface:
        return self._whole

    def child(self, index: int) -> QAccessibleInterface | None:
        return None

    def childAt(self, x: int, y: int) -> QAccessibleInterface | None:
        return None

    def childCount(self) -> int:
        return 0

    def indexOfChild(self, child: QAccessibleInterface) -> int:
        return -1

    def rect(self) -> QRect:
        box = self._part().box
        return QRect(self._whole.widget().mapToGlobal(box.topLeft()), box.size())

    def role(self) -> QAccessible.Role:
        can = self._part().pressed is not None
        return QAccessible.Role.Button if can else QAccessible.Role.StaticText

    def state(self) -> QAccessible.State:
        state, part = QAccessible.State(), self._part()
        state.checkable, state.checked = part.pressed is not None, bool(part.pressed)
        state.focused = part.has_focus and self._whole.widget().hasFocus()
        state.invisible = not self._whole.widget().isVisible()
        return state

    def text(self, which: QAccessible.Text) -> str:
        return plain(self._part().words) if which is QAccessible.Text.Name else ""

    def setText(self, which: QAccessible.Text, text: str) -> None:
        """Nothing of it can be written so."""


class _WholeInterface(QAccessibleWidget):
    """A widget with its parts as children, behind those that are widgets themselves."""

    def __init__(self, widget: QWidget) -> None:
        super().__init__(widget, QAccessible.Role.Grouping)
        self._children: list[_PartInterface] = []

    def parts(self) -> Sequence[Part]:
        """What the widget paints now."""
        widget = self.widget()
        return widget.spoken_parts() if isinstance(widget, Spoken) else ()

    def childCount(self) -> int:
        return super().childCount() + len(self.parts())

    def child(self, index: int) -> QAccessibleInterface | None:
        number = index - super().childCount()
        if number < 0:
            return super().child(index)
        while len(self._children) <= number < len(self.parts()):
            self._children.append(_PartInterface(self, len(self._children)))
        return self._children[number] if number < len(self.parts()) else None

    def indexOfChild(self, child: QAccessibleInterface) -> int:
        if child in self._children:
            return super().childCount() + self._children.index(child)
        return super().indexOfChild(child)

    def childAt(self, x: int, y: int) -> QAccessibleInterface | None:
        for number, part in enumerate(self.parts()):
            if part.box.contains(self.widget().mapFromGlobal(QRect(x, y, 1, 1).topLeft())):
                return self.child(super().childCount() + number)
        return super().childAt(x, y)

    def forget(self) -> None:
        """The widget is gone: Qt may know parts by numbers of its own, and must not ask them any more."""
        for one in self._children:
            QAccessible.deleteAccessibleInterface(QAccessible.uniqueId(one))
        self._children.clear()


_interfaces: dict[int, _WholeInterface] = {}
"""By the addresses of their widgets: Qt knows them, and Python must not let go of them before."""


def _interface_of(_: str, asked: QObject) -> QAccessibleInterface | None:
    if not (isinstance(asked, Spoken) and isinstance(asked, QWidget)):
        return None
    key = id(asked)
    made = _interfaces[key] = _WholeInterface(asked)

    def gone() -> None:
        if _interfaces.get(key) is made:
            del _interfaces[key]
            made.forget()

    asked.destroyed.connect(gone)
    return made


def let_be_read() -> None:
    """Let readers of the screen ask for parts, from now on."""
    QAccessible.installFactory(_interface_of)
