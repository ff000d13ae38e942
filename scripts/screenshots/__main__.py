"""`./rook shots [DIR]`."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from rook_tally.core.errors import RookTallyError
from scripts.screenshots.views import take_shots


def shots(
    directory: Annotated[Path, typer.Argument(metavar="DIR")] = Path("docs/screenshots"),
) -> None:
    """Take the current pictures of the main views, from the demo data at a fixed moment."""
    try:
        take_shots(directory)
    except RookTallyError as error:
        sys.stderr.write(f"shots: {error}\n")
        raise typer.Exit(1) from None


typer.run(shots)
