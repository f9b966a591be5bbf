"""Errors in methods that stand in the place of Qt's: whole, so that the window survives them."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QSize
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QApplication, QWidget

from jutrek.ui.app.start import application


class Broken(QWidget):
    """Fails whenever its size changes, as C code fails: with a class and a text."""

    def resizeEvent(self, event: QResizeEvent) -> None:
        "".index("x")


def test_an_error_where_python_called_qt_and_qt_called_us_comes_back_to_python() -> None:
    """Without that the process ends, whatever is at work in it (PySide 6.11 on Python 3.11)."""
    application()
    broken = Broken()
    with pytest.raises(ValueError, match="substring not found"):
        QApplication.sendEvent(broken, QResizeEvent(QSize(9, 9), QSize(1, 1)))
    broken.deleteLater()


def test_a_module_is_not_asked_for_anything_while_it_is_imported(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Some, such as pydantic, import more when they are asked: two threads that do so at once see half of it."""
    (tmp_path / "touchy.py").write_text("def __getattr__(name): raise ImportError(name)\n")
    monkeypatch.syspath_prepend(tmp_path)
    application()
    import touchy  # type: ignore[import-not-found]  # noqa: F401
