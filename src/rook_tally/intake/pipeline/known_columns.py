"""The series of messages' fields, remembered: a station sends the same fields every time."""

from __future__ import annotations

from typing import NamedTuple, TypeAlias

from rook_tally.store.site import Series

ColumnsKey: TypeAlias = tuple[int, tuple[str, ...], tuple[str | None, ...] | None]
"""A station's id, the fields of its message, and the units it gave where it gave any."""
# What is remembered takes little, whoever sends which.
_MOST, _MOST_FIELDS = 2_000, 400


class KnownColumns(NamedTuple):
    """The series of a message's fields, and beside each its id, how its wire unit becomes the base
    unit (value × factor + offset), and what is believable. `are_distinct` says that none comes
    twice."""

    series: tuple[Series, ...]
    ids: tuple[int, ...]
    factors: tuple[float, ...]
    offsets: tuple[float, ...]
    lowest: tuple[float, ...]
    highest: tuple[float, ...]
    are_distinct: bool


class RememberedColumns:
    """Used by one thread; for as long as the configuration stays as it is."""

    def __init__(self) -> None:
        self._known: dict[ColumnsKey, KnownColumns] = {}

    def find(self, key: ColumnsKey) -> KnownColumns | None:
        """The series of a message's fields; None where they are not known yet."""
        return self._known.get(key)

    def remember(self, key: ColumnsKey, columns: KnownColumns) -> None:
        """Remember them, unless they are too many."""
        if len(key[1]) > _MOST_FIELDS:
            return
        if len(self._known) >= _MOST:
            self._known.clear()
        self._known[key] = columns

    def forget(self) -> None:
        """Drop them: the configuration is another."""
        self._known.clear()
