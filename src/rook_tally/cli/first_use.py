"""Asking before a way out is used for the first time."""

from __future__ import annotations

import sys
from collections.abc import Sequence

import typer


def ask_first(sentences: Sequence[str], *, is_sure: bool) -> None:
    """Say what is going to leave this machine, and ask whether that is meant; a script, which
    cannot be asked, is only told.

    Raises
    ------
    typer.Abort
        When it is not.
    """
    for one in sentences:
        typer.echo(one, err=True)
    if sentences and not is_sure and sys.stdin.isatty():
        typer.confirm("Go on?", abort=True, err=True)
