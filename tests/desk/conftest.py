"""A session for the tests of the desk, and an ear that hears it."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from tests.desk.talk import Ear, Talk


@pytest.fixture
def ear() -> Ear:
    return Ear()


@pytest.fixture
def session(ear: Ear) -> Iterator[Talk]:
    session = Talk(ear)
    yield session
    session.close()
