"""Appending a line to a file, durably, whatever was cut off before."""

from __future__ import annotations

import os


def append_line(fd: int, line: bytes) -> None:
    """Append a line, and its end, to a file that is open for reading and appending. One that was cut off before it is
    closed first: it costs only itself.

    Args:
        fd: of the file.
        line: without its end.

    Raises:
        OSError: when it can't be written whole.
    """
    size = os.fstat(fd).st_size
    torn = size > 0 and os.pread(fd, 1, size - 1) != b"\n"
    text = (b"\n" if torn else b"") + line + b"\n"
    while text:
        text = text[os.write(fd, text) :]
    os.fsync(fd)
