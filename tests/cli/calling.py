"""Calling the program within this process: starting a new one for every call costs more than most calls do."""

from __future__ import annotations

import io
import signal
import sys
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from pathlib import Path
from unittest.mock import patch

from jutrek.cli import main


@dataclass(frozen=True)
class Said:
    """What a command printed."""

    stdout: str
    stderr: str


def jutrek(*words: str | Path, code: int = 0) -> Said:
    """Call the program, with the exit code that is expected of it. Signals are handled as before afterwards."""
    handlers = {number: signal.getsignal(number) for number in (signal.SIGINT, signal.SIGTERM)}
    out, err = (io.TextIOWrapper(io.BytesIO(), encoding="utf-8", write_through=True) for _ in range(2))
    ended: object = 0
    try:
        with patch.object(sys, "argv", ["jutrek", *map(str, words)]), redirect_stdout(out), redirect_stderr(err):
            main()
    except SystemExit as exited:
        ended = exited.code or 0
    finally:
        for number, handler in handlers.items():
            signal.signal(number, handler)
    said = Said(*(stream.buffer.getvalue().decode() for stream in (out, err)))  # type: ignore[attr-defined]
    assert ended == code, said.stderr
    return said
