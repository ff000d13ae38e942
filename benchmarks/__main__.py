"""`./rook bench [NAME…]`."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from benchmarks.table import run_benches
from rook_tally.core.errors import RookTallyError


def bench(
    names: Annotated[list[str] | None, typer.Argument(metavar="[NAME…]")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="As JSON, one object a line.")] = False,
) -> None:
    """Measure the speeds we promise, each beside its limit in the same run."""
    try:
        run_benches(names or [], as_json=as_json)
    except RookTallyError as error:
        sys.stderr.write(f"bench: {error}\n")
        raise typer.Exit(1) from None


typer.run(bench)
