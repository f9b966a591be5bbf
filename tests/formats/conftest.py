"""Reading bytes as a file, and counting what it cost."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from jutrek.formats import Reading, read, span
from tests.making import put


@pytest.fixture
def reading(tmp_path: Path) -> Callable[..., Reading]:
    """Reads bytes as a file of some name."""

    def of(data: bytes, name: str = "a.bin") -> Reading:
        return read(str(put(tmp_path / name, data)))

    return of


@pytest.fixture
def costs(monkeypatch: pytest.MonkeyPatch) -> list[span.FileBytes]:
    """The files opened for reading; each knows what it cost in bytes."""
    opened: list[span.FileBytes] = []
    make = span.FileBytes.__init__
    monkeypatch.setattr(span.FileBytes, "__init__", lambda self, *a: (opened.append(self), make(self, *a))[1])
    return opened
