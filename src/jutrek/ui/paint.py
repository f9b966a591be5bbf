"""Drawing that several widgets share: elided text, rounded cards, figures and words."""

from __future__ import annotations

import functools
import re
import sys
import traceback
from collections.abc import Callable
from typing import Any, TypeVar, cast

from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetrics, QPainter, QPen, QPixmap, QStaticText, QTransform

from jutrek.ui.plainly import plain
from jutrek.ui.theme import RADIUS
from jutrek.words import counted as _counted

_Paints = TypeVar("_Paints", bound=Callable[..., None])
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
CENTRE = Qt.AlignmentFlag.AlignCenter
counted = _counted
_MOST = 8192
_fitted: dict[tuple[str, int, Qt.TextElideMode, int], tuple[QFont, QStaticText, int, int]] = {}
"""Lines laid out as they fit into a width, how wide and how high they are then: the same ones are painted again and
again, and laying one out takes four times as long as painting it."""


def text(
    painter: QPainter,
    box: QRect,
    words: str,
    font: QFont,
    colour: QColor,
    *,
    align: Qt.AlignmentFlag = LEFT,
    cut: Qt.TextElideMode = Qt.TextElideMode.ElideRight,
) -> int:
    """Write one line into a box, elided where it does not fit. Returns its width in pixels.

    Args:
        painter: paints.
        box: in pixels.
        words: the line.
        font: of it.
        colour: of it.
        align: in the box.
        cut: which end is left out where it does not fit.
    """
    painter.setFont(font)
    painter.setPen(colour)
    known = _fitted.get(key := (words, id(font), cut, box.width()))
    if known is None or known[0] is not font:
        metrics = QFontMetrics(font)
        fitting = metrics.elidedText(plain(words), cut, box.width())
        if len(_fitted) > _MOST:
            _fitted.clear()
        line = QStaticText(fitting)
        line.setTextFormat(Qt.TextFormat.PlainText)
        line.prepare(QTransform(), font)
        known = _fitted[key] = font, line, metrics.horizontalAdvance(fitting), metrics.height()
    _, line, width, height = known
    left = box.left()
    if align is RIGHT:
        left += box.width() - width
    elif align is CENTRE:
        left += (box.width() - width) // 2
    painter.drawStaticText(left, box.top() + (box.height() - height) // 2, line)
    return width


_DAY = re.compile(r"\d{4}\D?\d\d\D?\d\d")
_MOMENT = re.compile(_DAY.pattern + r"(\D{0,2}\d\d\D?\d\d(\D?\d\d)?)?")


def name(
    painter: QPainter, box: QRect, words: str, font: QFont, colour: QColor, *, align: Qt.AlignmentFlag = LEFT
) -> int:
    """Write a file's name as `text` does, cut as by `fitting_name`."""
    return text(painter, box, fitting_name(words, font, box.width()), font, colour, align=align)


def fitting_name(words: str, font: QFont, width: int) -> str:
    """A file's name as it fits into a width in pixels: what follows its date is cut, and never the date.

    Where not even the date fits, the day is left out before the time is: names in a list are of one day more often than
    of one second.
    """
    metrics, begins = QFontMetrics(font), _MOMENT.match(words)
    if begins is None:
        return metrics.elidedText(plain(words), Qt.TextElideMode.ElideMiddle, width)
    whole = metrics.horizontalAdvance(plain(words)) <= width
    if not whole and metrics.horizontalAdvance(f"{begins[0]}…") > width and (day := _DAY.match(words)) is not None:
        words = f"…{words[day.end() :]}"
    return metrics.elidedText(plain(words), Qt.TextElideMode.ElideRight, width)


def width_of(words: str, font: QFont) -> int:
    """The width of one line, in pixels."""
    return QFontMetrics(font).horizontalAdvance(plain(words))


_WRAPPED = int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap)


def wrapped(painter: QPainter, box: QRect, words: str, font: QFont, colour: QColor) -> None:
    """Write sentences into a box, over as many lines as they need.

    Args:
        painter: paints.
        box: in pixels.
        words: the sentences.
        font: of them.
        colour: of them.
    """
    painter.setFont(font)
    painter.setPen(colour)
    painter.drawText(box, _WRAPPED, plain(words))


def wrapped_height(words: str, font: QFont, width: int) -> int:
    """The height that `wrapped` needs for words in a box of a width, in pixels."""
    return QFontMetrics(font).boundingRect(QRect(0, 0, width, 10_000), _WRAPPED, plain(words)).height()


def card(painter: QPainter, box: QRect, fill: QColor, edge: QColor, *, width: float = 1.0) -> None:
    """A card: a rounded panel with an edge.

    Args:
        painter: paints.
        box: in pixels.
        fill: its colour.
        edge: its colour.
        width: of the edge in pixels.
    """
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(edge, width))
    painter.setBrush(fill)
    inset = width / 2
    painter.drawRoundedRect(QRectF(box).adjusted(inset, inset, -inset, -inset), RADIUS, RADIUS)


def filling(painter: QPainter, box: QRect, picture: QPixmap | None, track: QColor) -> None:
    """A picture that fills a box, of which what stands over is left out.

    Args:
        painter: paints.
        box: in pixels.
        picture: None where there is none yet.
        track: the colour of the box then.
    """
    if picture is None or picture.isNull():
        painter.fillRect(box, track)
        return
    whole, ratio = picture.deviceIndependentSize().toSize(), picture.devicePixelRatio()
    inner = box.size().scaled(whole, Qt.AspectRatioMode.KeepAspectRatio)
    left, top = (whole.width() - inner.width()) / 2, (whole.height() - inner.height()) / 2
    source = QRectF(left * ratio, top * ratio, inner.width() * ratio, inner.height() * ratio)
    painter.drawPixmap(QRectF(box), picture, source)


def bar(painter: QPainter, box: QRect, share: float, fill: QColor, track: QColor) -> None:
    """A thin bar that is filled to a share between 0 and 1.

    Args:
        painter: paints.
        box: in pixels.
        share: from 0 to 1.
        fill: the colour of that share.
        track: the colour of the whole.
    """
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(track)
    radius = min(3.0, box.height() / 2)
    painter.drawRoundedRect(box, radius, radius)
    if share > 0:
        filled = QRect(box)
        filled.setWidth(max(int(box.width() * min(share, 1.0)), box.height()))
        painter.setBrush(fill)
        painter.drawRoundedRect(filled, radius, radius)


def size_words(count: float) -> str:
    """Bytes in decimal units, as on the cards: `31.8 GB`."""
    for unit in ("B", "kB", "MB", "GB"):
        if count < 999.5:
            return f"{count:.0f} {unit}" if unit in ("B", "kB") or count >= 100 else f"{count:.1f} {unit}"
        count /= 1000
    return f"{count:.2f} TB"


def length_words(seconds: float) -> str:
    """A length as `0:42` or `1:02:03`."""
    whole = int(seconds + 0.5)
    if whole >= 3600:
        return f"{whole // 3600}:{whole // 60 % 60:02}:{whole % 60:02}"
    return f"{whole // 60}:{whole % 60:02}"


def time_left_words(seconds: float | None) -> str:
    """What is left of a run, in words that do not jump about."""
    if seconds is None:
        return "Working out how long it takes."
    if seconds < 10:
        return "A few seconds left."
    if seconds < 90:
        return f"About {round(seconds / 10) * 10} seconds left."
    return f"About {round(seconds / 60)} minutes left."


def safely(paints: _Paints) -> _Paints:
    """Let something that paints fail alone. What it had begun is ended, and the error is told like any other.

    A painter that lives on in a traceback would keep its widget from being painted, and end the process with it.
    """

    @functools.wraps(paints)
    def painted(*args: Any) -> None:
        try:
            paints(*args)
        # Whatever it is: Qt, which called, can't take it.
        except Exception as error:  # noqa: BLE001
            traceback.clear_frames(error.__traceback__)
            sys.excepthook(type(error), error, error.__traceback__)

    return cast("_Paints", painted)
