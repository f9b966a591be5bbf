"""The one door to the terminal: nothing from outside reaches it unescaped, and nobody who reads ends a run.

Names, words of metadata, what journals and rules hold: control characters and signs that turn the direction of text are
shown as escapes. Where the reader went away (a closed pipe), what is said goes nowhere from then on, and what is done
goes on to its end.
"""

from __future__ import annotations

import json
import os
import sys
from contextlib import suppress
from typing import Any, Literal, TextIO

from jutrek.errors import shown


def out(*cells: object) -> None:
    """Print a line of cells with tabs between them."""
    _write("stdout", "\t".join(shown(str(cell)) for cell in cells) + "\n")


def page(text: str) -> None:
    """Print lines."""
    if text.replace("\n", "").isprintable():
        # Of very many lines most often none has anything to escape.
        _write("stdout", text.removesuffix("\n") + "\n")
        return
    _write("stdout", "".join(f"{shown(line)}\n" for line in text.removesuffix("\n").split("\n")))


def as_json(value: Any, *, indent: int | None = None) -> None:
    """Print JSON, in ASCII."""
    _write("stdout", json.dumps(value, indent=indent, default=str) + "\n")


def raw_json(text: str) -> None:
    """Print JSON that was made already, in ASCII."""
    _write("stdout", text.encode("ascii", "backslashreplace").decode() + "\n")


def say(sentence: object) -> None:
    """Say a sentence on the error output."""
    _write("stderr", f"{shown(str(sentence))}\n")


def complain(trouble: object) -> None:
    """Say on the error output what is the matter."""
    say(f"jutrek: {trouble}")


def pointed_at(text: str, at: int | None) -> str:
    """Two more lines for a sentence about a text: the text, and a mark below one of its characters."""
    if at is None or not text:
        return ""
    return f"\n    {shown(text)}\n    {' ' * len(shown(text[:at]))}^"


def is_terminal(name: Literal["stdout", "stderr"]) -> bool:
    """Whether somebody looks at a stream, and not another program."""
    stream: TextIO = getattr(sys, name)
    return stream.isatty()


def _write(name: str, text: str) -> None:
    stream: TextIO = getattr(sys, name)
    try:
        stream.write(text)
        stream.flush()
    except (OSError, ValueError):
        _give_up(name, stream)


def _give_up(name: str, stream: TextIO) -> None:
    """Nobody reads it any more. Also what is still in its buffer must not fail at the end."""
    nowhere = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115
    with suppress(OSError, ValueError):
        os.dup2(nowhere.fileno(), stream.fileno())
    setattr(sys, name, nowhere)
