"""Options that several commands have."""

from __future__ import annotations

from typing import Annotated

import typer

AsJson = Annotated[bool, typer.Option("--json", help="Print JSON for other programs.")]
