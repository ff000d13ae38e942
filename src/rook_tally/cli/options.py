"""Options that several commands share."""

from __future__ import annotations

from typing import Annotated

import typer

StoreOption = Annotated[
    str | None,
    typer.Option(
        "--store",
        metavar="PATH|URL",
        envvar="ROOK_TALLY_STORE",
        help="Which store, if not the usual one.",
    ),
]
YesOption = Annotated[bool, typer.Option("--yes", help="Do not ask about a new way out.")]
JsonOption = Annotated[bool, typer.Option("--json", help="Print one JSON list and nothing else.")]


def chosen_store(context: typer.Context, store: str | None) -> str:
    """The store a command is about: its own option, the one before its name, or the usual one."""
    from rook_tally.cli.paths import usual_store

    chosen: str | None = store if store is not None else context.obj
    return chosen if chosen is not None else str(usual_store())
