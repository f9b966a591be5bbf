"""Writes docs/command-line.md and the man page from what the program says of itself: `./run shots` does it."""

from __future__ import annotations

import io
import os
from collections.abc import Iterator
from contextlib import redirect_stdout, suppress
from unittest.mock import patch

from jutrek import __version__
from jutrek.cli.commands import COMMANDS, EXAMPLES, GROUPS, app_of

_HERE = os.path.dirname(os.path.abspath(__file__))
PAGE = os.path.join(_HERE, "command-line.md")
MAN = os.path.join(_HERE, "..", "share", "man", "man1", "jutrek.1")
_BEGIN, _END = "<!-- commands -->", "<!-- end -->"
_OF_GROUPS = ("rules", "library", "backups", "devices", "counters", "unwanted", "simulate")


def help_of(*words: str) -> str:
    """What a command says of itself, as on a terminal of 80 columns."""
    told = io.StringIO()
    with patch.dict(os.environ, {"COLUMNS": "80"}), redirect_stdout(told), suppress(SystemExit):
        app_of(words[:1] or COMMANDS)([*words, "--help"], prog_name="jutrek")
    return told.getvalue().strip()


def commands() -> Iterator[tuple[str, list[tuple[str, str]]]]:
    """The groups, each with the calls in it and what they say of themselves."""
    for title, names in GROUPS.items():
        calls = []
        for name in names:
            text = help_of(name)
            calls.append((name, text))
            calls += [(f"{name} {own}", help_of(name, own)) for own in _below(text)] if name in _OF_GROUPS else []
        yield title, calls


def _below(text: str) -> list[str]:
    listed = text.partition("Commands:\n")[2].splitlines()
    return [line.split()[0] for line in listed if line.startswith("  ") and not line.startswith("   ")]


def page_text(old: str) -> str:
    """The page with the part that the program tells made anew."""
    before, _, rest = old.partition(_BEGIN)
    behind = rest.partition(_END)[2]
    lines = [_BEGIN]
    for title, calls in commands():
        lines += ["", f"## {title}"]
        for name, text in calls:
            lines += ["", f"### {name}", "", "```text", text, "```"]
    return f"{before}{chr(10).join(lines)}\n{_END}{behind}"


def man_text() -> str:
    """The man page, as roff (man(7))."""
    lines = [
        f'.TH JUTREK 1 "" "Jutrek {__version__}" "User Commands"', ".SH NAME",
        r"jutrek \- brings camera and recorder files home: dated, named, proven", ".SH SYNOPSIS", ".B jutrek",
        "[\\fIoptions\\fR] \\fIcommand\\fR [\\fIarguments\\fR]", ".SH EXAMPLES",
    ]  # fmt: skip
    for line, about in EXAMPLES:
        lines += [".TP", f"\\fB{_roff(line)}\\fR", _roff(about)]
    for title, calls in commands():
        lines.append(f'.SH "{title.upper()}"')
        for name, text in calls:
            lines += [f'.SS "{name}"', ".nf", *(_roff(line) for line in text.splitlines()), ".fi"]
    lines += [
        ".SH EXIT STATUS", ".TP", "0", "All is home, or done.", ".TP", "1", "Some files are not, each named.", ".TP",
        "2", "A wrong call.", ".TP", "3", "The library or a place cannot be used.",
    ]  # fmt: skip
    return "\n".join(lines) + "\n"


def _roff(text: str) -> str:
    escaped = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{escaped}" if escaped[:1] in (".", "'") else escaped


def write() -> None:
    """Write both anew."""
    with open(PAGE, encoding="utf-8") as file:
        text = page_text(file.read())
    os.makedirs(os.path.dirname(MAN), exist_ok=True)
    for path, new in ((PAGE, text), (MAN, man_text())):
        with open(path, "w", encoding="utf-8") as file:
            file.write(new)


if __name__ == "__main__":
    write()
