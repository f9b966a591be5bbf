"""Chart paper and ink: colours, type and spacing, in a light and a dark form."""

from __future__ import annotations

import os
from functools import cache
from importlib.util import find_spec
from typing import NamedTuple

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication

FAMILY = "Source Sans Pro"
_UNNAMED = frozenset({"", "Sans Serif", "Sans", "DejaVu Sans", "Noto Sans", "Monospace"})
RADIUS = 5


class Theme(NamedTuple):
    """Colours by what they are for."""

    paper: QColor
    card: QColor
    line: QColor
    ink: QColor
    soft: QColor
    accent: QColor
    accent_wash: QColor
    on_accent: QColor
    amber: QColor
    amber_wash: QColor
    brick: QColor
    track: QColor
    home: QColor
    devices: tuple[QColor, ...]

    def device(self, number: int) -> QColor:
        """The colour of a device by its number."""
        return self.devices[number % len(self.devices)]


def _colours(*codes: str) -> tuple[QColor, ...]:
    return tuple(QColor(code) for code in codes)


LIGHT = Theme(
    QColor("#F4F5F1"), QColor("#FFFFFF"), QColor("#D5DCD8"), QColor("#1B2A30"), QColor("#5C6B70"), QColor("#0B6E6E"),
    QColor("#E2EEEC"), QColor("#FFFFFF"), QColor("#A05600"), QColor("#FFF6E6"), QColor("#A2382B"),
    QColor("#E9EDEA"), QColor("#6C7C80"),
    _colours("#2F6DB5", "#BE5319", "#2B8365", "#8A5FB0", "#8E7018", "#407B90", "#A8487A", "#6B7A2E"),
)  # fmt: skip
DARK = Theme(
    QColor("#182124"), QColor("#212C30"), QColor("#3A484D"), QColor("#E8EDEB"), QColor("#A3B0B2"), QColor("#4DB6B0"),
    QColor("#213E41"), QColor("#0E1A1B"), QColor("#E3A04A"), QColor("#3A2F1E"), QColor("#E98A7C"),
    QColor("#2E3A3E"), QColor("#8B9A9D"),
    _colours("#6C9FDB", "#E08A55", "#5DB892", "#B28FD6", "#D4B04C", "#78B7CE", "#D27FA8", "#A3B35C"),
)  # fmt: skip


def current() -> Theme:
    """The theme that follows the desktop's colour scheme."""
    dark = QGuiApplication.styleHints().colorScheme() is Qt.ColorScheme.Dark
    return DARK if dark or os.environ.get("JUTREK_THEME") == "dark" else LIGHT


@cache
def font(
    pixels: float = 13, weight: QFont.Weight = QFont.Weight.Normal, *, spaced: bool = False, italic: bool = False
) -> QFont:
    """A font of the interface's family, with tabular figures.

    Args:
        pixels: its size.
        weight: as Qt counts.
        spaced: how much letters stand apart, in pixels.
        italic: whether it leans.
    """
    made = QFont(QApplication.font().family())
    made.setPixelSize(round(pixels))
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    made.setItalic(italic)
    if spaced:
        made.setLetterSpacing(QFont.SpacingType.AbsoluteSpacing, 1.2)
    return made


BODY, HEADLINE = 13, 15
NORMAL, SEMIBOLD, BOLD, THIN = QFont.Weight.Normal, QFont.Weight.DemiBold, QFont.Weight.Bold, QFont.Weight.Light


def section() -> QFont:
    """Small spaced capitals above a column."""
    return font(11.5, SEMIBOLD, spaced=True)


def dress(app: QApplication) -> None:
    """Give the application its family, palette and style."""
    app.setStyle("Fusion")
    if QApplication.font().family() in _UNNAMED:
        _load_family()
        app.setFont(QFont(FAMILY))
    app.setFont(font(BODY))
    theme = current()
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, theme.paper),
        (QPalette.ColorRole.Base, theme.card),
        (QPalette.ColorRole.AlternateBase, theme.paper),
        (QPalette.ColorRole.Button, theme.card),
        (QPalette.ColorRole.WindowText, theme.ink),
        (QPalette.ColorRole.Text, theme.ink),
        (QPalette.ColorRole.ButtonText, theme.ink),
        (QPalette.ColorRole.ToolTipBase, theme.card),
        (QPalette.ColorRole.ToolTipText, theme.ink),
        (QPalette.ColorRole.PlaceholderText, theme.soft),
        (QPalette.ColorRole.Highlight, theme.accent),
        (QPalette.ColorRole.HighlightedText, theme.on_accent),
    ):
        palette.setColor(role, colour)
    app.setPalette(palette)
    app.setStyleSheet(_sheet(theme))


def _load_family() -> None:
    # Found and not imported: its module lists all of its files with a pattern.
    package = find_spec("font_source_sans_pro")
    folder = os.path.join(os.path.dirname(package.origin or ""), "files") if package is not None else ""
    for weight in ("Regular", "Semibold", "Bold", "Light", "It"):
        QFontDatabase.addApplicationFont(os.path.join(folder, f"SourceSansPro-{weight}.ttf"))


def _sheet(theme: Theme) -> str:
    def name(colour: QColor) -> str:
        return colour.name()

    return f"""
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QPushButton {{ background: {name(theme.card)}; border: 1px solid {name(theme.line)}; border-radius: 5px;
        padding: 0 16px; min-height: 32px; font-weight: 600; color: {name(theme.ink)}; }}
    QPushButton:hover {{ border-color: {name(theme.soft)}; }}
    QPushButton:focus {{ border: 2px solid {name(theme.accent)}; }}
    QPushButton:disabled {{ color: {name(theme.soft)}; background: {name(theme.track)}; }}
    QPushButton[main="true"] {{ background: {name(theme.accent)}; color: {name(theme.on_accent)};
        border-color: {name(theme.accent)}; font-weight: 700; }}
    QPushButton[main="true"]:hover {{ background: {name(theme.accent.darker(112))}; }}
    QPushButton[main="true"]:focus {{ border: 2px solid {name(theme.ink)}; }}
    QPushButton[main="true"]:disabled {{ background: {name(theme.track)}; color: {name(theme.soft)};
        border-color: {name(theme.line)}; }}
    QPushButton[link="true"] {{ background: transparent; border: 1px solid transparent; padding: 0 6px;
        min-height: 24px; color: {name(theme.accent)}; }}
    QPushButton[link="true"]:focus {{ border: 1px solid {name(theme.accent)}; }}
    QTreeWidget {{ background: transparent; border: none; outline: none; show-decoration-selected: 1; }}
    QTreeWidget::item {{ height: 25px; padding: 0 4px; }}
    QTreeWidget::item:selected, QTreeWidget::branch:selected {{ background: {name(theme.accent_wash)};
        color: {name(theme.ink)}; }}
    QLineEdit {{ background: {name(theme.card)}; border: 1px solid {name(theme.soft)}; border-radius: 4px;
        padding: 0 4px; min-height: 22px; color: {name(theme.ink)}; selection-background-color: {name(theme.accent)}; }}
    QLineEdit:focus {{ border: 2px solid {name(theme.accent)}; }}
    QMenu {{ background: {name(theme.card)}; border: 1px solid {name(theme.line)}; padding: 4px; }}
    QMenu::item {{ padding: 5px 18px; border-radius: 4px; color: {name(theme.ink)}; }}
    QMenu::item:selected {{ background: {name(theme.accent_wash)}; }}
    QLabel[held="true"] {{ background: {name(theme.accent)}; color: {name(theme.card)}; border-radius: 4px;
        padding: 3px 8px; }}
    QMenu::item:disabled {{ color: {name(theme.soft)}; }}
    QPushButton[small="true"] {{ min-height: 24px; padding: 0 10px; }}
    QPushButton[chip="true"] {{ border-radius: 12px; min-height: 24px; padding: 0 11px; font-weight: 400;
        background: {name(theme.paper)}; }}
    QPushButton[page="true"] {{ background: transparent; border: 1px solid transparent; padding: 0 8px;
        min-height: 24px; font-size: 14px; font-weight: 400; color: {name(theme.soft)}; }}
    QPushButton[page="true"]:checked {{ font-weight: 600; color: {name(theme.ink)}; }}
    QPushButton[chip="true"]:focus, QPushButton[page="true"]:focus {{ border: 2px solid {name(theme.accent)}; }}
    QPushButton[tab="true"] {{ min-height: 22px; padding: 0 10px; font-weight: 400; }}
    QPushButton[tab="true"]:checked {{ background: {name(theme.accent_wash)}; border-color: {name(theme.accent)}; }}
    QLineEdit[wrong="true"], QLineEdit[wrong="true"]:focus {{ border: 2px solid {name(theme.brick)}; }}
    QListWidget[menu="true"]::item {{ padding: 0 6px; border-radius: 4px; color: {name(theme.ink)}; }}
    QListWidget[menu="true"]::item:selected {{ background: {name(theme.accent_wash)}; color: {name(theme.ink)};
        font-weight: 600; }}
    QTableView {{ background: transparent; border: none; outline: none; alternate-background-color: {name(theme.paper)};
        selection-background-color: {name(theme.accent_wash)}; selection-color: {name(theme.ink)}; }}
    QTableView:focus, QTreeWidget:focus {{ border: 1px solid {name(theme.accent)}; }}
    QHeaderView::section {{ background: transparent; border: none; border-bottom: 1px solid {name(theme.line)};
        padding: 4px 8px; color: {name(theme.soft)}; }}
    QListView {{ background: transparent; border: none; outline: none; }}
    QListWidget[ticked="true"] {{ background: {name(theme.card)}; border: 1px solid {name(theme.line)};
        border-radius: 5px; padding: 4px; }}
    QListWidget[menu="true"]:focus, QListWidget[ticked="true"]:focus {{ border: 1px solid {name(theme.accent)}; }}
    QToolTip {{ border: 1px solid {name(theme.line)}; padding: 4px; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {name(theme.line)}; border-radius: 4px; min-height: 32px; margin: 1px; }}
    QScrollBar::handle:vertical:hover {{ background: {name(theme.soft)}; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
        background: transparent; border: none; height: 0; }}
    """
