"""The commands in groups, as help and the manual show them, with examples."""

from __future__ import annotations

from typing import Any

from typer.core import TyperGroup

GROUPS = (
    ("Before anything moves", ("read", "plan", "find", "rules")),
    ("Bringing home", ("bring", "finish", "release", "clear", "eject", "drives", "unwanted")),
    ("What is home", ("say", "devices", "refile", "counters", "adopt", "doubles", "library")),
    ("Keeping it", ("places", "catch-up", "check", "gone")),
    ("What was done", ("journal", "report", "take-back")),
    ("The window, and trying things", ("app", "demo", "simulate")),
)
"""Every command, once."""
EXAMPLES = (
    ("jutrek plan CARD -l PICTURES", "where everything would land, and why; nothing is copied"),
    ("jutrek bring CARD", "bring it home; the library used last is meant where none is named"),
    ("jutrek release CARD", "prove that all on the card is home"),
    ("jutrek say 2026/05/survey --shoot 'Bridge survey'", "what captures are, said anew"),
    ("jutrek take-back", "what could be taken back; a number behind it does it"),
)


class Grouped(TyperGroup):
    """A command of many others, listed by what they are for."""

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Write the groups, and examples behind them."""
        for title, names in GROUPS:
            with formatter.section(title):
                formatter.write_dl([(name, self.commands[name].get_short_help_str(64)) for name in names])
        with formatter.section("Examples"):
            for line, about in EXAMPLES:
                formatter.write(f"  {line}\n      {about}\n")
