"""Children that kill themselves in the middle of what they do: forked, so that they need not be started anew."""

from __future__ import annotations

import os
import signal
import traceback
from collections.abc import Callable

import pytest

from jutrek.filing import Row


def killed_in(job: Callable[[], object]) -> None:
    """Do a job in a child, which must not live to its end.

    Args:
        job: kills the process that it runs in, by `die` or through `killing_at`.
    """
    child = os.fork()
    if not child:
        try:
            job()
        except BaseException:  # noqa: BLE001
            traceback.print_exc()
        os._exit(0)
    _, status = os.waitpid(child, 0)
    assert os.WIFSIGNALED(status), "the child came to its end"
    assert os.WTERMSIG(status) == signal.SIGKILL


def die(*_: object, **__: object) -> None:
    """End at once, as by a cable that is pulled or a battery that is empty."""
    os.kill(os.getpid(), signal.SIGKILL)


def killing_at(step: str, count: int = 1) -> Callable[[str, Row], None]:
    """A listener's `step` that dies when a step has come for the so-manieth time."""
    left = [count]

    def on(name: str, _: Row) -> None:
        left[0] -= name == step
        if name == step and left[0] <= 0:
            die()

    return on


def dying_before(owner: object, name: str, cut: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Let the process die before a function is called for the so-manieth time."""
    real, left = getattr(owner, name), [cut]

    def dying(*args: object, **more: object) -> object:
        left[0] -= 1
        if not left[0]:
            die()
        return real(*args, **more)

    monkeypatch.setattr(owner, name, dying)
