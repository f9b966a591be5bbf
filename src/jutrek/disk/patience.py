"""Asking a disk that may not answer: a mount whose server is gone holds whoever asks it, for minutes or for good.

So a thread is asked that can be left behind. What did not answer is not asked once more until it has.
"""

from __future__ import annotations

import errno
import os
import threading
from collections.abc import Callable
from typing import Generic, TypeVar

_T = TypeVar("_T")
PATIENCE = 1.0
"""Seconds after which a disk that was asked something small is taken for one that does not answer."""

_lock = threading.Lock()
_unanswered: dict[str, threading.Thread] = {}


class _Question(Generic[_T]):
    """One question, and what came of it."""

    def __init__(self, ask: Callable[[], _T]) -> None:
        self._ask = ask
        self.answer: list[_T] = []
        self.error: BaseException | None = None

    def put(self) -> None:
        try:
            self.answer.append(self._ask())
        # Whatever it is, it is the asker's: it is raised where that waits.
        except BaseException as error:  # noqa: BLE001
            self.error = error


def patiently(about: str, ask: Callable[[], _T], patience: float = PATIENCE) -> _T:
    """Ask a disk something, and wait for the answer for a while.

    Args:
        about: what is asked, such as a mount point: while it owes an answer, it is not asked again.
        ask: gives the answer. It must change nothing: where it takes too long, nobody hears of it.
        patience: seconds.

    Raises:
        TimeoutError: when there is no answer in this time, or to what it was asked before.
        Exception: what asking raised.
    """
    question = _Question(ask)
    thread = threading.Thread(target=question.put, name=f"asks {about}", daemon=True)
    with _lock:
        before = _unanswered.get(about)
        asks = before is None or not before.is_alive()
        if asks:
            _unanswered[about] = thread
            thread.start()
    if asks:
        thread.join(patience)
    if not asks or thread.is_alive():
        raise TimeoutError(errno.ETIMEDOUT, os.strerror(errno.ETIMEDOUT), about)
    with _lock:
        if _unanswered.get(about) is thread:
            del _unanswered[about]
    if question.error is not None:
        raise question.error
    return question.answer[0]
