"""How days, captures and views are said on the page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QLocale

from jutrek.formats import Precision
from jutrek.views.columns import KINDS, Names, day_of
from jutrek.views.orders import Order

if TYPE_CHECKING:
    from jutrek.desk.laid_out import View


def day_title(day: int | None) -> tuple[str, str, str]:
    """The title of a day: its figure, and what stands beside it, above and below."""
    if day is None:
        return "–", "without", "a day"
    date = day_of(day)
    locale = QLocale(QLocale.Language.English)
    return str(date.day), locale.toString(date, "ddd"), f"{locale.toString(date, 'MMM')} {date.year}"


ORDERS = {
    Order.MOMENT: "by moment", Order.NAME: "by name", Order.KIND: "by kind", Order.SIZE: "the largest first",
    Order.MARK: "by mark", Order.RATING: "the best rated first", Order.CHANGED: "changed last first",
    Order.HAND: "by hand",
}  # fmt: skip
"""What orders are called."""


def when_words(view: View, row: int) -> str:
    """When a capture was shot, as far as it is known."""
    when, precision = view.columns.when(row), Precision(int(view.columns.precision[row]) or 1)
    if when is None:
        return "without a date"
    form = {
        Precision.YEAR: "yyyy", Precision.MONTH: "MMMM yyyy", Precision.DAY: "d MMMM yyyy",
        Precision.MINUTE: "d MMMM yyyy, HH:mm",
    }.get(precision, "d MMMM yyyy, HH:mm:ss")  # fmt: skip
    words = QLocale(QLocale.Language.English).toString(when, form)
    return f"{words}, doubtful" if view.columns.trust[row] == 1 else words


def mark_words(view: View, row: int) -> str:
    """The mark of a capture, and what it means; empty where it has none."""
    names, code = view.columns.names, view.columns.mark[row]
    return f"{names[Names.MARK][code]} {names[Names.MEANING][code]}".strip()


def spoken(view: View, row: int) -> str:
    """What a screen reader says of a capture."""
    columns = view.columns
    device = columns.names[Names.DEVICE][columns.device[row]]
    mark = mark_words(view, row)
    parts = [columns.name(row), KINDS[columns.kind[row]], when_words(view, row)]
    parts += [f"device {device}"] if device else []
    parts += [f"marked {mark}"] if mark else []
    parts += [lies] if (lies := view.lies(row)) else []
    return ", ".join(parts)
