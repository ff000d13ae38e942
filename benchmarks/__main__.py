"""`./rook bench [NAME…]`."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from benchmarks.table import print_changes, print_history, run_benches, write_page
from rook_tally.core.errors import RookTallyError


def bench(
    names: Annotated[list[str] | None, typer.Argument(metavar="[NAME…]")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="As JSON, one object a line.")] = False,
    history: Annotated[
        bool, typer.Option("--history", help="Print the figures kept so far, and measure nothing.")
    ] = False,
    page: Annotated[
        Path | None,
        typer.Option("--page", metavar="FILE", help="Write the newest figures kept as a page."),
    ] = None,
    against: Annotated[
        str, typer.Option(metavar="REV", help="Measure this revision and what is here in turn.")
    ] = "",
    pairs: Annotated[int, typer.Option(min=2, help="How often, with --against.")] = 3,
) -> None:
    """Measure the speeds we promise, each beside its limit in the same run; the figures are kept
    with their commit and machine."""
    try:
        if history:
            print_history(names or [])
        elif page is not None:
            write_page(page)
        elif against:
            print_changes(against, names or [], pairs)
        else:
            run_benches(names or [], as_json=as_json)
    except RookTallyError as error:
        sys.stderr.write(f"bench: {error}\n")
        raise typer.Exit(1) from None


typer.run(bench)
