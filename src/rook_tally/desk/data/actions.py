"""Everything that can be done in the window, with its keys: found by name, listed on the sheet."""

from __future__ import annotations

import enum
from collections.abc import Callable

import msgspec


class Section(enum.Enum):
    """Where a command stands on the sheet of keys."""

    EVERYWHERE = "Everywhere"
    TIME = "Time"
    LEDGER = "Ledger"
    STRIP = "Strip"
    WALL = "Wall"
    WORKINGS = "Workings"
    BENCH = "Bench"
    WATCH = "Watch"
    REPORTS = "Reports"
    STATIONS = "Stations"


class Action(msgspec.Struct, frozen=True):
    """Something to do: in words, by these keys, by this call."""

    section: Section
    words: str
    keys: tuple[str, ...]
    call: Callable[[], object]


_SIGNS = {
    "Left": "←",
    "Right": "→",
    "Up": "↑",
    "Down": "↓",
    "Return": "Enter",
    "Del": "Delete",
    "-": "−",
}


def key_words(keys: tuple[str, ...]) -> str:
    """Keys as they stand on the sheet; the first is enough where several do the same."""
    if not keys:
        return ""
    *with_keys, last = keys[0].split("+") if keys[0] != "+" else ["+"]
    return "+".join([*with_keys, _SIGNS.get(last, last)])
