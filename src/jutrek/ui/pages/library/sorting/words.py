"""How piles and answers are said."""

from __future__ import annotations

from datetime import date

from PySide6.QtCore import QLocale

from jutrek.sorting.piles import By
from jutrek.ui import paint
from jutrek.ui.plainly import plain

BY = {
    By.MONTH: "by month", By.DEVICE: "by device", By.PLACE: "by place", By.SHOOT: "by shoot", By.FOLDER: "by folder",
    By.LIKELY: "by what they likely are",
}  # fmt: skip
"""What piles are made by, as it is said."""
_NONE = {
    By.MONTH: "no date to trust", By.DEVICE: "no device known", By.PLACE: "no place known",
    By.SHOOT: "in no shoot", By.FOLDER: "right in the root", By.LIKELY: "clips and sounds",
}  # fmt: skip


def pile_words(by: By, key: str, top: str = "") -> str:
    """What a pile is called; of a folder only what is below `top`, which all of them have in common."""
    if not key:
        return _NONE[by]
    if by is By.FOLDER and top:
        return plain(key[len(top) :].lstrip("/")) or f"right in {plain(top.rpartition('/')[2])}"
    if by is By.LIKELY:
        return f"likely {plain(key)}s"
    if by is not By.MONTH:
        return plain(key)
    year, _, month = key.partition("-")
    if not month:
        return f"{year}, no month known"
    return str(QLocale(QLocale.Language.English).toString(date(int(year), int(month), 1), "MMMM yyyy"))


def target_words(target: str) -> tuple[str, str]:
    """What a folder is called, and where it lies."""
    above, _, name = target.rpartition("/")
    return plain(name) or "the root", " / ".join(map(plain, above.split("/"))) if above else "in the root"


def chosen_words(count: int) -> str:
    """How many captures are chosen."""
    return f"{paint.counted(count, 'capture is', 'captures are')} chosen." if count else "Nothing is chosen."
