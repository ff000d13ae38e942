"""One line of a terminal that says how far long work is."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager

import typer

from rook_tally.core.progress import Progress, unwatched


@contextmanager
def progress_line(words: str) -> Iterator[Progress]:
    """Tell the share done on the error stream, over and over in one line that ends with the work;
    nothing where that is no terminal."""
    if not sys.stderr.isatty():
        yield unwatched
        return
    told = -1

    def tell(share: float) -> None:
        nonlocal told
        if round(100 * share) != told:
            told = round(100 * share)
            typer.echo(f"\r{words} … {told:3}%", err=True, nl=False)

    try:
        yield tell
    finally:
        if told >= 0:
            typer.echo(err=True)
