"""The order of the Ledger: what a person hides, moves and picks; without Qt."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

import msgspec

from rook_tally.desk.data.settings import LedgerArrangement, LedgerOrder

Item = TypeVar("Item")


def in_given_order(items: Sequence[Item], names: Sequence[str], given: Sequence[str]) -> list[Item]:
    """Items in the order a person gave their names; those not named keep their place among the
    rest, after them."""
    place = {name: at for at, name in enumerate(given)}
    ranked = sorted(zip(items, names, strict=True), key=lambda pair: place.get(pair[1], len(place)))
    return [item for item, _ in ranked]


def moved(names: Sequence[str], name: str, by: int) -> tuple[str, ...]:
    """Names with one moved earlier or later among them; at an end it stays."""
    order = list(names)
    at = order.index(name)
    to = min(max(at + by, 0), len(order) - 1)
    order.insert(to, order.pop(at))
    return tuple(order)


def with_other_order(kept: LedgerArrangement) -> LedgerArrangement:
    """Ordered the other way."""
    is_worst = kept.order is LedgerOrder.WORST_FIRST
    order = LedgerOrder.PLACES if is_worst else LedgerOrder.WORST_FIRST
    return msgspec.structs.replace(kept, order=order)


def cell_name(place: str, slug: str) -> str:
    """Under which name the station of a cell is kept."""
    return f"{place}/{slug}"
