"""The command line: `jutrek read`, `plan`, `bring`, `app`, `demo`.

Exit codes: 0 all is home · 1 some files are not home (each named on the error output) · 2 a wrong call ·
3 the library or a place cannot be used.
"""

from __future__ import annotations

import os
import sys

ALL_HOME, NOT_ALL_HOME, WRONG_CALL, UNUSABLE = 0, 1, 2, 3


def main() -> None:
    """The console script. Errors become one sentence on the error output and an exit code."""
    if sys.argv[1:] == ["--version"]:
        # What is asked most often by other programs waits for no command to be loaded.
        from jutrek import __version__
        from jutrek.cli.telling import out

        out(f"Jutrek {__version__}")
        return
    from jutrek.cli.commands import COMMANDS, command_of
    from jutrek.cli.telling import complain
    from jutrek.errors import (
        JutrekError,
        LibraryTrouble,
        NoSuchDay,
        NoSuchDevice,
        NoSuchQuestion,
        NotPossible,
        PlaceFull,
        PlaceLost,
        PlanUnusable,
        SourceRefused,
        reason,
    )

    # File names may hold any bytes; what cannot be printed is escaped, and never ends the program.
    for stream in (sys.stdout, sys.stderr):
        stream.reconfigure(errors="backslashreplace")  # type: ignore[union-attr]
    try:
        called = tuple(word for word in sys.argv[1:2] if word in COMMANDS)
        command_of(called or tuple(COMMANDS))(prog_name="jutrek")
    except (SourceRefused, NotPossible, PlanUnusable, NoSuchDay, NoSuchDevice, NoSuchQuestion) as error:
        code, words = WRONG_CALL, str(error)
    except (LibraryTrouble, PlaceFull, PlaceLost) as error:
        code, words = UNUSABLE, str(error)
    except JutrekError as error:
        code, words = NOT_ALL_HOME, str(error)
    except OSError as error:
        # A drive that went away meanwhile, above all. What was proven until then is home.
        code, words = UNUSABLE, f"{os.fsdecode(error.filename or 'The disk')} can't be used any more: {reason(error)}."
    complain(words)
    sys.exit(code)
