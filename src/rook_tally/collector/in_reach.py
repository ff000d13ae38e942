"""Looking for what this machine has within reach: serial ports as they come and go, its probes."""

from __future__ import annotations

import asyncio
from pathlib import Path

from rook_tally.core.errors import UsageError
from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.intake.doors.port_names import ports_here
from rook_tally.intake.doors.sysfs import probes_in, read_probe
from rook_tally.store.base import Store
from rook_tally.store.site.in_reach import in_reach, put_in_reach

_FIRST_S, _EVERY_S = 2.0, 10.0
_MOST_TOLD = 3


async def keep_looking(store: Store, root: Path = Path("/sys")) -> None:
    """Look again and again, and write down what changed, until cancelled; doors are opened
    first."""
    await asyncio.sleep(_FIRST_S)
    while True:
        await asyncio.to_thread(look, store, root)
        await asyncio.sleep(_EVERY_S)


def look(store: Store, root: Path) -> None:
    """Look once. What probes say is not news: only that they are there."""
    found = [*_ports(), *_probes(root)]
    with store.read() as connection:
        known = in_reach(connection)
    if [(one.sort, one.name) for one in known] != [(one.sort, one.name) for one in found]:
        with store.write() as connection:
            put_in_reach(connection, found)


def _ports() -> list[Reachable]:
    return [Reachable(ReachSort.PORT, one.path, one.what) for one in ports_here() if one.what]


def _probes(root: Path) -> list[Reachable]:
    try:
        found = probes_in(root)
    except UsageError:
        return []
    told = []
    for name, (device, channels) in found.items():
        values = [one for one in read_probe(name, device, channels).values if one.value is not None]
        words = ", ".join(f"{one.value:g} {one.unit}".rstrip() for one in values[:_MOST_TOLD])
        told.append(Reachable(ReachSort.PROBE, name, words))
    return told
