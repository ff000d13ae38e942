"""Forwards as tables of TOML files.

[[forward]]
slug = "parish"
kind = "http"
address = "https://parish.example/readings"
quantities = ["pm25"]
every_s = 300
"""

from __future__ import annotations

from typing import Any

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.forwards.definitions import KEPT, Forward, checked_forward


def forward_table(told: Forward) -> dict[str, Any]:
    """A forward as a table of a file."""
    found: dict[str, Any] = msgspec.to_builtins(told)
    return found


def forward_from_table(table: Any) -> Forward:
    """The forward of a table; UsageError with its name and what is wrong."""
    try:
        return checked_forward(msgspec.convert(table, Forward))
    except msgspec.ValidationError as error:
        name = table.get("slug", "?") if isinstance(table, dict) else "?"
        raise UsageError(
            f"{name}: {error}", kept=KEPT, remedy="see docs/handing-on.md for what a file holds"
        ) from error
